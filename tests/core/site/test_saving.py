"""Saves that hold: what is written, in which order, with what beside it, and who may write."""

import json
import os
import signal
import stat
import subprocess
import sys
import time

import pytest

from north_hush.core.errors import SiteError
from north_hush.core.site import saving
from north_hush.core.site.edits import new_site
from north_hush.core.site.file import load_site
from north_hush.core.site.lock import SiteLock, lock_path
from north_hush.core.site.saving import SiteChangedError, backup_of, mark_of, save_site


def named(name):
    return new_site(name)


@pytest.fixture
def path(tmp_path):
    held = tmp_path / "a.hush.json"
    save_site(named("one"), held)
    return held


def test_a_save_syncs_before_it_renames_and_the_folder_after(path, monkeypatch):
    calls = []
    real_fsync, real_replace = os.fsync, os.replace

    def fsync(fd):
        calls.append("fsync folder" if stat.S_ISDIR(os.fstat(fd).st_mode) else "fsync file")
        real_fsync(fd)

    monkeypatch.setattr(os, "fsync", fsync)
    monkeypatch.setattr(
        saving.Path,
        "replace",
        lambda part, target: (calls.append(f"rename to {target.name}"), real_replace(part, target)),
    )
    monkeypatch.setattr(saving, "_GENERATIONS_S", {".before": 0})
    save_site(named("two"), path)
    one = ["fsync file", "rename to {}", "fsync folder"]
    before, main = [[step.format(name) for step in one] for name in (path.name + ".before", path.name)]
    assert calls == before + main


def test_the_system_sees_write_sync_rename_sync(path, tmp_path):
    """The order of system calls, traced, where strace is installed."""
    import shutil

    if not shutil.which("strace"):
        pytest.skip("strace is not installed")
    script = (
        "from pathlib import Path; from north_hush.core.site.saving import save_site; "
        f"from north_hush.core.site.edits import new_site; save_site(new_site('two'), Path({str(path)!r}))"
    )
    log = tmp_path / "trace"
    subprocess.run(
        ["strace", "-f", "-e", "trace=fsync,rename,renameat,renameat2", "-o", log, sys.executable, "-c", script],
        check=True,
    )
    called = [line.split("(")[0].split()[-1] for line in log.read_text().splitlines() if "(" in line]
    kept = [name for name in called if name in ("fsync", "rename", "renameat", "renameat2")]
    assert [name.rstrip("at2") or name for name in kept[-3:]][0::2] == ["fsync", "fsync"]
    assert kept[-2].startswith("rename")


def test_mode_is_kept_and_a_link_is_written_through(path, tmp_path):
    path.chmod(0o640)
    link = tmp_path / "elsewhere" / "link.hush.json"
    link.parent.mkdir()
    link.symlink_to(path)
    save_site(named("two"), link)
    assert link.is_symlink()
    assert load_site(path).name == "two"
    assert stat.S_IMODE(path.stat().st_mode) == 0o640
    assert backup_of(link) == backup_of(path)
    assert sorted(held.name for held in link.parent.iterdir()) == ["link.hush.json"]


def test_versions_are_kept_by_hour_and_day_within_a_bound(path):
    for name in ("two", "three"):
        save_site(named(name), path)
    versions = {suffix: path.with_name(path.name + suffix) for suffix in (".before", ".hour-before", ".day-before")}
    assert {suffix: load_site(held).name for suffix, held in versions.items()} == {
        ".before": "two", ".hour-before": "one", ".day-before": "one",
    }  # fmt: skip
    old = time.time() - 2 * 3600
    for held in versions.values():
        os.utime(held, (old, old))
    save_site(named("four"), path)
    assert {suffix: load_site(held).name for suffix, held in versions.items()} == {
        ".before": "three", ".hour-before": "three", ".day-before": "one",
    }  # fmt: skip
    assert len(list(path.parent.iterdir())) == 4


def test_a_damaged_file_never_takes_the_place_of_a_good_version(path):
    save_site(named("two"), path)
    path.write_bytes(path.read_bytes()[:40])
    save_site(named("three"), path)
    assert load_site(backup_of(path)).name == "one"
    assert len(path.with_name(path.name + ".damaged").read_bytes()) == 40
    assert load_site(path).name == "three"


