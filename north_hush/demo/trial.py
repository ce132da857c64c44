"""A trial of the demo's tunings on recordings they were not made with."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterable
from contextlib import ExitStack
from pathlib import Path
from typing import Any

from north_hush.core.detect.replay import Replay
from north_hush.core.judge.score import Score, score, spans_of, summed
from north_hush.core.site.report import recording_evidence, score_row
from north_hush.demo.catalogue import RECORDINGS
from north_hush.demo.render import record
from north_hush.demo.script import write_script
from north_hush.demo.site import demo_site


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
            rows.append(row)
    return {"seeds": rows, "in_all": {name: score_row(summed(found)) for name, found in scores.items()}}


def _made(name: str, seed: int, folder: Path) -> Path:
    path = folder / f"{name}.mp4"
    if path.exists() and path.with_suffix(".truth.json").exists():
        return path
    return record(write_script(name, seed, None), folder)
