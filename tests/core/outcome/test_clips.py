"""Clips and snapshots: known answers by hand, and what always holds."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.hours.spans import spans_of
from north_hush.core.outcome.clips import ClipMachine, clips_of, snapshots_of
from north_hush.core.outcome.raised import Raised
from north_hush.core.outcome.rules import Keep

S = 1_000_000
DAY = (0, 86_400 * S)
ALWAYS = {"a": spans_of([DAY]), "b": spans_of([DAY])}


def alarm(start_s, end_s, frames=10, item="a", **more):
    return Raised(item, round(start_s * S), round(end_s * S), frames, **more)


def clips(alarms, keep=None, footage=DAY, kept=ALWAYS, keep_of=None, **rules):
    keep = keep or Keep(**{"before_s": 5, "after_s": 10, "join_s": 2, **rules})
    found = clips_of(alarms, keep_of or (lambda item: keep), keep, footage, kept)
    return [(clip.start_us / S, clip.end_us / S, clip.why) for clip in found]


def test_a_clip_has_its_time_before_and_after():
    assert clips([alarm(100, 104)]) == [(95, 114, "alarm")]
    assert clips([alarm(100, 104)], after_from="start") == [(95, 110, "alarm")]
    assert clips([alarm(100, 130)], after_from="start")[0][1] > 130  # never less than the alarm


def test_alarms_closer_than_the_join_share_a_clip():
    assert clips([alarm(100, 104), alarm(121, 122)]) == [(95, 132, "alarm")]  # 114 + 2 reaches 121 - 5
    assert clips([alarm(100, 104), alarm(121.5, 122)]) == [(95, 114, "alarm"), (116.5, 132, "alarm")]


def test_items_keep_their_own_times():
    near, far = Keep(before_s=5, after_s=10, join_s=0), Keep(before_s=1, after_s=2, join_s=0)
    found = clips([alarm(100, 101), alarm(200, 201, item="b")], near, keep_of=lambda item: near if item == "a" else far)
    assert found == [(95, 111, "alarm"), (199, 203, "alarm")]


def test_a_long_clip_is_split_and_its_pieces_share_its_fate():
    assert clips([alarm(100, 145)], longest_s=20) == [(95, 115, "alarm"), (115, 135, "alarm"), (135, 155, "alarm")]
    brief = clips([alarm(100, 145, frames=2)], longest_s=30, drop_under_frames=3)
    assert brief == [(95, 125, "brief"), (125, 155, "brief")]


def test_one_lasting_alarm_keeps_the_clip_of_brief_ones():
    alarms = [alarm(100, 101, frames=2), alarm(105, 106, frames=3), alarm(300, 301, frames=2)]
    assert clips(alarms, drop_under_frames=3) == [(95, 116, "alarm"), (295, 311, "brief")]


def test_kinds_and_certainty_limit_what_is_kept():
    keep = Keep(kinds=("person",), least_sure=0.5)
    for held, why in (
        (alarm(50, 51, kind="light", sure=0.9), "kind"),
        (alarm(50, 51, kind="person", sure=0.9), "alarm"),
        (alarm(50, 51, kind="person", sure=0.4), "kind"),
        (alarm(50, 51), "alarm"),  # nobody knows what it was
    ):
        assert clips([held], keep)[0][2] == why, held


def test_footage_and_hours_bound_a_clip():
    assert clips([alarm(2, 4)], footage=(0, 10 * S)) == [(0, 10, "alarm")]
    hours = {"a": spans_of([(0, 100 * S), (112 * S, 200 * S)])}
    assert clips([alarm(98, 99)], kept=hours) == [(93, 100, "alarm")]
    assert clips([alarm(98, 115)], kept=hours) == [(93, 100, "alarm"), (112, 125, "alarm")]
    assert clips([alarm(105, 106)], kept=hours) == [(100, 116, "hours")]


def test_an_item_out_of_its_own_hours_is_in_no_clip():
    hours = {"a": spans_of([(0, 50 * S)]), "b": spans_of([DAY])}
    found = clips_of([alarm(60, 61), alarm(60, 62, item="b")], lambda item: Keep(), Keep(), DAY, hours)
    assert sorted((clip.why, clip.alarms) for clip in found) == [("alarm", (1,)), ("hours", (0,))]


def test_keeping_never_leaves_no_clip():
    assert clips([alarm(1, 2)], how="never") == []


def test_low_and_full_has_times_of_its_own():
    keep = Keep(how="low_and_full", before_s=99, full_before_s=1, full_after_s=2)
    assert clips([alarm(50, 51)], keep) == [(49, 53, "alarm")]


def test_snapshots_come_at_the_start_and_every_so_often():
    def shots(**rules):
        keep = Keep(**rules)
        return [shot.at_us / S for shot in snapshots_of([alarm(10, 16)], lambda item: keep, ALWAYS)]

    assert shots() == []
    assert shots(snapshot_every_s=2) == [10, 12, 14, 16]
    assert shots(snapshot_every_s=2, snapshots_most=2) == [10, 12]
    hours = {"a": spans_of([(11 * S, 15 * S)])}
    assert [s.at_us / S for s in snapshots_of([alarm(10, 16)], lambda item: Keep(snapshot_every_s=2), hours)] == [
        12,
        14,
    ]


spans = st.lists(
    st.tuples(st.integers(0, 3000), st.integers(0, 200), st.integers(1, 6), st.sampled_from("ab")), max_size=25
).map(lambda rows: [alarm(start / 2, start / 2 + length / 2, frames, item) for start, length, frames, item in rows])
rules = st.builds(
    Keep,
    before_s=st.integers(0, 30),
    after_s=st.integers(0, 30),
    after_from=st.sampled_from(["end", "start"]),
    join_s=st.integers(0, 20),
    longest_s=st.integers(5, 60),
    drop_under_frames=st.integers(0, 5),
)


@given(spans, rules, rules)
def test_clips_never_overlap_and_never_miss_an_alarm(alarms, keep, other):
    found = clips_of(alarms, lambda item: keep if item == "a" else other, keep, DAY, ALWAYS)
    edges = np.array([(clip.start_us, clip.end_us) for clip in found]).reshape(-1, 2)
    assert (edges[1:, 0] >= edges[:-1, 1]).all()
    for held in alarms:
        inside = sum(max(0, min(clip.end_us, held.end_us + 1) - max(clip.start_us, held.start_us)) for clip in found)
        assert inside == held.end_us + 1 - held.start_us


@given(spans, rules, st.lists(st.integers(0, 1800), max_size=30))
def test_what_time_it_is_asked_changes_nothing(alarms, keep, asked):
    """The live twin is told the time in between; replay is not."""
    machine = ClipMachine(lambda item: keep, keep, keep.before)
    events = sorted(
        [(held.start_us, 0, number) for number, held in enumerate(alarms)]
        + [(held.end_us, 1, number) for number, held in enumerate(alarms)]
        + [(at * S, 2, 0) for at in asked]
    )
    live = []
    for at_us, what, number in events:
        if what == 0:
            live += machine.start(number, "a", at_us)
        elif what == 1:
            machine.end(number, Raised("a", 0, at_us, alarms[number].changed_frames))
        else:
            live += machine.now(at_us)
    live += machine.finish()
    plain = [Raised("a", held.start_us, held.end_us, held.changed_frames) for held in alarms]
    wide = (-DAY[1], 2 * DAY[1])
    assert live == clips_of(plain, lambda item: keep, keep, wide, {"a": spans_of([wide])})
