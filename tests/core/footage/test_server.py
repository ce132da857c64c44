"""The frame server gives exactly the frame that was asked for, however one gets there."""

from itertools import pairwise

import av
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from north_hush.core.errors import FootageError
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.luma import luma_of
from north_hush.core.footage.server import FrameServer, difference_of, picture_of
from north_hush.core.grid import Grid
from tests.footage_maker import flat, write_image, write_video

FRAMES = 90


@pytest.fixture(scope="module")
def footage(tmp_path_factory):
    pictures = [flat(40 + 2 * i) for i in range(FRAMES)]
    path = tmp_path_factory.mktemp("server") / "a.mp4"
    return write_video(path, pictures, options={"qp": "0", "g": "25", "bf": "2"})


def value(frame):
    return int(luma_of(frame)[5, 5])


@settings(max_examples=30, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(places=st.lists(st.integers(0, FRAMES - 1), min_size=1, max_size=12), small=st.booleans())
def test_any_order_gives_the_same_frames(footage, places, small):
    server = FrameServer(index_recording(Footage(footage)), cache_bytes=20_000 if small else 10**8)
    straight = FrameServer(index_recording(Footage(footage)))
    expected = {place: value(straight.frame(place)) for place in sorted(set(places))}
    assert [value(server.frame(place)) for place in places] == [expected[place] for place in places]
    server.close()


def test_steps_differ_by_exactly_one_frame(footage):
    server = FrameServer(index_recording(Footage(footage)))
    values = [value(server.frame(place)) for place in range(FRAMES)]
    assert all(later > earlier for earlier, later in pairwise(values))
    assert [value(server.frame(place)) for place in reversed(range(FRAMES))] == values[::-1]


def test_the_cache_is_bounded(footage):
    server = FrameServer(index_recording(Footage(footage)), cache_bytes=10 * 64 * 48 * 3 // 2)
    server.frame(60)
    assert len(server._cache) <= 10


def test_a_recording_without_stamps_is_served_from_its_start(tmp_path):
    path = write_video(tmp_path / "raw.h264", [flat(40 + 2 * i) for i in range(30)], options={"qp": "0", "bf": "0"})
    server = FrameServer(index_recording(Footage(path)))
    assert value(server.frame(20)) > value(server.frame(10)) > value(server.frame(0))


def test_images_are_served_by_number(tmp_path):
    for i in range(12):
        write_image(tmp_path / f"{i}.pgm", flat(10 * i))
    server = FrameServer(index_recording(Footage(tmp_path, 5.0)))
    assert [value(server.frame(i)) for i in (11, 2, 3)] == [110, 20, 30]


def test_a_file_taken_away_is_named(footage, tmp_path):
    copy = tmp_path / "b.mp4"
    copy.write_bytes(footage.read_bytes())
    server = FrameServer(index_recording(Footage(copy)))
    copy.unlink()
    with pytest.raises(FootageError, match="is not there"):
        server.frame(5)


def test_pictures_are_oriented_and_scaled(footage):
    index = index_recording(Footage(footage))
    frame = FrameServer(index).frame(0)
    assert picture_of(frame, index.grid()).shape == (48, 64, 4)
    assert picture_of(frame, index.grid(), 16).shape == (12, 16, 4)


def test_difference_takes_the_light_shift_out(footage):
    index = index_recording(Footage(footage))
    server = FrameServer(index)
    assert difference_of(server.frame(10), server.frame(0), index.grid()).max() <= 1
    assert np.array_equal(difference_of(server.frame(3), server.frame(3), index.grid()), np.zeros((48, 64)))


@pytest.mark.parametrize("width", [320, 322, 324, 328, 342])
def test_a_picture_of_any_width_is_right_to_its_last_column(width):
    """Grey in, grey out: what a converter leaves undone shows as colour, or as whatever lay in memory."""
    grey = np.tile(np.arange(width) % 200 + 20, (90, 1)).astype(np.uint8)
    frame = av.VideoFrame.from_ndarray(grey, format="gray").reformat(format="yuv420p")
    pictures = [picture_of(frame, Grid(width, 90)) for _ in range(3)]
    assert pictures[0].shape == (90, width, 4)
    for picture in pictures:
        assert np.abs(picture[:, :, :3].astype(int) - grey[:, :, None]).max() <= 2


def test_every_frame_of_a_transport_stream_with_open_groups_is_found_however_one_gets_there(tmp_path):
    """A seek lands behind the key frame there: decoding begins earlier then."""
    options = {"qp": "5", "bf": "2", "x264-params": "open-gop=1:keyint=40"}
    index = index_recording(
        Footage(write_video(tmp_path / "a.ts", [flat(20 + i) for i in range(120)], options=options))
    )
    forward = FrameServer(index)
    shown = [int(luma_of(forward.frame(i))[20, 20]) for i in range(index.frames)]
    assert shown == sorted(shown)
    jumping = FrameServer(index, cache_bytes=1)
    order = np.random.default_rng(1).permutation(index.frames).tolist()
    assert [int(luma_of(jumping.frame(i))[20, 20]) for i in order] == [shown[i] for i in order]
