"""Mask images, painted masks, privacy masks and size marks."""

import io
import zlib

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from PIL import Image
from pydantic import ValidationError

from north_hush.core.errors import SiteError
from north_hush.core.grid import Grid
from north_hush.core.scene.area import WHOLE_AREA, area_of
from north_hush.core.scene.items import Mask, Privacy, SizeMark, Wire, Zone
from north_hush.core.scene.mask_image import (
    WrongSize,
    detection_strengths,
    mask_image,
    privacy_strengths,
    read_mask_image,
)
from north_hush.core.scene.outline import rectangle
from north_hush.core.scene.painted import Painted, cell_strengths, painted, rescaled, strengths_of
from north_hush.core.scene.plan import Plan
from north_hush.core.scene.privacy import BLANK_GREY, blanked, covered_pixels
from north_hush.core.scene.stature import person_height_frac
from north_hush.core.scene.weights import masked_weights, watched_weights

GRID = Grid(64, 48)
LEFT = rectangle((0.0, 0.0), (0.5, 1.0))
images = arrays(np.uint8, st.tuples(st.integers(1, 12), st.integers(1, 12)))


@settings(max_examples=50)
@given(images, st.sampled_from(["png", "pgm", "pgm-plain"]), st.sampled_from(["white_watched", "black_watched"]))
def test_export_then_import_gives_the_same_mask(tmp_path_factory, strengths, kind, polarity):
    path = tmp_path_factory.mktemp("mask") / "mask.img"
    path.write_bytes(mask_image(strengths, kind, polarity))
    height, width = strengths.shape
    assert np.array_equal(read_mask_image(path, width, height, polarity), strengths)
    other = "black_watched" if polarity == "white_watched" else "white_watched"
    assert np.array_equal(read_mask_image(path, width, height, other), 255 - strengths)


def test_a_drawn_mask_comes_back_as_it_went(tmp_path):
    masks = [
        Mask(id="a", name="A", area=area_of(LEFT), strength_percent=40),
        Mask(id="b", name="B", area=area_of(rectangle((0.25, 0.25), (0.75, 0.5)))),
    ]
    strengths = detection_strengths(masks, 64, 48)
    assert set(np.unique(strengths)) == {0, 102, 255}
    path = tmp_path / "mask.pgm"
    path.write_bytes(mask_image(strengths, "pgm"))
    again = Mask(id="c", name="C", painted=painted(read_mask_image(path, 64, 48)))
    assert np.array_equal(detection_strengths([again], 64, 48), strengths)
    assert np.array_equal(masked_weights([again], GRID), masked_weights(masks, GRID))


def test_all_grey_values_weaken(tmp_path):
    ramp = np.repeat(np.arange(256, dtype=np.uint8), 16).reshape(64, 64)  # a value for each cell of 4 x 4
    grid = Grid(64, 64)
    mask = Mask(id="a", name="A", painted=painted(ramp.reshape(16, 16, 4, 4).transpose(0, 2, 1, 3).reshape(64, 64)))
    assert masked_weights([mask], grid).tolist() == [255 - value for value in range(256)]


def png(array, mode=None):
    out = io.BytesIO()
    (Image.fromarray(array) if mode is None else Image.fromarray(array).convert(mode)).save(out, "PNG")
    return out.getvalue()


