"""What wrong verdicts do to proposals: an operator who judges every factory alarm, and is mistaken about some.

`python -m bench.verdicts --first 52 --seeds 2 --keep DIR` judges the alarms of each seed's four recordings, searches quiet
settings with nothing but these verdicts, and scores them with the whole truth on that seed and on the next.
"""

from __future__ import annotations

import json
import random
from dataclasses import replace
from pathlib import Path

import click

from north_hush.core.advise.search import Search
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.handover.propose import view_cases
from north_hush.core.handover.rows import score_row
from north_hush.core.judge.incidents import Truth
from north_hush.core.site import edits, marking
from north_hush.demo.trial import day_of_seed

WRONG = (0.0, 0.1, 0.2)


def judged_truth(evaluator, view, case, wrong, draw):
    """What is known of a recording after an operator judged every alarm, a share of them wrongly."""
    settings = view.tuning_named("factory").settings
    found = evaluator.evaluate(case.evidence, view.plan, settings, case.truth)
    lanes = {lane.zone_id: lane for lane in found.lanes}
    site = edits.add_recording(edits.new_site("Skerry Quay", "Slipway"), "view-1", case.name)
    for span, worth in zip(found.spans, found.worths, strict=True):
        lane = lanes[span.item]
        alarm = next(held for held in lane.alarms if held.start_s == span.start_s)
        real = (worth == "real") != (draw.random() < wrong)
        told = replace(span, trail=evaluator.trail(case.evidence, view.plan, lane, alarm)) if real else span
        site = marking.judge(site, "view-1", "recording-1", [told], "real" if real else "nuisance")
    truth: Truth = site.views[0].recordings[0].truth
    return truth


@click.command()
@click.option("--first", type=int, required=True)
@click.option("--seeds", type=int, default=1)
@click.option("--keep", type=click.Path(path_type=Path), required=True)
def main(first: int, seeds: int, keep: Path) -> None:
    """Print a row for each share of wrong verdicts and seed as JSON."""
    evaluator = Evaluator()
    for seed in range(first, first + seeds):
        view, _ = day_of_seed(seed, keep)
        days = [view_cases(day_of_seed(day, keep)[0], keep / str(day) / "site") for day in (seed, seed + 1)]
        for wrong in WRONG:
            draw = random.Random(seed)
            cases = [replace(case, truth=judged_truth(evaluator, view, case, wrong, draw)) for case in days[0]]
            settings = Search(cases, view.plan, view.tuning_named("factory").settings).proposals()[0].settings
            row = {"seed": seed, "wrong": wrong, "incidents_made": sum(len(case.truth.incidents) for case in cases)}
            for name, day in zip(("same_day", "next_day"), days, strict=True):
                scores = [evaluator.evaluate(case.evidence, view.plan, settings, case.truth).score for case in day]
                held = score_row(scores)
                row[name] = {
                    key: held[key] for key in ("met", "incidents", "nuisance", "quiet_time_in_alarm", "delay_s")
                }
            click.echo(json.dumps(row))


if __name__ == "__main__":
    main()
