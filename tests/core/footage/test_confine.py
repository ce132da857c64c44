"""What a decoder may touch, and what processes that are gone leave behind."""

import json
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from north_hush.core.errors import EvidenceError, FootageError
from north_hush.core.footage import leftovers, writing
from north_hush.core.footage.index import Footage
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.pass_worker import request_line
from north_hush.core.footage.shared import SharedReader
from north_hush.core.footage.source import IMAGE_SUFFIXES, decode_image, open_video
from north_hush.core.grid import Grid
from north_hush.core.nursery import Forked, Nursery
from tests.footage_maker import moving_square, write_video

TRIES = """
import sys
from pathlib import Path
from north_hush.core.footage.confine import MEMORY_BYTES, confine
import resource, socket
folder = Path(sys.argv[1])
held = confine([folder / "in"], [folder / "out"])
assert resource.getrlimit(resource.RLIMIT_AS)[0] <= MEMORY_BYTES
assert "NoNewPrivs:\\t1" in Path("/proc/self/status").read_text()
def tried(what):
    try:
        what()
    except OSError:
        return "refused"
    return "done"
print(held)
print(tried(lambda: (folder / "in" / "a").read_bytes()))
print(tried(lambda: (folder / "out" / "b").write_text("b")))
print(tried(lambda: (folder / "out" / "b").rename(folder / "out" / "c")))
print(tried(lambda: (folder / "secret").read_bytes()))
print(tried(lambda: (folder / "in" / "a").write_text("x")))
print(tried(lambda: Path("/etc/passwd").read_bytes()))
try:
    socket.create_connection(("127.0.0.1", 9), 1)
except PermissionError:
    print("refused")
except OSError:
    print("done")
"""


def test_a_confined_process_reads_and_writes_only_where_it_may(tmp_path):
    for name in ("in", "out"):
        (tmp_path / name).mkdir()
    (tmp_path / "in" / "a").write_text("a")
    (tmp_path / "secret").write_text("s")
    said = subprocess.run(
        [sys.executable, "-c", TRIES, str(tmp_path)], capture_output=True, text=True, check=True, timeout=60
    ).stdout.split()
    if said[0] == "False":
        pytest.skip("this kernel has no Landlock")
    assert said[1:4] == ["done", "done", "done"]
    assert said[4:7] == ["refused", "refused", "refused"]


@pytest.mark.parametrize("command", ["_pass", "_print"])
def test_the_workers_do_their_work_confined_and_reach_no_other_recording(command, tmp_path, monkeypatch):
    """Each is asked for a recording through a link that leads out of the folder it may read: links are followed, and a file that
    names another one is not a recording."""
    monkeypatch.setenv("NORTH_HUSH_CACHE", str(tmp_path / "cache" / "evidence"))
    recording = write_video(tmp_path / "slip.mkv", moving_square(12))
    (tmp_path / "linked.mkv").symlink_to(recording)
    opened = {"path": str(tmp_path / "linked.mkv"), "frames_per_s": None, "orientation": None}
    asked = {
        "_pass": request_line(Footage(tmp_path / "linked.mkv"), EvidenceOptions()),
        "_print": json.dumps({**opened, "line": [[0.5, 0.1], [0.5, 0.9]], "privacy": []}).encode() + b"\n",
    }[command]
    worker = subprocess.Popen(
        [sys.executable, "-m", "north_hush", command],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
    )
    worker.stdin.write(asked)
    worker.stdin.flush()
    lines = []
    while line := worker.stdout.readline():
        lines.append(json.loads(line))
        if lines[-1]["event"] in ("done", "error"):
            break
    assert lines[-1]["event"] == "done", lines[-1]
    worker.stdin.close()
    worker.wait(20)
    worker.stdout.close()
    worker.stderr.close()


def test_so_does_the_one_that_is_forked_for_the_window(tmp_path, monkeypatch):
    monkeypatch.setenv("NORTH_HUSH_CACHE", str(tmp_path / "cache" / "evidence"))
    (tmp_path / "linked.mkv").symlink_to(write_video(tmp_path / "slip.mkv", moving_square(12)))
    nursery, memory = Nursery("_frames"), SharedReader()
    worker = Forked(nursery, memory.fd)
    asked = {"path": str(tmp_path / "linked.mkv"), "frames_per_s": None, "orientation": None}
    worker.stdin.write(json.dumps(asked).encode() + b"\n" + b'{"want": "thumbnail", "frame": 3}\n')
    worker.stdin.flush()
    worker.await_birth()
    header = json.loads(worker.stdout.readline())
    worker.stdout.read(header["bytes"])
    picture = json.loads(worker.stdout.readline())
    assert picture["width"] > 100
    worker.stdout.read(picture["bytes"])  # or it would write to a pipe that nobody reads
    bound = Path(f"/proc/{worker.pid}/status").read_text("ascii")
    assert re.search(r"^NoNewPrivs:\s1$", bound, re.M)
    assert not re.search(r"^NoNewPrivs:\s1$", Path(f"/proc/{nursery._process.pid}/status").read_text("ascii"), re.M)
    worker.stdin.close()
    worker.stdout.close()
    assert worker.await_end() == 0
    nursery.close()
    memory.close()


