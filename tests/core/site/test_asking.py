"""Questions are kept with a view, by names of their own."""

import pytest
from pydantic import ValidationError

from north_hush.core.site import edits
from north_hush.core.site.asking import forget_question, keep_question
from north_hush.core.site.file import load_site
from north_hush.core.site.questions import KeptQuestion
from north_hush.core.site.saving import save_site

PLACE = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0))


def test_kept_saved_read_again_and_forgotten(tmp_path):
    site = edits.new_site("Quay", "Slipway")
    view = site.views[0].id
    question = KeptQuestion(
        name="Who passed here?", kind="passed", place=PLACE, way=((0.1, 0.5), (0.9, 0.5)), kinds=("person",)
    )
    for _ in range(2):
        site = keep_question(site, view, question)
    assert [held.name for held in site.views[0].questions] == ["Who passed here?", "Who passed here? 2"]
    save_site(site, tmp_path / "a.hush.json")
    assert load_site(tmp_path / "a.hush.json").views[0].questions == site.views[0].questions
    assert [held.name for held in forget_question(site, view, "Who passed here?").views[0].questions] == [
        "Who passed here? 2"
    ]


@pytest.mark.parametrize("wrong", [{"place": PLACE[:2]}, {"kind": "flew"}, {"hours": "Fr 25:99"}, {"seconds": -1}])
def test_what_is_no_question(wrong):
    with pytest.raises(ValidationError):
        KeptQuestion(**({"name": "a", "kind": "moved", "place": PLACE} | wrong))
