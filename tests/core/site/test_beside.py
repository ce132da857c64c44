"""Several views at one instant."""

from datetime import UTC, datetime, timedelta

import pytest

from north_hush.core.site.beside import fullest, going_on, whole_span
from north_hush.core.site.timeline import Piece, Timeline

NOON = datetime(2026, 6, 14, 12, tzinfo=UTC)


def at(minutes):
    return NOON + timedelta(minutes=minutes)


def line(*spans):
    pieces = tuple(Piece(f"recording-{number}", at(start), at(end)) for number, (start, end) in enumerate(spans))
    return Timeline(pieces, (), (), ())


SLIP, GATE, MOLE = line((0, 10), (30, 40)), line((5, 15), (32, 50)), line()


def test_the_span_of_all_and_where_most_are_there():
    assert whole_span([SLIP, GATE, MOLE]) == (at(0), at(50))
    assert fullest([SLIP, GATE, MOLE]) == at(5)
    assert fullest([SLIP]) == at(0)
    assert whole_span([MOLE]) is None and fullest([MOLE]) is None and fullest([]) is None


@pytest.mark.parametrize(("minutes", "then"), [(3, 3), (14, 14), (15, 30), (29, 30), (49, 49), (50, None)])
def test_where_nobody_has_footage_it_goes_on_with_the_next(minutes, then):
    assert going_on([SLIP, GATE, MOLE], at(minutes)) == (None if then is None else at(then))


def test_of_two_recordings_at_once_the_newer_one_is_shown():
    both = line((0, 10), (4, 20))
    assert both.covering(at(3)).recording == "recording-0"
    assert both.covering(at(4)).recording == "recording-1"
    assert both.covering(at(20)) is None
