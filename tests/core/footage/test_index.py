"""Facts of recordings: stamps in every order, dates, orientation, and texts people read."""

from datetime import UTC, datetime, timedelta
from fractions import Fraction

import av
import numpy as np
import pytest

from north_hush.core.errors import FootageError, HushError
from north_hush.core.footage import index as index_module
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import (
    Footage,
    clock_text,
    corrected_taken_at,
    index_recording,
    usual_interval_us,
)
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.passes import evidence_of
from north_hush.core.footage.source import image_files, image_time_base
from tests.footage_maker import flat, moving_square, write_image, write_video


@pytest.mark.parametrize(
    ("time_us", "text"),
    [
        (0, "0:00.0"),
        (61_500_000, "1:01.5"),
        (599_940_000, "9:59.9"),
        (3_600_000_000, "1:00:00.0"),
        (86_399_000_000, "23:59:59.0"),
    ],
)
def test_clock_text(time_us, text):
    assert clock_text(time_us) == text


def test_errors_read_as_one_sentence_with_a_way_out():
    error = HushError("slip.mp4", "is not there.", "Put it back.")
    assert str(error) == "slip.mp4: is not there. Put it back."
    assert str(HushError("slip.mp4", "is not there.")) == "slip.mp4: is not there."


def test_usual_interval_of_few_frames():
    assert usual_interval_us(np.array([0])) == 40_000
    assert usual_interval_us(np.array([0, 100, 200, 900])) == 100


def test_frames_out_of_order_in_the_file_are_put_in_order(tmp_path):
    path = write_video(tmp_path / "b.mp4", moving_square(40), options={"bf": "3", "g": "20", "qp": "1"})
    with av.open(str(path)) as container:
        stored = [packet.pts for packet in container.demux(video=0) if packet.size]
    index = index_recording(Footage(path))
    assert stored != sorted(stored)
    assert (np.diff(index.pts) > 0).all()
    assert (np.diff(index.time_us) == 100_000).all()
    evidence = evidence_of(index, EvidenceOptions())
    assert np.array_equal(evidence.frames["pts"], index.pts)


def test_presentation_order_keeps_parts_between_clock_resets():
    order = index_module._presentation_order
    assert order([0, 2, 1, 3], []) == [0, 2, 1, 3]
    assert order([10, 12, 11, 0, 2, 1], [3]) == [0, 2, 1, 3, 5, 4]
    assert order([5, None, 3], []) == [0, 1, 2]


def test_the_date_comes_from_the_recording_where_it_has_one(tmp_path):
    path = tmp_path / "dated.mp4"
    with av.open(str(path), "w") as container:
        container.metadata["creation_time"] = "2026-06-14T15:02:07Z"
        stream = container.add_stream("libx264", rate=10)
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuv420p"
        for i in range(5):
            frame = av.VideoFrame.from_ndarray(flat(10 * i), format="gray").reformat(format="yuv420p")
            frame.pts, frame.time_base = i, Fraction(1, 10)
            container.mux(stream.encode(frame))
        container.mux(stream.encode())
    index = index_recording(Footage(path))
    assert index.taken_at == datetime(2026, 6, 14, 15, 2, 7, tzinfo=UTC)
    assert index.taken_from == "recording"
    assert corrected_taken_at(index, -3600) == index.taken_at - timedelta(hours=1)


def test_the_date_is_the_files_otherwise(tmp_path):
    index = index_recording(Footage(write_video(tmp_path / "a.avi", moving_square(5))))
    assert index.taken_from == "file date"
    assert abs(datetime.now(UTC) - index.taken_at) < timedelta(minutes=5)


def test_one_frame_alone_is_told(tmp_path):
    index = index_recording(Footage(write_video(tmp_path / "one.mkv", [flat(90)])))
    assert index.frames == 1
    assert "only one frame" in index.oddities[0]
    evidence = evidence_of(index, EvidenceOptions())
    assert not evidence.frames["valid"].any()
    assert evidence.duration_s > 0


def test_slow_recordings_have_no_gaps_of_their_own(tmp_path):
    for i in range(8):
        write_image(tmp_path / f"{i}.pgm", flat(90 + i))
    index = index_recording(Footage(tmp_path, 0.25))
    evidence = evidence_of(index, EvidenceOptions())
    assert index.duration_s == 32.0
    assert not evidence.frames["gap"].any()
    assert evidence.frames["valid"].tolist() == [False] + [True] * 7


def test_images_go_by_the_last_number_in_their_names(tmp_path):
    for name in ("cam2 10.pgm", "cam2 9.pgm", "cam2 100.pgm", "notes.pgm", "cam2 11.txt"):
        write_image(tmp_path / name, flat(1))
    assert [path.name for path in image_files(tmp_path)] == ["cam2 9.pgm", "cam2 10.pgm", "cam2 100.pgm"]


@pytest.mark.parametrize("rate", [0.0, -1.0, 5000.0])
def test_nonsense_rates_are_refused(tmp_path, rate):
    write_image(tmp_path / "1.pgm", flat(1))
    with pytest.raises(FootageError, match="frame rate"):
        index_recording(Footage(tmp_path, rate))


def test_image_time_base_is_exact_for_usual_rates():
    assert image_time_base(10.0) == Fraction(1, 10)
    assert image_time_base(29.97) == Fraction(100, 2997)


def test_the_fingerprint_of_a_folder_follows_rate_names_and_content(tmp_path):
    for i in range(3):
        write_image(tmp_path / f"{i}.pgm", flat(i))
    first = fingerprint(Footage(tmp_path, 5.0))
    assert fingerprint(Footage(tmp_path, 5.0)) == first
    assert fingerprint(Footage(tmp_path, 6.0)) != first
    write_image(tmp_path / "1.pgm", flat(77))
    assert fingerprint(Footage(tmp_path, 5.0)) != first


def test_a_missing_file_has_no_fingerprint(tmp_path):
    with pytest.raises(FootageError, match="is not there"):
        fingerprint(Footage(tmp_path / "gone.mkv"))


def test_evidence_of_another_size_is_refused(tmp_path):
    from dataclasses import replace

    from north_hush.core.errors import EvidenceError

    index = index_recording(Footage(write_video(tmp_path / "a.mkv", moving_square(20))))
    evidence = evidence_of(index, EvidenceOptions())
    wrong = replace(evidence, load=lambda name: np.zeros((3, 20), np.uint8), _channels={})
    with pytest.raises(EvidenceError, match="holds"):
        wrong.channel("step")
    assert wrong.held("step") is None
