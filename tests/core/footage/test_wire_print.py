"""Wire prints: what lies under a line, frame by frame."""

import io
from itertools import count

import numpy as np
from PIL import Image

from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.wire_print import (
    PrintOrder,
    keep_print,
    make_print,
    png_of,
    read_print,
    sample_places,
    stored_print,
    striking,
)
from north_hush.core.grid import Grid
from north_hush.core.scene.items import Privacy
from north_hush.core.scene.outline import rectangle
from north_hush.core.scene.privacy import BLANK_GREY
from tests.footage_maker import moving_square, write_video

UPRIGHT = ((0.5, 0.0), (0.5, 1.0))


def print_of(path, line=UPRIGHT, **more):
    return make_print(index_recording(Footage(path)), PrintOrder(line, **more))


def test_samples_lie_about_a_pixel_apart_along_all_legs():
    x, y = sample_places(((0.0, 0.0), (1.0, 0.0), (1.0, 1.0)), Grid(40, 20))
    assert len(x) == 60
    assert (x[0], y[0], x[-1], y[-1]) == (0, 0, 39, 19)
    assert len(sample_places(((0.0, 0.5), (1.0, 0.5)), Grid(4000, 20))[0]) == 240


def test_who_passes_is_a_figure_in_the_print(tmp_path):
    index = index_recording(Footage(write_video(tmp_path / "slip.mkv", moving_square(60))))
    picture = make_print(index, PrintOrder(UPRIGHT))
    assert picture.shape[1] == 60
    strike = striking(picture)
    passing = np.flatnonzero(strike > strike.max() / 2)
    assert 1 <= len(passing) < 40
    assert np.all(np.diff(passing) == 1)  # it passes once


def test_privacy_is_blank_in_the_print(tmp_path):
    path = write_video(tmp_path / "slip.mkv", moving_square(5))
    covered = Privacy(id="p", name="Window", outline=rectangle((0.4, 0.0), (0.6, 0.5)))
    picture = print_of(path, privacy=(covered,))
    half = picture.shape[0] // 2
    assert (picture[: half - 1] == BLANK_GREY).all()
    assert not (picture[half + 2 :] == BLANK_GREY).all()


def test_a_print_is_kept_whole_and_a_damaged_one_is_made_anew(tmp_path):
    index = index_recording(Footage(write_video(tmp_path / "slip.mkv", moving_square(5))))
    target = stored_print(index, PrintOrder(UPRIGHT))
    assert read_print(target) is None
    picture = make_print(index, PrintOrder(UPRIGHT))
    keep_print(picture, target)
    assert np.array_equal(read_print(target), picture)
    target.write_bytes(target.read_bytes()[:200])
    assert read_print(target) is None
    assert stored_print(index, PrintOrder(((0.4, 0.0), (0.4, 1.0)))) != target


def test_a_cancelled_print_is_none(tmp_path):
    index = index_recording(Footage(write_video(tmp_path / "slip.mkv", moving_square(20))))
    asked = count()
    assert make_print(index, PrintOrder(UPRIGHT), cancelled=lambda: next(asked) > 3) is None


def test_the_png_carries_marks_on_top():
    picture = np.full((30, 100), 90, np.uint8)
    image = np.asarray(Image.open(io.BytesIO(png_of(picture, [50]))))
    assert image.shape == (42, 100)
    assert image[0, 50] == 255
    assert image[0, 20] < 60
    assert (image[12:] == 90).all()
