"""The frame worker's protocol, spoken to it as the window does."""

import json
import os
import subprocess

import numpy as np
import pytest

from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.frame_worker import THUMBNAIL_WIDTH_PX
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.index_message import read_index_message
from north_hush.core.footage.shared import SharedReader, SharedWriter
from north_hush.core.scene.privacy import BLANK_GREY
from tests.footage_maker import flat, moving_square, write_image, write_video
from tests.frame_child import frame_command


class Worker:
    """A frame worker and what it answers."""

    def __init__(self, path, *, fps=None, orientation=None, fds=()):
        self.process = subprocess.Popen(
            frame_command(*fds), stdin=subprocess.PIPE, stdout=subprocess.PIPE, pass_fds=fds
        )
        self.say(path=str(path), frames_per_s=fps, orientation=orientation)

    def say(self, **request):
        self.process.stdin.write(json.dumps(request).encode() + b"\n")
        self.process.stdin.flush()

    def hear(self):
        answer = json.loads(self.process.stdout.readline())
        data = self.process.stdout.read(answer["bytes"]) if "bytes" in answer and "slot" not in answer else b""
        return answer, data

    def ask(self, want, frame):
        self.say(want=want, frame=frame)
        return self.hear()

    def close(self):
        self.process.stdin.close()
        code = self.process.wait(timeout=20)
        self.process.stdout.close()
        return code


@pytest.fixture(scope="module")
def path(tmp_path_factory):
    return write_video(tmp_path_factory.mktemp("frames") / "a.mkv", moving_square(40, 320, 192))


@pytest.fixture
def worker(path):
    made = Worker(path)
    yield made
    if made.process.poll() is None:
        made.process.kill()
        made.process.wait()


def test_it_opens_with_index_and_fingerprint_and_ends_with_its_input(worker, path):
    answer, data = worker.hear()
    assert answer["want"] == "open"
    index, digest = read_index_message(data)
    assert index.frames == 40
    assert digest == fingerprint(Footage(path))
    assert np.array_equal(index.time_us, index_recording(Footage(path)).time_us)
    assert worker.close() == 0


def test_pictures_differences_and_thumbnails_have_their_sizes(worker):
    worker.hear()
    answer, data = worker.ask("picture", 20)
    assert (answer["width"], answer["height"], len(data)) == (320, 192, 320 * 192 * 4)
    pixels = np.frombuffer(data, np.uint8).reshape(192, 320, 4)
    assert pixels[..., :3].max() > 200
    answer, both = worker.ask("difference", 20)
    assert both[: len(data)] == data
    assert (answer["difference_width"], answer["difference_height"], len(both)) == (320, 192, 320 * 192 * 5)
    assert np.frombuffer(both, np.uint8, offset=len(data)).max() > 30
    answer, data = worker.ask("thumbnail", 20)
    assert answer["width"] == THUMBNAIL_WIDTH_PX
    assert len(data) == answer["width"] * answer["height"] * 4


@pytest.fixture
def memory():
    made = SharedReader()
    yield made
    made.close()


def test_pictures_come_through_memory_once_there_is_some(path, memory):
    worker = Worker(path, fds=(memory.fd,))
    worker.hear()
    piped = worker.ask("difference", 20)[1]
    memory.size(320 * 192 * 5)
    worker.say(want="memory", slot_bytes=memory.slot_bytes)
    slots = []
    for frame in (20, 7, 20):
        answer, data = worker.ask("difference", frame)
        assert data == b""
        held = bytes(memory.read(answer["slot"], answer["bytes"]))
        assert (held == piped) == (frame == 20)
        slots.append(answer["slot"])
        worker.say(want="taken", slot=answer["slot"])
    assert set(slots) <= {0, 1}
    answer, data = worker.ask("thumbnail", 20)  # small ones need no memory
    assert "slot" not in answer and len(data) == answer["bytes"]
    assert worker.close() == 0


def test_a_slot_is_written_again_only_once_it_was_read(path, memory):
    worker = Worker(path, fds=(memory.fd,))
    worker.hear()
    memory.size(320 * 192 * 5)
    worker.say(want="memory", slot_bytes=memory.slot_bytes)
    first, second = (worker.ask("picture", frame)[0]["slot"] for frame in (3, 9))
    assert {first, second} == {0, 1}
    kept = bytes(memory.read(first, 320 * 192 * 4))
    worker.say(want="picture", frame=30)
    worker.say(want="thumbnail", frame=5)
    assert worker.hear()[0]["want"] == "thumbnail"  # the picture waits
    assert bytes(memory.read(first, 320 * 192 * 4)) == kept
    worker.say(want="taken", slot=second)
    assert worker.hear()[0] == {**worker_answer(second), "frame": 30}
    worker.say(want="picture", frame=12)  # waits for the first one, which nobody takes
    worker.say(want="thumbnail", frame=6)
    worker.hear()  # by now it does
    assert worker.close() in (0, 1)  # and ends all the same


def worker_answer(slot):
    size = {"width": 320, "height": 192, "bytes": 320 * 192 * 4}
    return {"want": "picture", "frame": 0, "privacy": 0, **size, "slot": slot}


def test_what_does_not_fit_goes_through_the_pipe(path, memory):
    worker = Worker(path, fds=(memory.fd,))
    worker.hear()
    memory.size(4096)
    worker.say(want="memory", slot_bytes=memory.slot_bytes)
    answer, data = worker.ask("picture", 20)
    assert "slot" not in answer and len(data) == 320 * 192 * 4
    assert worker.close() == 0


