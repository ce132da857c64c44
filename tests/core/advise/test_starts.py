"""Where a search begins: from the footage's noise, on its own grid, and not from one valley alone."""

from dataclasses import replace

import numpy as np
import pytest

from north_hush.core.advise.aim import TRIED
from north_hush.core.advise.starts import of_each_channel, plain_starts
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.footage.evidence import NOISE_SCALE, Soil
from tests.core.follow.test_owned import line, walk

CELLS = np.arange(40)


def noisy(grey):
    evidence = walk(line(5, 6), frames=40)
    noise = np.full((1, evidence.grid.cells), grey * NOISE_SCALE, np.uint16)
    return replace(evidence, soil=Soil(np.array([0]), noise, np.full_like(noise, 90 * 16)))


def starts(grey, fields=tuple(TRIED)):
    return list(plain_starts([(noisy(grey), CELLS)], FACTORY, fields))


@pytest.mark.parametrize(("grey", "limits"), [(1.0, (4, 8, 16)), (2.0, (8, 16, 32)), (0.1, (4, 8, 16))])
def test_change_limits_follow_the_noise_of_the_items_own_cells(grey, limits):
    ladder = TRIED["change_limit_grey"]
    wanted = {min(ladder, key=lambda value: abs(np.log(value / limit))) for limit in limits}
    assert {held.change_limit_grey for held in starts(grey)} == wanted


def test_noise_of_cells_that_are_not_the_items_own_changes_nothing():
    evidence = noisy(1.0)
    evidence.soil.noise[:, 40:] = 40 * NOISE_SCALE
    assert list(plain_starts([(evidence, CELLS)], FACTORY, tuple(TRIED))) == starts(1.0)


def test_only_what_is_free_is_turned_and_the_present_is_no_start():
    only = starts(1.0, ("start_percent",))
    assert {held.start_percent for held in only} == {0.15, 0.5, 1.5, 5.0} - {FACTORY.start_percent}
    assert {(held.channel, held.confirm_frames) for held in only} == {(FACTORY.channel, FACTORY.confirm_frames)}
    assert FACTORY not in only


def test_descents_begin_from_different_channels_where_there_are_any():
    step = [ZoneSettings(channel="step", confirm_frames=n) for n in (1, 2, 3, 4)]
    long = ZoneSettings(channel="step_500ms")
    middle = ZoneSettings(channel="step_200ms")
    assert of_each_channel([*step, long, middle]) == [step[0], long, middle]
    assert of_each_channel([long, *step]) == [long, step[0], step[1]]
    assert of_each_channel(step) == step[:3]
