"""Trials of settings on recordings they were not made with."""

from __future__ import annotations

import tempfile
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

from north_hush.core.advise.aim import Case
from north_hush.core.advise.quiet import Suspect, suspects
from north_hush.core.advise.search import Search
from north_hush.core.advise.weighing import Settings
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.grid import Grid
from north_hush.core.handover.propose import view_cases
from north_hush.core.handover.rows import score_row
from north_hush.core.judge.incidents import Incident
from north_hush.core.judge.place import boxes_at
from north_hush.core.judge.score import Score
from north_hush.core.scene.items import Fires
from north_hush.core.scene.kind import KINDS
from north_hush.core.site.model import View
from north_hush.demo.catalogue import CROWD, GALE, RECORDINGS
from north_hush.demo.confusion import Confusion, confusion, confusion_row
from north_hush.demo.crossed import Crossed, crossed_in, f1_row
from north_hush.demo.encode import record
from north_hush.demo.script import write_script
from north_hush.demo.seen import Seen, blindness_seen, things_seen
from north_hush.demo.site import demo_site
from north_hush.demo.truth import Truth as Rendered
from north_hush.demo.visits import visit_scores

_LOOKED_THROUGH, _BESIDE_CELLS = 10, 6
"""So many suspicious stretches are looked through; one shows an incident when it is no further from it."""
DAY_PART, NIGHT_PART = ("afternoon", "dusk"), ("night", "snow")
"""Settings are found on the first and scored on the second."""


def run_trial(seeds: Iterable[int], keep: Path | None, say: Callable[[str], None]) -> dict[str, Any]:
    """Make the recordings of each seed, score every tuning of the demo site on the four, and tracks and crossings on the crowd too;
    look for what is left and taken at night and in the gale, and in all of them for a blind camera.

    Parameters
    ----------
    keep : folder with a folder for each seed; recordings that are there with their truth are used as they are

    Raises
    ------
    HushError : a recording cannot be made or read.
    """
    rows: list[dict[str, Any]] = []
    crossings, crowds = Crossed(), Crossed()
    kinds: Confusion = Counter()
    quiet: Counter[str] = Counter()
    things, blindness = Seen(), Seen()
    visited: dict[Fires, list[Score]] = {"entry": [], "loitering": []}
    scores: dict[str, list[Score]] = {}
    evaluator = Evaluator()
    with kept_folder(keep) as folder:
        for seed in seeds:
            say(f"seed {seed}")
            view, paths = day_of_seed(seed, folder)
            cases = view_cases(view, folder / str(seed) / "site")
            row: dict[str, Any] = {"seed": seed}
            for name, held in _tunings(view):
                found = [evaluator.evaluate(case.evidence, view.plan, held, case.truth).score for case in cases]
                row[name] = score_row(found)
                scores.setdefault(name, []).extend(found)
            crossed = Crossed()
            for path, case in zip(paths, cases, strict=True):
                crossed += crossed_in(view, case.evidence, rendered_truth(path), evaluator)
            row["crossings"] = crossed.row()
            crossings += crossed
            for fires, of_all in visited.items():
                met = [
                    part
                    for path, case in zip(paths, cases, strict=True)
                    for part in visit_scores(view, case.evidence, rendered_truth(path), evaluator, fires)
                ]
                row[fires] = f1_row(met, "visits")
                of_all.extend(met)
            quiet += sum((_quiet(view, case, evaluator) for case in cases), Counter())
            crowd, path = _alone(CROWD, seed, folder)
            of_crowd = crossed_in(view, crowd.evidence, rendered_truth(path), evaluator)
            row["crowd"] = of_crowd.row()
            crowds += of_crowd
            for case, made in zip([*cases, crowd], [*paths, path], strict=True):
                names = evaluator.kinds(case.evidence, view.plan)
                kinds += confusion(
                    case.evidence, evaluator.tracks(case.evidence, view.plan), names, rendered_truth(made)
                )
                blindness += blindness_seen(rendered_truth(made), case.evidence)
            gale, blown = _alone(GALE, seed, folder)
            blindness += blindness_seen(rendered_truth(blown), gale.evidence)
            night = next(case for case in zip(cases, paths, strict=True) if case[1].stem == "night")
            for case, made in (night, (gale, blown)):
                things += things_seen(rendered_truth(made), made, case.evidence, view, evaluator)
            rows.append(row)
    return {
        "seeds": rows,
        "in_all": {name: score_row(found) for name, found in scores.items()},
        "crossings": crossings.row(),
        "crowd": crowds.row(),
        **{fires: f1_row(of_all, "visits") for fires, of_all in visited.items()},
        "kinds": confusion_row(kinds),
        "quiet_list": dict(quiet),
        "things": things.row(),
        "blindness": blindness.row(),
    }


def _tunings(view: View) -> Iterator[tuple[str, Mapping[str, ZoneSettings]]]:
    """The tunings of a view, and the first of them where nothing was turned but what is reported: no weather and no light."""
    yield from ((tuning.name, tuning.settings) for tuning in view.tunings)
    kinds = tuple(kind for kind in KINDS if kind not in ("drifting", "light", "unclear"))
    first = view.tunings[0]
    held = {item.id: first.of(item.id).turned(kinds=kinds) for item in view.watchers}
    yield f"{first.name}, kinds alone", held


