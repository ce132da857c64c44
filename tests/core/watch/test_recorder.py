"""Clips of a live camera, opened again."""

import gc
import threading
import weakref
from pathlib import Path
from zoneinfo import ZoneInfo

import av
import numpy as np
import pytest

from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import STORED, EvidenceOptions
from north_hush.core.footage.server import FrameServer, picture_of
from north_hush.core.footage.store import known_evidence
from north_hush.core.grid import Grid
from north_hush.core.outcome.rules import Keep
from north_hush.core.sight.sensors import Sensor
from north_hush.core.site import drawing, edits, outcomes
from north_hush.core.site.model import replaced
from north_hush.core.watch.eye import Eye
from north_hush.core.watch.happening import Happening
from north_hush.core.watch.live_file import CLOSING, Seen
from north_hush.core.watch.recorder import Recorder
from north_hush.core.watch.sources import LiveFrame, Opened
from tests.evidence_maker import whole_channel
from tests.footage_maker import heard_at_s, moving_square, write_sounding, write_video

S, BEGAN_US = 1_000_000, 1_800_000_000_000_000


@pytest.fixture
def recording(tmp_path):
    return write_video(tmp_path / "source.mkv", moving_square(100), options={"qp": "1", "g": "20", "bf": "0"})


def live(recording):
    """A source of packets as they come, with the frames they hold."""
    container = av.open(str(recording))
    stream = container.streams.video[0]

    def frames():
        for packet in container.demux(stream):
            for picture in packet.decode():
                at_us = BEGAN_US + round(picture.time * S)
                yield LiveFrame(picture, at_us, bool(packet.is_keyframe), ((packet, at_us),) if packet.size else ())

    return Opened(frames(), container.close, stream)


def view_of(privacy=False, **rules):
    site = drawing.add_zone(edits.new_site("Skerry Quay", "Slipway"), "view-1", ((0, 0), (1, 0), (1, 1)), "All")
    if privacy:
        site = drawing.add_privacy(site, "view-1", ((0, 0.4), (1, 0.4), (1, 1), (0, 1)))
    keep = {"before_s": 1, "after_s": 1, "join_s": 0, **rules}
    return outcomes.set_keep(site, "view-1", **keep).views[0]


def recorded(recording, folder, view, alarms, source=None):
    """Feed a recording with alarms as (start_s, end_s, frames)."""
    source = source or live(recording)
    recorder = Recorder(view, source, Grid(160, 96, 0, False, False, 4), folder, ZoneInfo("UTC"))
    found, last = [], 0
    for frame in source.frames:
        if not frame.packets:
            continue
        at_s, happened = (frame.time_us - BEGAN_US) / S, []
        for start, end, frames in alarms:
            if abs(at_s - start) < 0.05:
                happened.append(Happening(frame.time_us, "alarm_start", "zone-1", {"frames": 1}))
            if abs(at_s - end) < 0.05:
                facts = {"frames": frames, "start_us": BEGAN_US + round(start * S)}
                happened.append(Happening(frame.time_us, "alarm_end", "zone-1", facts))
        found += recorder.frame(Seen(frame), happened)
        last = frame.time_us
    return found + recorder.lost(last), recorder


def live_with_sound(recording):
    """The same with its sound, which comes before the pictures it belongs to."""
    container = av.open(str(recording))
    video, audio = container.streams.video[0], container.streams.audio[0]

    def frames():
        came = []
        for packet in container.demux(video, audio):
            if packet.stream is audio and packet.size:
                came.append((packet, BEGAN_US + round(packet.pts * packet.time_base * S)))
            elif packet.stream is video:
                for picture in packet.decode():
                    at_us = BEGAN_US + round(picture.time * S)
                    yield LiveFrame(picture, at_us, bool(packet.is_keyframe), ((packet, at_us),), sound=tuple(came))
                    came = []

    return Opened(frames(), container.close, video, audio)


@pytest.mark.parametrize(
    ("privacy", "codec"), [(False, "aac"), (True, "aac"), (False, "pcm_mulaw"), (False, "pcm_alaw")]
)
def test_sound_is_kept_in_step_where_it_is_wanted_and_else_not_at_all(tmp_path, privacy, codec):
    path = write_sounding(tmp_path / "source.mov", 100, loud=55, codec=codec)
    for wanted in (True, False):
        view = view_of(privacy=privacy, sound=wanted)
        found, _ = recorded(path, tmp_path / str(wanted), view, [(5.0, 6.0, 9)], live_with_sound(path))
        (clip,) = [held for held in found if held.what == "clip"]
        began_s = (clip.facts["start_us"] - BEGAN_US) / S
        heard = heard_at_s(Path(clip.facts["file"]))
        assert (heard[0] == pytest.approx(5.5 - began_s, abs=0.06)) if wanted else heard == []


