"""Alarm lists of a device: columns, clocks and what makes no sense."""

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest

from north_hush.core.errors import SiteError
from north_hush.core.judge.device import Choice, device_alarms, device_spans, guess_choice, read_alarm_table

TAKEN = datetime(2026, 11, 2, 14, 0, 0, tzinfo=UTC)


def table(tmp_path, text):
    path = tmp_path / "alarms.csv"
    path.write_text(text, "utf-8")
    return read_alarm_table(path)


def times(found):
    return [(held.start_s, held.end_s) for held in found.alarms]


@pytest.mark.parametrize(
    ("start", "clock"),
    [
        ("12.5", "start"),
        ("12,5", "start"),
        ("0:12.5", "start"),
        ("00:00:12.5", "start"),
        ("14:00:12.5", "day"),
        ("2026-11-02 14:00:12.5", "start"),
        ("2026-11-02T15:00:12.500+01:00", "start"),
        ("02.11.2026 14:00:12,5", "start"),
        ("02/11/2026 14:00:12.5", "day"),
    ],
)
def test_a_time_is_read_however_the_device_writes_it(tmp_path, start, clock):
    held = table(tmp_path, f"when;what\n{start};motion\n")
    assert times(device_alarms(held, Choice("when", clock=clock), 60, TAKEN)) == [(12.5, 12.5)]


@pytest.mark.parametrize(
    "start", ["NaN", "inf", "-inf", "1e12", "99:99:99", "24:00:00", "12:60:00", "2026-11-02 99:99:99"]
)
def test_times_that_are_none_are_errors_with_their_row(tmp_path, start):
    held = table(tmp_path, f"when,lasts\n1,1\n{start},1\n")
    with pytest.raises(SiteError, match=r"alarms\.csv, row 3") as told:
        device_alarms(held, Choice("when", lasts="lasts", clock="day"), 60, TAKEN)
    assert start in str(told.value)


def test_a_length_that_is_none_is_too(tmp_path):
    held = table(tmp_path, "when,lasts\n1,NaN\n")
    with pytest.raises(SiteError, match="row 2"):
        device_alarms(held, Choice("when", lasts="lasts"), 60, TAKEN)


def test_times_without_an_offset_are_of_the_site_s_clock(tmp_path):
    held = table(tmp_path, "when\n2026-07-02 15:00:12.5\n")
    taken = datetime(2026, 7, 2, 14, 0, tzinfo=UTC)
    assert times(device_alarms(held, Choice("when"), 60, taken, ZoneInfo("Atlantic/Faroe"))) == [(12.5, 12.5)]
    day = table(tmp_path, "when\n15:00:12.5\n")
    assert times(device_alarms(day, Choice("when", clock="day"), 60, taken, ZoneInfo("Atlantic/Faroe"))) == [
        (12.5, 12.5)
    ]


def test_columns_are_guessed_from_their_names_and_can_be_others(tmp_path):
    held = table(tmp_path, "Event ID\tStart time\tEnd time\tZone\n1\t10\t14\tSlip\n2\t30\t31\tSlip\n")
    assert guess_choice(held) == Choice("Start time", "End time", "", "Zone")
    found = device_alarms(held, guess_choice(held), 60, None)
    assert times(found) == [(10, 14), (30, 31)]
    assert found.alarms[0].label == "Slip"
    assert [span.end_s for span in device_spans(found.alarms)] == [14, 31]
    lasting = table(tmp_path, "at,duration\n10,4\n30,\n")
    assert times(device_alarms(lasting, Choice("at", lasts="duration"), 60, None)) == [(10, 14), (30, 30)]


def test_what_lies_outside_is_counted_and_ends_are_cut(tmp_path):
    held = table(tmp_path, "start,end\n-20,-10\n-5,3\n50,70\n61,62\n")
    found = device_alarms(held, Choice("start", "end"), 60, None)
    assert times(found) == [(0, 3), (50, 60)]
    assert found.outside == 2
    assert times(device_alarms(held, Choice("start", "end", shift_s=20), 60, None))[0] == (0, 10)


def test_a_list_over_midnight_goes_on_the_next_day(tmp_path):
    late = datetime(2026, 11, 2, 23, 59, 0, tzinfo=UTC)
    held = table(tmp_path, "start\n23:59:30\n00:00:10\n")
    assert times(device_alarms(held, Choice("start", clock="day"), 300, late)) == [(30, 30), (70, 70)]


@pytest.mark.parametrize(
    ("text", "choice", "said"),
    [
        ("start,end\n10,5\n", Choice("start", "end"), "row 2: ends at 5, before it starts"),
        ("start\n1\nlater\n", Choice("start"), "row 3: 'later' is no time"),
        ("start\n2026-11-02 14:00:05\n", Choice("start"), "when the recording was taken is not known"),
        ("start,long\n1,much\n", Choice("start", lasts="long"), "'much' is no number of seconds"),
        ("start\n1\n", Choice("begin"), "has no column 'begin'"),
    ],
)
def test_nonsense_names_the_row(tmp_path, text, choice, said):
    with pytest.raises(SiteError, match=said):
        device_alarms(table(tmp_path, text), choice, 60, None)


def test_files_that_are_no_lists(tmp_path):
    with pytest.raises(SiteError, match="no header with rows"):
        table(tmp_path, "start,end\n")
    (tmp_path / "picture.csv").write_bytes(b"\xff\xd8\xff\xe0")
    with pytest.raises(SiteError, match="not text"):
        read_alarm_table(tmp_path / "picture.csv")
    with pytest.raises(SiteError, match="cannot be read"):
        read_alarm_table(tmp_path / "gone.csv")


def test_more_alarms_than_a_site_holds_are_refused(tmp_path):
    held = table(tmp_path, "start\n" + "1.5\n" * 10_001)
    with pytest.raises(SiteError, match="has 10,001 alarms in this recording, more than 10,000"):
        device_alarms(held, Choice("start"), 60, None)
    assert device_alarms(held, Choice("start", shift_s=100), 60, None).outside == 10_001
