"""What is counted as found, late, missed and false of blindness and of things."""

import numpy as np
import pytest

from north_hush.core.ask.moves import Answer
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.reduce import FRAME_DTYPE
from north_hush.core.grid import Grid
from north_hush.core.sight.rules import BORN
from north_hush.core.sight.sight import FROZEN_S, Blind
from north_hush.core.site.edits import new_site
from north_hush.demo import seen as seen_module
from north_hush.demo.seen import Seen, blindness_seen, things_seen
from north_hush.demo.truth import Incident, NuisanceFact, Truth

ROWS = np.zeros(600, FRAME_DTYPE)
ROWS["time_us"] = np.arange(600) * 100_000
EVIDENCE = Evidence("made", Grid(32, 32), EvidenceOptions(), ROWS, lambda name, block: np.zeros((0, 0), np.uint8))


def truth(blind=(), incidents=()):
    return Truth(
        format="skerry-quay-truth", recording="gale", seed=1, duration_s=60.0, frames=600, crossings=(),
        incidents=tuple(
            Incident(name=name, start_s=start, end_s=end, first_frame=0, boxes=()) for name, start, end in incidents
        ),
        nuisances=tuple(NuisanceFact(name=kind, kind=kind, spans_s=((at, at + 9),), box=None) for kind, at in blind),
    )  # fmt: skip


def told(monkeypatch, *blind):
    found = [Blind(kind, round(at_s * 1e6), None, 100.0) for kind, at_s in blind]
    monkeypatch.setattr(seen_module, "blind_of", lambda evidence: found)


def test_blindness_is_found_within_three_seconds_of_when_it_began_and_no_sooner(monkeypatch):
    told(monkeypatch, ("covered", 11.0), ("moved", 18.0), ("frozen", 30.5), ("dark", 50.0))
    found = blindness_seen(truth([("covered", 10.0), ("moved", 20.0), ("frozen", 30.0), ("blurred", 40.0)]), EVIDENCE)
    assert (found.to_find, found.found, found.false) == (4, 2, 2)
    late = [1.0 + BORN["covered"].for_s, 0.5 + BORN["frozen"].for_s]
    assert found.latest_s == pytest.approx(max(late)) and found.footage_s == EVIDENCE.footage_s
    assert [words.split(" at ")[0] for words in found.wrong] == ["moved", "blurred", "moved", "dark"]


def test_what_is_told_later_counts_twice(monkeypatch):
    told(monkeypatch, ("covered", 10.0 + seen_module.TOLD_WITHIN_S))
    found = blindness_seen(truth([("covered", 10.0)]), EVIDENCE)
    assert (found.found, found.false, found.latest_s) == (0, 1, None)
    told(monkeypatch, ("frozen", 10.0 + seen_module.TOLD_WITHIN_S))
    assert FROZEN_S > 0 and blindness_seen(truth([("frozen", 10.0)]), EVIDENCE).found == 1


def test_things_are_told_apart_one_to_one_while_somebody_was_there(monkeypatch):
    answers = {"left": [12.0, 13.0, 50.0], "taken": [21.0]}

    def ask(question, *_):
        return [Answer(at, at + 5, 0.9, at - 1, at + 6) for at in answers[question.kind]]

    monkeypatch.setattr(seen_module, "index_recording", lambda footage: None)
    monkeypatch.setattr(seen_module, "ask_recording", ask)
    happened = [("person leaves a bundle", 10, 15), ("person takes a coil", 30, 35), ("person walks", 20, 25)]
    found = things_seen(truth(incidents=happened), None, EVIDENCE, new_site("Skerry Quay").views[0], None)
    assert (found.to_find, found.found, found.false) == (2, 1, 3)  # two more were left, one was taken elsewhere
    assert found.wrong[-2:] == ("person takes a coil at 30.0 s was not found", "taken at 21.0 s is false")


def test_some_footage_and_more_is_all_of_it():
    whole = Seen(3, 2, 1, 1800.0, 1.5, ("a",)) + Seen(1, 1, 0, 1800.0, None) + Seen(latest_s=2.04)
    assert whole.row() == {"to_find": 4, "found": 3, "false": 1, "hours": 1.0, "latest_s": 2.0}
    assert whole.wrong == ("a",) and Seen().row()["latest_s"] is None
