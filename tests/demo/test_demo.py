"""Skerry Quay: the truth agrees with the pixels, whatever the seed."""

import errno
import hashlib
import inspect
import json
from dataclasses import replace
from itertools import cycle

import numpy as np
import pytest
from click.testing import CliRunner

from north_hush.cli import main
from north_hush.core.errors import HushError
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.handover.report import Asked, site_scores
from north_hush.core.site.file import load_site
from north_hush.demo import encode as encode_module
from north_hush.demo import trial as trial_module
from north_hush.demo.camera import HEIGHT_PX, WIDTH_PX, project
from north_hush.demo.catalogue import CROWD, GALE, RECORDINGS, WIRES_PX
from north_hush.demo.crossings import crossings_of, walkers_of
from north_hush.demo.encode import record
from north_hush.demo.light import lit
from north_hush.demo.render import frame_times, render, truth_of
from north_hush.demo.script import write_script
from north_hush.demo.shot import Shot
from north_hush.demo.site import lay_out_demo, shipped_recordings
from north_hush.demo.sound import RATE_HZ, heard
from north_hush.demo.truth import SoundFact, Truth


def test_people_have_the_height_the_camera_gives_them():
    near = project((0, 0, 9))[1] - project((0, 1.76, 9))[1]
    far = project((0, 1.2, 73))[1] - project((0, 2.96, 73))[1]
    assert 150 <= near <= 200
    assert 18 <= far <= 25


@pytest.mark.parametrize("seed", [1, 3, 9])
def test_regatta_day_is_a_crowd_of_at_most_a_dozen_that_crosses_often(seed):
    script = write_script(CROWD, seed)
    spans = [(play.actor.path.start_s, play.actor.path.end_s) for play in script.plays]
    at_once = [sum(start <= at <= end for start, end in spans) for at in np.arange(0, script.duration_s, 0.5)]
    assert 8 <= max(at_once) <= 12
    assert max(end for _, end in spans) < script.duration_s
    crossings = [held for play in script.plays for held in crossings_of(play) if held.wire == WIRES_PX[0][0]]
    assert 50 <= len(crossings) <= 120
    assert {held.direction for held in crossings} == {"a_to_b", "b_to_a"}
    names = " ".join(play.name for play in script.plays)
    for kind in (
        "dog",
        "pram",
        "van",
        "cyclist",
        "child",
        "hidden by the board",
        "abreast",
        "stands on the line",
        "turns back",
    ):
        assert kind in names


@pytest.mark.usefixtures("analysed_demo")
def test_the_shipped_demo_shows_work_to_do(tmp_path):
    path = lay_out_demo(tmp_path, fresh=True)
    site = load_site(path)
    factory, tuned = (site_scores(Asked(site, path, name))["in_all"][0] for name in ("factory", "tuned"))
    assert factory["incidents"] == 16 + 40  # the four, and regatta day
    assert factory["met"] >= 50
    assert factory["nuisance"] > 100
    # Tuned is what the program finds on other seeds: what is told of it here is no figure it was made on.
    assert tuned["met"] >= 54
    assert tuned["nuisance"] <= factory["nuisance"] / 20
    assert tuned["quiet_time_in_alarm"] <= factory["quiet_time_in_alarm"] / 3
    assert tuned["by_time_only"] == 0
    for source in shipped_recordings():
        assert source.stat().st_size < 4_000_000
        truth = Truth.model_validate_json(source.with_suffix(".truth.json").read_text())
        assert len(truth.incidents) >= 3


def test_no_number_of_the_demo_s_site_stands_where_the_search_begins():
    """Its grid is one of channels, levels and waits, and change limits by the noise of the footage."""
    from north_hush.core.advise import search
    from north_hush.demo.tuned import tuned_settings

    source = inspect.getsource(search)
    assert "demo" not in source
    assert set(tuned_settings()) == {"zone-1", "zone-2", "wire-1", "wire-2"}


