"""Opening what users bring, and saying clearly what is wrong with it."""

import re
import shutil
import struct
import subprocess
import sys

import av
import numpy as np
import pytest

from north_hush.core.errors import FootageError
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.luma import luma_of
from north_hush.core.footage.options import EvidenceOptions, Orientation
from north_hush.core.footage.passes import evidence_of
from tests.evidence_maker import whole_channel
from tests.footage_maker import flat, moving_square, write_image, write_video


def opened(path, fps=None):
    index = index_recording(Footage(path, fps))
    return index, evidence_of(index, EvidenceOptions(orientation=index.orientation))


def test_a_sound_recording(tmp_path):
    index, evidence = opened(write_video(tmp_path / "a.mp4", moving_square(40)))
    assert (index.frames, index.frames_per_s, index.duration_s) == (40, 10.0, 4.0)
    assert index.codec == "h264"
    assert index.oddities == evidence.oddities == ()
    assert np.array_equal(index.time_us, evidence.time_us)
    assert np.array_equal(index.pts, evidence.frames["pts"])
    assert list(np.flatnonzero(evidence.frames["key"])) == [0, 20]


@pytest.mark.parametrize("suffix", ["mkv", "avi", "mov", "ts"])
def test_containers_agree(tmp_path, suffix):
    index, evidence = opened(write_video(tmp_path / f"a.{suffix}", moving_square(40)))
    reference = opened(write_video(tmp_path / "b.mp4", moving_square(40)))[1]
    assert index.frames == 40
    assert np.array_equal(whole_channel(evidence, "step"), whole_channel(reference, "step"))


def test_variable_rate_and_gap_are_told(tmp_path):
    def stamp(i):
        return i * 100 + (40 if i % 3 == 0 else 0) + (8000 if i >= 20 else 0)

    index, evidence = opened(write_video(tmp_path / "v.mkv", moving_square(40), stamps_ms=stamp))
    text = " ".join(index.oddities)
    assert "variable frame rate" in text
    assert "gap of 8.1 s at 0:01.9" in text
    assert evidence.frames["gap"].sum() == 1
    assert evidence.time_us[-1] == stamp(39) * 1000 - 40_000


def test_truncated_file_is_analysed_as_far_as_it_goes(tmp_path):
    whole = write_video(tmp_path / "w.ts", moving_square(120))
    cut = tmp_path / "cut.ts"
    cut.write_bytes(whole.read_bytes()[: whole.stat().st_size // 2])
    index, evidence = opened(cut)
    assert 10 < len(evidence.frames) < 120
    assert len(evidence.frames) >= index.frames - 3


def test_truncated_mkv_names_the_broken_end(tmp_path):
    whole = write_video(tmp_path / "w.mkv", moving_square(120))
    cut = tmp_path / "cut.mkv"
    cut.write_bytes(whole.read_bytes()[: whole.stat().st_size // 2])
    index, evidence = opened(cut)
    assert "broken end: the header says 0:12.0" in " ".join(index.oddities)
    assert len(evidence.frames) > 10


def test_wrong_frame_count_in_the_header(tmp_path):
    path = write_video(tmp_path / "a.avi", moving_square(30))
    data = bytearray(path.read_bytes())
    where = data.index(b"strh") + 8 + 32  # dwLength of the stream header
    assert struct.unpack_from("<I", data, where)[0] == 3000  # milliseconds, the unit it was written in
    struct.pack_into("<I", data, where, 90_000)
    path.write_bytes(data)
    index, evidence = opened(path)
    assert any(re.search(r"header says .*(90,000|1:30)", text) for text in index.oddities)
    assert len(evidence.frames) == 30


def test_a_changing_picture_size_stops_there_and_says_so(tmp_path):
    small = write_video(tmp_path / "a.h264", moving_square(30, 160, 96))
    large = write_video(tmp_path / "b.h264", moving_square(30, 192, 96))
    both = tmp_path / "both.h264"
    both.write_bytes(small.read_bytes() + large.read_bytes())
    _, evidence = opened(both)
    assert 25 <= len(evidence.frames) <= 30
    assert "the picture changes to 192 x 96 pixels" in " ".join(evidence.oddities)


def test_image_folder(tmp_path):
    for i, picture in enumerate(moving_square(12)):
        write_image(tmp_path / f"shot {i + 95}.pgm", picture)
    index, evidence = opened(tmp_path, 5.0)
    assert (index.frames, index.frames_per_s, index.duration_s) == (12, 5.0, 2.4)
    assert len(evidence.frames) == 12


def test_images_of_different_sizes_stop_there(tmp_path):
    for i in range(6):
        write_image(tmp_path / f"{i}.pgm", flat(i, 64 if i < 4 else 32))
    _, evidence = opened(tmp_path, 5.0)
    assert len(evidence.frames) == 4
    assert "the picture changes to 32 x 48 pixels" in " ".join(evidence.oddities)


def test_a_broken_image_stops_there_and_is_named(tmp_path):
    for i in range(6):
        write_image(tmp_path / f"{i}.pgm", flat(i))
    (tmp_path / "3.pgm").write_bytes(b"nonsense")
    _, evidence = opened(tmp_path, 5.0)
    assert len(evidence.frames) == 3
    assert "3.pgm" in evidence.oddities[0]


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda p: p / "gone.mp4", "is not there"),
        (lambda p: _written(p / "empty.mp4", b""), "is empty"),
        (lambda p: _written(p / "text.mp4", b"not a recording" * 50), "not a recording that can be read"),
        (lambda p: _audio(p / "sound.wav"), "holds no picture, only audio"),
        (lambda p: _written(p / "none.h264", b"\0\0\0\1\x67" + bytes(40)), "single frame|not a recording"),
    ],
)
def test_what_is_no_recording_is_named(tmp_path, make, says):
    path = make(tmp_path)
    with pytest.raises(FootageError, match=says) as error:
        index_recording(Footage(path))
    assert error.value.subject == str(path)
    assert error.value.remedy


def test_image_folder_without_rate_or_images(tmp_path):
    with pytest.raises(FootageError, match="frame rate"):
        index_recording(Footage(tmp_path))
    with pytest.raises(FootageError, match="no numbered images"):
        index_recording(Footage(tmp_path, 5.0))


def _written(path, data):
    path.write_bytes(data)
    return path


def _audio(path):
    with av.open(str(path), "w") as container:
        stream = container.add_stream("pcm_s16le", rate=8000, layout="mono")
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 8000), np.int16), format="s16", layout="mono")
        frame.rate = 8000
        container.mux(stream.encode(frame))
        container.mux(stream.encode())
    return path