GREY = np.zeros((4, 6), np.uint8)


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (png(np.zeros((4, 6, 3), np.uint8)), "is in colour"),
        (png(np.zeros((4, 6, 4), np.uint8)), "is in colour"),
        (png(GREY, "P"), "colours from a palette"),
        (png(GREY, "1"), "holds 1 bit a pixel"),
        (png(GREY, "LA"), "holds transparency"),
        (png(np.zeros((4, 6), np.uint16)), "holds 16 bits a pixel"),
        (b"P5\n6 4\n65535\n" + bytes(48), "holds 16 bits a pixel"),
        (b"P5\n6 4\n100\n" + bytes(24), "has 100 as its brightest value"),
        (b"P2\n6 4\n100\n" + b"1 " * 24, "has 100 as its brightest value"),
        (b"P2\n6 4\n255\n" + b"1 " * 23, "holds 23 pixels, but its head says 24"),
        (b"P2\n6 4\n255\n" + b"256 " * 24, "beyond 0 to 255"),
        (b"P2\n6 4\n255\n" + b"x " * 24, "what is no number"),
        (b"P2\n6 wide\n255\n", "is no plain PGM"),
        (b"P5\n6 4\n255\n" + bytes(10), "is cut off or damaged"),
        (png(np.random.default_rng(1).integers(0, 255, (4, 6), np.uint8))[:52], "is cut off or damaged"),
        (b"GIF89a", "is not a PGM or PNG image"),
        (b"", "is not a PGM or PNG image"),
        (b"P2\n60000 60000\n255\n1", "more than any camera picture"),
        (b"P5\n60000 60000\n255\n1", "is not a PGM|more than any camera picture"),
    ],
)
def test_what_is_no_mask_image_is_refused_in_words(tmp_path, data, says):
    path = tmp_path / "quay.png"
    path.write_bytes(data)
    with pytest.raises(SiteError, match=says) as error:
        read_mask_image(path, 6, 4)
    assert error.value.subject == str(path)
    assert error.value.remedy


def test_a_wrong_size_names_both_and_is_rescaled_on_request(tmp_path):
    path = tmp_path / "quay.png"
    checks = np.array([[0, 255], [255, 0]], np.uint8)
    path.write_bytes(mask_image(checks, "png"))
    with pytest.raises(WrongSize, match=r"is 2 x 2 pixels, but the picture is 6 x 4"):
        read_mask_image(path, 6, 4)
    scaled = read_mask_image(path, 6, 4, rescale=True)
    assert np.array_equal(scaled, np.kron(checks, np.ones((2, 3), np.uint8)))
    with pytest.raises(SiteError, match="cannot be read"):
        read_mask_image(tmp_path / "gone.png", 6, 4)


@given(images, st.integers(1, 30), st.integers(1, 30))
def test_rescaling_makes_no_strength_up(strengths, width, height):
    scaled = rescaled(strengths, width, height)
    assert scaled.shape == (height, width)
    assert set(np.unique(scaled)) <= set(np.unique(strengths))


def test_painted_values_are_checked(tmp_path):
    held = painted(np.arange(12, dtype=np.uint8).reshape(3, 4))
    assert strengths_of(held).tolist()[0] == [0, 1, 2, 3]
    with pytest.raises(ValidationError, match="does not hold 5 x 3"):
        Painted(width=5, height=3, deflated=held.deflated)
    with pytest.raises(ValidationError, match="not deflated pixels"):
        Painted(width=4, height=3, deflated="AAAA")
    with pytest.raises(ValidationError, match="are more than"):
        Painted(width=60_000, height=60_000, deflated=held.deflated)
    import base64

    bomb = base64.b64encode(zlib.compress(bytes(50_000_000))).decode()
    with pytest.raises(ValidationError, match="does not hold 4 x 3"):
        Painted(width=4, height=3, deflated=bomb)


def test_half_a_painted_cell_is_masked_less_is_not():
    pixels = np.zeros((48, 64), np.uint8)
    pixels[0:4, 0:2] = 255  # half of the first cell
    pixels[0:3, 4:6] = 255  # less of the second
    strengths = cell_strengths(painted(pixels), GRID)
    assert (strengths[0], strengths[1]) == (255, 0)


def test_a_mask_is_for_all_or_for_named_ones():
    zones = [Zone(id=name, name=name, letter=name.upper(), area=WHOLE_AREA) for name in ("a", "b")]
    mask = Mask(id="m", name="Nets", area=area_of(LEFT), only_for=("a",))
    plan = Plan(zones=tuple(zones), masks=(mask,))
    assert watched_weights(zones[0], plan, GRID).total == watched_weights(zones[1], plan, GRID).total / 2
    assert watched_weights(None, plan, GRID).total == 16 * GRID.cells
    with pytest.raises(ValidationError, match="either drawn"):
        Mask(id="m", name="M", area=WHOLE_AREA, painted=painted(np.zeros((2, 2), np.uint8)))