def test_the_ring_holds_packets_and_no_pictures(recording, tmp_path):
    """A decoded picture is a hundred times as large as its packet; a few seconds of them would fill the memory."""
    source, seen = live(recording), []
    recorder = Recorder(view_of(before_s=5), source, Grid(160, 96, 0, False, False, 4), tmp_path, ZoneInfo("UTC"))
    for frame in source.frames:
        if frame.packets:
            seen.append(weakref.ref(frame))
            recorder.frame(Seen(frame), [])
    del frame
    gc.collect()
    assert len(seen) > 60
    assert sum(held() is not None for held in seen) == 0


def clips_of(found):
    return [one.facts for one in found if one.what == "clip"]


def pictures(path):
    index = index_recording(Footage(Path(path)))
    server = FrameServer(index)
    return index, [
        picture_of(server.frame(number), index.grid())[:, :, :3].astype(int) for number in range(index.frames)
    ]


def test_a_clip_holds_what_came_before_and_after_as_it_was(recording, tmp_path):
    found, _ = recorded(recording, tmp_path / "out", view_of(), [(5.0, 6.0, 10)])
    (clip,) = clips_of(found)
    index, held = pictures(clip["file"])
    _, before = pictures(recording)
    # From the key frame at 4.0 s (1 s before the alarm) to 7.0 s.
    assert index.frames == clip["frames"] == 31
    assert np.abs(held[0] - before[40]).max() == 0 and np.abs(held[-1] - before[70]).max() == 0
    assert np.diff(index.time_us).tolist() == [100_000] * 30


def test_alarms_while_it_runs_share_a_clip_and_later_ones_do_not(recording, tmp_path):
    found, _ = recorded(recording, tmp_path / "out", view_of(), [(2.0, 3.0, 9), (3.5, 4.0, 9), (7.0, 7.5, 9)])
    assert len(clips_of(found)) == 2


def test_brief_clips_are_taken_away_again(recording, tmp_path):
    found, _ = recorded(recording, tmp_path / "out", view_of(drop_under_frames=5), [(2.0, 2.2, 3), (6.0, 7.0, 9)])
    dropped, kept = clips_of(found)
    assert dropped["file"] is None and "too few frames" in dropped["why"]
    assert [str(path) for path in (tmp_path / "out").rglob("*.mkv")] == [kept["file"]]


def test_the_longest_clip_is_split_at_a_key_frame(recording, tmp_path):
    found, _ = recorded(recording, tmp_path / "out", view_of(longest_s=5, before_s=0), [(1.0, 9.5, 80)])
    parts = clips_of(found)
    assert len(parts) == 2
    assert sum(part["frames"] for part in parts) == 100  # every frame once, from the key frame before on


def test_privacy_masks_hold_in_what_is_recorded(recording, tmp_path):
    found, _ = recorded(recording, tmp_path / "out", view_of(privacy=True), [(5.0, 6.0, 10)])
    (clip,) = clips_of(found)
    index, held = pictures(clip["file"])
    assert index.frames >= 20
    for picture in held:
        assert picture[60:90, 8:150].std() < 4  # the square that crosses there is gone


def test_a_lost_picture_ends_the_clip_and_it_can_be_read(recording, tmp_path):
    found, recorder = recorded(recording, tmp_path / "out", view_of(), [(9.5, 99, 9)])
    (clip,) = clips_of(found)
    assert pictures(clip["file"])[0].frames == clip["frames"]
    assert recorder.finish(0) == []


def test_a_file_that_is_not_closed_can_be_read_to_the_last_second(recording, tmp_path):
    """As after a kill: the writer is never closed."""
    source = live(recording)
    recorder = Recorder(view_of(), source, Grid(160, 96, 0, False, False, 4), tmp_path / "out", ZoneInfo("UTC"))
    for number, frame in enumerate(source.frames):
        if frame.packets:
            recorder.frame(Seen(frame), [Happening(frame.time_us, "alarm_start", "zone-1", {})] if number == 5 else [])
    (path,) = (tmp_path / "out").rglob("*.mkv")
    assert pictures(path)[0].frames >= 100 - 11
    recorder.finish(0)


