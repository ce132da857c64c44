"""Descents in other processes: what they find, and how they end."""

import os
import signal
import threading
from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np
import pytest

from north_hush.core.advise import searchers as module
from north_hush.core.advise.aim import AIMS, Case
from north_hush.core.advise.descent import Descent
from north_hush.core.advise.search import Search
from north_hush.core.advise.searchers import searchers
from north_hush.core.detect.settings import FACTORY
from north_hush.core.errors import EvidenceError, HushError
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.passes import make_evidence
from north_hush.core.footage.store import read_evidence
from north_hush.core.judge.incidents import Incident, Truth
from north_hush.core.scene.area import area_of
from north_hush.core.scene.items import Zone
from north_hush.core.scene.outline import rectangle
from north_hush.core.scene.plan import Plan
from tests.footage_maker import moving_square, write_video

HALVES = tuple(
    Zone(id=f"zone-{number}", name=name, letter=name[0], area=area_of(rectangle((left, 0.0), (left + 0.5, 1.0))))
    for number, (name, left) in enumerate((("Left", 0.0), ("Right", 0.5)), 1)
)
TRUTH = Truth(incidents=(Incident(name="somebody", start_s=2.5, end_s=6.0),), complete=True)


@pytest.fixture
def cases(tmp_path):
    found = []
    for number, frames in enumerate((120, 160)):
        index = index_recording(Footage(write_video(tmp_path / f"{number}.mkv", moving_square(frames))))
        folder, _ = make_evidence(index, EvidenceOptions())
        found.append(Case(f"r{number}", read_evidence(folder), TRUTH))
    return found


def search(cases, **more):
    present = {held.id: FACTORY for held in HALVES}
    return Search(
        cases, Plan(zones=HALVES), present, free={held.id: ("start_percent", "start_frames") for held in HALVES}, **more
    )


@pytest.fixture
def _two_cores(monkeypatch):
    monkeypatch.setattr(module, "processes_at_once", lambda: 2)


@pytest.mark.usefixtures("_two_cores")
def test_what_is_found_elsewhere_is_what_is_found_here(cases, monkeypatch):
    told, pids = [], set()
    monkeypatch.setattr(module, "ProcessPoolExecutor", counted(module.ProcessPoolExecutor, pids))
    elsewhere = search(cases, report=told.append).proposals()
    assert len(pids) == 2
    assert told == sorted(told)
    assert told[-1] == 1.0
    monkeypatch.setattr(module, "processes_at_once", lambda: 1)
    assert search(cases).proposals() == elsewhere
    assert len(pids) == 2
    assert elsewhere


def counted(pool, made):
    """Pools whose making is noted."""

    def make(*args, **more):
        made.add(len(made))
        return pool(*args, **more)

    return make


@pytest.mark.usefixtures("_two_cores")
def test_frames_that_do_not_count_do_not_count_elsewhere_either(cases):
    armed = []
    for case in cases:
        on = np.arange(len(case.evidence.frames)) < 60
        armed.append(replace(case, evidence=case.evidence.counting(on)))
    wanted = Descent("zone-1", AIMS[0], (0, 1))
    with searchers(search(armed), ["zone-1", "zone-2"], lambda job: None) as asked:
        landed = asked(wanted)()
    assert landed == search(armed).land(wanted)
    assert search(armed).land(replace(wanted, out=0)).loss_out != search(cases).land(replace(wanted, out=0)).loss_out


@pytest.mark.usefixtures("_two_cores")
def test_a_search_that_is_cancelled_ends_with_nothing(cases):
    stop = threading.Event()
    threading.Timer(1.5, stop.set).start()
    assert search(cases * 6, cancelled=stop.is_set).proposals() == []


@dataclass(frozen=True)
class Interrupts:
    """Whether an interrupt ends the process that does this."""

    cost: ClassVar[int] = 1

    def done_by(self, _descents):
        return os.getpid(), signal.SIGINT not in signal.pthread_sigmask(signal.SIG_BLOCK, ())


@pytest.mark.usefixtures("_two_cores")
def test_an_interrupt_of_the_terminal_ends_who_asks_and_no_process_beside_it_with_a_traceback(cases):
    with searchers(search(cases), ["zone-1", "zone-2"], lambda job: None) as asked:
        pid, interrupts = asked(Interrupts())()
    assert pid != os.getpid()
    assert not interrupts
    assert Interrupts().done_by(None) == (os.getpid(), True)


@pytest.mark.usefixtures("_two_cores")
def test_a_process_that_is_lost_is_told(cases):
    held = search(cases)
    with searchers(held, ["zone-1", "zone-2"], lambda job: None) as asked:
        assert asked(Descent("zone-1", AIMS[0], (0,)))().settings
        for child in module.multiprocessing.active_children():
            os.kill(child.pid, signal.SIGKILL)
        with pytest.raises(HushError, match="lost the process that searches"):
            asked(Descent("zone-1", AIMS[0], (1,)))()


@pytest.mark.usefixtures("_two_cores")
def test_evidence_that_is_gone_meanwhile_is_told_as_such(cases):
    held = search(cases)
    (cases[0].evidence.origin / "index.json").unlink()
    with (
        searchers(held, ["zone-1", "zone-2"], lambda job: None) as asked,
        pytest.raises(EvidenceError, match="not finished"),
    ):
        asked(Descent("zone-1", AIMS[0], (0,)))()


def test_a_small_machine_searches_where_it_was_asked(monkeypatch):
    pages = {"SC_PAGE_SIZE": 4096, "SC_PHYS_PAGES": 4 * 2**30 // 4096}
    monkeypatch.setattr(os, "cpu_count", lambda: 8)
    monkeypatch.setattr(os, "sysconf", pages.__getitem__)
    assert module.processes_at_once() == 1
    pages["SC_PHYS_PAGES"] *= 16
    assert module.processes_at_once() == 4
