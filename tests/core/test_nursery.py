"""Processes that are forked from one that has loaded what they need, by the one that decodes for the window."""

import json
import os
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

import pytest

from north_hush.core.footage.frame_nursery import NAME
from north_hush.core.footage.index_message import read_index_message
from north_hush.core.footage.shared import SharedReader
from north_hush.core.nursery import FAILED, Forked, Nursery
from tests.footage_maker import moving_square, write_video


@pytest.fixture(scope="module")
def nursery():
    held = Nursery("_frames")
    yield held
    held.close()


@pytest.fixture
def memory():
    held = SharedReader()
    yield held
    held.close()


def tell(child, **request):
    child.stdin.write(json.dumps(request).encode() + b"\n")
    child.stdin.flush()


def opened(child, path):
    """What it answers when it is told to open a file."""
    tell(child, path=str(path), frames_per_s=None, orientation=None)
    answer = json.loads(child.stdout.readline())
    return answer, child.stdout.read(answer.get("bytes", 0))


def ended(child):
    """Its exit code, once it was told that nobody asks any more."""
    child.stdin.close()
    child.stdout.close()
    return child.await_end()


def test_a_child_has_the_folder_of_whoever_asks_and_not_that_of_its_nursery(nursery, memory, tmp_path, monkeypatch):
    nursery.start()
    write_video(tmp_path / "a.mkv", moving_square(5))
    monkeypatch.chdir(tmp_path)
    child = Forked(nursery, memory.fd)
    child.await_birth()
    answer, index = opened(child, "a.mkv")
    assert answer["want"] == "open" and read_index_message(index)[0].frames == 5
    assert Path(f"/proc/{child.pid}/comm").read_text("ascii").strip() == NAME
    assert ended(child) == 0


_TELLS = """
import json, os
from north_hush.core.forking import serve_forks
def work(given):
    print(json.dumps({"cache": os.environ.get("NORTH_HUSH_CACHE"), "strange": os.environ.get("STRANGE"), "given": len(given)}))
    return 3
serve_forks("tells", lambda: None, work)
"""


class Telling(Nursery):
    """Its children tell what they have, and end."""

    def __init__(self):
        super().__init__("")
        self._requests, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        with theirs:
            self._process = subprocess.Popen([sys.executable, "-c", _TELLS], stdin=theirs.fileno())


def test_a_child_has_the_environment_of_whoever_asks_and_what_it_was_given(monkeypatch, memory):
    telling = Telling()
    monkeypatch.setenv("NORTH_HUSH_CACHE", "/of-whoever-asks")
    monkeypatch.setenv("STRANGE", os.fsdecode(b"\xff"))
    child = Forked(telling, memory.fd, memory.fd)
    child.await_birth()
    assert json.loads(child.stdout.read()) == {"cache": "/of-whoever-asks", "strange": "\udcff", "given": 2}
    assert child.await_end() == 3
    telling.close()


def test_one_whose_folder_is_gone_is_forked_all_the_same(nursery, memory, tmp_path, monkeypatch):
    gone = tmp_path / "gone"
    gone.mkdir()
    monkeypatch.chdir(gone)
    gone.rmdir()
    child = Forked(nursery, memory.fd)
    child.await_birth()
    assert ended(child) == 0


def test_pixels_come_through_memory_that_was_given(nursery, memory, tmp_path):
    child = Forked(nursery, memory.fd)
    child.await_birth()
    opened(child, write_video(tmp_path / "a.mkv", moving_square(5)))
    memory.size(1 << 20)
    tell(child, want="memory", slot_bytes=memory.slot_bytes)
    tell(child, want="picture", frame=2)
    answer = json.loads(child.stdout.readline())
    assert len(memory.read(answer["slot"], answer["bytes"])) == 4 * answer["width"] * answer["height"]
    assert ended(child) == 0


def test_one_that_is_killed_before_it_is_there_ends_once_it_is(memory):
    late = Nursery("_frames")
    late.start()
    os.kill(late._process.pid, signal.SIGSTOP)
    began = time.monotonic()
    child = Forked(late, memory.fd)
    child.kill()
    assert time.monotonic() - began < 1.0 and child.pid is None
    os.kill(late._process.pid, signal.SIGCONT)
    child.await_birth()
    assert child.await_end() == -signal.SIGKILL
    late.close()


def test_one_whose_nursery_is_killed_first_is_never_born(memory):
    lost = Nursery("_frames")
    lost.start()
    os.kill(lost._process.pid, signal.SIGSTOP)
    child = Forked(lost, memory.fd)
    os.kill(lost._process.pid, signal.SIGKILL)
    child.await_birth()
    assert child.pid is None and child.stdout.read() == b""
    assert child.await_end() == FAILED
    lost.close()


def test_a_child_can_be_ended_as_any_process_can(nursery, memory, tmp_path):
    child = Forked(nursery, memory.fd)
    child.await_birth()
    opened(child, write_video(tmp_path / "a.mkv", moving_square(5)))
    os.kill(child.pid, signal.SIGTERM)
    assert child.await_end() == -signal.SIGTERM


def test_no_thread_runs_where_children_are_forked(nursery, memory):
    child = Forked(nursery, memory.fd)
    child.await_birth()
    assert [task.name for task in Path(f"/proc/{nursery._process.pid}/task").iterdir()] == [str(nursery._process.pid)]
    ended(child)
