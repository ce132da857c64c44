"""From factory to quiet: an operator who only judges alarms and presses one button, on the four of the demo."""

from pathlib import Path

import pytest
from PySide6.QtCore import Qt

from north_hush.core.advise.aim import SIMPLE_FIELDS, TRIED
from north_hush.core.handover.report import Asked, site_scores
from north_hush.core.judge.incidents import Truth
from north_hush.core.site.edits import remove_recording
from north_hush.core.site.file import load_site
from north_hush.core.site.marking import put_truth
from north_hush.core.site.saving import save_site
from north_hush.demo.catalogue import CROWD
from north_hush.demo.site import lay_out_demo
from north_hush.desk.app import wait_until


@pytest.mark.usefixtures("analysed_demo")
def test_judging_alarms_and_one_button_lead_from_factory_to_quiet(tmp_path, open_window, qtbot):
    path = lay_out_demo(tmp_path, fresh=True)
    site = load_site(path)
    for held in site.views[0].recordings:
        if Path(held.path).stem == CROWD:  # whose forty incidents would hide what the sixteen of the others tell
            site = remove_recording(site, "view-1", held.id)
    truths = {held.id: held.truth for held in site.views[0].recordings}
    for recording in truths:
        site = put_truth(site, "view-1", recording, Truth())
    save_site(site, path)
    window = open_window(path)
    window.show_stage("judge")
    judge = window.judge

    def rest():
        assert wait_until(lambda: window.deck.settled and judge.settled and window.comparison.settled, 120)

    for recording in window.session.view.recordings:
        window.deck.put_on(recording)
        assert wait_until(lambda: window.deck.evidence is not None and bool(window.deck.lanes), 60)
        rest()
        found = window.deck.evaluator.judged(
            window.deck.evidence, window.session.view.plan, window.deck.lanes, truths[recording.id]
        )  # what an operator would say of each alarm, who knows what he sees
        reals = {item: set() for item in ("zone-1", "zone-2", "wire-1", "wire-2")}
        for span, worth in zip(found.spans, found.worths, strict=True):
            if worth == "real":
                reals[span.item].add(span.start_s)
        for key, wanted in ((Qt.Key.Key_Y, True), (Qt.Key.Key_X, False)):
            judge.alarms.select_rows(
                lambda row, wanted=wanted, reals=reals: (
                    row.worth == "not judged" and (row.span.start_s in reals[row.span.item]) == wanted
                )
            )
            if judge.alarms.chosen():
                qtbot.keyClick(window, key)
                rest()
        assert {row.worth for row in judge.alarms.rows} <= {"real", "nuisance"}
    judge.proposals.dials.held_fields = set(TRIED) - set(SIMPLE_FIELDS)  # a search over all of them takes minutes
    judge.proposals.start.click()
    assert wait_until(lambda: judge.proposals.settled and bool(judge.proposals.proposals), 300)
    judge.proposals.take(judge.proposals.proposals[0])
    rest()
    site = window.session.site
    for recording, truth in truths.items():
        site = put_truth(site, "view-1", recording, truth)
    found = site_scores(Asked(site, path))["in_all"][0]
    assert found["met"] >= 15
    assert found["nuisance"] <= 531 / 2  # half of what factory raises, with the simple dials alone
