"""Engines that run tasks: processes of this machine, or the workers of a Dask cluster.

What a dead worker had in hand is handed in again.
"""

from __future__ import annotations

import multiprocessing
from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from typing import Any

from north_hush import __version__
from north_hush.core.errors import HushError
from north_hush.core.fleet.tasks import Task, do
from north_hush.core.words import tr

_TRIES = 3
_SCHEME = "dask://"
_CONNECT_S = 10


def run(tasks: Sequence[Task], jobs: int, engine: str = "") -> Iterator[tuple[int, dict[str, Any]]]:
    """Run tasks, and give each one's place and what came of it as they end.

    Raises
    ------
    HushError : the engine is unknown, cannot be reached, or is not installed.
    """
    if not engine:
        return _here(tasks, jobs)
    if not engine.startswith(_SCHEME):
        raise HushError(f"--engine {engine}", tr("is unknown."), tr("Write dask://HOST:PORT, or leave it away."))
    return _dask(tasks, engine.removeprefix(_SCHEME))


def _here(tasks: Sequence[Task], jobs: int) -> Iterator[tuple[int, dict[str, Any]]]:
    """Processes of this machine. When one dies the pool is broken, and what was not done goes to another pool."""
    left, tries = dict(enumerate(tasks)), [0] * len(tasks)
    while left:
        lost: list[int] = []
        with ProcessPoolExecutor(jobs, mp_context=multiprocessing.get_context("spawn")) as pool:
            running: dict[Future[dict[str, Any]], int] = {
                pool.submit(do, task, __version__): place for place, task in left.items()
            }
            for future in as_completed(running):
                place = running[future]
                try:
                    found = future.result()
                except BrokenProcessPool:
                    lost.append(place)
                    continue
                del left[place]
                yield place, found
        for place in lost:
            tries[place] += 1
            if tries[place] >= _TRIES:
                task = left.pop(place)
                yield place, _given_up(task)


def _given_up(task: Task) -> dict[str, Any]:
    error = tr("Its worker died {tries} times: it was given up.", tries=_TRIES)
    return {"work": task.work, "site": task.site, "view": task.view, "recording": task.recording, "error": error}


def _dask(tasks: Sequence[Task], address: str) -> Iterator[tuple[int, dict[str, Any]]]:
    """Workers of a cluster, which see the same files."""
    try:
        import distributed
    except ImportError as error:
        said = tr("needs the package 'distributed'.")
        raise HushError("--engine dask://", said, tr("Install it: pip install 'north-hush[fleet]'")) from error
    cluster: Any = distributed
    try:
        client = cluster.Client(f"tcp://{address}", timeout=_CONNECT_S, set_as_default=False)
    except (OSError, TimeoutError, ValueError) as error:
        said = tr("cannot be reached ({error}).", error=error)
        raise HushError(f"--engine dask://{address}", said, tr("Start a scheduler; see docs/scale.md.")) from error
    with client:
        running = {
            client.submit(do, task, __version__, pure=False, retries=_TRIES): place for place, task in enumerate(tasks)
        }
        for future in cluster.as_completed(running, loop=client.loop):
            place = running[future]
            try:
                yield place, future.result()
            except cluster.KilledWorker:
                yield place, _given_up(tasks[place])
