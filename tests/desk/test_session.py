"""The open site: named edits, selection, views, and the file behind it."""

import signal
import subprocess
import sys

import pytest

from north_hush.core.errors import SiteError
from north_hush.core.scene.area import area_of
from north_hush.core.site import drawing, edits
from north_hush.core.site.file import load_site
from north_hush.core.site.lock import lock_path
from north_hush.core.site.saving import backup_of, save_site
from north_hush.desk.app import wait_until
from north_hush.desk.opening import open_session
from north_hush.desk.session import Session

TRIANGLE = ((0.1, 0.1), (0.9, 0.1), (0.5, 0.8))


@pytest.fixture
def session(qtbot, tmp_path):
    site = drawing.add_zone(edits.new_site("Skerry Quay", "Slipway"), "view-1", TRIANGLE, "Slip")
    made = Session(tmp_path / "a.hush.json", edits.add_view(site, "Net loft"))
    yield made
    made.close()


def rename(name):
    return lambda site: drawing.change_item(site, "view-1", "zone-1", name=name)


def test_an_edit_is_told_named_and_can_be_taken_back(session):
    changes = []
    session.changed.connect(lambda: changes.append(session.site))
    assert session.do("Rename Slip", rename("Ramp"))
    assert session.view.zones[0].name == "Ramp"
    assert session.history.undo_name == "Rename Slip"
    session.undo()
    assert session.view.zones[0].name == "Slip"
    assert session.history.redo_name == "Rename Slip"
    session.redo()
    assert session.view.zones[0].name == "Ramp"
    assert len(changes) == 3


def test_an_edit_that_changes_nothing_is_no_step(session):
    assert not session.do("Rename Slip", rename("Slip"))
    assert session.history.names == []


def test_a_refused_edit_names_the_field_and_changes_nothing(session):
    heard = []
    session.failed.connect(heard.append)
    assert not session.do("Rename Slip", rename(""))
    assert "zones" in heard[0].what or "name" in heard[0].what
    assert heard[0].remedy == "Nothing was changed."
    assert session.view.zones[0].name == "Slip"


def test_moves_of_one_drag_are_one_step(session):
    for x in (0.2, 0.3, 0.4):
        moved = ((x, 0.1), *TRIANGLE[1:])
        session.do(
            "Move corner",
            lambda site, m=moved: drawing.change_item(site, "view-1", "zone-1", area=area_of(m)),
            drag="d",
        )
    assert session.history.names == ["Move corner"]
    session.do("Move corner", rename("Other"), drag="e")
    assert len(session.history.names) == 2


def test_a_new_edit_after_undo_drops_what_was_undone(session):
    session.do("One", rename("One"))
    session.do("Two", rename("Two"))
    session.undo()
    session.do("Three", rename("Three"))
    assert session.history.names == ["One", "Three"]
    assert session.history.redo_name == ""


def test_the_selection_follows_what_is_there(session):
    heard = []
    session.item_selected.connect(heard.append)
    session.select("zone-1")
    session.select("zone-1")
    session.do("Delete", lambda site: drawing.remove_items(site, "view-1", ["zone-1"]))
    assert heard == ["zone-1", ""]
    session.undo()
    assert session.item_id == ""


def test_another_view_forgets_the_selection(session):
    session.select("zone-1")
    heard = []
    session.view_changed.connect(lambda: heard.append(session.view.name))
    session.show_view("view-2")
    session.show_view("view-2")
    assert heard == ["Net loft"]
    assert session.item_id == ""


def test_a_view_that_was_removed_gives_way_to_the_first(session):
    session.show_view("view-2")
    session.do("Remove view", lambda site: edits.remove_view(site, "view-2"))
    assert session.view.name == "Slipway"


def test_a_burst_of_edits_is_saved_once_and_last(session, monkeypatch):
    written = []
    monkeypatch.setattr("north_hush.desk.session.save_site", lambda site, path, known: written.append(site))
    for name in ("A", "B", "C"):
        session.do("Rename", rename(name))
    assert wait_until(lambda: bool(written), 60)
    assert wait_until(lambda: False, 0.3) is False
    assert [site.views[0].zones[0].name for site in written] == ["C"]


def test_closing_writes_what_is_not_written_yet(qtbot, tmp_path):
    path = tmp_path / "b.hush.json"
    session = Session(path, edits.new_site("Skerry Quay"))
    session.do("Rename", lambda site: edits.rename_view(site, "view-1", "Loft"))
    session.close()
    assert load_site(path).views[0].name == "Loft"
    again = Session(path)
    again.close()


