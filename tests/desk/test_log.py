"""Faults that nobody caught are written down and told, and the window goes on."""

import logging
import sys

from north_hush.desk.log import start_log, tell_faults
from north_hush.desk.session import Session
from north_hush.desk.window import Window


def raised(text):
    try:
        raise ValueError(text)
    except ValueError:
        return sys.exc_info()


def test_a_fault_is_written_with_its_trace_and_told_in_a_sentence(tmp_path):
    path, said, log = tmp_path / "state" / "window.log", [], logging.getLogger("north_hush")
    before, handlers = sys.excepthook, list(log.handlers)
    try:
        assert start_log(path) == path
        assert tell_faults(said.append) is before
        sys.excepthook(*raised("nobody expected this"))
    finally:
        sys.excepthook = before
        for handler in set(log.handlers) - set(handlers):
            log.removeHandler(handler)
            handler.close()
    assert said == ["ValueError: nobody expected this"]
    text = path.read_text()
    assert "Traceback" in text
    assert "test_log.py" in text


def test_where_nothing_can_be_written_it_goes_on_without(tmp_path):
    (tmp_path / "file").write_text("")
    assert start_log(tmp_path / "file" / "window.log") is None


def test_a_window_is_never_larger_than_the_screen_that_is_there(qtbot, site_path):
    window = Window(Session(site_path))
    room = window.screen().availableSize()
    assert window.width() <= max(room.width(), window.minimumSizeHint().width())
    assert window.minimumWidth() <= room.width()
    window.close()
