"""What lies under a privacy mask leaves the frame worker in no byte."""

import json
import subprocess

import av
import numpy as np
import pytest
from PIL import Image

from north_hush.core.footage.covering import covered_frame, covered_luma
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.index_message import index_message, read_index_message
from north_hush.core.footage.luma import luma_of
from north_hush.core.footage.options import Orientation
from north_hush.core.footage.server import FrameServer, picture_of
from north_hush.core.footage.wire_print import PrintOrder, keep_print, make_print, read_print, stored_print
from north_hush.core.scene.items import Privacy
from north_hush.core.scene.privacy import BLANK_GREY, covered_pixels
from tests.frame_child import frame_command

WIDTH, HEIGHT, FRAMES = 336, 192, 8  # whole blocks, so that the converter that makes them is exact
WINDOW = Privacy(id="p", name="Window", outline=((0.31, 0.23), (0.62, 0.27), (0.55, 0.71)))
FORMATS = {
    "yuv420p": "ffv1",
    "yuv422p": "ffv1",
    "yuv444p": "ffv1",
    "bgr0": "ffv1",
    "gray": "ffv1",
    "yuv420p10le": "ffv1",
}


def pictures(secret):
    """Two scenes that differ under the mask alone, in luma and colour."""
    rng = np.random.default_rng(5)
    under = covered_pixels((WINDOW,), WIDTH, HEIGHT)
    hidden = np.random.default_rng(secret)
    for i in range(FRAMES):
        picture = rng.integers(0, 256, (HEIGHT, WIDTH, 3)).astype(np.uint8)
        picture[40 + 5 * i : 60 + 5 * i, 20:60] = 220
        picture[under] = hidden.integers(0, 256, (int(under.sum()), 3))
        yield picture