def test_everything_goes_through_the_pipe_where_memory_cannot_be_mapped(path, memory):
    worker = Worker(path, fds=(memory.fd,))  # of no size yet
    worker.hear()
    worker.say(want="memory", slot_bytes=1 << 20)
    assert len(worker.ask("picture", 21)[1]) == 320 * 192 * 4
    assert worker.close() == 0


def test_nobody_can_cut_memory_short_under_its_reader(memory):
    with pytest.raises(EOFError):
        memory.read(0, 1)
    memory.size(5000)
    assert memory.slot_bytes % 4096 == 0
    for length in (0, 1 << 20):
        with pytest.raises(PermissionError):
            os.ftruncate(memory.fd, length)
    for slot, length in ((2, 1), (-1, 1), (0, memory.slot_bytes + 1), (0, -1)):
        with pytest.raises(EOFError):
            memory.read(slot, length)
    writer = SharedWriter(memory.fd, memory.slot_bytes)
    assert writer.write(np.full(7, 3, np.uint8), np.full((2, 2), 5, np.uint8)) in (0, 1)
    writer.end()
    assert writer.write(np.zeros(1, np.uint8)) is None


def test_the_first_frame_has_no_difference(worker):
    worker.hear()
    _, data = worker.ask("difference", 0)
    assert max(data[-320 * 192 :]) == 0


def test_only_the_newest_picture_is_answered_and_every_thumbnail_is(worker):
    worker.hear()
    for frame in (5, 9):
        worker.say(want="thumbnail", frame=frame)
    for frame in range(30):
        worker.say(want="picture", frame=frame)
    pictures, thumbnails = [], []
    while 29 not in pictures or len(thumbnails) < 2:
        answer, _ = worker.hear()
        (thumbnails if answer["want"] == "thumbnail" else pictures).append(answer["frame"])
    assert pictures == sorted(pictures)
    assert sorted(thumbnails) == [5, 9]


def test_thumbnails_come_while_the_recording_plays(worker):
    worker.hear()
    worker.say(want="thumbnail", frame=5)
    worker.say(want="picture", frame=0)
    heard = []
    for frame in range(1, 200):  # one picture is always wanted already when one is answered
        worker.say(want="picture", frame=frame % 30)
        heard.append(worker.hear()[0]["want"])
        if "thumbnail" in heard:
            break
    assert heard[-1] == "thumbnail"


def test_frames_beyond_the_ends_are_the_ends(worker):
    worker.hear()
    last, beyond = worker.ask("picture", 39)[1], worker.ask("picture", 4000)[1]
    assert last == beyond
    assert worker.ask("picture", 0)[1] == worker.ask("picture", -5)[1]


def test_orientation_is_applied(path):
    worker = Worker(path, orientation={"rotation_deg": 90, "flip": False})
    worker.hear()
    answer, _ = worker.ask("picture", 3)
    assert (answer["width"], answer["height"]) == (192, 320)
    assert worker.close() == 0


def test_a_file_that_is_gone_is_an_answer_not_a_crash(tmp_path):
    worker = Worker(tmp_path / "gone.mkv")
    answer, _ = worker.hear()
    assert answer["want"] == "open"
    assert answer["error"]["what"] == "is not there."
    assert worker.process.wait(timeout=20) == 1
    worker.process.stdin.close()
    worker.process.stdout.close()


def test_a_broken_image_is_named_and_the_next_one_comes(tmp_path):
    for i in range(4):
        write_image(tmp_path / f"{i}.pgm", flat(40 * i))
    (tmp_path / "2.pgm").write_bytes(b"nonsense")
    worker = Worker(tmp_path, fps=5.0)
    worker.hear()
    answer, _ = worker.ask("picture", 2)
    assert "2.pgm" in answer["error"]["subject"]
    answer, data = worker.ask("picture", 3)
    assert "error" not in answer
    assert data[0] == 120
    assert worker.close() == 0


def test_privacy_masks_blank_every_answer_but_a_bare_one(worker):
    worker.hear()
    corners = [[0.0, 0.0], [0.5, 0.0], [0.5, 1.0], [0.0, 1.0]]
    worker.say(want="privacy", number=3, items=[{"id": "p", "name": "Door", "outline": corners}])
    for want in ("picture", "still", "thumbnail", "difference"):
        answer, data = worker.ask(want, 20)
        assert answer["privacy"] == 3
        planes = [np.frombuffer(data, np.uint8, 4 * answer["height"] * answer["width"])]
        planes[0] = planes[0].reshape(answer["height"], answer["width"], 4)
        if want == "difference":
            shape = answer["difference_height"], answer["difference_width"]
            planes.append(np.frombuffer(data, np.uint8, offset=planes[0].nbytes).reshape(shape))
        for pixels in planes:
            half = pixels.shape[1] // 2
            assert (pixels[:, :half] == BLANK_GREY).all()
            assert (pixels[:, half + 1 :] != BLANK_GREY).any()
    worker.say(want="thumbnail", frame=20, box=[0.25, 0.5, 0.75, 0.9])
    answer, data = worker.hear()
    cut = np.frombuffer(data, np.uint8).reshape(answer["height"], answer["width"], 4)
    assert (answer["width"], answer["height"], answer["box"]) == (160, 77, [0.25, 0.5, 0.75, 0.9])
    assert (cut[:, :80] == BLANK_GREY).all()
    assert (cut[:, 81:] != BLANK_GREY).any()
    for want, shows in (("picture", True), ("still", False), ("thumbnail", False)):
        worker.say(want=want, frame=20, bare=True)
        answer, data = worker.hear()
        pixels = np.frombuffer(data, np.uint8).reshape(answer["height"], answer["width"], 4)
        assert (pixels[:, : answer["width"] // 2] != BLANK_GREY).any() == shows
