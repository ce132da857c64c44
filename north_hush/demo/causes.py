"""The weights that causes are told by: fitted on alarms of demo recordings, of which it is known what moved and changed.

Made again with `python -m north_hush.demo.causes --seeds 51,52,...`; the same seeds give the same weights.
"""

from __future__ import annotations

import json
import sys
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import fields
from pathlib import Path

import click
import numpy as np

from north_hush.core.advise.aim import Case
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.explain.causes import CAUSES, WEIGHTS_FILE, Cause, Signs, sign_rows
from north_hush.core.explain.reasons import Reasons
from north_hush.core.handover.propose import view_cases
from north_hush.core.site.model import View
from north_hush.core.weighing import Weighing
from north_hush.demo.fitting import fitted, write_weights
from north_hush.demo.trial import day_of_seed, kept_folder, rendered_truth
from north_hush.demo.truth import BoxFrac, Truth

_TRUE: dict[str, tuple[Cause, ...]] = {
    "beam": ("light",), "lamp": ("light",), "light": ("light",), "fog": ("light", "shadow"), "swept light": ("light", "shadow"),
    "shadow": ("shadow", "light"), "glint": ("flash",), "insect": ("flash", "travelled"), "bird": ("travelled",),
    "traffic": ("travelled",), "rain": ("speckle",), "snow": ("speckle",), "sway": ("sway",), "thread": ("sway",),
    "clock": ("clock",), "shake": ("shake",), "codec pulse": ("codec",),
}  # fmt: skip
"""What each kind of nuisance may be called."""
_VARIANTS: tuple[dict[str, object], ...] = ({}, {"channel": "drift"}, {"change_limit_grey": 10.0})
"""Alarms are raised at the settings a new item has, and at others, so that it is not these that tell."""
_ALARMS_MOST = 60
"""Of one lane: a night of rain is no more than that."""
_ROOM_S = 0.2
_RARE_POWER, _RARE_MOST = 0.5, 6.0


def true_causes(start_s: float, end_s: float, reasons: Reasons, truth: Truth) -> frozenset[Cause]:
    """What went on at the time of an alarm and reaches its patch: something real travelled, nuisances are what they are."""
    patch = reasons.patch

    def reaches(box: BoxFrac | None) -> bool:
        if box is None or patch is None:
            return True
        return box[0] <= patch.right and box[2] >= patch.left and box[1] <= patch.bottom and box[3] >= patch.top

    found = set[Cause]()
    for fact in truth.nuisances:
        if any(first <= end_s + _ROOM_S and last >= start_s - _ROOM_S for first, last in fact.spans_s) and reaches(
            fact.box
        ):
            found.update(_TRUE.get(fact.kind, ()))
    rate = truth.frames / truth.duration_s
    low, high = round(start_s * rate), round(end_s * rate)
    for held in truth.incidents:
        part = held.boxes[max(0, low - held.first_frame) : max(0, high + 1 - held.first_frame)]
        if any(box is not None and reaches(box) for box in part):
            found.add("travelled")
    return frozenset(found)


def told_alarms(
    view: View, cases: list[Case], recordings: list[Path], variants: tuple[Mapping[str, object], ...] = _VARIANTS
) -> Iterator[tuple[Reasons, frozenset[Cause]]]:
    """Alarms of rendered recordings with why they were raised, and what it truly was, where anything is known to have been."""
    evaluator = Evaluator()
    factory = view.tuning_named("factory").settings
    for case, path in zip(cases, recordings, strict=True):
        truth = rendered_truth(path)
        for variant in variants:
            settings: dict[str, ZoneSettings] = {
                held: dials.model_copy(update=dict(variant)) for held, dials in factory.items()
            }
            explainer = evaluator.explainer(case.evidence, view.plan)
            for lane in evaluator.evaluate(case.evidence, view.plan, settings, case.truth).lanes:
                for alarm in lane.alarms[:: 1 + len(lane.alarms) // _ALARMS_MOST]:
                    reasons = explainer.explain(lane, alarm)
                    true = true_causes(alarm.onset_us / 1e6, alarm.end_us / 1e6, reasons, truth)
                    if true:
                        yield reasons, true


def cause_row(told: list[tuple[Reasons, frozenset[Cause]]]) -> dict[str, object]:
    """How many alarms are told of, the share whose cause is one of the true ones, and that by the true cause where it is one alone."""
    alone = [(held.cause, *true) for held, true in told if len(true) == 1]
    counts, right = Counter(true for _, true in alone), Counter(true for cause, true in alone if cause == true)
    return {
        "alarms": len(told),
        "right": round(sum(held.cause in true for held, true in told) / max(1, len(told)), 3),
        "alone": {cause: [right[cause], count] for cause, count in sorted(counts.items())},
    }


def cause_weights(told: list[tuple[Signs, frozenset[Cause]]]) -> Weighing:
    """Weights that make a true cause of some alarms likely."""
    names = tuple(cause for cause in CAUSES if any(cause in true for _, true in told))
    allowed = np.array([[cause in true for cause in names] for _, true in told])
    shares = allowed / allowed.sum(axis=1, keepdims=True)
    often = np.maximum(1.0, shares.sum(axis=0))
    worth = (shares * np.minimum(_RARE_MOST, (often.max() / often) ** _RARE_POWER)).sum(axis=1)
    return fitted(names, sign_rows([signs for signs, _ in told]), allowed, worth)


@click.command()
@click.option("--seeds", required=True, help="Seeds, separated by commas.")
@click.option("--keep", type=click.Path(path_type=Path), help="Keep the recordings here, and use those in it.")
@click.option(
    "--score", is_flag=True, help="Fit nothing: print how many alarms at the settings of a new item are named right."
)
def fit(seeds: str, keep: Path | None, score: bool) -> None:
    """Fit the weights on the four recordings of some seeds and write them beside what uses them."""
    with kept_folder(keep) as folder:
        told = list[tuple[Reasons, frozenset[Cause]]]()
        for seed in seeds.split(","):
            view, paths = day_of_seed(int(seed), folder)
            cases = view_cases(view, folder / seed / "site")
            told += told_alarms(view, cases, paths, ({},) if score else _VARIANTS)
            click.echo(f"seed {seed}: {len(told)} alarms by now", err=True)
    if score:
        click.echo(json.dumps(cause_row(told)))
        return
    weights = cause_weights([(held.signs, true) for held, true in told])
    signs = [field.name for field in fields(Signs)]
    made_by = f"python -m north_hush.demo.causes --seeds {seeds}"
    click.echo(write_weights("north_hush.core.explain", WEIGHTS_FILE, weights, made_by, signs))


if __name__ == "__main__":
    sys.exit(fit())
