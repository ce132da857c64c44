"""What happened at all cameras: marks, what was recorded of them, and what is played."""

from datetime import UTC, datetime, timedelta

import pytest

from north_hush.core.site import drawing, edits
from north_hush.core.site.beside import span_around
from north_hush.core.site.timeline import timeline_of
from north_hush.core.watch.review import Mark, marks_of, played, recorded
from north_hush.core.watch.store import utc_text

NOON_US = 1_800_000_000_000_000
NOON = datetime.fromtimestamp(NOON_US / 1e6, UTC)


def at(seconds):
    return NOON + timedelta(seconds=seconds)


def event(at_s, what, item="", view="Slip", **facts):
    if "start_s" in facts:
        facts["start_utc"] = utc_text(NOON_US + round(facts.pop("start_s") * 1e6))
    return {"time_utc": utc_text(NOON_US + round(at_s * 1e6)), "view": view, "item": item, "what": what, **facts}


@pytest.fixture
def views():
    site = drawing.add_zone(edits.new_site("Skerry Quay", "Slip"), "view-1", ((0, 0), (1, 0), (1, 1)), "All")
    site = drawing.add_wire(site, "view-1", ((0.1, 0.5), (0.9, 0.5)), "Line")
    return edits.add_view(site, "Gate").views


def test_alarms_and_faults_are_marks_with_their_length_and_form(views):
    found = marks_of(
        [
            event(0, "alarm_start", "zone-1", picture="a.jpg"), event(3, "alarm_start", "wire-1"),
            event(4, "alarm_end", "zone-1", start_s=0), event(5, "fault", view="Gate", fault="dark"),
            event(6, "alarm_start", "zone-1", walk=True), event(7, "alarm_start", "zone-1", view="Nowhere"),
            event(8, "alarm_end", "zone-1", start_s=1),
        ],
        views,
    )  # fmt: skip
    assert [(mark.view, mark.item, mark.form, mark.said) for mark in found] == [
        ("view-1", "zone-1", "zone", ""), ("view-1", "wire-1", "wire", ""), ("view-2", "", "fault", "dark"),
    ]  # fmt: skip
    assert (found[0].start, found[0].end, found[0].picture) == (at(0), at(4), "a.jpg")
    assert found[1].end == found[1].start  # nobody saw its end yet


def test_what_was_recorded_is_a_time_line_without_clips_that_footage_shows(views, tmp_path):
    for name in ("a", "b", "c", "d"):
        (tmp_path / name).touch()
    events = [
        event(20, "footage", start_s=0, file=str(tmp_path / "a")),
        event(9, "clip", "zone-1", start_s=2, file=str(tmp_path / "b")),
        event(40, "clip", "zone-1", start_s=30, file=str(tmp_path / "c")),
        event(50, "clip", "zone-1", start_s=45, file=str(tmp_path / "gone")),
        event(60, "clip", "zone-1", start_s=55, file=None),
        event(9, "clip", "zone-1", view="Gate", start_s=2, file=str(tmp_path / "d")),
    ]
    held = recorded(events, views[0])
    assert [recording.path[-1] for recording in held.recordings] == ["a", "c"]
    line = timeline_of(held.recordings)
    assert line.covering(at(5)).recording == "file-1" and line.covering(at(25)) is None
    assert line.covering(at(35)).recording == "file-2"


def test_marks_are_played_with_some_time_around_and_near_ones_as_one():
    marks = [
        Mark("a", "z", "zone", at(10), at(12)), Mark("a", "z", "zone", at(13), at(14)), Mark("b", "z", "zone", at(13), at(13)),
        Mark("a", "", "fault", at(20), at(20)), Mark("a", "z", "zone", at(100), at(400)),
    ]  # fmt: skip
    assert played(marks) == [("a", at(8), at(16)), ("b", at(11), at(15)), ("a", at(98), at(122))]
    assert played([]) == []


def test_a_span_stays_within_what_there_is():
    whole = (at(0), at(100))
    assert span_around(at(50), timedelta(seconds=20), whole) == (at(40), at(60))
    assert span_around(at(2), timedelta(seconds=20), whole) == (at(0), at(20))
    assert span_around(at(99), timedelta(seconds=500), whole) == whole
    assert span_around(at(50), timedelta(0), whole) == (at(49), at(51))
