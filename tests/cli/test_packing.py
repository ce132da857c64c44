"""Sealed packs: what is in them, and that every change is told."""

import json
import shutil
import subprocess
import zipfile

import pytest

from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.handover.seal import key_print
from tests.cli.running import run
from tests.footage_maker import moving_square, write_video


@pytest.fixture
def site(tmp_path):
    recording = write_video(tmp_path / "2026-03-01_14-05-00.mkv", moving_square(60))
    path = tmp_path / "slip.hush.json"
    run("new", path, recording, "--zone", "All=0,0;1,0;1,1;0,1")
    return path


def make(site, target, *more):
    return run("pack", site, "2026-03-01_14-05-00.mkv", "--from", 2.7, "--to", 4.3, "--out", target, *more)


def test_a_pack_holds_the_clip_stills_events_and_words(site, tmp_path):
    make(site, tmp_path / "pack")
    pack = tmp_path / "pack"
    original = index_recording(Footage(pack / "original.mkv"))
    assert original.frames >= 43 - 20  # from the key frame before on
    viewing = index_recording(Footage(pack / "viewing.mp4"))
    assert viewing.frames == 16  # exactly the stretch
    assert len(list((pack / "stills").iterdir())) == 5
    words = (pack / "statement.txt").read_text()
    assert "2026-03-01T14:05:02.700+00:00" in words and "frames 27 to 42" in words
    told = json.loads((pack / "events.json").read_text())
    assert told["alarms"] and all(row["end_s"] >= 2.7 and row["start_s"] <= 4.3 for row in told["alarms"])
    assert (pack / "events.vtt").read_text().startswith("WEBVTT")
    assert "as they were packed" in run("verify", pack)


def test_with_privacy_masks_only_the_masked_clip_goes_along(tmp_path):
    recording = write_video(tmp_path / "2026-03-01_14-05-00.mkv", moving_square(60))
    path = tmp_path / "slip.hush.json"
    run("new", path, recording, "--privacy", "Window=0,0.4;1,0.4;1,1;0,1")
    make(path, tmp_path / "pack")
    assert not (tmp_path / "pack" / "original.mkv").exists()
    words = (tmp_path / "pack" / "statement.txt").read_text()
    assert "Privacy masks apply (Window)" in words
    sha = subprocess.run(["sha256sum", recording], capture_output=True, text=True, check=True).stdout.split()[0]
    assert sha in words


@pytest.mark.parametrize("name", ["pack", "pack.zip"])
def test_every_change_is_told_by_file_and_block(site, tmp_path, name):
    make(site, tmp_path / name)
    assert json.loads(run("verify", tmp_path / name, "--json"))["holds"]
    if name == "pack":
        clip = tmp_path / name / "viewing.mp4"
        held = bytearray(clip.read_bytes())
        held[-1] ^= 1
        clip.write_bytes(held)
        (tmp_path / name / "events.csv").unlink()
        (tmp_path / name / "stills" / "more.jpg").write_bytes(b"?")
        block = (len(held) - 1) // 65536
        found = json.loads(verify_failing(tmp_path / name))
        assert {(row["file"], row["block"]) for row in found["findings"]} == {
            ("viewing.mp4", block), ("events.csv", None), ("stills/more.jpg", None),
        }  # fmt: skip
    else:
        with zipfile.ZipFile(tmp_path / name) as pack:
            info = pack.getinfo("statement.txt")
        held = bytearray((tmp_path / name).read_bytes())
        held[info.header_offset + 30 + len("statement.txt") + 5] ^= 1
        (tmp_path / name).write_bytes(held)
        found = json.loads(verify_failing(tmp_path / name))
        assert [(row["file"], row["block"]) for row in found["findings"]] == [("statement.txt", 0)]


def verify_failing(pack):
    from click.testing import CliRunner

    from north_hush.cli import main

    done = CliRunner().invoke(main, ["verify", str(pack), "--json"])
    assert done.exit_code == 1
    return done.stdout


@pytest.mark.skipif(shutil.which("openssl") is None, reason="openssl is not installed")
def test_a_seal_tells_a_changed_manifest(site, tmp_path):
    key = tmp_path / "owner.pem"
    subprocess.run(["openssl", "genpkey", "-algorithm", "ed25519", "-out", key], check=True, capture_output=True)
    make(site, tmp_path / "pack", "--key", key)
    found = json.loads(run("verify", tmp_path / "pack", "--json"))
    seal = json.loads((tmp_path / "pack" / "manifest.sig.json").read_text())
    assert found["signed_by"] == key_print(seal["public_key"])
    (tmp_path / "pack" / "events.csv").write_text("another")
    manifest = tmp_path / "pack" / "manifest.json"
    held = json.loads(manifest.read_text())
    held["files"] = [row for row in held["files"] if row["file"] != "events.csv"]
    (tmp_path / "pack" / "events.csv").unlink()
    manifest.write_text(json.dumps(held))  # who changes both is caught by the seal
    told = json.loads(verify_failing(tmp_path / "pack"))
    assert [row["file"] for row in told["findings"]] == ["manifest.sig.json"]


def test_what_makes_no_sense_is_told(site, tmp_path):
    make(site, tmp_path / "pack")
    assert "is there already" in run_failing(
        "pack", site, "2026-03-01_14-05-00.mkv", "--from", 0, "--to", 1, "--out", tmp_path / "pack"
    )
    args = ("pack", site, "2026-03-01_14-05-00.mkv", "--out", tmp_path / "other")
    assert "earlier one first" in run_failing(*args, "--from", 3, "--to", 1)
    assert "no frame" in run_failing(*args, "--from", 90, "--to", 99)
    (tmp_path / "bad.pem").write_text("no key")
    assert "no private key" in run_failing(*args, "--from", 0, "--to", 1, "--key", tmp_path / "bad.pem")
    assert not (tmp_path / "other").exists()
    assert sorted(path.name for path in tmp_path.iterdir() if path.name.startswith(".other")) == []
    assert "holds no manifest.json" in run_failing("verify", tmp_path)
    assert "cannot be read as a pack" in run_failing("verify", site)
    assert "is not there" in run_failing("verify", tmp_path / "nowhere.zip")


def run_failing(*args):
    return run(*args, code=1)
