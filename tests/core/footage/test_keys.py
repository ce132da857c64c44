"""Key frames by themselves are the frames that going through the recording gives."""

import numpy as np
import pytest

from north_hush.core.errors import FootageError
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.keys import has_keys, key_pictures
from north_hush.core.footage.luma import luma_of
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
        found = list(key_pictures(index, order))
        assert [place for place, _ in found] == order
        for place, picture in found:
            assert np.array_equal(luma_of(picture), luma_of(server.frame(place)))
    server.close()


def test_a_recording_that_was_taken_away_is_named(tmp_path):
    path = write_video(tmp_path / "a.mp4", [flat(40 + i) for i in range(20)])
    index = index_recording(Footage(path))
    path.unlink()
    with pytest.raises(FootageError, match="is not there"):
        list(key_pictures(index, [0]))


def test_folders_of_images_are_not_sought_in(tmp_path):
    for number in range(3):
        write_image(tmp_path / f"{number}.pgm", flat(40 + number))
    assert not has_keys(index_recording(Footage(tmp_path, 10.0)))
