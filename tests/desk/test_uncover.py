"""Looking under privacy masks: who may, for how long, and what is written down."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QInputDialog

from north_hush.core.scene.outline import rectangle
from north_hush.core.site import drawing, edits
from north_hush.core.site.saving import save_site
from north_hush.core.site.secret import secret_of
from north_hush.desk import acts
from north_hush.desk.app import wait_until
from north_hush.desk.draw import uncover as uncover_module
from tests.desk.conftest import analysed

INACTIVE, ACTIVE = Qt.ApplicationState.ApplicationInactive, Qt.ApplicationState.ApplicationActive


@pytest.fixture
def window(open_window, site_path, tmp_path, monkeypatch):
    monkeypatch.setattr(acts, "acts_path", lambda: tmp_path / "acts.log")
    from north_hush.core.site.file import load_site

    site = drawing.add_privacy(load_site(site_path), "view-1", rectangle((0.0, 0.0), (0.5, 0.5)), "Door")
    save_site(edits.set_secret(site, secret_of("herring gull")), site_path)
    window = open_window(site_path)
    assert wait_until(lambda: analysed(window), 60)
    window.show_stage("draw")
    window.session.select("privacy-1")
    return window


def type_in(monkeypatch, *answers):
    said = iter(answers)
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: next(said))


def press(window, button):
    button.click()
    assert wait_until(lambda: window.draw.uncover.settled, 30)


def log(tmp_path):
    return (tmp_path / "acts.log").read_text()


def test_the_passphrase_is_asked_and_a_wrong_one_shows_nothing_and_is_written_down(window, monkeypatch, tmp_path):
    asked = window.draw.uncover
    type_in(monkeypatch, ("", False))
    press(window, asked.button)
    assert not window.deck.uncovered
    type_in(monkeypatch, ("herring gul", True))
    press(window, asked.button)
    assert not window.deck.uncovered
    assert not asked.button.isChecked()
    assert "passphrase is another one" in window.notice.text.text()
    assert "wrong passphrase" in log(tmp_path)
    type_in(monkeypatch, ("herring gull", True))
    press(window, asked.button)
    assert window.deck.uncovered
    assert asked.button.text() == "Cover again"
    assert "uncovered" in log(tmp_path)
    press(window, asked.button)
    assert not window.deck.uncovered


def test_without_it_masks_cannot_be_taken_away_nor_by_undo(window, monkeypatch):
    session = window.session
    held = session.site
    assert not session.do("Delete Door", lambda site: drawing.remove_items(site, "view-1", ["privacy-1"]))
    assert session.site == held
    assert "would take away privacy mask 'Door'" in window.notice.text.text()
    assert session.do("Sky", lambda site: drawing.add_privacy(site, "view-1", rectangle((0.6, 0.0), (0.9, 0.2)), "Sky"))
    session.undo()
    assert len(session.view.privacy) == 2
    type_in(monkeypatch, ("herring gull", True))
    press(window, window.draw.uncover.button)
    session.undo()
    assert len(session.view.privacy) == 1
    session.redo()
    assert len(session.view.privacy) == 2


def test_it_is_covered_again_a_minute_after_the_window_lost_the_focus(window, monkeypatch, qapp):
    monkeypatch.setattr(uncover_module, "LEFT_ALONE_MS", 60_000)
    held = window.draw.uncover
    assert held._alone.interval() == 60_000
    held._alone.setInterval(50)
    type_in(monkeypatch, ("herring gull", True))
    press(window, held.button)
    held._on_state(INACTIVE)
    held._on_state(ACTIVE)
    assert not held._alone.isActive()
    held._on_state(INACTIVE)
    assert wait_until(lambda: not window.deck.uncovered, 5)
    assert held.button.text() == "Uncover…"


def test_a_passphrase_is_changed_by_who_knows_the_one_there(window, monkeypatch):
    held, before = window.draw.uncover, window.session.site.secret
    type_in(monkeypatch, ("herring gull", True), ("short", True))
    press(window, held.passphrase)
    assert window.session.site.secret == before
    assert "has 5 characters" in window.notice.text.text()
    type_in(monkeypatch, ("herring gull", True), ("arctic tern", True), ("arctic turn", True))
    press(window, held.passphrase)
    assert window.session.site.secret == before
    type_in(monkeypatch, ("herring gull", True), ("arctic tern", True), ("arctic tern", True))
    press(window, held.passphrase)
    assert wait_until(lambda: held.settled and window.session.site.secret != before, 30)
    assert window.session.site.secret.opens("arctic tern")


def test_another_recording_covers_and_locks_again(window, monkeypatch):
    type_in(monkeypatch, ("herring gull", True))
    press(window, window.draw.uncover.button)
    assert window.session.uncovered
    window.deck.put_on(None)
    assert not window.session.uncovered
    assert not window.session.do("Delete", lambda site: drawing.remove_items(site, "view-1", ["privacy-1"]))
