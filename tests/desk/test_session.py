"""The open site: named edits, selection, views, and the file behind it."""

import pytest

from north_hush.core.errors import SiteError
from north_hush.core.scene.area import area_of
from north_hush.core.site import drawing, edits
from north_hush.core.site.file import load_site, save_site
from north_hush.desk.app import open_session, wait_until
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
    monkeypatch.setattr("north_hush.desk.session.save_site", lambda site, path: written.append(site))
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