def test_where_nothing_can_be_written_it_is_a_fault_and_not_the_end(recording, tmp_path):
    (tmp_path / "out").write_text("a file where a folder should be")
    found, _ = recorded(recording, tmp_path / "out", view_of(), [(5.0, 6.0, 10)])
    assert [one.facts["fault"] for one in found if one.what == "fault"] == ["cannot write"]
    assert Keep().how == "on_alarm"


def stored(path):
    footage = Footage(Path(path))
    return known_evidence(fingerprint(footage), EvidenceOptions())


def watched(recording, folder, view):
    """Record what an eye sees; what it made of each frame, by time."""
    source, eye, made = live(recording), None, {}
    recorder = Recorder(view, source, Grid(160, 96, 0, False, False, 4), folder, ZoneInfo("UTC"))
    found, last = [], 0
    for frame in source.frames:
        if frame.packets:
            eye = eye or Eye(view, edits.new_site("Skerry Quay", "Slipway").clock, frame)
            happened, last = eye.look(frame), frame.time_us
            made[last] = eye.reduced
            if len(made) == 50:
                happened = [Happening(last, "alarm_start", "zone-1", {"frames": 1})]
            elif len(made) == 60:
                happened = [Happening(last, "alarm_end", "zone-1", {"frames": 10, "start_us": last})]
            else:
                happened = []
            found += recorder.frame(Seen(frame, eye.reduced, eye.soil()), happened)
    found += recorder.lost(last)
    for thread in threading.enumerate():
        if thread.name == CLOSING:
            thread.join(20)
    return found, made


@pytest.mark.parametrize("how", ["on_alarm", "always", "low_and_full"])
def test_what_is_recorded_opens_analysed(recording, tmp_path, monkeypatch, how):
    """The evidence is that of the live pictures: with the background from before the file begins."""
    monkeypatch.setenv("NORTH_HUSH_CACHE", str(tmp_path / "cache"))
    found, made = watched(recording, tmp_path / "out", view_of(how=how, full_before_s=1, full_after_s=1))
    files = [one.facts for one in found if one.what in ("clip", "footage")]
    assert len(files) == {"on_alarm": 1, "always": 1, "low_and_full": 2}[how]
    for file in files:
        evidence, index = stored(file["file"]), index_recording(Footage(Path(file["file"])))
        assert evidence.whole and len(evidence.frames) == index.frames == file["frames"]
        assert np.array_equal(evidence.frames["pts"], index.pts)
        assert np.array_equal(evidence.time_us, index.time_us)
        lived = [made[at] for at in sorted(made) if file["start_us"] <= at][: file["frames"]]
        for channel in STORED:
            assert np.array_equal(
                whole_channel(evidence, channel), np.stack([one.cells[channel] for one in lived], axis=1)
            )
        if file["start_us"] > BEGAN_US:
            assert evidence.valid[0]  # nothing is warmed up anew


def test_masked_recordings_leave_no_evidence_of_what_is_under_the_mask(recording, tmp_path, monkeypatch):
    monkeypatch.setenv("NORTH_HUSH_CACHE", str(tmp_path / "cache"))
    found, _ = watched(recording, tmp_path / "out", view_of(privacy=True))
    (clip,) = clips_of(found)
    assert stored(clip["file"]) is None


@pytest.mark.parametrize(
    ("rule", "said", "makes"),
    [
        ("on_alarm", "always", "footage"),
        ("never", "on alarm", "clip"),
        ("always", "on alarm", "clip"),
        ("never", "", ""),
    ],
)
def test_a_piece_of_the_hours_that_says_how_goes_before_the_rule(recording, tmp_path, rule, said, makes):
    view, source = view_of(how=rule), live(recording)
    grid, zone = Grid(160, 96, 0, False, False, 4), ZoneInfo("UTC")
    recorder = Recorder(view, source, grid, tmp_path / "out", zone, lambda item, at_us: True, lambda at_us: said)
    found, last = [], 0
    for number, frame in enumerate(held for held in source.frames if held.packets):
        happened, last = [], frame.time_us
        if number == 40:
            happened = [Happening(last, "alarm_start", "zone-1", {"frames": 10})]
        if number == 60:
            happened = [Happening(last, "alarm_end", "zone-1", {"frames": 10, "start_us": last - 2_000_000})]
        found += recorder.frame(Seen(frame), happened)
    found += recorder.lost(last)
    assert {one.what for one in found} - {"clip_start"} == ({makes} if makes else set())


