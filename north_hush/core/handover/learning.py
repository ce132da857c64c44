"""Learn a scale from the recordings of a site and the lists that were imported beside them."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path, PurePath

from north_hush.core.errors import SiteError
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.recordings import recording_evidence
from north_hush.core.handover.card import Card
from north_hush.core.handover.device_plan import shaped
from north_hush.core.handover.exchange import named_view
from north_hush.core.handover.fit import held_by, nearest_values
from north_hush.core.handover.learn import Learnt, Listed, learn
from north_hush.core.scene.plan import watcher_id
from north_hush.core.site.model import Site, View
from north_hush.core.site.recording import Recording
from north_hush.core.words import tr


def learn_site(
    card: Card, name: str, site: Site, site_path: Path, at: Sequence[str], view_name: str | None = None
) -> Learnt:
    """The scale of a card by the lists of a view; `at` is RECORDING=VALUE for each.

    Raises
    ------
    SiteError : a name is unknown, a value is none of the scale, or a recording has no list.
    FootageError : a recording cannot be read.
    """
    view = named_view(site, view_name)
    scale = next((held for held in card.scales if held.name == name), None)
    if scale is None:
        known = ", ".join(held.name for held in card.scales) or "none"
        raise SiteError(
            tr("scale '{name}'", name=name),
            tr("is none of '{name}'.", name=card.name),
            tr("It has {known}.", known=known),
        )
    lists = []
    for text in at:
        recording, value = _read(view, text)
        if not scale.low <= value <= scale.high:
            raise SiteError(
                f"--at {text}",
                tr("is beyond {name}.", name=name),
                tr("It runs from {low:g} to {high:g}.", low=scale.low, high=scale.high),
            )
        if not recording.device_alarms:
            raise SiteError(
                tr("recording '{path}'", path=recording.path),
                tr("has no list of the device's own alarms."),
                tr("Import one first: north-hush device SITE RECORDING FILE."),
            )
        lists.append(Listed(recording_evidence(view, recording, site_path), recording.device_alarms, value))
    plan, likes, _, _ = shaped(view, card)
    items = [watcher_id(held) for held in plan.watchers]
    tuned = [view.tuning.of(likes[item]) for item in items]
    values = nearest_values(card, tuned)
    settings = {item: held_by(card, one, held) for item, one, held in zip(items, tuned, values, strict=True)}
    try:
        return learn(card, name, lists, plan, settings, Evaluator())
    except ValueError as error:
        raise SiteError(
            tr("scale '{name}'", name=name),
            tr("cannot be learnt: {error}.", error=error),
            tr("State its table by hand."),
        ) from error


def _read(view: View, text: str) -> tuple[Recording, float]:
    name, _, number = text.rpartition("=")
    recording = next(
        (held for held in view.recordings if name in (held.path, PurePath(held.path).stem, PurePath(held.path).name)),
        None,
    )
    if recording is None:
        known = ", ".join(PurePath(held.path).name for held in view.recordings)
        raise SiteError(
            f"--at {text}",
            tr("names '{name}', which is no recording of '{name2}'.", name=name, name2=view.name),
            tr("It has {known}.", known=known),
        )
    try:
        return recording, float(number)
    except ValueError as error:
        raise SiteError(
            f"--at {text}", tr("is not RECORDING=VALUE."), tr("Write the number the dial stood at.")
        ) from error
