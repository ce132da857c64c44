"""Processes that search: the descents of an item lie with one of them, which remembers what settings came to.

The items of a view are searched each by itself, so that a machine with several cores takes less time by as much, and the process
that asks is free meanwhile. Where there is one item, or values that lie nowhere on disk, descents are made where they are asked for.
"""

from __future__ import annotations

import multiprocessing
import os
import signal
import threading
from collections import deque
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures import TimeoutError as NotYet
from concurrent.futures.process import BrokenProcessPool
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, replace
from functools import cache, partial
from multiprocessing.connection import wait
from multiprocessing.synchronize import Event
from pathlib import Path
from typing import Any, ClassVar, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from north_hush.core.advise.aim import Case
from north_hush.core.advise.descent import Descent, Descents
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.errors import HushError
from north_hush.core.footage.store import read_evidence
from north_hush.core.scene.plan import Plan
from north_hush.core.words import tr

_PROCESSES_MOST, _PROCESS_BYTES, _MEMORY_SHARE = 4, 1 << 30, 4
"""Each loads the program and remembers up to half a gigabyte; all of them get this part of the machine's memory, one over it."""
_LOOKED_UP_S = 0.1
"""How often it is looked whether a search was cancelled."""
_NICE = 10
"""The window and its pictures go first."""


T = TypeVar("T")
T_co = TypeVar("T_co", covariant=True)


class Job(Protocol[T_co]):
    """Something wanted of a search, and what it costs beside other jobs."""

    cost: ClassVar[int]

    def done_by(self, descents: Descents, /) -> T_co:
        """What comes of it."""


class Asked(Protocol):
    """Wants a job done; what it returns tells what came of it, once it is done."""

    def __call__(self, job: Job[T], /) -> Callable[[], T]: ...


@dataclass(frozen=True, eq=False)
class _Footage:
    """A case as it travels: where its evidence lies, and which frames count."""

    case: Case
    folder: Path
    valid: NDArray[np.bool_]

    def opened(self) -> Case:
        evidence = read_evidence(self.folder)
        if not np.array_equal(evidence.valid, self.valid):
            evidence = evidence.counting(self.valid)
        return replace(self.case, evidence=evidence)


@contextmanager
def searchers(descents: Descents, items: Sequence[str], done: Callable[[Job[Any]], None]) -> Iterator[Asked]:
    """What jobs are asked of while this holds.

    Parameters
    ----------
    items : those that descents will be asked for
    done : told after each of them, in any thread
    """
    footage, count = _travelling(descents.steering), min(len(items), processes_at_once())
    if footage is None or count < 2:
        yield partial(_here, descents, done)
        return
    context = multiprocessing.get_context("spawn")
    stop = context.Event()
    given = footage, descents.plan, dict(descents.present), dict(descents.free), stop
    with ExitStack() as stack:
        pools = [
            stack.enter_context(ProcessPoolExecutor(1, mp_context=context, initializer=_begin, initargs=given))
            for _ in range(count)
        ]
        stack.callback(stop.set)
        _start(pools)
        crew = _Crew(pools, items, done)
        stack.callback(crew.close)

        def asked(job: Job[T]) -> Callable[[], T]:
            return partial(_awaited, crew.ask(job), descents.cancelled, stop)

        yield asked


def _start(pools: Sequence[ProcessPoolExecutor]) -> None:
    """Begin the processes. They keep what they were begun with: a terminal sends an interrupt to all of a program, which ends them
    itself."""
    before = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
    try:
        for pool in pools:
            pool.submit(os.getpid)
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)