def test_an_earlier_demo_is_kept_unless_a_fresh_one_is_wanted(tmp_path):
    path = lay_out_demo(tmp_path)
    path.write_text(path.read_text().replace("Skerry Quay", "My quay"))
    assert load_site(lay_out_demo(tmp_path)).name == "My quay"
    assert load_site(lay_out_demo(tmp_path, fresh=True)).name == "Skerry Quay"


def test_bad_wishes_are_named(tmp_path):
    with pytest.raises(HushError, match=r"'beach'.*afternoon"):
        write_script("beach", 1)
    with pytest.raises(HushError, match="--seconds: is -3"):
        write_script("afternoon", 1, -3)
    (tmp_path / "file").write_text("")
    out = str(tmp_path / "file" / "x")
    done = CliRunner().invoke(main, ["demo", "--out", out, "--recording", "dusk", "--seconds", "1"])
    assert done.exit_code == 1
    assert "cannot be written" in done.output


def test_a_full_disk_leaves_no_half_file(tmp_path, monkeypatch):
    def full(script, path, report):
        path.write_bytes(b"half")
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(encode_module, "_encode", full)
    with pytest.raises(HushError, match="No space left"):
        record(write_script("afternoon", 1, 2), tmp_path)
    assert list(tmp_path.iterdir()) == []


def test_demo_makes_recordings_truth_and_site(tmp_path):
    done = CliRunner().invoke(
        main, ["demo", "--out", str(tmp_path), "--seed", "5", "--recording", "afternoon", "--seconds", "3"]
    )
    assert done.exit_code == 0, done.output
    names = sorted(path.name for path in tmp_path.iterdir())
    assert names == ["afternoon.mp4", "afternoon.truth.json", "skerry-quay.hush.json"]
    assert len(load_site(tmp_path / "skerry-quay.hush.json").views[0].recordings) == 1


@pytest.fixture(scope="module", params=list(zip(RECORDINGS, cycle((1, 5)))), ids=str)
def made(request):
    """A short recording rendered without noise or encoding: every 9th frame, and the truth of all."""
    name, seed = request.param
    script = write_script(name, seed, 24)
    frames = list(render(script, noisy=False))
    return script, frames[::9], truth_of(script, [frame.boxes for frame in frames])