def test_another_programs_change_is_not_written_over(path):
    known = mark_of(path)
    held = json.loads(path.read_text())
    path.write_text(json.dumps({**held, "name": "theirs"}))
    with pytest.raises(SiteChangedError, match="changed by another program"):
        save_site(named("mine"), path, known)
    assert load_site(path).name == "theirs"
    save_site(named("mine"), path)  # on purpose
    assert load_site(backup_of(path)).name == "theirs"


def test_what_cannot_be_written_is_said_and_nothing_is_left(path, monkeypatch):
    def full(fd):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(SiteError, match="No space left"):
        save_site(named("two"), path)
    assert load_site(path).name == "one"
    assert [held.name for held in path.parent.iterdir()] == [path.name]


def test_parts_of_saves_that_were_killed_are_cleared_and_those_of_others_stay(path):
    gone = subprocess.Popen([sys.executable, "-c", ""])
    gone.wait()
    dead = path.with_name(f".{path.name}.{gone.pid}.part")
    live = path.with_name(f".{path.name}.{os.getppid()}.part")
    for held in (dead, live):
        held.write_text("half")
    save_site(named("two"), path)
    assert not dead.exists()
    assert live.exists()


KILLED = """
import sys
from pathlib import Path
from north_hush.core.site.edits import new_site
from north_hush.core.site.saving import save_site
print("ready", flush=True)
number = 0
while True:
    number += 1
    save_site(new_site(f"site {number}"), Path(sys.argv[1]))
"""


def test_a_save_that_is_killed_leaves_the_old_or_the_new(path):
    for number in range(6):
        child = subprocess.Popen([sys.executable, "-c", KILLED, str(path)], stdout=subprocess.PIPE)
        child.stdout.readline()
        time.sleep(0.02 + 0.013 * number)
        child.send_signal(signal.SIGKILL)
        child.wait()
        for held in (path, backup_of(path)):
            assert load_site(held).name.startswith(("site", "one"))


# --- locks --------------------------------------------------------------------------------------------------------------


def test_one_lock_for_all_by_the_real_path(path, tmp_path):
    link = tmp_path / "link.hush.json"
    link.symlink_to(path)
    with (
        SiteLock(path),
        pytest.raises(SiteError, match=rf"open in another window or command \(process {os.getpid()}\)"),
    ):
        SiteLock(link)
    SiteLock(link).release()
    assert not lock_path(path).exists()


@pytest.mark.parametrize("text", ["", "garbage", "[]", '{"process": 999999999}', '{"process": "x", "host": ""}'])
def test_a_lock_nobody_holds_is_taken_over(path, text):
    lock_path(path).write_text(text)
    with SiteLock(path):
        assert json.loads(lock_path(path).read_text())["process"] == os.getpid()


def test_a_lock_of_a_killed_process_goes_with_it(path):
    script = "import sys, time; from pathlib import Path; from north_hush.core.site.lock import SiteLock; "
    script += "held = SiteLock(Path(sys.argv[1])); print('held', flush=True); time.sleep(60)"
    child = subprocess.Popen([sys.executable, "-c", script, str(path)], stdout=subprocess.PIPE)
    child.stdout.readline()
    with pytest.raises(SiteError, match=f"process {child.pid}"):
        SiteLock(path)
    child.kill()
    child.wait()
    SiteLock(path).release()


def test_a_lock_of_another_computer_is_broken_on_purpose_only(path):
    lock_path(path).write_text('{"process": 1, "host": "quay-office"}')
    with pytest.raises(SiteError, match="another computer \\(quay-office\\)"):
        SiteLock(path)
    lock_path(path).unlink()  # as the error says
    SiteLock(path).release()


def test_a_folder_that_cannot_be_written_is_said(path, monkeypatch):
    def refuse(*_args, **_kwargs):
        raise PermissionError(13, "Permission denied")

    monkeypatch.setattr(os, "open", refuse)
    with pytest.raises(SiteError, match="cannot be locked"):
        SiteLock(path)
