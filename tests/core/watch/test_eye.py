"""The live eye: the same alarms as replay, told as they start and end, whatever happens in between."""

from datetime import UTC, datetime
from pathlib import Path

import pytest

from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.recordings import read_recording
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.server import FrameServer
from north_hush.core.site import drawing, edits
from north_hush.core.watch.eye import Eye
from north_hush.core.watch.sources import LiveFrame
from tests.footage_maker import moving_square, write_video

MONDAY_US = round(datetime(2026, 11, 23, 9, 0, tzinfo=UTC).timestamp() * 1e6)


@pytest.fixture(scope="module")
def recording(tmp_path_factory):
    return write_video(tmp_path_factory.mktemp("live") / "slip.mkv", moving_square(80) + moving_square(80))


@pytest.fixture
def site(recording, tmp_path):
    made = edits.add_recording(edits.new_site("Skerry Quay", "Slipway"), "view-1", str(recording))
    made = drawing.add_zone(made, "view-1", ((0, 0), (1, 0), (1, 1), (0, 1)), "All")
    made = drawing.add_zone(made, "view-1", ((0.5, 0), (1, 0), (1, 1), (0.5, 1)), "Right")
    made = drawing.change_item(made, "view-1", "zone-2", fires="entry")
    return drawing.add_wire(made, "view-1", ((0.5, 0.1), (0.5, 0.95)), "Gate", watches="both")


def frames_of(recording):
    index = index_recording(Footage(Path(recording)))
    server = FrameServer(index)
    for number in range(index.frames):
        yield LiveFrame(server.frame(number), MONDAY_US + int(index.time_us[number]), bool(index.key[number]))
    server.close()


def watched(site, frames, change=None):
    eye, found = None, []
    for number, frame in enumerate(frames):
        eye = eye or Eye(site.views[0], site.clock, frame)
        if change is not None:
            change(number, eye)
        found += eye.look(frame)
    return eye, found + eye.lost()


def ends_of(found):
    rows = [
        (one.item, one.facts["start_us"] - MONDAY_US, one.time_us - MONDAY_US)
        for one in found
        if one.what == "alarm_end"
    ]
    return sorted(rows)


def test_live_gives_the_alarms_of_replay(site, recording, tmp_path):
    _, found = watched(site, frames_of(recording))
    view = site.views[0]
    evidence = read_recording(view, view.recordings[0], tmp_path / "slip.hush.json")[1]
    lanes = Evaluator().lanes(evidence, view.plan, view.tuning.settings)
    replay = sorted((lane.zone_id, alarm.start_us, alarm.end_us) for lane in lanes for alarm in lane.alarms)
    assert {item for item, _, _ in replay} == {"zone-1", "zone-2", "wire-1"}
    assert ends_of(found) == replay
    starts = [one for one in found if one.what == "alarm_start"]
    assert len(starts) == len(replay)
    assert len({one.facts["direction"] for one in starts if one.item == "wire-1"}) == 1


def test_unarmed_alarms_are_silent_and_one_that_runs_at_arming_starts_then(site, recording):
    quiet = edits.set_hours(site, "view-1", "", "armed", "Mo 10:00-11:00")
    assert [one for one in watched(quiet, frames_of(recording))[1] if one.what.startswith("alarm")] == []
    shifted = [
        LiveFrame(held.picture, held.time_us + 3600 * 1_000_000 - 3_500_000, held.key) for held in frames_of(recording)
    ]
    _, found = watched(quiet, shifted)  # armed 3.5 s after the first frame, in the middle of the first walk
    first = next(one for one in found if one.what == "alarm_start" and one.item == "zone-1")
    armed_us = MONDAY_US + 3600 * 1_000_000
    assert armed_us <= first.time_us < armed_us + 200_000


def test_settings_change_without_losing_the_alarm_that_runs(site, recording):
    def change(number, eye):
        if number == 45:  # in the middle of the first walk
            assert eye.alarmed
            louder = edits.set_dials(site, "view-1", "zone-1", change_limit_grey=4.0)
            eye.take(louder.views[0], louder.clock)
            assert eye.frames == 45

    _, plain = watched(site, frames_of(recording))
    _, turned = watched(site, frames_of(recording), change)

    def zone_starts(found):
        return [one.time_us for one in found if one.what == "alarm_start" and one.item == "zone-1"]

    assert zone_starts(turned) == zone_starts(plain)


def test_an_outage_ends_what_runs_with_the_last_frame_there_was(site, recording):
    frames = list(frames_of(recording))[:45]
    eye, found = watched(site, frames)
    ended = [one for one in found if one.what == "alarm_end" and one.facts["ended_by"] == "gap"]
    assert {one.time_us for one in ended} == {frames[-1].time_us}
    assert not eye.alarmed and eye.lost() == []
