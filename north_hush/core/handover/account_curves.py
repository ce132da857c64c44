"""Why these numbers: behind each dial that was turned, what its other values would do, over all recordings."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import islice

from north_hush.core.advise.curves import WhatIf
from north_hush.core.detect.dials import DIALS, Dial
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.evaluation import Evaluation
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.handover import page
from north_hush.core.handover.curve_picture import curve_picture, summed_curve
from north_hush.core.handover.picture import as_data
from north_hush.core.scene.items import Watcher
from north_hush.core.scene.plan import is_crossed
from north_hush.core.site.model import Tuning, View
from north_hush.core.words import tr

_DIALS_AN_ITEM, _RUNGS = 2, 7
_FOLLOWS = "clear_percent"
"""It goes with the start level, and its curve says little of its own."""
_BORN = ZoneSettings()


def curve_parts(evaluator: Evaluator, view: View, used: Tuning, found: Sequence[Evaluation]) -> list[str]:
    """A picture for each of the first dials of each item that were turned; nothing where nothing is known of any recording."""
    known = [one for one in found if one.truth.known]
    if not known:
        return []
    parts: list[str] = []
    for item in view.watchers:
        dials = used.of(item.id)
        turned = (dial for dial in DIALS if _was_turned(dial, item, dials))
        for dial in islice(turned, _DIALS_AN_ITEM):
            curves = [_what_if(evaluator, one, item, dials).curve(dial, _RUNGS) for one in known]
            if not any(curve.alarms[0] for curve in curves):
                continue
            chosen = float(getattr(dials, dial.field))
            parts.append(
                page.words(
                    tr(
                        "{letter}  {name}: {label}, chosen {chosen:g} {unit}",
                        letter=item.letter,
                        name=item.name,
                        label=dial.label.lower(),
                        chosen=chosen,
                        unit=dial.unit,
                    ).strip()
                )
            )
            parts.append(page.picture(as_data(curve_picture(summed_curve(curves), chosen, dial.unit)), 300))
    if not parts:
        return []
    said = tr(
        "Columns: alarms of the item that were unwanted at each value, loud at the left. Hatched: incidents would be missed."
    )
    return [page.heading(tr("Why not other numbers")), page.words(said, quiet=True), *parts]


def _was_turned(dial: Dial, item: Watcher, dials: ZoneSettings) -> bool:
    fits = dial.counts_for(is_crossed(item)) and dial.counts_under(dials) and dial.field != _FOLLOWS
    return fits and getattr(dials, dial.field) != getattr(_BORN, dial.field)


def _what_if(evaluator: Evaluator, one: Evaluation, item: Watcher, dials: ZoneSettings) -> WhatIf:
    others = tuple(span for span in one.spans if span.item != item.id)
    return WhatIf(evaluator, one.evidence, item, one.plan, dials, one.truth, others, one.armed, one.over)
