"""Proposals and comparisons of a whole site as plain values, for scripts."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from north_hush.core.advise.aim import Case
from north_hush.core.advise.search import Proposal, Search
from north_hush.core.errors import SiteError
from north_hush.core.evaluate.armed import armed_evidence, armed_truth
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.recordings import read_recording, recording_evidence
from north_hush.core.evaluate.switched import searched_over
from north_hush.core.handover.report import Asked
from north_hush.core.handover.rows import score_row
from north_hush.core.judge.ledger import STATES, ledger
from north_hush.core.judge.score import Score
from north_hush.core.site.edits import put_settings
from north_hush.core.site.model import Site, View
from north_hush.core.words import tr


def view_cases(view: View, site_path: Path) -> list[Case]:
    """Recordings of a view with their evidence, made where it is not stored.

    Raises
    ------
    FootageError : a recording cannot be read.
    """
    return [
        Case(held.path, recording_evidence(view, held, site_path), held.truth, held.hours_per_day, held.light)
        for held in view.recordings
    ]


def armed_cases(asked: Asked, view: View) -> list[Case]:
    """The same; under hours with the armed frames alone.

    Raises
    ------
    FootageError : a recording cannot be read.
    """
    cases = []
    for held in asked.recordings(view):
        index, evidence = read_recording(view, held, asked.path)
        truth, armed = held.truth, None if asked.all_hours else searched_over(asked.site, view, held, index)
        if armed is not None:
            evidence, truth = armed_evidence(evidence, armed), armed_truth(truth, armed)[0]
        cases.append(Case(held.path, evidence, truth, held.hours_per_day, held.light))
    return cases


def find_proposals(asked: Asked, report: Callable[[float], None]) -> list[tuple[View, list[Proposal]]]:
    """Search quiet settings for every view that has recordings.

    Raises
    ------
    SiteError : nothing is known of any recording of a view.
    """
    found = []
    for view in asked.site.views:
        cases = armed_cases(asked, view)
        if not cases:
            continue
        if not any(case.truth.known for case in cases):
            raise SiteError(
                tr("{path}, view {name}", path=asked.path, name=view.name),
                tr("has no incident and no verdict."),
                tr("Mark incidents or judge alarms first."),
            )
        found.append((view, Search(cases, view.plan, view.tuning.settings, report=report).proposals()))
    return found


def unseen_rows(asked: Asked) -> list[dict[str, Any]]:
    """For each view that has recordings: by path, the score under settings chosen on the others; None without truth."""
    found = []
    for view in asked.site.views:
        cases = armed_cases(asked, view)
        if cases:
            scores = Search(cases, view.plan, view.tuning.settings).unseen_scores()
            rows = (score_row([held]) if held is not None else None for held in scores)
            found.append({case.name: row for case, row in zip(cases, rows, strict=True)})
    return found


def proposal_row(proposal: Proposal) -> dict[str, Any]:
    """A proposal as plain values. Its own figures are of the footage it was found on; `checks` are not."""
    return {
        "aim": proposal.aim.name,
        **score_row(proposal.scores),
        "changes": [{"item": item, "setting": name, "value": value} for item, name, value in proposal.changed],
        "checks": [{"what": held.what, **score_row([held.score])} for held in proposal.checks],
        "warnings": list(proposal.warnings),
    }


def taken(site: Site, found: list[tuple[View, list[Proposal]]]) -> Site:
    """The site with the first proposal of each view put into the tuning in use."""
    for view, proposals in found:
        for item, settings in proposals[0].settings.items() if proposals else ():
            site = put_settings(site, view.id, view.tuning_in_use, item, settings)
    return site


def compare_tunings(site: Site, site_path: Path, first: str, second: str) -> dict[str, Any]:
    """Scores of two tunings on the same recordings, and what became of the first one's alarms under the second.

    Raises
    ------
    SiteError : no view has both tunings.
    """
    evaluator, rows, sums = Evaluator(), [], []
    for view in site.views:
        names = [tuning.name for tuning in view.tunings]
        if first not in names or second not in names:
            continue
        scores: dict[str, list[Score]] = {first: [], second: []}
        for case in armed_cases(Asked(site, site_path), view):
            spans = {}
            for name in (first, second):
                found = evaluator.evaluate(case.evidence, view.plan, view.tuning_named(name).settings, case.truth)
                spans[name], concerns = found.spans, found.concerns
                scores[name].append(found.score)
            held = ledger(spans[first], spans[second], case.truth, concerns)
            rows.append(
                {
                    "view": view.name,
                    "path": case.name,
                    **{name: score_row([scores[name][-1]]) for name in (first, second)},
                    "ledger": {state: held.count(state) for state in STATES},
                    "lost_incidents": list(held.lost_incidents),
                }
            )
        sums.append({"view": view.name, **{name: score_row(scores[name]) for name in (first, second)}})
    if not sums:
        known = sorted({tuning.name for view in site.views for tuning in view.tunings})
        raise SiteError(
            str(site_path),
            tr("has no view with the tunings '{first}' and '{second}'.", first=first, second=second),
            tr("It has {join}.", join=", ".join(known)),
        )
    return {"site": site.name, "recordings": rows, "in_all": sums}
