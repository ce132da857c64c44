"""An overview of many views: a card each, with what of it costs most attention first.

A card is laid out from the site alone, which takes no file; what a view raises is worked out later, one view after the other.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal, get_args

from north_hush.core.errors import EvidenceError, HushError
from north_hush.core.evaluate.armed import armed_over
from north_hush.core.evaluate.blind import blind_told
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.recordings import indexed_evidence
from north_hush.core.evaluate.sensed import sensed_over
from north_hush.core.evaluate.switched import settings_over
from north_hush.core.explain.restless import burnt_in_clock
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.index import FrameIndex
from north_hush.core.judge.score import Score, summed
from north_hush.core.sight.rules import Blindness
from north_hush.core.site.model import Site, View
from north_hush.core.site.recording import Recording
from north_hush.core.words import tr, trn

Order = Literal["attention", "name", "nuisances", "to judge", "footage"]
ORDERS: tuple[Order, ...] = get_args(Order)
_DAY_S = 24 * 3600
_LOOKS = 4
"""Recordings whose sight and clock are looked at: what covers a lens covers the newest ones."""


@dataclass(frozen=True)
class Card:
    """What is known of a view.

    Attributes
    ----------
    footage_s : length of its recordings, as far as it is known
    analysed : recordings whose evidence is there; None while nobody has looked
    score : what its settings raise on those, summed; None while that is not worked out
    blind : what made the camera blind in its newest recordings
    clock_unmasked : its burnt-in clock changes and no mask covers it
    failed : recordings that cannot be read, and why
    """

    view: str
    name: str
    recordings: int
    footage_s: float
    live: bool
    analysed: int | None = None
    score: Score | None = None
    blind: tuple[Blindness, ...] = ()
    clock_unmasked: bool = False
    failed: tuple[str, ...] = ()

    @property
    def nuisances_a_day(self) -> float | None:
        """Nuisance alarms in 24 h of such footage; None without any."""
        if self.score is None or not self.score.footage_s:
            return None
        return _DAY_S * self.score.nuisances / self.score.footage_s

    @property
    def to_judge(self) -> int:
        """Alarms nobody has judged."""
        return self.score.unjudged if self.score is not None else 0

    @property
    def attention(self) -> tuple[bool, int, int, float, int, bool]:
        """What costs attention, the worst first: blind, unreadable, missed incidents, nuisances a day, alarms to judge, and nothing
        known of it."""
        missed = len(self.score.missed) if self.score is not None else 0
        return (
            bool(self.blind), len(self.failed), missed, self.nuisances_a_day or 0.0, self.to_judge, self.score is None,
        )  # fmt: skip


def plain_cards(site: Site) -> list[Card]:
    """Cards of all views, from the site alone."""
    return [
        Card(
            view.id,
            view.name,
            len(view.recordings),
            sum(recording.length_s or 0.0 for recording in view.recordings),
            view.camera is not None,
        )
        for view in site.views
    ]


def worked_out(card: Card, site: Site, site_path: Path, evaluator: Evaluator) -> Card:
    """A card with what the view's settings raise on what is analysed of it; no pass is made."""
    view = site.view(card.view)
    scores: list[Score] = []
    failed: list[str] = []
    blind: set[Blindness] = set()
    clock = False
    for place, recording in enumerate(reversed(view.recordings)):
        try:
            found = _looked_at(site, view, recording, site_path, evaluator)
        except HushError as error:
            failed.append(str(error))
            continue
        if found is None:
            continue
        scores.append(found[0])
        if place < _LOOKS:
            blind |= set(found[1])
            clock = clock or found[2]
    return replace(
        card, analysed=len(scores), score=summed(scores), blind=tuple(sorted(blind)), clock_unmasked=clock,
        failed=tuple(failed),
    )  # fmt: skip


def _looked_at(
    site: Site, view: View, recording: Recording, site_path: Path, evaluator: Evaluator
) -> tuple[Score, Iterable[Blindness], bool] | None:
    """Score, blindness, and whether a clock is burnt in where no mask is; None while the recording is not analysed."""
    index, evidence = indexed_evidence(view, recording, site_path, lean=True)
    if evidence is None:
        return None
    try:
        return _found(site, view, recording, index, evidence, evaluator)
    except EvidenceError:
        if evidence.whole:
            raise
        return None  # what is left of it does not tell


def _found(
    site: Site, view: View, recording: Recording, index: FrameIndex, evidence: Evidence, evaluator: Evaluator
) -> tuple[Score, Iterable[Blindness], bool]:
    settings, armed = settings_over(site, view, recording, index), armed_over(site, view, recording, index)
    sensed = sensed_over(view, recording, index, evidence)
    score = evaluator.evaluate(evidence, view.plan, settings, recording.truth, armed, sensed).score
    blind = blind_told(evidence, view.sight_rules, site.clock, recording.began(index, site.zone))
    return score, [held.kind for held in blind], _shows_clock(evaluator, evidence, view)


def _shows_clock(evaluator: Evaluator, evidence: Evidence, view: View) -> bool:
    """Whether a clock is burnt in where no mask is."""
    region = burnt_in_clock(evidence)
    if region is None:
        return False
    x, y = (sum(along) / len(region.outline) for along in zip(*region.outline, strict=True))
    watched = evaluator.weights(None, replace(view.plan, zones=(), wires=()), evidence.grid).cells
    return evidence.grid.cell_at(x, y) in set(watched.tolist())


_KEYS: dict[Order, Callable[[Card], object]] = {
    "name": lambda card: card.name.casefold(),
    "nuisances": lambda card: -(card.nuisances_a_day or 0.0),
    "to judge": lambda card: -card.to_judge,
    "footage": lambda card: -card.footage_s,
}


def in_order(cards: Sequence[Card], order: Order) -> list[Card]:
    """Cards in an order, those that are equal in it by name."""
    named = sorted(cards, key=lambda card: card.name.casefold())
    if order == "attention":
        return sorted(named, key=lambda card: card.attention, reverse=True)
    return sorted(named, key=_KEYS[order])  # type: ignore[arg-type]


def advice_over(cards: Sequence[Card]) -> list[tuple[str, tuple[str, ...]]]:
    """What several views have in common that one act would mend: in words, and which views."""
    found: list[tuple[str, tuple[str, ...]]] = []
    for said, holds in (
        (tr("with a burnt-in clock that no mask covers"), lambda card: card.clock_unmasked),
        (tr("whose camera was blind lately"), lambda card: bool(card.blind)),
        (tr("with recordings that cannot be read"), lambda card: bool(card.failed)),
        (tr("with alarms nobody has judged"), lambda card: card.to_judge > 0),
        (tr("with recordings that are not analysed"), lambda card: (card.analysed or 0) < card.recordings),
    ):
        having = tuple(card.view for card in cards if card.analysed is not None and holds(card))
        if having:
            found.append(
                (trn("{count} view {said}", "{count} views {said}", len(having), count=len(having), said=said), having)
            )
    return found
