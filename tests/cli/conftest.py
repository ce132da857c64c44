"""A recording for the commands."""

import pytest

from tests.footage_maker import moving_square, write_video


@pytest.fixture
def recording(tmp_path):
    return write_video(tmp_path / "slip.mkv", moving_square(60))