def test_inside_a_box_the_picture_differs_from_the_empty_place(made, monkeypatch):
    script, frames, _ = made
    monkeypatch.setattr("north_hush.demo.render.frame_times", lambda script: frame_times(script)[::9])
    empty = list(render(replace(script, plays=()), noisy=False))
    seen, differing = 0, 0
    for full, bare in zip(frames, empty, strict=True):
        difference = np.abs(full.pixels.astype(int) - bare.pixels).max(axis=2)
        allowed = np.zeros((HEIGHT_PX, WIDTH_PX), bool)
        for edge in (np.s_[:14], np.s_[-14:], np.s_[:, :14], np.s_[:, -14:]):
            allowed[edge] = True  # shadows come in before their figures
        for play, box in zip(script.plays, full.boxes, strict=True):
            if box is None:
                on_the_way = play.actor.path.start_s <= full.time_s <= play.actor.path.end_s
                allowed[:, : 110 * on_the_way] = True  # the shadow of somebody just beyond the left edge
                continue
            left, top, right, bottom = (round(edge) for edge in box)
            seen += 1
            differing += (difference[top:bottom, left:right] >= 2).mean() > 0.05
            reach = 12 + max(right - left, bottom - top)  # shadows reach beyond the figure
            allowed[max(0, top - 12) : bottom + reach // 4, max(0, left - reach) : right + reach] = True
        outside = np.argwhere((difference > 3) & ~allowed)
        assert len(outside) == 0, (full.time_s, full.boxes, outside.min(axis=0), outside.max(axis=0))
    assert seen > 3
    assert differing >= 0.85 * seen  # fog and the dark corner hide somebody now and then


def test_nuisances_change_only_what_they_say(made):
    script, _, _ = made
    for nuisance in script.nuisances:
        box = nuisance.box()
        if box is None:
            continue
        start, end = nuisance.spans()[0]
        time_s = (start + min(end, start + 8)) / 2
        shot = Shot(lit(script.backdrop, script.light))
        before = shot.picture.copy()
        nuisance.apply(shot, time_s)
        changed = np.abs(shot.picture - before).max(axis=2) > 0.01
        left, top, right, bottom = (round(edge) for edge in box)
        inside = np.zeros_like(changed)
        inside[max(0, top - 1) : bottom + 1, max(0, left - 1) : right + 1] = True
        assert not (changed & ~inside).any(), nuisance.name


def test_crossings_agree_with_the_paths(made):
    script, _, truth = made
    wires = {name: (np.array(first), np.array(second)) for name, first, second in WIRES_PX}
    plays = {play.name: walkers_of(play) for play in script.plays}
    for crossing in truth.crossings:
        if crossing.incident not in plays:
            continue  # a ferry's, which has no feet
        first, second = wires[crossing.wire]

        def below(time_s, path, first=first, second=second):
            x, z = path.at(time_s)
            foot = project((x, path.floor_m, z)) - first
            along = second - first
            return along[0] * foot[1] - along[1] * foot[0] > 0

        around_s = 0.06 + 0.5 * (len(plays[crossing.incident]) > 1)  # who walks beside somebody lags a little behind
        agrees = [
            below(crossing.time_s + around_s, walker.path) == (crossing.direction == "a_to_b")
            and below(crossing.time_s - around_s, walker.path) != (crossing.direction == "a_to_b")
            for walker in plays[crossing.incident]
        ]
        assert any(agrees)


def test_two_who_walk_together_cross_one_by_one():
    truth = Truth.model_validate_json(shipped_recordings()[1].with_suffix(".truth.json").read_text())
    assert sum(crossing.incident == "two people together" for crossing in truth.crossings) == 2


def test_the_shipped_truth_has_crossings_in_both_directions():
    found = set()
    for source in shipped_recordings():
        truth = Truth.model_validate_json(source.with_suffix(".truth.json").read_text())
        found |= {(crossing.wire, crossing.direction) for crossing in truth.crossings}
    assert len(found) == 4


def test_dusk_has_an_uneven_rate_and_a_gap_of_8_s():
    script = write_script("dusk", 1)
    intervals = np.diff(frame_times(script))
    assert intervals.max() == pytest.approx(8.0, abs=0.25)
    assert np.sort(intervals)[-2] < 0.2
    assert intervals.std() > 0.01
    index = index_recording(Footage(next(path for path in shipped_recordings() if path.stem == "dusk")))
    assert "variable frame rate" in " ".join(index.oddities)
    assert "gap of 8." in " ".join(index.oddities)


@pytest.mark.parametrize("seed", [3, 4, 5, 6, 7, 8])
@pytest.mark.parametrize("name", RECORDINGS)
def test_every_incident_of_every_seed_is_in_the_recording(name, seed):
    script = write_script(name, seed)
    for play in script.plays:
        path = play.actor.path
        assert 0 < path.start_s < path.end_s < script.duration_s, play.name
        times = frame_times(script)
        held = (times >= path.start_s) & (times <= path.end_s)
        assert held.sum() > 20, play.name


def test_incident_spans_are_those_of_the_boxes(made):
    script, _, truth = made
    times = frame_times(script)
    for incident in truth.incidents:
        assert incident.start_s == times[incident.first_frame]
        assert incident.end_s == times[incident.first_frame + len(incident.boxes) - 1]
        assert incident.boxes[0] is not None
        assert incident.boxes[-1] is not None


def test_the_same_seed_gives_the_same_frames_and_another_one_others():
    def digest(seed):
        frames = list(render(write_script("afternoon", seed, 1.5)))
        return hashlib.sha256(b"".join(frame.pixels.tobytes() for frame in frames)).hexdigest()

    assert digest(3) == digest(3) != digest(4)


def test_a_trial_scores_every_tuning_on_other_seeds(tmp_path, monkeypatch):
    made = []

    def record_short(script, folder):
        made.append(script.name)
        return record(write_script(script.name, script.seed, 2.0), folder)

    monkeypatch.setattr(trial_module, "record", record_short)
    done = CliRunner().invoke(main, ["trial", "--seeds", "1", "--first", "77", "--keep", str(tmp_path), "--json"])
    assert done.exit_code == 0, done.output
    found = json.loads(done.stdout)
    assert [row["seed"] for row in found["seeds"]] == [77]
    assert set(found["in_all"]) == {"factory", "factory, kinds alone", "tuned"}
    assert found["in_all"]["factory, kinds alone"]["nuisance"] <= found["in_all"]["factory"]["nuisance"]
    assert found["in_all"]["tuned"] == found["seeds"][0]["tuned"]
    assert len(made) == 6
    assert found["things"]["hours"] == pytest.approx(4.0 / 3600, abs=1e-3)
    assert found["blindness"]["hours"] == pytest.approx(12.0 / 3600, abs=1e-3)
    assert found["crossings"] == found["seeds"][0]["crossings"]
    assert found["crossings"]["found"] <= found["crossings"]["crossings"]
    again = CliRunner().invoke(main, ["trial", "--seeds", "1", "--first", "77", "--keep", str(tmp_path)])
    assert len(made) == 6  # what is there is used
    assert "factory: " in again.stdout and "things left and taken: " in again.stdout


def test_the_gale_is_a_site_of_its_own_with_all_that_blinds_a_camera_and_what_is_heard(tmp_path):
    path = lay_out_demo(tmp_path)
    assert len(load_site(path).views) == 1
    gale = load_site(tmp_path / "gale.hush.json")
    assert [held.path for held in gale.views[0].recordings] == ["gale.mp4"]
    truth = Truth.model_validate_json((tmp_path / "gale.truth.json").read_text())
    kinds = [fact.kind for fact in truth.nuisances]
    assert {"covered", "moved", "blurred", "frozen"} <= set(kinds) and kinds.count("covered") == 2
    assert {"wind", "gull", "horn", "glass"} == {fact.kind for fact in truth.sounds}
    names = [incident.name for incident in truth.incidents]
    assert sum("leaves" in name for name in names) == sum("takes" in name for name in names) == 3
    troubles = [
        span
        for fact in truth.nuisances
        if fact.kind in ("covered", "moved", "blurred", "frozen")
        for span in fact.spans_s
    ]
    for incident in truth.incidents:  # each can be told by itself
        assert all(incident.end_s < start or incident.start_s > end for start, end in troubles)
    assert (tmp_path / "gale.mp4").stat().st_size < 4_000_000


@pytest.mark.parametrize("seed", [2, 5])
def test_a_gale_that_stands_still_shows_the_same_picture_clock_and_all(seed, monkeypatch):
    script = write_script(GALE, seed, 33)
    (start, end), *_ = next(one for one in script.nuisances if one.kind == "frozen").spans()
    times = frame_times(script)
    near = times[(times >= start - 0.2) & (times < end + 0.2)]
    monkeypatch.setattr("north_hush.demo.render.frame_times", lambda script: near)
    shown = [frame.pixels for frame in render(script)]
    assert len(shown) > 10
    assert all(np.array_equal(shown[4], one) for one in shown[4:-4])
    assert not np.array_equal(shown[0], shown[4])


def test_what_is_heard_is_where_the_truth_says_it_is():
    sounds = (SoundFact(kind="wind", start_s=0, end_s=4), SoundFact(kind="glass", start_s=2, end_s=2.8))
    track = heard(sounds, 4.0, 7)
    loud = [float(np.abs(track[second * RATE_HZ : (second + 1) * RATE_HZ]).max()) for second in range(4)]
    assert max(loud) == loud[2] > 2 * max(loud[0], loud[1]) and np.abs(track).max() <= 1
    assert np.array_equal(track, heard(sounds, 4.0, 7)) and not np.array_equal(track, heard(sounds, 4.0, 8))
