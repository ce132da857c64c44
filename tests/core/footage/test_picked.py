"""Frames picked by themselves are those that going through the recording gives."""

from dataclasses import replace

import numpy as np
import pytest

from north_hush.core.errors import FootageError
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.luma import luma_of
from north_hush.core.footage.picked import _decoded, grouped, has_keys, picked_frames
from north_hush.core.footage.server import FrameServer
from tests.footage_maker import flat, write_image, write_video

FRAMES = 90


@pytest.fixture(scope="module", params=["mp4", "mkv", "ts", "avi"])
def index(request, tmp_path_factory):
    path = tmp_path_factory.mktemp("keys") / f"a.{request.param}"
    return index_recording(
        Footage(write_video(path, [flat(40 + 2 * i) for i in range(FRAMES)], options={"qp": "0", "g": "15", "bf": "2"}))
    )


def test_they_are_the_frames_of_the_server_in_any_order(index):
    keys, server = np.flatnonzero(index.key).tolist(), FrameServer(index)
    assert len(keys) > 3
    for order in (keys, keys[::-1], [keys[2], keys[0], keys[2]]):
        found = list(picked_frames(index, ([key] for key in order)))
        assert [place for place, _ in found] == order
        for place, picture in found:
            assert np.array_equal(luma_of(picture), luma_of(server.frame(place)))
    server.close()


@pytest.mark.parametrize("rate", [1, 4, 11])
def test_any_frames_are_those_of_the_server(index, rate):
    if not has_keys(index):
        pytest.skip("two frames of this file have one stamp")
    wanted, server = list(range(3, FRAMES, rate)), FrameServer(index)
    groups = grouped(index, wanted)
    assert all(not index.key[place] for group in groups for place in group[1:])
    found = list(picked_frames(index, groups))
    assert [place for place, _ in found] == wanted
    for place, picture in found:
        assert np.array_equal(luma_of(picture), luma_of(server.frame(place)))
    server.close()


def test_frames_before_the_first_key_frame_are_not_picked(index):
    cut = replace(index, key=np.where(np.arange(FRAMES) < 10, False, index.key))
    first = int(np.flatnonzero(cut.key)[0])
    assert grouped(cut, [0, first - 1]) == []
    assert grouped(cut, [0, first, first - 1]) == [[first]]
    assert grouped(replace(cut, key=np.zeros(FRAMES, bool)), [0, 3]) == []


def test_pictures_that_none_is_made_of_are_passed_over(tmp_path, monkeypatch):
    rng, decoded = np.random.default_rng(1), []
    wide = rng.integers(0, 256, (48, 200)).astype(np.uint8)
    pictures = [wide[:, at : at + 64] for at in range(40)]
    index = index_recording(
        Footage(write_video(tmp_path / "a.mp4", pictures, options={"g": "40", "bf": "3", "b_strategy": "0"}))
    )
    monkeypatch.setattr("north_hush.core.footage.picked._decoded", lambda *args: noted(_decoded(*args), decoded))
    found = dict(picked_frames(index, grouped(index, [20, 33])))
    server = FrameServer(index)
    assert all(np.array_equal(luma_of(found.pop(place)), luma_of(server.frame(place))) for place in (20, 33))
    assert not found and 10 < len(decoded) < 25
    server.close()


def noted(pictures, decoded):
    for picture in pictures:
        decoded.append(picture)
        yield picture


def test_a_recording_that_was_taken_away_is_named(tmp_path):
    path = write_video(tmp_path / "a.mp4", [flat(40 + i) for i in range(20)])
    index = index_recording(Footage(path))
    path.unlink()
    with pytest.raises(FootageError, match="is not there"):
        list(picked_frames(index, [[0]]))


def test_folders_of_images_are_not_sought_in(tmp_path):
    for number in range(3):
        write_image(tmp_path / f"{number}.pgm", flat(40 + number))
    assert not has_keys(index_recording(Footage(tmp_path, 10.0)))
