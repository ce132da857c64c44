"""Device cards: what they can say, and what is refused by its field."""

import json

import pytest
from pydantic import ValidationError

from north_hush.core.detect.dials import DIALS
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.errors import SiteError
from north_hush.core.handover.card import Card, Scale, card_text, find_card, shipped_cards
from north_hush.core.handover.fit import held_by, nearest_values


def scale(**more):
    return Scale(**{"name": "Sensitivity", "ours": "change_limit_grey", "low": 0, "high": 100, **more})


def test_ten_generic_cards_come_along_and_name_no_maker():
    cards = shipped_cards()
    assert len(cards) == 10
    for held in cards.values():
        assert Card.model_validate_json(card_text(held)) == held
        assert held.steps


def test_a_scale_is_read_between_its_rows_whichever_way_it_runs():
    up = scale(table=((0, 40), (50, 8), (100, 2)))
    assert [up.ours_at(value) for value in (0, 25, 50, 100)] == [40, 24, 8, 2]
    assert up.nearest(24) == 25 and up.nearest(1000) == 0
    down = scale(low=1, high=10, table=((1, 2), (10, 20)))
    assert down.ours_at(5.5) == 11 and down.nearest(2.1) == 1
    assert scale(low=3, high=3).values == [3]


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: scale(ours="loudness"), "is no dial"),
        (lambda: scale(low=9, high=1), "low is above high"),
        (lambda: scale(table=((0, 1), (50, 9), (100, 2))), "one direction"),
        (lambda: scale(table=((0, 1), (0, 2))), "does not ascend"),
        (lambda: scale(table=((0, 1),)), "table of one row"),
        (lambda: scale(step=1e-6), "larger step"),
        (lambda: Card(name="x", zones_most=0), "raises no alarm"),
        (lambda: Card(name="x", fires=()), "never fire"),
        (lambda: Card(name="x", scales=(scale(), scale(name="Other"))), "two scales stand for"),
        (lambda: Card(name="x", excludes=(("zones", "loudness"),)), "'loudness'"),
    ],
)
def test_cards_that_make_no_sense_are_refused(make, says):
    with pytest.raises(ValidationError, match=says):
        make()


def test_a_card_is_found_by_name_or_file_and_a_wrong_one_named_by_its_field(tmp_path):
    assert find_card("polygons-4").name == "Four polygons"
    path = tmp_path / "mine.json"
    path.write_text(card_text(find_card("rectangle-1")))
    assert find_card(str(path)) == find_card("rectangle-1")
    held = json.loads(path.read_text())
    held["scales"][0]["step"] = 0
    path.write_text(json.dumps(held))
    with pytest.raises(SiteError, match=r"scales\[0\]\.step"):
        find_card(str(path))
    with pytest.raises(SiteError, match=r"Shipped are .*polygons-4"):
        find_card("nowhere")


def test_the_nearest_values_and_what_the_device_lacks_is_at_rest():
    card = Card(name="x", scales=(scale(table=((0, 40), (50, 8), (100, 2)), step=10),))
    wanted = [ZoneSettings(change_limit_grey=8, travel_percent=5, smooth_frames=7), ZoneSettings(change_limit_grey=3)]
    values = nearest_values(card, wanted)
    assert [held["Sensitivity"] for held in values] == [50, 90]
    held = held_by(card, wanted[0], values[0])
    assert (held.change_limit_grey, held.travel_percent, held.smooth_frames) == (8, 0, 1)
    shared = Card(name="x", scales=(scale(table=((0, 40), (50, 8), (100, 2)), step=10, each=False),))
    assert [held["Sensitivity"] for held in nearest_values(shared, wanted)] == [90, 90]  # the most sensitive


def test_the_card_of_everything_holds_any_tuning():
    card = find_card("everything")
    settings = ZoneSettings(
        channel="step_200ms", change_limit_grey=7.25, start_percent=0.15, clear_percent=0.1, confirm_frames=4, travel_percent=3,
        smooth_frames=5, guard_percent=3, usual_s=10, things_in="heights", size_min_heights=0.3, rearm_s=2, loiter_s=25,
        kinds=("boat",), kind_sure_percent=45,
    )  # fmt: skip
    assert held_by(card, settings, nearest_values(card, [settings])[0]) == settings
    assert {scale.ours for scale in card.scales} >= {dial.field for dial in DIALS} - {"longest_s"}
