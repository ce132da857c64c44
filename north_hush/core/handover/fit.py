"""The nearest that a device can take: shapes, items and dial values within a card, found by search on its own steps.

The drawing is brought to the card's shapes first (`device_plan`); then each scale stands at the step nearest to the tuned value, and
a coordinate descent over the card's steps makes the loss of `aim` small over all recordings, scales that serve all items turned for
all together. A card that can hold everything gives the tuning itself: then nothing is searched.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from north_hush.core.advise.aim import AIMS, Case
from north_hush.core.advise.search import Search
from north_hush.core.detect.dials import DIALS
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.handover.card import Card, Scale
from north_hush.core.handover.device_plan import Groups, shaped
from north_hush.core.handover.excluded import choices
from north_hush.core.judge.score import Score, summed
from north_hush.core.scene.plan import Plan
from north_hush.core.site.model import View
from north_hush.core.words import tr

_TRIED_MOST, _ROUNDS = 24, 2
Settings = dict[str, ZoneSettings]
_CHOICES = ("channel", "analysis_per_s", "things_in", "kinds")


@dataclass(frozen=True)
class Fitted:
    """A plan and settings that a device can take.

    Attributes
    ----------
    values : by item and name of the scale, where the device's dial stands
    merged : names of zones that became one
    notes : what was changed of the drawing, and what the device lacks
    """

    plan: Plan
    settings: Settings
    values: Mapping[str, Mapping[str, float]]
    merged: tuple[tuple[str, ...], ...] = ()
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class Saving:
    """A capability that the device lacks, and the score with it."""

    capability: str
    score: Score


@dataclass(frozen=True)
class Fit:
    """What a device can really do, beside the tuned settings.

    Attributes
    ----------
    lost : incidents that the tuned settings meet and the fit does not, each with the single capability that would save it, or ''
    saves : capabilities the device lacks, what saves most first
    """

    card: Card
    fitted: Fitted
    score: Score
    tuned: Score
    lost: tuple[tuple[str, str], ...] = ()
    saves: tuple[Saving, ...] = ()


# --- the dials ----------------------------------------------------------------------------------------------------------


def held_by(card: Card, settings: ZoneSettings, values: Mapping[str, float]) -> ZoneSettings:
    """Settings as a device holds them: what its scales say, and everything it lacks at rest.

    Raises
    ------
    pydantic.ValidationError : a scale's table leads out of our range.
    """
    kept = {name: getattr(settings, name) for name in _CHOICES} if card.own_choices else {}
    turned = {scale.ours: _number(scale.ours, scale.ours_at(values[scale.name])) for scale in card.scales}
    if "clear_percent" not in turned and "start_percent" in turned:
        turned["clear_percent"] = max(0.01, turned["start_percent"])
    return FACTORY.turned(**kept, **turned)


def _number(field_name: str, value: float) -> float:
    if field_name.endswith("_frames"):
        return max(1, round(value))
    return max(0.25, round(value * 4) / 4) if field_name == "change_limit_grey" else round(value, 4)


def nearest_values(card: Card, like: Sequence[ZoneSettings]) -> list[dict[str, float]]:
    """For each item, where the scales stand nearest to its settings; one that serves all stands nearest to the loudest."""
    found: list[dict[str, float]] = [{} for _ in like]
    for scale in card.scales:
        wanted = [float(getattr(held, scale.ours)) for held in like]
        shared = scale.nearest(min(wanted)) if wanted else scale.low
        for place, one in enumerate(wanted):
            found[place][scale.name] = scale.nearest(one) if scale.each else shared
    return found


def _settings(card: Card, tuned: Settings, values: Mapping[str, Mapping[str, float]]) -> Settings:
    return {item: held_by(card, tuned[item], values[item]) for item in tuned}


@dataclass(eq=False)
class Fitting:
    """Fits one view to one card."""

    view: View
    cases: Sequence[Case]
    card: Card
    evaluator: Evaluator = field(default_factory=Evaluator)
    report: Callable[[float], None] = lambda share: None
    cancelled: Callable[[], bool] = lambda: False
    together: Groups = ()
    """Zones that are merged whether they have to be or not, by their ids or names."""
    first: Callable[[Fit], None] = lambda fit: None
    """Told of the nearest before anything is searched."""

    def fit(self) -> Fit:
        """Find the nearest that the device can take, and what it costs; of what cannot be used together what serves better.

        Raises
        ------
        SiteError : zones that cannot be merged are asked for together.
        """
        found = [self._fit_to(card, words) for card, words in choices(self.card)]
        return min(found, key=lambda one: (len(one.score.missed), one.score.nuisances, one.score.watched_s))

    def _fit_to(self, card: Card, words: tuple[str, ...]) -> Fit:
        plan, likes, merged, notes = shaped(self.view, card, self.together)
        items = [held.id for held in (*plan.zones, *plan.wires)]
        tuned = {item: self.view.tuning.of(likes[item]) for item in items}
        values = dict(zip(items, nearest_values(card, list(tuned.values())), strict=True))
        settings = _settings(card, tuned, values)
        same_plan = plan.zones == self.view.zones and plan.wires == self.view.wires and plan.masks == self.view.masks
        steering = any(case.truth.known for case in self.cases)
        before = self._score(self.view.plan, self.view.tuning.settings)
        if steering and not (same_plan and settings == tuned):
            nearest = Fitted(plan, settings, values, merged, (*words, *notes))
            self.first(Fit(self.card, nearest, self._score(plan, settings), before))
            values = self._descended(card, plan, tuned, values)
            settings = _settings(card, tuned, values)
        fitted = Fitted(plan, settings, values, merged, (*words, *notes))
        score = self._score(plan, settings)
        saves = self._saves(card, fitted, tuned) if steering else ()
        return Fit(self.card, fitted, score, before, self._lost(score, before, saves), saves)

    def _score(self, plan: Plan, settings: Mapping[str, ZoneSettings]) -> Score:
        return summed(self.evaluator.evaluate(case.evidence, plan, settings, case.truth).score for case in self.cases)

    def _descended(
        self, card: Card, plan: Plan, tuned: Settings, values: dict[str, dict[str, float]]
    ) -> dict[str, dict[str, float]]:
        """Turn one scale after the other as long as the loss gets less."""
        search = Search([case for case in self.cases if case.truth.known], plan, {}, self.evaluator)
        steps = [
            (scale, group)
            for scale in card.scales
            for group in ([[item] for item in tuned] if scale.each else [list(tuned)])
        ]
        done, total = 0, _ROUNDS * max(1, len(steps))
        for _ in range(_ROUNDS):
            before = {item: dict(held) for item, held in values.items()}
            for scale, group in steps:
                self._turn(search, card, tuned, values, scale, group)
                done += 1
                self.report(done / total)
                if self.cancelled():
                    return values
            if values == before:
                break
        self.report(1.0)
        return values

    def _turn(
        self,
        search: Search,
        card: Card,
        tuned: Settings,
        values: dict[str, dict[str, float]],
        scale: Scale,
        group: Sequence[str],
    ) -> None:
        """Stand a scale where the loss of its items is least; where nothing is gained it stays."""

        def loss_at(value: float) -> float:
            total = 0.0
            for item in group:
                held = held_by(card, tuned[item], {**values[item], scale.name: value})
                total += search.loss(search.steering, item, held, AIMS[0])
            return total

        now = values[group[0]][scale.name] if group else scale.low
        best, least = now, loss_at(now)
        for value in _spread(scale.values, _TRIED_MOST):
            loss = loss_at(value) if value != now else least
            if loss < least - 1e-6:
                best, least = value, loss
        for item in group:
            values[item][scale.name] = best

    def _saves(self, card: Card, fitted: Fitted, tuned: Settings) -> tuple[Saving, ...]:
        """What the score would be if the device had one thing more: a dial that it lacks, one for each, or the drawing as it is."""
        found = []
        have = {scale.ours: scale for scale in card.scales}
        for name in sorted({name for held in tuned.values() for name in type(held).model_fields}):
            scale = have.get(name)
            if scale is not None and scale.each:
                continue
            with_it: Settings = {}
            for item, held in fitted.settings.items():
                wanted = getattr(tuned[item], name)
                with_it[item] = held.turned(**{name: wanted}) if wanted != getattr(held, name) else held
            if with_it != fitted.settings:
                word = next((dial.label.lower() for dial in DIALS if dial.field == name), name.replace("_", " "))
                what = tr("{word} for each item", word=word) if scale is not None else word
                found.append(Saving(what, self._score(fitted.plan, with_it)))
        if (fitted.plan.zones, fitted.plan.wires, fitted.plan.masks) != (
            self.view.zones,
            self.view.wires,
            self.view.masks,
        ):
            nearest = {
                held.id: fitted.settings.get(held.id) or next(iter(fitted.settings.values()), FACTORY)
                for held in self.view.watchers
            }
            found.append(Saving(tr("the drawing as it is"), self._score(self.view.plan, nearest)))
        return tuple(sorted(found, key=lambda one: (len(one.score.missed), one.score.nuisances)))

    @staticmethod
    def _lost(score: Score, before: Score, saves: Sequence[Saving]) -> tuple[tuple[str, str], ...]:
        """Incidents that the fit loses, and for each the first single capability that would save it."""
        lost = [name for name in score.missed if name not in before.missed]
        return tuple(
            (name, next((saving.capability for saving in saves if name not in saving.score.missed), ""))
            for name in lost
        )


def _spread(values: Sequence[float], most: int) -> list[float]:
    """At most so many of some values, the ends among them."""
    if len(values) <= most:
        return list(values)
    return [values[round(place * (len(values) - 1) / (most - 1))] for place in range(most)]


def fit_view(
    view: View,
    cases: Sequence[Case],
    card: Card,
    report: Callable[[float], None] = lambda share: None,
    together: Groups = (),
) -> Fit:
    """Fit a view to a card over its recordings.

    Raises
    ------
    SiteError : zones that cannot be merged are asked for together.
    """
    return Fitting(view, cases, card, report=report, together=together).fit()
