import re
from itertools import combinations
from pathlib import Path

import pytest

from north_hush import desk
from north_hush.desk.look.roles import DASHES, MARK_ROLES, TEXT_ROLES, THEMES, contrast
from north_hush.desk.look.style import SMALL_PX, style_sheet

GROUNDS = ("ground", "surface", "raised")


def test_contrast_by_known_answers():
    assert contrast("#000000", "#ffffff") == pytest.approx(21)
    assert contrast("#777777", "#ffffff") == pytest.approx(4.48, abs=0.01)


@pytest.mark.parametrize("theme", THEMES.values(), ids=lambda theme: theme.name)
def test_text_and_marks_read_in_both_themes(theme):
    for ground in GROUNDS:
        for role in TEXT_ROLES:
            assert contrast(getattr(theme, role), getattr(theme, ground)) >= 4.5, (role, ground)
        for role in MARK_ROLES:
            held = getattr(theme, role)
            for colour in held if isinstance(held, tuple) else (held,):
                assert contrast(colour, getattr(theme, ground)) >= 3, (role, colour, ground)
    assert contrast(theme.on_accent, theme.accent) >= 4.5
    assert contrast(theme.outline_light, theme.outline_dark) >= 12


def _seen_by_deuteranope(colour):
    """Machado et al. 2009, severity 1, on linear light left out for a rough distance."""
    r, g, b = (int(colour[i : i + 2], 16) for i in (1, 3, 5))
    return (0.367 * r + 0.861 * g - 0.228 * b, 0.280 * r + 0.673 * g + 0.047 * b, -0.012 * r + 0.043 * g + 0.969 * b)


@pytest.mark.parametrize("theme", THEMES.values(), ids=lambda theme: theme.name)
def test_zones_differ_by_hue_for_the_colour_blind_and_by_dash_for_all(theme):
    for first, second in combinations(theme.hues, 2):
        apart = (
            sum((a - b) ** 2 for a, b in zip(_seen_by_deuteranope(first), _seen_by_deuteranope(second), strict=True))
            ** 0.5
        )
        assert apart > 12, (first, second)
    assert len(set(DASHES)) == len(DASHES) == len(theme.hues)


def test_colours_stand_in_one_file_only():
    for path in Path(desk.__file__).parent.rglob("*.py"):
        if path.name != "roles.py":
            assert not re.search(r"#[0-9a-fA-F]{6}\b", path.read_text()), path


def test_no_text_is_smaller_than_12_px():
    sizes = [int(size) for size in re.findall(r"font-size: (\d+)px", style_sheet(next(iter(THEMES.values()))))]
    assert min([*sizes, SMALL_PX]) >= 12