def test_the_lock_goes_with_the_session_even_when_the_file_is_bad(qtbot, tmp_path):
    path = tmp_path / "c.hush.json"
    path.write_text("nonsense")
    for _ in range(2):
        with pytest.raises(SiteError, match="is not JSON"):
            Session(path)


def test_a_folder_that_is_not_there_is_named(qtbot, tmp_path):
    with pytest.raises(SiteError):
        Session(tmp_path / "gone" / "d.hush.json", edits.new_site("Skerry Quay"))


def test_opening_a_site_file_opens_that_one(qtbot, tmp_path):
    path = tmp_path / "e.hush.json"
    save_site(edits.new_site("My quay"), path)
    session = open_session((path,), None)
    assert session.site.name == "My quay"
    session.close()
    with pytest.raises(Exception, match="is not there"):
        open_session((tmp_path / "gone.mp4",), None)


def test_opening_nothing_starts_an_empty_site(qtbot):
    session = open_session((), None)
    assert session.view.recordings == ()
    assert session.path.exists()
    session.close()


def test_steady_editing_is_saved_all_the_while(session):
    saved = []
    session.save_state.connect(lambda state: saved.append(state) if state == "saved" else None)
    number = 0

    def edit_on():
        nonlocal number
        number += 1
        session.do("Rename", rename(f"Slip {number}"))
        return load_site(session.path).views[0].zones[0].name != "Slip"

    assert wait_until(edit_on, 10)
    assert number > 20  # edits closer than the pause a save waits for


def test_a_save_that_failed_is_told_tried_again_and_kept_until_it_holds(session, monkeypatch):
    heard, states, full = [], [], True
    session.failed.connect(heard.append)
    session.save_state.connect(states.append)
    monkeypatch.setattr("north_hush.desk.session.RETRY_MS", 50)

    def write(site, path, known):
        if full:
            raise SiteError(str(path), "cannot be written (No space left on device).", "Free some.")
        return save_site(site, path, known)

    monkeypatch.setattr("north_hush.desk.session.save_site", write)
    session.do("Rename", rename("Ramp"))
    assert wait_until(lambda: len(heard) >= 2, 20)
    assert states[-1] == "not saved"
    assert "No space left" in str(session.flush())
    full = False
    assert wait_until(lambda: states[-1] == "saved", 20)
    assert load_site(session.path).views[0].zones[0].name == "Ramp"
    assert session.flush() is None


@pytest.mark.parametrize("mine", [True, False])
def test_what_another_program_wrote_is_offered_and_nothing_is_written_over_it_unasked(session, mine):
    offered = []
    session.changed_elsewhere.connect(lambda: offered.append(True))
    theirs = session.path.read_text().replace('"Skerry Quay"', '"Their quay"')
    session.path.write_text(theirs)
    session.do("Rename", rename("Ramp"))
    assert wait_until(lambda: bool(offered), 10)
    assert session.path.read_text() == theirs
    assert "another program" in str(session.flush())
    if mine:
        session.keep_mine()
        assert session.flush() is None
        assert load_site(session.path).views[0].zones[0].name == "Ramp"
        assert load_site(backup_of(session.path)).name == "Their quay"
    else:
        session.take_theirs()
        assert (session.site.name, session.view.zones[0].name) == ("Their quay", "Slip")
        session.undo()
        assert session.view.zones[0].name == "Ramp"
        assert session.flush() is None


EDITED = """
import sys
from pathlib import Path
from PySide6.QtCore import QTimer
from north_hush.core.site import edits
from north_hush.desk import app
from north_hush.desk.session import Session
import north_hush.desk.session as held
held.SAVE_DELAY_MS = 60_000
app.application()
real = Session.__init__
def made(self, *args, **kwargs):
    real(self, *args, **kwargs)
    def edit():
        self.do("Rename", lambda site: edits.rename_view(site, "view-1", "Loft"))
        print("edited", flush=True)
    QTimer.singleShot(0, edit)
Session.__init__ = made
sys.exit(app.run((Path(sys.argv[1]),), None))
"""


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGHUP, signal.SIGINT])
def test_a_signal_writes_the_last_edit_and_leaves_no_lock(tmp_path, number):
    path = tmp_path / "b.hush.json"
    save_site(edits.new_site("Skerry Quay"), path)
    child = subprocess.Popen(
        [sys.executable, "-c", EDITED, str(path)], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    )
    assert child.stdout.readline() == "edited\n"
    child.send_signal(number)
    _, said = child.communicate(timeout=30)
    assert child.returncode == 128 + number
    assert "Traceback" not in said
    assert load_site(path).views[0].name == "Loft"
    assert not lock_path(path).exists()
