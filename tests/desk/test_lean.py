"""Recordings whose values went when the cache was full: what was known of them shows at once, and is not made again unasked."""

import json
import os
import signal
from pathlib import Path

from north_hush.core.evaluate.lasting import find_lasting
from north_hush.core.footage import room
from north_hush.core.footage.store import read_evidence
from north_hush.core.site import edits
from north_hush.core.site.file import load_site
from north_hush.core.site.saving import save_site
from north_hush.desk.app import wait_until
from tests.cli.running import run
from tests.desk.conftest import analysed, settle
from tests.footage_maker import moving_square, write_video


def evidence():
    return [path for path in Path(os.environ["NORTH_HUSH_CACHE"]).iterdir() if (path / "index.json").exists()]


def let_go():
    """As a cache that is full leaves what it holds."""
    for folder in evidence():
        room._let_values_go(folder)


def two(tmp_path):
    """A site with a zone over all of two recordings."""
    site = edits.new_site("Skerry Quay", "Slipway")
    for number in range(2):
        write_video(tmp_path / f"part{number}.mkv", moving_square(60 + number))
        site = edits.add_recording(site, "view-1", f"part{number}.mkv")
    path = tmp_path / "two.hush.json"
    save_site(site, path)
    return path


def alarms(window):
    return [[(alarm.start_frame, alarm.end_frame) for alarm in lane.alarms] for lane in window.deck.lanes]


def kept():
    """Of how many recordings it is kept what was made of them."""
    return sum(bool(find_lasting(folder, len(read_evidence(folder).frames)).raised) for folder in evidence())


def test_alarms_and_scores_are_there_at_once_and_only_what_is_put_on_is_analysed_again(qtbot, open_window, tmp_path):
    path = two(tmp_path)
    window = open_window(path)
    window.show_stage("judge")
    assert wait_until(lambda: window.analysis.settled and analysed(window), 60)
    assert wait_until(lambda: sum(held.score is not None for held in window.scores.standings) == 2, 60)
    before, total = alarms(window), window.scores.total
    assert any(before)
    assert wait_until(lambda: kept() == 2, 30)
    window.close()
    let_go()

    again = open_window(path, ready=False)
    again.show_stage("judge")
    assert wait_until(lambda: again.deck.passes.running is not None, 60)
    child = again.deck.passes.running.process_id
    assert child > 0
    os.kill(child, signal.SIGSTOP)
    assert wait_until(lambda: again.deck.evidence is not None and bool(again.deck.lanes), 60)
    assert again.deck.evidence.lean
    assert alarms(again) == before
    os.kill(child, signal.SIGCONT)
    assert wait_until(lambda: analysed(again) and again.analysis.settled, 60)
    assert wait_until(lambda: sum(held.score is not None for held in again.scores.standings) == 2, 60)
    assert alarms(again) == before
    assert again.scores.total == total
    assert sorted(room.is_lean(folder) for folder in evidence()) == [False, True]

    other = again.session.view.recordings[1]
    again.deck.put_on(other)
    assert wait_until(lambda: analysed(again), 60)
    assert not any(room.is_lean(folder) for folder in evidence())


def test_what_was_never_asked_before_waits_for_the_pass(qtbot, open_window, tmp_path):
    path = two(tmp_path)
    window = open_window(path)
    assert wait_until(lambda: window.analysis.settled and analysed(window), 60)
    window.close()
    let_go()
    again = open_window(path)
    turned = edits.set_dials(again.session.site, "view-1", "whole-picture", channel="step_500ms")
    again.session.do("Turn", lambda site: turned)
    settle(again)
    assert any(alarms(again))
    again.show_stage("judge")
    assert wait_until(lambda: [held.score is not None for held in again.scores.standings] == [True, False], 60)
    assert not again.notice.isVisible()


def test_the_command_line_scores_what_is_left_and_makes_a_pass_where_more_is_asked(tmp_path):
    path = two(tmp_path)
    before = json.loads(run("score", path, "--json"))
    alarms_before = json.loads(run("alarms", path, "--json"))
    let_go()
    assert json.loads(run("score", path, "--json")) == before
    assert json.loads(run("alarms", path, "--json")) == alarms_before
    assert all(room.is_lean(folder) for folder in evidence())
    save_site(edits.set_dials(load_site(path), "view-1", "whole-picture", change_limit_grey=4.0), path)
    json.loads(run("alarms", path, "--json"))
    assert not any(room.is_lean(folder) for folder in evidence())