@pytest.mark.parametrize(("width", "height"), [(1, 1), (90, 160), (7680, 4320)])
def test_extreme_sizes(tmp_path, width, height):
    for i in range(3):
        write_image(tmp_path / f"{i}.pgm", flat(40 * i, width, height))
    _, evidence = opened(tmp_path, 10.0)
    assert (evidence.grid.width, evidence.grid.height) == (width, height)
    assert evidence.frames["mean"].tolist() == [0, 640, 1280]


@pytest.mark.parametrize("pix_fmt", ["yuv420p10le", "yuv422p", "gray", "yuvj420p", "nv12"])
def test_luma_is_read_as_it_is_in_every_layout(pix_fmt):
    frame = av.VideoFrame(32, 16, pix_fmt)
    deep = pix_fmt.endswith("10le")
    for plane in frame.planes:
        plane.update(
            np.full(
                plane.buffer_size // (2 if deep else 1), 400 if deep else 100, np.uint16 if deep else np.uint8
            ).tobytes()
        )
    luma = luma_of(frame)
    assert luma.shape == (16, 32)
    assert luma.dtype == np.uint8
    assert set(np.unique(luma)) == {100}


def test_full_range_is_told(tmp_path):
    index = index_recording(
        Footage(write_video(tmp_path / "f.mkv", moving_square(5), codec="mjpeg", pix_fmt="yuvj420p", options={}))
    )
    assert index.full_range
    assert not index_recording(Footage(write_video(tmp_path / "l.mkv", moving_square(5)))).full_range


def test_turning_a_recording_turns_its_evidence(tmp_path):
    index = index_recording(Footage(write_video(tmp_path / "a.mkv", moving_square(30, 160, 96))))
    upright = whole_channel(evidence_of(index, EvidenceOptions()), "step").reshape(24, 40, 30)
    options = EvidenceOptions(orientation=Orientation(rotation_deg=180))
    turned = whole_channel(evidence_of(index, options), "step").reshape(24, 40, 30)
    assert np.array_equal(upright, turned[::-1, ::-1])


def test_fingerprint_follows_content_not_name(tmp_path):
    first = write_video(tmp_path / "a.mkv", moving_square(10))
    copy = _written(tmp_path / "other name.mkv", first.read_bytes())
    changed = _written(tmp_path / "c.mkv", first.read_bytes()[:-1] + b"!")
    assert fingerprint(Footage(first)) == fingerprint(Footage(copy)) != fingerprint(Footage(changed))


def test_the_pass_worker_speaks_json_lines_and_ends_when_its_input_closes(tmp_path):
    import json

    from north_hush.core.footage.pass_worker import request_line

    path = write_video(tmp_path / "a.mkv", moving_square(300))
    done = subprocess.run(
        [sys.executable, "-m", "north_hush", "_pass"],
        input=request_line(Footage(path), EvidenceOptions()),
        capture_output=True,
        check=True,
    )
    events = [json.loads(line) for line in done.stdout.splitlines()]
    assert events[-1]["event"] in ("done", "cancelled")
    worker = subprocess.Popen(
        [sys.executable, "-m", "north_hush", "_pass"], stdin=subprocess.PIPE, stdout=subprocess.PIPE
    )
    worker.stdin.write(request_line(Footage(tmp_path / "gone.mkv"), EvidenceOptions()))
    worker.stdin.flush()
    answer = json.loads(worker.stdout.readline())
    assert (answer["event"], answer["what"]) == ("error", "is not there.")
    assert worker.wait(timeout=20) == 1


def test_an_image_exchanged_in_its_place_makes_another_recording_and_a_copy_the_same(tmp_path):
    folder = tmp_path / "images"
    folder.mkdir()
    for number in range(7):
        (folder / f"i{number}.pgm").write_bytes(b"P5\n64 64\n255\n" + bytes([20 * number]) * 4096)
    before = fingerprint(Footage(folder, 5.0))
    shutil.copytree(folder, tmp_path / "copy", copy_function=shutil.copyfile)
    assert fingerprint(Footage(tmp_path / "copy", 5.0)) == before
    (folder / "i4.pgm").write_bytes(b"P5\n64 64\n255\n" + bytes([81]) * 4096)  # neither first, middle nor last
    assert fingerprint(Footage(folder, 5.0)) != before
