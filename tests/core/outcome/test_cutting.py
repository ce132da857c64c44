"""Clips cut out of recordings, opened again: the frames they should hold, by picture."""

import shutil
import subprocess

import av
import numpy as np
import pytest

from north_hush.core.errors import FootageError
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import Orientation
from north_hush.core.footage.server import FrameServer, picture_of
from north_hush.core.outcome.cutting import copies, cut_copy, cut_encoded, frames_between, key_before
from north_hush.core.outcome.rules import Stamp
from north_hush.core.outcome.stamping import draw_stamp
from north_hush.core.outcome.weight import weight_of
from north_hush.core.scene.items import Privacy
from tests.footage_maker import heard_at_s, moving_square, write_image, write_sounding, write_video

PLAIN = {"qp": "1", "g": "20"}
B_FRAMES = {"qp": "1", "g": "20", "bf": "3", "b_strategy": "0"}
OPEN_GOP = {"qp": "1", "x264-params": "open-gop=1:keyint=20:min-keyint=20:bframes=3:b-adapt=0:scenecut=0"}


def pictures(path):
    index = index_recording(Footage(path))
    server = FrameServer(index)
    found = [picture_of(server.frame(number), index.grid())[:, :, :3].astype(int) for number in range(index.frames)]
    server.close()
    return index, found


def recording(tmp_path, options=PLAIN, name="slip.mkv", **more):
    return write_video(tmp_path / name, moving_square(60), options=options, **more)


@pytest.mark.parametrize("options", [PLAIN, B_FRAMES, OPEN_GOP], ids=["plain", "b-frames", "open groups"])
@pytest.mark.parametrize("ending", [".mkv", ".mp4"])
def test_a_copy_holds_the_very_frames_from_its_key_frame_on(tmp_path, options, ending):
    index, before = pictures(recording(tmp_path, options))
    for first, last in ((27, 43), (20, 20), (0, 59), (45, 59)):
        target = tmp_path / f"clip-{first}{ending}"
        cut = cut_copy(index, first, last, target)
        clip, held = pictures(target)
        assert cut.first == key_before(index, first) <= first
        assert cut.frames == clip.frames
        assert last - cut.first + 1 <= clip.frames <= last - cut.first + 1 + 4  # frames that others rest on come along
        for place in (0, first - cut.first, last - cut.first):
            assert np.abs(held[place] - before[cut.first + place]).max() == 0, (first, last, place)
        times = clip.time_us - clip.time_us[0]
        count = last - cut.first + 1
        wanted = index.time_us[cut.first : last + 1] - index.time_us[cut.first]
        assert np.abs(times[:count] - wanted).max() <= 1000


@pytest.mark.skipif(shutil.which("ffprobe") is None, reason="ffprobe of Debian's ffmpeg is not installed")
def test_another_reader_counts_the_same_frames(tmp_path):
    index = index_recording(Footage(recording(tmp_path, B_FRAMES)))
    cut = cut_copy(index, 27, 43, tmp_path / "clip.mkv")
    asked = ["ffprobe", "-v", "error", "-count_frames", "-show_entries", "stream=nb_read_frames", "-of", "csv=p=0"]
    told = subprocess.run([*asked, tmp_path / "clip.mkv"], capture_output=True, text=True, check=True)
    assert (int(told.stdout), told.stderr) == (cut.frames, "")


