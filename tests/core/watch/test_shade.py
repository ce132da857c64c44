"""A tuning in the shade: what it would have told, and how that compares."""

import pytest
from pydantic import ValidationError

from north_hush.core.site import drawing, edits
from north_hush.core.watch.shade import Compared, compared
from north_hush.core.watch.store import utc_text

S, NOON_US = 1_000_000, 1_800_000_000_000_000


def event(at_s, what, item="", view="Slip", **facts):
    if "start_s" in facts:
        facts["start_utc"] = utc_text(NOON_US + round(facts.pop("start_s") * S))
    return {"time_utc": utc_text(NOON_US + round(at_s * S)), "view": view, "item": item, "what": what, **facts}


def shade_on(at_s, tuning):
    return event(at_s, "shade_on", tuning=tuning)


def test_alarms_of_both_are_counted_and_those_of_the_same_thing():
    events = [
        event(5, "alarm_end", "zone-1", start_s=2),  # before it ran: not counted
        shade_on(10, "night"),
        event(25, "alarm_end", "zone-1", start_s=20),
        event(26, "shade", "zone-1", start_s=22, tuning="night"),
        event(45, "alarm_end", "zone-1", start_s=40),
        event(60, "shade", "wire-1", start_s=60, tuning="night"),
        event(61, "alarm_end", "wire-1", start_s=60.5, walk=True),
        event(90, "alarm_end", "zone-1", view="Gate", start_s=80),
    ]
    week = compared(events, "Slip")
    assert week.items == (Compared("wire-1", 0, 0.0, 1, 0.0, 0), Compared("zone-1", 2, 10.0, 1, 4.0, 1))
    assert (week.until - week.since).total_seconds() == 51


def test_another_tuning_in_the_shade_begins_anew_and_the_same_one_goes_on():
    events = [shade_on(0, "night"), event(9, "shade", "zone-1", start_s=8), shade_on(10, "night")]
    assert compared(events, "Slip").items == (Compared("zone-1", 0, 0.0, 1, 1.0, 0),)
    later = [*events, shade_on(20, "day"), event(31, "shade", "zone-1", start_s=30)]
    week = compared(later, "Slip")
    assert week.tuning == "day" and week.items == (Compared("zone-1", 0, 0.0, 1, 1.0, 0),)
    assert compared(events, "Gate") is None and compared([], "Slip") is None


def test_the_shade_follows_the_tunings_of_its_view():
    site = edits.add_tuning(edits.new_site("Skerry Quay", "Slip"), "view-1", "night", None)
    site = edits.run_in_shade(site, "view-1", "night")
    assert edits.rename_tuning(site, "view-1", "night", "late").views[0].shade == "late"
    assert edits.remove_tuning(site, "view-1", "night").views[0].shade is None
    with pytest.raises(ValidationError, match="shade is 'noon'"):
        edits.run_in_shade(site, "view-1", "noon")
    assert drawing.add_zone(site, "view-1", ((0, 0), (1, 0), (1, 1)), "All").views[0].shade == "night"