@pytest.mark.parametrize(
    ("said", "second_at", "items"),
    [
        ("on contact", 60, ["sensor-1"]),
        ("on both", 60, ["sensor-1"]),  # it is the second that opens, with its time before
        ("on both", 47, ["sensor-1", "zone-1"]),  # what still runs is in it
        ("on both", None, None),
        ("on contact", None, None),
    ],
)
def test_hours_that_say_who_must_raise_it(recording, tmp_path, said, second_at, items):
    view, source = view_of(), live(recording)
    view = replaced(view, sensors=(Sensor(id="sensor-1", name="Door", contact="door"),))
    grid, zone = Grid(160, 96, 0, False, False, 4), ZoneInfo("UTC")
    recorder = Recorder(view, source, grid, tmp_path / "out", zone, lambda item, at_us: True, lambda at_us: said)
    found, last = [], 0
    for number, frame in enumerate(held for held in source.frames if held.packets):
        happened, last = [], frame.time_us
        told = {"frames": 10, "start_us": last}
        for item, at in (("zone-1", 40), ("sensor-1", second_at)):
            if at is not None and number in (at, at + 10):
                happened.append(Happening(last, "alarm_start" if number == at else "alarm_end", item, dict(told)))
        found += recorder.frame(Seen(frame), happened)
    found += recorder.lost(last)
    assert [clip["items"] for clip in clips_of(found)] == ([items[:1]] if items else [])
    assert (recorder._running, recorder._clip) == (set(), None)


def test_everything_is_kept_in_files_of_the_longest_clip_while_hours_say_so(recording, tmp_path):
    view, hours = view_of(how="always", longest_s=5), {"kept": True}
    source = live(recording)
    grid, zone = Grid(160, 96, 0, False, False, 4), ZoneInfo("UTC")
    recorder = Recorder(view, source, grid, tmp_path / "out", zone, lambda item, at_us: hours["kept"])
    found, frames = [], 0
    for frame in source.frames:
        if frame.packets:
            frames += 1
            hours["kept"] = frames < 80
            found += recorder.frame(Seen(frame), [])
    found += recorder.lost(0)
    assert [one.what for one in found] == ["footage", "footage"]
    assert sum(one.facts["frames"] for one in found) == 79  # each once; the hours end with the eightieth
    assert sum(pictures(one.facts["file"])[0].frames for one in found) == 79


def test_a_clip_by_hand_begins_before_and_ends_when_it_is_told_to(recording, tmp_path):
    source = live(recording)
    recorder = Recorder(view_of(), source, Grid(160, 96, 0, False, False, 4), tmp_path / "out", ZoneInfo("UTC"))
    found = []
    for number, frame in enumerate(source.frames):
        if number in (50, 70):
            recorder.by_hand("start" if number == 50 else "stop")
        if frame.packets:
            found += recorder.frame(Seen(frame), [])
    (clip,) = clips_of(found)
    assert clip["why"] == "by hand"
    assert clip["frames"] == 31  # from the key frame a second before, to the moment it was stopped


@pytest.mark.parametrize("apart_s", [0, 3600])
def test_a_clip_for_another_view_lasts_as_long_as_its_alarm(recording, tmp_path, apart_s):
    source = live(recording)
    recorder = Recorder(view_of(), source, Grid(160, 96, 0, False, False, 4), tmp_path / "out", ZoneInfo("UTC"))
    found = []
    for number, frame in enumerate(source.frames):
        if number in (50, 70):
            recorder.along("Quay", frame.time_us + apart_s * S, None if number == 50 else 5)
        if frame.packets:
            found += recorder.frame(Seen(frame), [])
    (clip,) = clips_of(found)
    assert clip["items"] == ["with Quay"] and clip["why"] == "alarm"
    assert clip["frames"] == 41  # from the key frame a second before, to a second after its end


def test_a_mask_that_is_drawn_while_it_records_holds_from_there_on(recording, tmp_path):
    source = live(recording)
    recorder = Recorder(view_of(), source, Grid(160, 96, 0, False, False, 4), tmp_path / "out", ZoneInfo("UTC"))
    found = []
    for number, frame in enumerate(source.frames):
        if not frame.packets:
            continue
        if number == 30:
            recorder.by_hand("start")
        if number == 60:
            found += recorder.take(view_of(privacy=True), frame.time_us)
            recorder.by_hand("start")
        if number == 61:
            assert recorder.take(view_of(privacy=True), frame.time_us) == []  # nothing is interrupted by the same masks
        found += recorder.frame(Seen(frame), [])
    first, second = clips_of(found + recorder.lost(0))
    assert first["frames"] >= 30 and second["start_us"] == BEGAN_US + 60 * 100_000  # nothing from before the mask
    for picture in pictures(second["file"])[1]:
        assert picture[60:90, 8:150].std() < 4