def processes_at_once() -> int:
    """How many this machine has cores and memory for."""
    memory_bytes = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    return min(os.cpu_count() or 1, memory_bytes // (_MEMORY_SHARE * _PROCESS_BYTES), _PROCESSES_MOST)


def _here(descents: Descents, done: Callable[[Job[Any]], None], job: Job[T]) -> Callable[[], T]:
    def do() -> T:
        found = job.done_by(descents)
        done(job)
        return found

    return do


class _Crew:
    """Processes, and the jobs that wait for them. The descents of an item lie with one; who has nothing left takes the first of whoever
    has most."""

    def __init__(
        self, pools: Sequence[ProcessPoolExecutor], items: Sequence[str], done: Callable[[Job[Any]], None]
    ) -> None:
        self._pools, self._done = pools, done
        self._homes = {item: place % len(pools) for place, item in enumerate(items)}
        self._waiting = [deque[tuple[Job[Any], Future[Any]]]() for _ in pools]
        self._idle = set(range(len(pools)))
        self._lock = threading.RLock()

    def ask(self, job: Job[T]) -> Future[T]:
        """Have a job done."""
        told = Future[T]()
        with self._lock:
            home = self._homes[job.item] if isinstance(job, Descent) else self._shortest()
            self._waiting[home].append((job, told))
            self._feed()
        return told

    def close(self) -> None:
        """Forget what waits: nobody waits for it any more."""
        with self._lock:
            for waiting in self._waiting:
                waiting.clear()

    def _shortest(self) -> int:
        return min(range(len(self._waiting)), key=lambda place: len(self._waiting[place]))

    def _feed(self) -> None:
        for place in sorted(self._idle):
            waiting = self._waiting[place] or max(self._waiting, key=len)
            if waiting:
                job, told = waiting.popleft()
                self._idle.discard(place)
                try:
                    future = self._pools[place].submit(_do, job)
                except BrokenProcessPool as error:
                    told.set_exception(error)
                    continue
                future.add_done_callback(partial(self._take, place, job, told))

    def _take(self, place: int, job: Job[Any], told: Future[Any], future: Future[Any]) -> None:
        error = future.exception()
        self._done(job)
        if error is None:
            told.set_result(future.result())
        else:
            told.set_exception(error)
        with self._lock:
            self._idle.add(place)
            self._feed()


def _travelling(cases: Sequence[Case]) -> list[_Footage] | None:
    """Cases as they travel; None where one lies nowhere on disk."""
    found = []
    for case in cases:
        folder, evidence = case.evidence.origin, case.evidence
        if folder is None or evidence.lean:
            return None
        found.append(_Footage(replace(case, evidence=None), folder, evidence.valid))  # type: ignore[arg-type]
    return found


def _awaited(told: Future[T], cancelled: Callable[[], bool], stop: Event) -> T:
    while True:
        try:
            return told.result(_LOOKED_UP_S)
        except NotYet:
            if told.done():
                raise
            if cancelled():
                stop.set()
        except BrokenProcessPool as error:
            said = tr("lost the process that searches, perhaps for want of memory.")
            raise HushError(tr("Find quiet settings"), said, tr("Close other programs and search again.")) from error


# --- in such a process --------------------------------------------------------------------------------------------------

_Given = tuple[Sequence[_Footage], Plan, Mapping[str, ZoneSettings], Mapping[str, tuple[str, ...]], Event]
_given: list[_Given] = []


def _begin(
    footage: Sequence[_Footage],
    plan: Plan,
    present: Mapping[str, ZoneSettings],
    free: Mapping[str, tuple[str, ...]],
    stop: Event,
) -> None:
    os.nice(_NICE)
    threading.Thread(target=_end_with_parent, daemon=True).start()
    _given.append((footage, plan, present, free, stop))


def _end_with_parent() -> None:
    """The library's workers wait for ever for a parent that was killed."""
    parent = multiprocessing.parent_process()
    if parent is not None:
        wait([parent.sentinel])
        os._exit(1)


def _do(job: Job[T]) -> T:
    return job.done_by(_descents())


@cache
def _descents() -> Descents:
    footage, plan, present, free, stop = _given[0]
    return Descents([held.opened() for held in footage], plan, present, free=free, cancelled=stop.is_set)
