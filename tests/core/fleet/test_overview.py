"""Cards of many views: what is known, what comes first, what several have in common, and copying to many."""

from dataclasses import replace
from pathlib import Path

import pytest

from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.recordings import recording_evidence
from north_hush.core.fleet.overview import ORDERS, Card, advice_over, in_order, plain_cards, worked_out
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.judge.score import Score
from north_hush.core.memo import Memo
from north_hush.core.outcome.rules import Keep
from north_hush.core.site import drawing, edits
from north_hush.core.site.copying import copy_to
from north_hush.core.site.model import replaced
from tests.footage_maker import moving_square, write_video

SLIP = ((0.0, 0.3), (1.0, 0.3), (1.0, 0.9), (0.0, 0.9))


@pytest.fixture
def site(tmp_path):
    """Two views with a recording each, the second one with a broken one beside, and one without any."""
    site = edits.new_site("Quay", "Slip")
    for name in ("Gate", "Mole"):
        site = edits.add_view(site, name)
    for number, view in enumerate(site.views[:2]):
        path = write_video(tmp_path / f"{number}.mkv", moving_square(60))
        site = edits.add_recording(site, view.id, path.name)
        site = drawing.add_zone(site, view.id, SLIP, "Slipway")
    (tmp_path / "broken.mkv").write_bytes(b"nothing that could be decoded")
    return edits.add_recording(site, site.views[1].id, "broken.mkv")


def card_of(site, folder, number):
    return worked_out(plain_cards(site)[number], site, Path(folder) / "a.hush.json", Evaluator(Memo()))


def test_a_card_is_laid_out_without_any_file(site, tmp_path):
    for path in tmp_path.glob("*.mkv"):
        path.unlink()
    cards = plain_cards(site)
    assert [(card.name, card.recordings, card.analysed) for card in cards] == [
        ("Slip", 1, None),
        ("Gate", 2, None),
        ("Mole", 0, None),
    ]


def test_what_is_not_analysed_is_told_and_not_made(site, tmp_path):
    assert card_of(site, tmp_path, 0).analysed == 0
    assert card_of(site, tmp_path, 2).score == Score()


def test_a_card_tells_what_the_settings_raise(site, tmp_path):
    recording = site.views[0].recordings[0]
    recording_evidence(site.views[0], recording, tmp_path / "a.hush.json")
    card = card_of(site, tmp_path, 0)
    assert (card.analysed, card.to_judge) == (1, card.score.alarms)
    assert card.to_judge > 0
    truth = Truth(incidents=(Incident(name="walk", start_s=100, end_s=110),), complete=True)
    known = edits.change_recording(site, "view-1", recording.id, truth=truth)
    judged = card_of(known, tmp_path, 0)
    assert judged.score.missed == ("walk",) and judged.to_judge == 0
    assert judged.nuisances_a_day == pytest.approx(judged.score.nuisances * 86400 / judged.score.footage_s)


def test_a_recording_that_cannot_be_read_is_named_and_the_rest_counts(site, tmp_path):
    recording_evidence(site.views[1], site.views[1].recordings[0], tmp_path / "a.hush.json")
    card = card_of(site, tmp_path, 1)
    assert card.analysed == 1
    assert len(card.failed) == 1 and "broken.mkv" in card.failed[0]


def cards():
    quiet = Score(footage_s=3600.0, incidents=2)
    plain = Card("view-1", "quiet", 1, 7200.0, live=False, analysed=1, score=quiet)
    return [
        plain,
        replace(plain, view="view-2", name="loud", score=replace(quiet, nuisances=3)),
        replace(plain, view="view-3", name="missing", score=replace(quiet, missed=("walk",))),
        replace(plain, view="view-4", name="Covered", blind=("covered",)),
        replace(plain, view="view-5", name="unknown", score=None, analysed=None, footage_s=9000.0),
        replace(plain, view="view-6", name="unjudged", score=replace(quiet, unjudged=4), clock_unmasked=True),
        replace(plain, view="view-7", name="unread", failed=("x",), clock_unmasked=True),
    ]


def test_what_costs_most_attention_comes_first():
    names = [card.name for card in in_order(cards(), "attention")]
    assert names == ["Covered", "unread", "missing", "loud", "unjudged", "unknown", "quiet"]


@pytest.mark.parametrize("order", ORDERS)
def test_every_order_shows_every_card_whatever_it_was_before(order):
    held = in_order(cards(), order)
    assert sorted(card.view for card in held) == sorted(card.view for card in cards())
    assert in_order(list(reversed(cards())), order) == held


def test_other_orders():
    assert in_order(cards(), "name")[0].name == "Covered"
    assert in_order(cards(), "nuisances")[0].name == "loud"
    assert in_order(cards(), "to judge")[0].name == "unjudged"
    assert in_order(cards(), "footage")[0].name == "unknown"


def test_what_several_have_in_common_is_said_once():
    assert advice_over(cards()) == [
        ("2 views with a burnt-in clock that no mask covers", ("view-6", "view-7")),
        ("1 view whose camera was blind lately", ("view-4",)),
        ("1 view with recordings that cannot be read", ("view-7",)),
        ("1 view with alarms nobody has judged", ("view-6",)),
    ]
    assert advice_over([card for card in cards() if card.name in ("quiet", "unknown")]) == []


# --- copying ------------------------------------------------------------------------------------------------------------


@pytest.fixture
def three():
    site = edits.new_site("Quay", "Slip")
    for name in ("Gate", "Mole"):
        site = edits.add_view(site, name)
    for view, zones in zip(site.views, (("Slipway", "Deck"), ("slipway", "Hatch"), ("Anything",)), strict=True):
        for zone in zones:
            site = drawing.add_zone(site, view.id, SLIP, zone)
    site = edits.set_dials(site, "view-1", "zone-1", change_limit_grey=9.0)
    return edits.set_hours(site, "view-1", "", "armed", "18:00-06:00")


def limits(site):
    return [[view.tuning.of(zone.id).change_limit_grey for zone in view.zones] for view in site.views]


def test_dials_go_to_items_of_the_same_name(three):
    before = limits(three)
    after = limits(copy_to(three, "view-1", ["view-2", "view-3"], ["dials"]))
    assert after[1] == [9.0, before[1][1]]
    assert after[2] == before[2]  # no name is alike, and there are two to choose from
    assert after[0] == before[0]


def test_dials_of_an_only_zone_go_to_every_zone(three):
    source = edits.set_dials(three, "view-3", "zone-1", change_limit_grey=7.0)
    assert limits(copy_to(source, "view-3", ["view-2"], ["dials"]))[1] == [7.0, 7.0]


def test_hours_and_outcome_go_along_when_wanted(three):
    kept = replaced(three.views[0], outcome=replaced(three.views[0].outcome, keep=Keep(after_s=3)))
    site = replaced(three, views=(kept, *three.views[1:]))
    both = copy_to(site, "view-1", ["view-1", "view-3"], ["hours", "outcome"])
    assert both.views[2].hours.armed == "18:00-06:00" and both.views[2].outcome.keep.after_s == 3
    assert both.views[1] == site.views[1] and both.views[0] == site.views[0]
    assert copy_to(site, "view-1", ["view-2"], []) == site