def test_privacy_covers_every_pixel_it_touches_at_any_size():
    held = Privacy(id="p", name="Door", outline=((0.101, 0.101), (0.399, 0.101), (0.101, 0.399)))
    for width, height in ((10, 10), (64, 48), (7, 13)):
        pixels = np.full((height, width, 4), 200, np.uint8)
        out = blanked(pixels, [held])
        assert (pixels == 200).all()
        covered = covered_pixels((held,), width, height)
        assert (out[covered] == BLANK_GREY).all()
        assert (out[~covered] == 200).all()
        assert covered[int(0.101 * height), int(0.101 * width)]
        assert covered[int(0.101 * height), int(0.39 * width)]
    assert blanked(pixels, []) is pixels


def test_a_plane_that_reaches_beyond_the_picture_is_blanked_in_its_own_measure():
    held = Privacy(id="p", name="Edge", outline=rectangle((0.9, 0.0), (1.0, 1.0)))
    covered = covered_pixels((held,), 12, 4, (1.2, 1.0))  # 10 of the 12 columns are picture
    assert covered[:, 9].all()
    assert not covered[:, :9].any()


def test_cells_touched_by_privacy_count_in_nothing():
    held = Privacy(id="p", name="Door", outline=((0.26, 0.26), (0.27, 0.26), (0.27, 0.27)))
    zone = Zone(id="z", name="Slip", letter="A", area=WHOLE_AREA)
    weights = watched_weights(zone, Plan(zones=(zone,), privacy=(held,)), GRID)
    assert set(range(GRID.cells)) - set(weights.cells.tolist()) == {GRID.cell_at(0.265, 0.265)}
    image = np.zeros((48, 64), np.uint8)
    image[20, 20] = 255
    dotted = Privacy(id="p", name="Dot", painted=painted(image))
    weights = watched_weights(zone, Plan(zones=(zone,), privacy=(dotted,)), GRID)
    assert set(range(GRID.cells)) - set(weights.cells.tolist()) == {5 * 16 + 5}
    assert covered_pixels((dotted,), 32, 24)[10, 10]
    assert covered_pixels((dotted,), 32, 24).sum() == 1
    assert covered_pixels((dotted,), 128, 96).sum() == 4
    with pytest.raises(ValidationError, match="either an outline or painted"):
        Privacy(id="p", name="None")


def test_privacy_strengths_are_black_and_white():
    held = Privacy(id="p", name="Door", outline=LEFT)
    strengths = privacy_strengths([held], 64, 48)
    assert (strengths[:, :32] == 255).all()
    assert (strengths[:, 33:] == 0).all()


def mark(y, height, x=0.5):
    return SizeMark(id="s", name="Person", foot=(x, y), height_frac=height)


def test_two_marks_give_the_height_everywhere():
    marks = [mark(0.9, 0.4), mark(0.5, 0.2)]
    assert person_height_frac(marks, (0.1, 0.7)) == pytest.approx(0.3)
    assert person_height_frac(marks, (0.9, 0.9)) == pytest.approx(0.4)
    assert person_height_frac(marks, (0.5, 1.0)) == pytest.approx(0.45)
    assert person_height_frac(marks, (0.5, 0.1)) is None  # at the horizon
    assert person_height_frac([], (0.5, 0.5)) is None
    assert person_height_frac(marks[:1], (0.5, 0.1)) == pytest.approx(0.4)
    assert person_height_frac([mark(0.5, 0.2), mark(0.5, 0.3)], (0, 0.9)) == pytest.approx(0.25)


def test_a_mark_stands_inside_the_picture():
    assert mark(0.5, 0.2).head == (0.5, 0.3)
    with pytest.raises(ValidationError, match="reaches above the picture"):
        mark(0.2, 0.4)


def test_a_wire_has_sides_and_a_way():
    wire = Wire(id="w", name="Slip", letter="1", line=((0, 0), (1, 1)))
    assert (wire.side_a, wire.side_b, wire.watches) == ("A", "B", "broken")
    with pytest.raises(ValidationError, match="a_to_b"):
        Wire(id="w", name="Slip", letter="1", line=((0, 0), (1, 1)), watches="sideways")
