"""A recording for the commands, and a camera that plays it."""

import pytest

from north_hush.demo.standins.camera import CameraStandIn
from tests.footage_maker import moving_square, write_video


@pytest.fixture
def recording(tmp_path):
    return write_video(tmp_path / "slip.mkv", moving_square(60))


@pytest.fixture
def camera(recording):
    with CameraStandIn(recording) as held:
        yield held