def test_what_is_encoded_has_exactly_the_frames_asked_for_covered_and_stamped(tmp_path):
    index, before = pictures(recording(tmp_path))
    corner = Privacy(id="p", name="p", outline=((0.0, 0.5), (0.3, 0.5), (0.3, 1.0), (0.0, 1.0)))
    target = tmp_path / "clip.mp4"

    def draw(pixels, number):
        draw_stamp(pixels, f"frame {number}", Stamp(corner="bottom_right", height_percent=15))

    cut = cut_encoded(index, index.grid(), 13, 43, target, (corner,), draw)
    clip, held = pictures(target)
    assert (cut.first, cut.last, cut.frames, clip.frames, cut.encoded) == (13, 43, 31, 31, True)
    height, width = before[0].shape[:2]
    open_part = (slice(0, height // 2 - 2), slice(0, width))
    for place in (0, 30):
        assert np.abs(held[place][open_part] - before[13 + place][open_part]).mean() < 4
        covered = held[place][height // 2 + 6 : height - 4, 4 : width // 4]
        assert covered.std() < 4  # the square that crosses there is gone
        stamped = held[place][height - 16 :, width // 2 :]
        assert stamped.min() < 40 and stamped.max() > 215  # it reads on black and on white


def test_what_can_be_copied(tmp_path):
    index = index_recording(Footage(recording(tmp_path)))
    mask = Privacy(id="p", name="p", outline=((0, 0), (1, 0), (1, 1)))
    assert copies(index, None, (), ".mp4")
    assert copies(index, index.orientation, (), ".mkv")
    assert not copies(index, Orientation(rotation_deg=90), (), ".mkv")
    assert not copies(index, None, (mask,), ".mkv")
    mjpeg = recording(tmp_path, {}, "old.avi", codec="mjpeg", pix_fmt="yuvj420p")
    assert not copies(index_recording(Footage(mjpeg)), None, (), ".mp4")


def test_a_turned_recording_is_cut_turned(tmp_path):
    index = index_recording(Footage(recording(tmp_path)))
    cut_encoded(index, index.grid(Orientation(rotation_deg=90)), 0, 4, tmp_path / "clip.mkv")
    clip = index_recording(Footage(tmp_path / "clip.mkv"))
    assert (clip.coded_width, clip.coded_height) == (96, 160)


def test_images_become_a_clip(tmp_path):
    folder = tmp_path / "images"
    folder.mkdir()
    for number, picture in enumerate(moving_square(12)):
        write_image(folder / f"{number:04d}.pgm", picture)
    index = index_recording(Footage(folder, 4.0))
    assert not copies(index, None, (), ".mkv")
    assert cut_encoded(index, index.grid(), 2, 9, tmp_path / "clip.mkv").frames == 8
    assert index_recording(Footage(tmp_path / "clip.mkv")).duration_s == pytest.approx(2.0, abs=0.05)


def test_a_gap_inside_a_clip_stays_a_gap(tmp_path):
    path = recording(tmp_path, stamps_ms=lambda i: i * 100 + (5000 if i >= 30 else 0))
    index = index_recording(Footage(path))
    cut_copy(index, 20, 45, tmp_path / "clip.mkv")
    clip = index_recording(Footage(tmp_path / "clip.mkv"))
    assert np.diff(clip.time_us).max() == pytest.approx(5_100_000, abs=2000)


def test_sound_is_kept_in_step(tmp_path):
    path = write_sounding(tmp_path / "sound.mkv", 60, loud=40)
    cut = cut_copy(index_recording(Footage(path)), 33, 50, tmp_path / "clip.mkv")
    assert heard_at_s(tmp_path / "clip.mkv")[0] == pytest.approx((40 - cut.first) / 10, abs=0.05)


def test_a_target_that_cannot_be_written_is_told_and_leaves_nothing(tmp_path):
    index = index_recording(Footage(recording(tmp_path)))
    (tmp_path / "full").write_text("a file where a folder should be")
    with pytest.raises(FootageError, match="cannot be written"):
        cut_copy(index, 0, 5, tmp_path / "full" / "clip.mkv")
    assert sorted(path.name for path in tmp_path.iterdir()) == ["full", "slip.mkv"]


def test_bytes_are_those_of_the_packets(tmp_path):
    index = index_recording(Footage(recording(tmp_path, B_FRAMES)))
    weight = weight_of(index)
    with av.open(str(tmp_path / "slip.mkv")) as held:
        assert weight.total == sum(packet.size for packet in held.demux(video=0))
    assert weight.between(0, 10 * 1_000_000) == weight.total
    halves = weight.between(0, 3_000_000) + weight.between(3_000_000, 9_000_000)
    assert halves == weight.total
    assert frames_between(index, 1_000_000, 2_000_000) == (10, 19)
    assert frames_between(index, 7_000_000, 8_000_000) is None