def run_carry(first: int, seeds: int, keep: Path | None, say: Callable[[str], None]) -> dict[str, Any]:
    """Tune on one day and live with it on the next: of `seeds` + 1 days each two in a row are a pair. On the first day quiet
    settings are searched from *factory* with the truth, and scored untouched on the second; and those found by day and at
    dusk alone are scored at night and in snow. Beside each stands what *factory* comes to on the same footage.

    Raises
    ------
    HushError : a recording cannot be made or read.
    """
    parts: dict[str, list[Score]] = {}
    pairs: list[dict[str, Any]] = []
    with kept_folder(keep) as folder:
        days = []
        for seed in range(first, first + seeds + 1):
            say(f"seed {seed}")
            view, _ = day_of_seed(seed, folder)
            days.append((seed, view, view_cases(view, folder / str(seed) / "site")))
        for (seed, view, cases), (next_seed, _, next_cases) in pairwise(days):
            say(f"search on seed {seed}")
            day = [case for case in cases if Path(case.name).stem in DAY_PART]
            night = [case for case in cases if Path(case.name).stem in NIGHT_PART]
            settings, part = _found(view, cases), _found(view, day)
            held = {
                "first_day": _scores(view, settings, cases),
                "second_day": _scores(view, settings, next_cases),
                "day_to_night": _scores(view, part, night),
            }
            factory = {
                "first_day": _scores(view, {}, cases),
                "second_day": _scores(view, {}, next_cases),
                "day_to_night": _scores(view, {}, night),
            }
            rows = {name: _carried(scores, factory[name]) for name, scores in held.items()}
            pairs.append({"first": seed, "second": next_seed, **rows, "settings": _plain(settings)})
            for name, scores in held.items():
                parts.setdefault(name, []).extend(scores)
                parts.setdefault(f"factory {name}", []).extend(factory[name])
    in_all = {
        name: _carried(parts[name], parts[f"factory {name}"]) for name in ("first_day", "second_day", "day_to_night")
    }
    return {**in_all, "pairs": pairs}


def _found(view: View, cases: Sequence[Case]) -> Settings:
    """What the search finds from the factory settings: its first proposal."""
    factory = view.tuning_named("factory").settings
    return Search(cases, view.plan, factory).proposals()[0].settings


def _scores(view: View, settings: Settings, cases: Sequence[Case]) -> list[Score]:
    """Scores on some recordings; without settings those of *factory*."""
    evaluator, used = Evaluator(), settings or view.tuning_named("factory").settings
    return [evaluator.evaluate(case.evidence, view.plan, used, case.truth).score for case in cases]


def _carried(scores: Sequence[Score], factory: Sequence[Score]) -> dict[str, Any]:
    row, before = score_row(scores), score_row(factory)
    kept = ("incidents", "met", "missed", "nuisance", "quiet_time_in_alarm", "delay_s", "by_item")
    then = ("met", "nuisance", "quiet_time_in_alarm", "delay_s")
    return {**{name: row[name] for name in kept}, "factory": {name: before[name] for name in then}}


def _plain(settings: Settings) -> dict[str, dict[str, Any]]:
    return {item: held.model_dump(exclude_defaults=True) for item, held in settings.items()}


@contextmanager
def kept_folder(keep: Path | None) -> Iterator[Path]:
    with ExitStack() as stack:
        yield keep or Path(stack.enter_context(tempfile.TemporaryDirectory(prefix="north-hush-trial-")))


def day_of_seed(seed: int, folder: Path) -> tuple[View, list[Path]]:
    """The demo's view with the four recordings of a seed, made where they are not there, and where they lie."""
    paths = [made(name, seed, folder / str(seed)) for name in RECORDINGS]
    return demo_site(paths).views[0], paths


def _quiet(view: View, case: Case, evaluator: Evaluator) -> Counter[str]:
    """As if nothing had alarmed: how many incidents the first ten suspicious stretches hold, by time and place."""
    grid, evidence = case.evidence.grid, case.evidence
    tracks, names = evaluator.tracks(evidence, view.plan), evaluator.kinds(evidence, view.plan)
    ranked = suspects(tracks, names, evidence, [])[:_LOOKED_THROUGH]
    found: Counter[str] = Counter()
    for held in case.truth.incidents:
        found["incidents"] += 1
        found["in_the_first_ten"] += any(_shows(suspect, held, grid) for suspect in ranked)
    return found


def _shows(suspect: Suspect, incident: Incident, grid: Grid) -> bool:
    if suspect.start_s > incident.end_s or suspect.end_s < incident.start_s:
        return False
    middle = np.clip((suspect.start_s + suspect.end_s) / 2, incident.start_s, incident.end_s)
    left, top, right, bottom = boxes_at(incident.place, np.array([middle]))[0].tolist()
    (x, y), (across, down) = suspect.place, (_BESIDE_CELLS * size for size in grid.cell_size_frac)
    return bool(left - across <= x <= right + across and top - down <= y <= bottom + down)


def _alone(name: str, seed: int, folder: Path) -> tuple[Case, Path]:
    """A recording of a seed that is none of the four, and where it lies."""
    path = made(name, seed, folder / str(seed))
    return view_cases(demo_site([path]).views[0], folder / str(seed) / "site")[0], path


def rendered_truth(path: Path) -> Rendered:
    """What really happens in a recording that was made."""
    return Rendered.model_validate_json(path.with_suffix(".truth.json").read_text("utf-8"))


def made(name: str, seed: int, folder: Path) -> Path:
    """A recording of a seed, rendered where it is not there."""
    path = folder / f"{name}.mp4"
    if path.exists() and path.with_suffix(".truth.json").exists():
        return path
    return record(write_script(name, seed, None), folder)