def lossless(path, pixel_format, secret):
    """A recording whose planes differ nowhere else: what colours spread when they are subsampled is put back from one scene."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream(FORMATS[pixel_format], rate=10)
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, pixel_format
        for mine, common in zip(pictures(secret), pictures(1), strict=True):
            frame = av.VideoFrame.from_ndarray(mine, format="rgb24").reformat(format=pixel_format)
            base = av.VideoFrame.from_ndarray(common, format="rgb24").reformat(format=pixel_format)
            for plane, other in zip(frame.planes, base.planes, strict=True):
                bytes_each = plane.line_size // plane.width if plane.line_size >= 2 * plane.width else 1
                rows = np.frombuffer(memoryview(plane), np.uint8).reshape(-1, plane.line_size).copy()
                theirs = np.frombuffer(memoryview(other), np.uint8).reshape(-1, other.line_size)
                tops = np.arange(plane.height) * HEIGHT // plane.height
                lefts = np.arange(plane.width) * WIDTH // plane.width
                under = covered_pixels((WINDOW,), WIDTH, HEIGHT)
                held = np.logical_or.reduceat(np.logical_or.reduceat(under, tops, axis=0), lefts, axis=1)
                keep = np.repeat(~held, bytes_each, axis=1)
                part = rows[: plane.height, : keep.shape[1]]
                part[keep] = theirs[: plane.height, : keep.shape[1]][keep]
                plane.update(rows)
            container.mux(stream.encode(frame))
        container.mux(stream.encode())
    return path


def everything_from_the_worker(path, turn=None):
    """Every answer of the real process but the first, which names the recording itself."""
    asked = [{"want": "privacy", "number": 1, "items": [WINDOW.model_dump(mode="json")]}]
    child = subprocess.Popen(frame_command(), stdin=subprocess.PIPE, stdout=subprocess.PIPE)

    def say(request):
        child.stdin.write(json.dumps(request).encode() + b"\n")
        child.stdin.flush()

    def answer():
        head = json.loads(child.stdout.readline())
        assert "error" not in head, head
        return head, child.stdout.read(head["bytes"])

    say({"path": str(path), "frames_per_s": 10.0 if path.is_dir() else None, "orientation": turn})
    answer()
    for request in asked:
        say(request)
    found = []
    for frame in range(FRAMES):
        for want in ("picture", "difference", "thumbnail", "still"):
            say({"want": want, "frame": frame})
            found.append(answer())
    child.stdin.close()
    child.wait()
    return found


@pytest.mark.parametrize("pixel_format", list(FORMATS))
def test_two_recordings_that_differ_under_the_mask_alone_give_the_same_bytes(tmp_path, pixel_format):
    first, second = (lossless(tmp_path / f"{n}.mkv", pixel_format, n) for n in (1, 2))
    mine, theirs = everything_from_the_worker(first), everything_from_the_worker(second)
    for (head, pixels), (other, others) in zip(mine, theirs, strict=True):
        assert head == other
        assert pixels == others, head


@pytest.mark.parametrize("pixel_format", list(FORMATS))
@pytest.mark.parametrize("turn", [Orientation(), Orientation(rotation_deg=90, flip=True)])
def test_luma_alone_is_covered_as_the_whole_frame_is(tmp_path, pixel_format, turn):
    index = index_recording(Footage(lossless(tmp_path / "1.mkv", pixel_format, 1)))
    grid, frame = index.grid(turn, 4), FrameServer(index).frame(3)
    whole = luma_of(covered_frame(frame, grid, (WINDOW,)))
    assert np.array_equal(covered_luma(frame, grid, (WINDOW,)), whole)
    assert not np.array_equal(luma_of(frame), whole)  # the decoder's own stays as it is


def test_so_do_turned_ones_and_folders_of_images(tmp_path):
    turn = {"rotation_deg": 90, "flip": True}
    folders = []
    for secret in (1, 2):
        folder = tmp_path / str(secret)
        folder.mkdir()
        for i, picture in enumerate(pictures(secret)):
            turned = np.rot90(picture[:, ::-1], k=1)  # so that the mask lies where it lay, once it is turned
            Image.fromarray(np.ascontiguousarray(turned)).save(folder / f"{i:03d}.png")
        folders.append(folder)
    mine, theirs = (everything_from_the_worker(folder, turn) for folder in folders)
    assert mine == theirs


def test_what_is_covered_is_flat_and_the_rest_is_as_it_was(tmp_path):
    index = index_recording(Footage(lossless(tmp_path / "a.mkv", "yuv444p", 1)))
    grid, frame = index.grid(), FrameServer(index).frame(3)
    bare, covered = (picture_of(held, grid) for held in (frame, covered_frame(frame, grid, (WINDOW,))))
    under = covered_pixels((WINDOW,), WIDTH, HEIGHT)
    assert np.unique(covered[under][:, :3]).size <= 2  # one grey, in the range the recording has
    far = ~under
    for axis in (0, 1):
        for step in (-1, 1):
            far &= ~np.roll(under, step, axis)
            far &= ~np.roll(np.roll(under, step, axis), step, 1 - axis) & ~np.roll(
                np.roll(under, step, axis), -step, 1 - axis
            )
    assert np.array_equal(bare[far], covered[far])
    assert covered_frame(frame, grid, ()) is frame


def test_prints_are_for_the_owner_and_go_when_a_mask_is_drawn(tmp_path, monkeypatch):
    monkeypatch.setenv("NORTH_HUSH_CACHE", str(tmp_path / "cache" / "evidence"))
    index = index_recording(Footage(lossless(tmp_path / "a.mkv", "yuv444p", 1)))
    line = ((0.1, 0.5), (0.9, 0.5))
    bare, masked = PrintOrder(line), PrintOrder(line, None, (WINDOW,))
    paths = [stored_print(index, order) for order in (bare, masked)]
    keep_print(make_print(index, bare), paths[0])
    assert paths[0].stat().st_mode & 0o777 == 0o600
    assert paths[0].parent.stat().st_mode & 0o777 == 0o700
    assert read_print(paths[1]) is None  # looked for under the mask: what was made without it is gone
    assert not paths[0].exists()
    keep_print(make_print(index, masked), paths[1])
    assert (read_print(paths[1]) == BLANK_GREY).any()
    paths[1].write_bytes(paths[1].read_bytes()[:90])
    assert read_print(paths[1]) is None  # made again


def test_an_index_goes_over_the_pipe_as_it_is(tmp_path):
    index = index_recording(Footage(lossless(tmp_path / "a.mkv", "yuv420p", 1)))
    message = index_message(index, "f")
    again, fingerprint = read_index_message(message)
    assert fingerprint == "f"
    for name in ("footage", "orientation", "time_base", "dates", "oddities", "codec", "exact", "stamped", "shown"):
        assert getattr(again, name) == getattr(index, name)
    for name in ("pts", "time_us", "key"):
        assert np.array_equal(getattr(again, name), getattr(index, name))
    for broken in (message[:-1], message + b"x", b"{}\n", b"no json\n"):
        with pytest.raises((ValueError, KeyError)):
            read_index_message(broken)
