"""Tasks: one recording or one view of a site each, as plain values in and out, so that they run anywhere the files are.

A task says what it did not do and why instead of raising, so that one broken recording of two hundred is told by its name and the rest
goes on. What only one kind of work needs is imported by it: whoever hands tasks out does not wait for that.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

from north_hush import __version__
from north_hush.core.errors import HushError, SiteError
from north_hush.core.site.edits import only_view
from north_hush.core.site.file import load_site
from north_hush.core.site.model import Site
from north_hush.core.site.whole import write_whole
from north_hush.core.words import tr

if TYPE_CHECKING:
    from north_hush.core.handover.report import Asked

Work = Literal["pass", "score", "propose", "report"]


@dataclass(frozen=True)
class Task:
    """One piece of work: on a recording (pass, score), or on a view (propose) or a whole site (report), where `recording` is ''."""

    work: Work
    site: str
    view: str = ""
    recording: str = ""
    out: str = ""


def tasks_of(sites: Sequence[Path], work: Work, out: Path | None) -> list[Task]:
    """The tasks of some work on sites, in their order.

    Raises
    ------
    SiteError : a site cannot be read, or a report has nowhere to go.
    """
    if work == "report" and out is None:
        raise SiteError("report", tr("needs a folder."), tr("State one with --out."))
    found: list[Task] = []
    for path in sites:
        site, held = load_site(path), str(path.resolve())
        if work == "report":
            found.append(Task(work, held, out=str((out or Path()).resolve())))
            continue
        for view in site.views:
            if work == "propose":
                found += [Task(work, held, view.id)] if view.recordings else []
            else:
                found += [Task(work, held, view.id, recording.id) for recording in view.recordings]
    return found


def do(task: Task, version: str) -> dict[str, Any]:
    """Do a task, and say what came of it; a worker of another version does nothing."""
    row: dict[str, Any] = {"work": task.work, "site": task.site, "view": task.view, "recording": task.recording}
    if version != __version__:
        return {
            **row,
            "error": tr(
                "This worker has version {version__}, and {version} asks: refused.",
                version__=__version__,
                version=version,
            ),
        }
    try:
        site = load_site(Path(task.site))
        row |= _named(site, task)
        return {**row, **_DOING[task.work](site, task)}
    except HushError as error:
        return {**row, "error": str(error)}


def _named(site: Site, task: Task) -> dict[str, str]:
    """The names that people know."""
    names: dict[str, str] = {}
    if task.view:
        view = site.view(task.view)
        names["view"] = view.name
        if task.recording:
            names["recording"] = next(
                (held.path for held in view.recordings if held.id == task.recording), task.recording
            )
    return names


def _asked(site: Site, task: Task) -> Asked:
    """What the task is about and nothing else. What a recording follows on stays known, though it is not asked of."""
    from north_hush.core.handover.report import Asked

    return Asked(only_view(site, site.view(task.view)), Path(task.site), recording=task.recording)


def _pass(site: Site, task: Task) -> dict[str, Any]:
    """Make the evidence where it is not there yet."""
    from north_hush.core.evaluate.recordings import indexed_evidence, read_recording

    path, view = Path(task.site), only_view(site, site.view(task.view)).views[0]
    recording = next(held for held in view.recordings if held.id == task.recording)
    index, stored = indexed_evidence(view, recording, path)
    if stored is not None:
        return {"frames": len(stored.frames), "made": False}
    evidence = read_recording(view, recording, path)[1]
    return {"frames": len(evidence.frames), "made": True, "oddities": [*index.oddities, *evidence.oddities]}


def _score(site: Site, task: Task) -> dict[str, Any]:
    from north_hush.core.handover.report import site_scores

    found = site_scores(_asked(site, task))["recordings"][0]
    if "error" in found:
        return {"error": found["error"]}
    return {"score": {name: value for name, value in found.items() if name not in ("view", "path", "tuning", "items")}}


def _propose(site: Site, task: Task) -> dict[str, Any]:
    from north_hush.core.handover.propose import find_proposals

    ((_, proposals),) = find_proposals(_asked(site, task), lambda share: None)
    best = proposals[0]
    return {
        "aim": best.aim.name,
        "met": best.score.met,
        "incidents": best.score.incidents,
        "nuisance": best.score.nuisances,
        "changed": [list(one) for one in best.changed],
    }


def _report(site: Site, task: Task) -> dict[str, Any]:
    from north_hush.core.handover.account import account_html
    from north_hush.core.handover.report import Asked

    target = Path(task.out) / f"{Path(task.site).name.split('.')[0]}-report.html"
    html = account_html(Asked(site, Path(task.site)), "factory")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        write_whole(target, html.encode())
    except OSError as error:
        raise SiteError(
            str(target), tr("cannot be written ({strerror}).", strerror=error.strerror), tr("Check permissions.")
        ) from error
    return {"file": str(target)}


_DOING: dict[Work, Callable[[Site, Task], dict[str, Any]]] = {
    "pass": _pass,
    "score": _score,
    "propose": _propose,
    "report": _report,
}
