"""Alarms of other views that a view records along with."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from north_hush.core.errors import FootageError
from north_hush.core.evaluate.armed import us_of
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.led_to import kinds_of_crossings, raised_of
from north_hush.core.evaluate.recordings import indexed_evidence
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.handover.report import Asked, evaluated
from north_hush.core.outcome.raised import Raised
from north_hush.core.outcome.replay import Replayed, always, replay
from north_hush.core.outcome.rules import Along
from north_hush.core.site.model import Site, View
from north_hush.core.site.recording import Recording
from north_hush.core.words import tr


def along_item(view: View) -> str:
    """What a clip is of that another view asked for."""
    return tr("with {name}", name=view.name)


@dataclass(frozen=True, eq=False)
class _Heard:
    """What other views raised over some time, and what they let record along."""

    alarms: tuple[Raised, ...]
    first_us: int


class OtherViews:
    """Knows what the views of a site raise, as far as another one records along with them. Each of their recordings is evaluated once.

    Parameters
    ----------
    make : whether recordings that are not analysed yet are; else they are passed over
    """

    def __init__(self, evaluator: Evaluator, asked: Asked, *, make: bool) -> None:
        self._evaluator, self._asked, self._make = evaluator, asked, make
        self._tunings = {view.id: tuning for view, tuning in asked.views()}
        self._known: dict[tuple[str, str], _Heard | None] = {}

    def asked_of(self, view: View, recording: Recording, index: FrameIndex) -> list[Raised]:
        """The alarms of other views that a recording of this one is asked to record along with, in microseconds after its first frame;
        none where nobody knows when it was taken.

        Raises
        ------
        HushError : hours cannot be turned into instants.
        """
        began = recording.began(index, self._asked.site.zone)
        if began is None:
            return []
        start_us, last_us = us_of(began), round(index.duration_s * US_PER_S)
        found = list[Raised]()
        for other in self._asked.site.views:
            rule = next((held for held in other.outcome.along if held.view == view.id), None)
            if rule is None:
                continue
            for held in other.recordings:
                heard = self._heard(other, held)
                if heard is None:
                    continue
                for one in _of_items(heard.alarms, rule):
                    begin, end = (at + heard.first_us - start_us for at in (one.start_us, one.end_us))
                    if begin <= last_us and end >= 0:
                        found.append(replace(one, item=along_item(other), start_us=begin, end_us=end))
        return sorted(found, key=lambda one: (one.start_us, one.end_us, one.item))

    def _heard(self, view: View, recording: Recording) -> _Heard | None:
        """What a recording raises; None where it cannot be read or nobody knows when it was taken."""
        key = view.id, recording.id
        if key not in self._known:
            self._known[key] = self._evaluated(view, recording)
        return self._known[key]

    def _evaluated(self, view: View, recording: Recording) -> _Heard | None:
        try:
            if not self._make and indexed_evidence(view, recording, self._asked.path)[1] is None:
                return None
            index, found = evaluated(self._evaluator, self._asked, view, self._tunings[view.id], recording)
        except FootageError:
            return None
        began = recording.began(index, self._asked.site.zone)
        if began is None:
            return None
        raised = raised_of(found, kinds_of_crossings(self._evaluator, found))
        return _Heard(tuple(raised), us_of(began))


def kept_along(site: Site, view: View, led: Sequence[Replayed]) -> dict[str, float]:
    """For how many seconds each other view would record along over some replays, by name, by its own times before and after."""
    found = dict[str, float]()
    for rule in view.outcome.along:
        other, seconds = site.view(rule.view), 0.0
        for held in led:
            asked = [replace(one, item=along_item(view)) for one in _of_items(held.own, rule)]
            clips = replay((), other.outcome, always(held.when.footage, ()), asked).clips
            seconds += sum(clip.end_us - clip.start_us for clip in clips if clip.kept) / US_PER_S
        found[other.name] = seconds
    return found


def _of_items(alarms: Sequence[Raised], rule: Along) -> list[Raised]:
    return [one for one in alarms if not rule.items or one.item in rule.items]