PLAY_LISTS = {
    "list.m3u8": "#EXTM3U\n#EXT-X-TARGETDURATION:9\n#EXTINF:9,\n{}\n#EXT-X-ENDLIST\n",
    "list.mp4": "ffconcat version 1.0\nfile {}\n",
    "list.sdp": "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=video 5004 RTP/AVP 96\na=rtpmap:96 H264/90000\n",
}


@pytest.mark.parametrize("name", PLAY_LISTS)
def test_a_file_that_names_another_is_no_recording(name, tmp_path):
    recording = write_video(tmp_path / "slip.mkv", moving_square(5))
    (tmp_path / name).write_text(PLAY_LISTS[name].format(recording))
    with pytest.raises(FootageError, match="is not a recording that can be read"), open_video(tmp_path / name):
        pass


def test_pipes_devices_and_impossible_names_are_refused_at_once(tmp_path):
    os.mkfifo(tmp_path / "pipe.mp4")
    for path, says in (
        (tmp_path / "pipe.mp4", "pipe or a device"),
        (tmp_path / ("n" * 300), "is not there|is no path"),
    ):
        with pytest.raises(FootageError, match=says), open_video(path):
            pass


@pytest.mark.parametrize(
    "name", ["a:b.mkv", "http:x.mkv", "50%d.mkv", os.fsdecode(b"\xff\xfe.mkv"), f"{'d' * 200}/{'e' * 200}/r.mkv"]
)
def test_odd_names_are_opened_as_they_are(name, tmp_path, monkeypatch):
    recording = write_video(tmp_path / "slip.mkv", moving_square(5))
    monkeypatch.chdir(tmp_path)
    (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
    shutil.copy(recording, tmp_path / name)
    with open_video((tmp_path / name).relative_to(tmp_path)) as (_, stream):
        assert stream.width > 100


def test_an_image_whose_name_looks_like_a_pattern_is_itself(tmp_path):
    assert ".pgm" in IMAGE_SUFFIXES
    for number, grey in (("%d", 200), ("1", 10)):
        (tmp_path / f"i{number}.pgm").write_bytes(b"P5 32 32 255\n" + bytes([grey]) * 1024)
    assert decode_image(tmp_path / "i%d.pgm").to_ndarray(format="gray").mean() > 150


# --- what is left behind ------------------------------------------------------------------------------------------------


def test_folders_go_when_their_process_is_gone_and_not_before(tmp_path, monkeypatch):
    gone = subprocess.Popen([sys.executable, "-c", ""])
    gone.wait()
    left = leftovers.owned_folder("abc.part", tmp_path, gone.pid)
    mine, plain = leftovers.owned_folder("abc.part", tmp_path), tmp_path / "evidence"
    plain.mkdir()
    (left / "block").write_text("x")
    with monkeypatch.context() as elsewhere:
        elsewhere.setattr(leftovers.socket, "gethostname", lambda: "another")
        foreign = leftovers.owned_folder("abc.part", tmp_path, gone.pid)
    leftovers.clear_left_behind(tmp_path)
    assert not left.exists()
    assert mine.exists()
    assert plain.exists()
    assert foreign.exists()  # of another machine nothing is known
    os.utime(foreign, (0, 0))
    leftovers.clear_left_behind(tmp_path)
    assert not foreign.exists()
    leftovers.clear_left_behind(tmp_path / "not there")


def test_no_room_in_the_cache_and_none_beside_it_is_an_error_that_says_so(tmp_path, monkeypatch):
    monkeypatch.setattr(writing.tempfile, "tempdir", str(tmp_path / "gone"))
    blocked = tmp_path / "file"
    blocked.write_text("")
    with pytest.raises(EvidenceError, match="cannot take what does not fit into the cache either"):
        writing.StoreWriter("k", Grid(32, 16), EvidenceOptions(), blocked / "below")
