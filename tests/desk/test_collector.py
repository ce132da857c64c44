"""The cycle collector: in the window's thread alone, and in full only while nobody does anything."""

import gc
import linecache
import sys
import threading
import time

import pytest
from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication, QWidget

from north_hush.desk import collector as collector_module
from north_hush.desk.app import application, wait_until
from north_hush.desk.collector import Collector


@pytest.fixture
def collected(qtbot):
    """Generations that were collected, and in which thread."""
    application()
    found = []

    def note(phase, info):
        if phase == "stop":
            found.append((info["generation"], threading.current_thread() is threading.main_thread()))

    gc.callbacks.append(note)
    yield found
    gc.callbacks.remove(note)


def make_cycles():
    for _ in range(20_000):
        held = []
        held.append(held)


def test_a_worker_that_makes_cycles_collects_none(collected):
    worker = threading.Thread(target=make_cycles)
    worker.start()
    worker.join()
    assert collected == []
    held = application().findChild(Collector)
    held._last_full = time.monotonic()  # making them took longer than nobody did anything
    assert wait_until(lambda: bool(collected), 5)
    assert {by_us for _, by_us in collected} == {True}
    assert 2 not in [generation for generation, _ in collected]


def test_what_was_new_is_looked_at_again_after_some_looks(collected, qtbot):
    held = application().findChild(Collector)
    for _ in range(8):
        held._last_input = time.monotonic()
        make_cycles()
        held.collect()
    generations = [generation for generation, _ in collected]
    assert 0 in generations
    assert 1 in generations
    assert 2 not in generations


def test_all_there_is_is_looked_at_only_when_nobody_has_done_anything_for_long(qtbot, collected, monkeypatch):
    held = application().findChild(Collector)
    widget = QWidget()
    qtbot.addWidget(widget)
    widget.show()
    widget.activateWindow()
    assert wait_until(lambda: QApplication.focusWindow() is not None, 5)
    monkeypatch.setattr(collector_module, "_FULL_EVERY_S", 0.0)
    held._last_input -= 60
    key = QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_A, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(QApplication.focusWindow(), key)
    held.collect()
    assert 2 not in [generation for generation, _ in collected]
    held._last_input -= 60
    held.collect()
    assert collected[-1] == (2, True)


def test_what_is_there_before_the_window_is_never_gone_through_again(qtbot):
    application()
    frozen = gc.get_freeze_count()
    assert frozen > 10_000
    gc.collect()
    assert gc.get_freeze_count() == frozen


def test_sources_that_nobody_looks_at_do_not_stay_in_memory(qtbot):
    held = application().findChild(Collector)
    for name in list(sys.modules):
        linecache.getlines(getattr(sys.modules[name], "__file__", None) or "")
    assert len(linecache.cache) > 100
    held.collect()
    assert len(linecache.cache) == 0
