"""PySide6 must not lose references; 6.12.0 on Python 3.11 lost one at every signal and every void call."""

import sys

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QLabel


class Source(QObject):
    told = Signal(bool)


def test_a_thousand_signals_and_calls_lose_no_reference(qtbot):
    source, label, heard = Source(), QLabel(), []
    source.told.connect(lambda value: heard.append(value))
    qtbot.addWidget(label)
    before = sys.getrefcount(True), sys.getrefcount(None)
    for i in range(1000):
        source.told.emit(True)
        label.setText(str(i))
    heard.clear()
    after = sys.getrefcount(True), sys.getrefcount(None)
    assert all(now >= then - 20 for then, now in zip(before, after, strict=True))
