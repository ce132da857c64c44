"""Facts of recordings: stamps in every order, dates, orientation, and texts people read."""

import os
from datetime import UTC, datetime, timedelta
from fractions import Fraction
from zoneinfo import ZoneInfo

import av
import numpy as np
import pytest

from north_hush.core.errors import FootageError, HushError
from north_hush.core.footage import index as index_module
from north_hush.core.footage.dating import Dated, disagreeing, named_date
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import (
    Footage,
    index_recording,
)
from north_hush.core.footage.luma import luma_of
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.passes import evidence_of
from north_hush.core.footage.server import FrameServer
from north_hush.core.footage.source import image_files, image_time_base
from north_hush.core.footage.stamps import clock_text, usual_interval_us
from north_hush.core.site.model import replaced
from north_hush.core.site.recording import Recording
from tests.evidence_maker import whole_channel
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
    moment = datetime(2026, 6, 14, 15, 2, 7, tzinfo=UTC)
    assert index.taken_at() == moment
    assert index.dates[0].source == "recording"
    zone = ZoneInfo("Atlantic/Faroe")
    held = Recording(id="r", path="dated.mp4", clock_offset_s=-3600)
    assert held.began(index, zone) == moment - timedelta(hours=1)
    typed = moment + timedelta(days=3)
    assert replaced(held, taken_at=typed).began(index, zone) == typed  # what was typed wins, as it was typed


def test_the_date_is_the_files_otherwise(tmp_path):
    index = index_recording(Footage(write_video(tmp_path / "a.avi", moving_square(5))))
    assert index.dates[0].source == "file date"
    assert abs(datetime.now(UTC) - index.taken_at()) < timedelta(minutes=5)


def test_a_file_is_written_until_its_recording_ends(tmp_path):
    path = write_video(tmp_path / "a.mkv", moving_square(100))
    written = datetime(2026, 6, 14, 15, 2, 7, tzinfo=UTC)
    os.utime(path, (written.timestamp(), written.timestamp()))
    assert index_recording(Footage(path)).taken_at() == written - timedelta(seconds=10)


@pytest.mark.parametrize(
    ("name", "moment"),
    [
        ("slip_20260614_150207.mp4", datetime(2026, 6, 14, 15, 2, 7)),
        ("2026-06-14 15.02.07 slip.mkv", datetime(2026, 6, 14, 15, 2, 7)),
        ("cam2-20260614150207.avi", datetime(2026, 6, 14, 15, 2, 7)),
        ("2026-06-14T15-02-07Z.mp4", datetime(2026, 6, 14, 15, 2, 7, tzinfo=UTC)),
        ("slip 20260614-1502.mp4", datetime(2026, 6, 14, 15, 2)),
        ("slip-20261340-150207.mp4", None),
        ("slip 0123456789012345.mp4", None),
        ("afternoon.mp4", None),
    ],
)
def test_names_of_files_that_state_a_time(name, moment):
    assert named_date(name) == moment


def test_a_name_is_of_the_site_s_clock_and_counts_before_the_file_date(tmp_path):
    path = write_video(tmp_path / "slip_20260614_150207.mkv", moving_square(5))
    index = index_recording(Footage(path))
    assert [held.source for held in index.dates] == ["file name", "file date"]
    assert index.taken_at(ZoneInfo("Atlantic/Faroe")) == datetime(2026, 6, 14, 14, 2, 7, tzinfo=UTC)
    assert disagreeing(index.dates, ZoneInfo("UTC")) == ()  # a copy's date is no statement
    stated = Dated("recording", datetime(2026, 6, 14, 9, 0, tzinfo=UTC))
    assert len(disagreeing((stated, *index.dates), ZoneInfo("UTC"))) == 2


def _joined(path, *parts):
    """Transport streams one behind the other, each of pictures with the stamp of its first in frames."""
    data = b""
    for number, (first, pictures) in enumerate(parts):
        piece = write_video(
            path.with_name(f"{number}.ts"),
            pictures,
            options={"bf": "0", "qp": "1", "tune": "zerolatency"},
            stamps_ms=lambda i, first=first: 100 * (first + i),
        )
        data += piece.read_bytes()
    path.write_bytes(data)
    return path


@pytest.mark.parametrize("case", ["starts again", "set back", "one wild"])
def test_every_frame_is_found_by_its_number_whatever_the_stamps(tmp_path, case):
    """Frame i of the source is flat with a brightness of its own, so that the picture tells its number."""
    pictures = [flat(40 + 4 * i) for i in range(40)]
    firsts = {"starts again": (0, 0), "set back": (50, 35), "one wild": (0, 9_000, 21)}[case]
    cuts = (0, 20, 40) if case != "one wild" else (0, 20, 21, 40)
    parts = [(first, pictures[start:end]) for first, start, end in zip(firsts, cuts[:-1], cuts[1:], strict=True)]
    index = index_recording(Footage(_joined(tmp_path / "b.ts", *parts)))
    assert index.frames == 40
    evidence = evidence_of(index, EvidenceOptions(), tmp_path / "cache")
    assert np.array_equal(evidence.time_us, index.time_us)
    assert (np.diff(evidence.frames["mean"].astype(int)) > 0).all()
    server = FrameServer(index)
    for place in (39, 3, 25, 12, 19, 20, 21, 0):
        seen = (int(luma_of(server.frame(place)).mean()) - 16) * 255 / 219  # it was stored in limited range
        assert seen == pytest.approx(40 + 4 * place, abs=2)
    if case == "one wild":
        assert index.duration_s == pytest.approx(4.0)
        assert not evidence.gap.any()
    else:
        assert np.flatnonzero(evidence.gap).tolist() == [20]
        assert "starts again" in " ".join(index.oddities)


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
    wrong = replace(evidence, key="wrong", load=lambda name, block: np.zeros((3, 20), np.uint8))
    with pytest.raises(EvidenceError, match="holds"):
        whole_channel(wrong, "step")
    assert wrong.held_at("step", 0) is None
