"""A trial of the demo's tunings on recordings they were not made with."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterable, Iterator
from contextlib import ExitStack
from dataclasses import replace
from pathlib import Path
from typing import Any

from north_hush.core.detect.replay import Replay
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.footage.evidence import Evidence
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.judge.score import Score, score, spans_of, summed
from north_hush.core.site.model import View
from north_hush.core.site.report import recording_evidence, score_row
from north_hush.demo.catalogue import RECORDINGS
from north_hush.demo.render import record
from north_hush.demo.script import write_script
from north_hush.demo.site import demo_site
from north_hush.demo.truth import Truth as Rendered

CROSSING_SETTINGS = ZoneSettings(channel="step_200ms", change_limit_grey=8.0, guard_percent=3.0)
"""What crossings of the demo's wires are followed with: the demo itself watches them for being broken."""


def run_trial(seeds: Iterable[int], keep: Path | None, say: Callable[[str], None]) -> dict[str, Any]:
    """Make the four recordings of each seed and score every tuning of the demo site on them.

    Parameters
    ----------
    keep : folder with a folder for each seed; recordings that are there with their truth are used as they are

    Raises
    ------
    HushError : a recording cannot be made or read.
    """
    rows: list[dict[str, Any]] = []
    crossings: list[Score] = []
    scores: dict[str, list[Score]] = {}
    with ExitStack() as stack:
        folder = keep or Path(stack.enter_context(tempfile.TemporaryDirectory(prefix="north-hush-trial-")))
        for seed in seeds:
            say(f"seed {seed}")
            place = folder / str(seed)
            paths = [_made(name, seed, place) for name in RECORDINGS]
            site = demo_site(paths)
            view, replay = site.views[0], Replay()
            row: dict[str, Any] = {"seed": seed}
            evidences = [(held, recording_evidence(held, place / "site")) for held in view.recordings]
            for tuning in view.tunings:
                found = [
                    score(
                        spans_of(replay.lanes(evidence, view.plan, tuning.settings), evidence.time_us),
                        held.truth,
                        evidence.duration_s,
                    )
                    for held, evidence in evidences
                ]
                row[tuning.name] = score_row(summed(found))
                scores.setdefault(tuning.name, []).extend(found)
            crossed = [
                part
                for path, (_, evidence) in zip(paths, evidences, strict=True)
                for part in _crossing_scores(view, evidence, path, replay)
            ]
            row["crossings"] = _crossing_row(summed(crossed))
            crossings += crossed
            rows.append(row)
    return {
        "seeds": rows,
        "in_all": {name: score_row(summed(found)) for name, found in scores.items()},
        "crossings": _crossing_row(summed(crossings)),
    }


def _crossing_scores(view: View, evidence: Evidence, path: Path, replay: Replay) -> Iterator[Score]:
    """Followed crossings of each wire, either way, against the true ones of that way, one to one within 0.8 s."""
    truth = Rendered.model_validate_json(path.with_suffix(".truth.json").read_text("utf-8"))
    for wire in view.wires:
        both = wire.model_copy(update={"watches": "both"})
        lane = replay.lane(evidence, both, view.plan, {wire.id: CROSSING_SETTINGS})
        for way in ("a_to_b", "b_to_a"):
            true = [held for held in truth.crossings if (held.wire, held.direction) == (wire.name, way)]
            incidents = tuple(
                Incident(name=held.incident, start_s=held.time_s, end_s=held.time_s, item=wire.id) for held in true
            )
            found = replace(lane, alarms=[alarm for alarm in lane.alarms if alarm.direction == way])
            spans = spans_of([found], evidence.time_us)
            at_line = [replace(span, start_s=span.onset_s) for span in spans]  # when the line was passed, not when sure
            yield score(at_line, Truth(incidents=incidents, complete=True), evidence.duration_s)


def _crossing_row(held: Score) -> dict[str, Any]:
    f1 = held.f(1.0)
    return {
        "crossings": held.incidents,
        "found": held.met,
        "false": held.nuisances,
        "f1": None if f1 is None else round(f1, 3),
    }


def _made(name: str, seed: int, folder: Path) -> Path:
    path = folder / f"{name}.mp4"
    if path.exists() and path.with_suffix(".truth.json").exists():
        return path
    return record(write_script(name, seed, None), folder)
