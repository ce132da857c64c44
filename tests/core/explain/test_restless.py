"""Restlessness: shares, rhythms, the clock, regions; and starting values by kind of scene."""

import numpy as np
import pytest

from north_hush.core.detect.starting import SCENES
from north_hush.core.explain.restless import clock_region, restless_region, restlessness
from north_hush.core.grid import Grid
from north_hush.core.scene.area import area_of, cell_shares

GRID = Grid(320, 180)  # 80 x 45 cells
FRAMES, RATE = 900, 15
TIME_US = np.arange(FRAMES) * 1_000_000 // RATE


def values():
    return np.zeros((GRID.rows, GRID.columns, FRAMES), np.uint8)


def measured(cells, valid=None):
    flags = np.ones(FRAMES, bool) if valid is None else valid
    return restlessness(cells.reshape(GRID.cells, FRAMES), flags, TIME_US, 12, GRID)


def test_shares_count_valid_frames_over_the_limit():
    cells = values()
    cells[3, 4, :450] = 12
    cells[3, 5, :450] = 11
    valid = np.ones(FRAMES, bool)
    valid[:225] = False
    found = measured(cells, valid)
    assert found.frames == 675
    assert found.share[3 * 80 + 4] == pytest.approx(225 / 675, rel=1e-3)
    assert found.share[3 * 80 + 5] == 0


def test_a_rhythm_is_told_from_chance():
    rng = np.random.default_rng(3)
    cells = values()
    sway = np.sin(2 * np.pi * np.arange(FRAMES) / 30 + 1) > 0.6  # every 2 s
    cells[10, 10] = 40 * (sway ^ (rng.random(FRAMES) < 0.05))
    cells[20, 20] = 40 * (rng.random(FRAMES) < sway.mean())
    found = measured(cells)
    assert found.period_s[10 * 80 + 10] == pytest.approx(2.0, abs=0.1)
    assert found.period_s[20 * 80 + 20] == 0


@pytest.mark.parametrize("rate", [12, 30, 75, 120])
@pytest.mark.parametrize("uneven", [False, True])
def test_a_rhythm_is_one_of_time_at_any_rate(rate, uneven):
    """What sways every 5 s does so however many frames a second there are, and where they come unevenly."""
    rng = np.random.default_rng(rate)
    steps = rng.uniform(0.3, 2.5, 80 * rate) / rate if uneven else np.full(80 * rate, 1 / rate)
    seconds = np.cumsum(steps)
    changed = (np.sin(2 * np.pi * seconds / 5) > 0.5) ^ (rng.random(len(seconds)) < 0.03)
    cells = np.zeros((4, len(seconds)), np.uint8)
    cells[1] = 40 * changed
    found = restlessness(cells, np.ones(len(seconds), bool), (seconds * 1e6).astype(np.int64), 12, Grid(16, 4))
    assert found.period_s[1] == pytest.approx(5.0, rel=0.05)
    assert found.share[1] == pytest.approx(1 / 3, abs=0.05)


def with_clock(cells, row=2, column=12):
    """Digits that change in the first frame of a second; the tens of seconds change every ten."""
    ticks = np.arange(FRAMES) % RATE == 0
    tens = np.arange(FRAMES) % (10 * RATE) == 0
    cells[row : row + 2, column + 3 : column + 5, ticks] = 60
    cells[row : row + 2, column : column + 2, tens] = 60
    return cells


def test_the_clock_is_recognised_and_other_things_are_not():
    cells = with_clock(values())
    rng = np.random.default_rng(4)
    cells[30:40, 30:60] = 40 * (rng.random((10, 30, FRAMES)) < 0.07)
    found = measured(cells)
    clock = clock_region(found)
    assert clock.why == "clock"
    shares = cell_shares(area_of(clock.outline), GRID).reshape(45, 80)
    assert (shares[2:4, 15:17] == 16).all()
    assert (shares > 0).sum() == clock.cells <= 40
    assert not found.ticking.reshape(45, 80)[30:40].any()
    assert clock_region(measured(values())) is None


def test_a_clock_beside_other_change_is_still_one():
    cells = with_clock(values())
    rng = np.random.default_rng(5)
    cells[2:4, 15:17] |= (60 * (rng.random(FRAMES) < 0.01)).astype(np.uint8)
    assert clock_region(measured(cells)) is not None


def test_a_pulse_over_the_whole_picture_is_no_clock():
    cells = values()
    cells[:, :, np.arange(FRAMES) % RATE == 0] = 60
    assert clock_region(measured(cells)) is None


def test_a_click_takes_the_restless_place_whole_and_simplified():
    rng = np.random.default_rng(6)
    cells = values()
    y, x = np.mgrid[0:45, 0:80]
    bush = (x - 40) ** 2 + (y - 20) ** 2 < 60
    cells[bush] = 40 * (rng.random((bush.sum(), FRAMES)) < 0.3)
    cells[20, 40] = 0  # a quiet cell in its middle
    cells[40, 5] = 40 * (rng.random(FRAMES) < 0.3)
    found = measured(cells)
    region = restless_region(found, 20 * 80 + 38)
    assert region.why == "restless"
    shares = cell_shares(area_of(region.outline), GRID).reshape(45, 80)
    assert shares[20, 40] == 16
    assert (shares[bush] >= 8).mean() > 0.9
    assert (shares[~bush] >= 8).sum() < 0.15 * bush.sum()
    assert 4 <= len(region.outline) < 40
    assert restless_region(found, 0) is None
    assert restless_region(found, 40 * 80 + 5).cells == 1


def test_nothing_can_be_said_of_one_frame():
    found = restlessness(np.full((GRID.cells, 1), 60, np.uint8), np.ones(1, bool), TIME_US[:1], 12, GRID)
    assert found.frames == 1
    assert not found.share.any()
    assert restless_region(found, 5) is None


def test_starting_values_keep_their_wait_at_every_rate():
    for scene in SCENES:
        assert scene.reason.endswith(".")
        for rate in (1.0, 10.0, 15.0, 60.0, 1000.0):
            settings = scene.settings(rate)
            assert settings.clear_percent <= settings.start_percent
            assert scene.confirm_s <= settings.confirm_frames / rate <= scene.confirm_s + 1 / rate or rate > 600
    assert SCENES[0].settings(10).confirm_frames < SCENES[3].settings(10).confirm_frames
