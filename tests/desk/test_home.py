"""The start page, recent sites, other sites in the same run, and a second start."""

import json
import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QImage
from PySide6.QtWidgets import QFileDialog

from north_hush.core.errors import HushError
from north_hush.core.site import edits
from north_hush.core.site.file import find_recording, load_site, moved_site
from north_hush.core.site.saving import save_site
from north_hush.desk import recent
from north_hush.desk.app import application, wait_until
from north_hush.desk.home import Home
from north_hush.desk.recent import note_site, picture_of, recent_sites
from tests.desk.conftest import _closed, analysed
from tests.footage_maker import moving_square, write_video


@pytest.fixture
def home(qtbot, monkeypatch, tmp_path):
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    application()
    made = Home()
    yield made
    for shown in (made.window, made.start):
        if shown is not None:
            shown.close()
            _closed.append(shown)
    made.close()


def other_site(folder: Path) -> Path:
    folder.mkdir()
    path = folder / "other.hush.json"
    save_site(edits.new_site("North Pier"), path)
    return path


def test_nothing_asked_for_shows_the_start_page_and_makes_no_file(home, tmp_path):
    home.show_start()
    assert home.start.isVisible()
    assert home.window is None
    assert "None yet" in home.start.recent.item(0).text()
    assert str(tmp_path) in home.start.where.text() or "sites" in home.start.where.text()
    assert list(tmp_path.rglob("*.hush.json")) == []


def test_a_site_that_was_open_is_on_the_start_page_with_picture_and_score(home, site_path):
    home.open((site_path,))
    assert wait_until(lambda: analysed(home.window), 60)
    assert wait_until(lambda: home.window.picture.image is not None, 60)
    home.window.close()
    held = recent_sites()
    assert [site.path for site in held] == [site_path.resolve()]
    assert held[0].name == "Skerry Quay"
    assert QImage(str(picture_of(held[0]))).width() > 50
    home.show_start()
    assert "Skerry Quay" in home.start.recent.item(0).text()
    _closed.append(home.window)
    home.window = None
    home.start.recent.itemActivated.emit(home.start.recent.item(0))
    assert home.window is not None
    assert home.window.session.path == site_path
    assert not home.start.isVisible()


def test_sites_that_are_gone_and_lists_that_are_broken_are_left_out(tmp_path):
    path = other_site(tmp_path / "b")
    note_site(path, "North Pier")
    assert [site.name for site in recent_sites()] == ["North Pier"]
    path.unlink()
    assert recent_sites() == ()
    (recent._folder() / "recent.json").write_text("[{")
    assert recent_sites() == ()


def test_another_site_takes_the_place_of_the_first_and_one_that_cannot_be_opened_does_not(home, site_path, tmp_path):
    home.open((site_path,))
    first = home.window
    _closed.append(first)
    home.try_open((tmp_path / "missing.hush.json",))
    assert home.window is first
    assert "missing.hush.json" in first.notice.text.text()
    other = other_site(tmp_path / "b")
    first.site_wanted.emit((other,))
    assert home.window is not first
    assert not first.isVisible()
    assert str(other) in home.window.windowTitle()
    with pytest.raises(HushError):
        home.open((tmp_path / "missing.hush.json",))


def test_a_dropped_site_file_opens_and_is_no_recording(home, site_path, tmp_path):
    home.open((site_path,))
    _closed.append(home.window)
    other = other_site(tmp_path / "b")
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(other))])
    actions, none = Qt.DropAction.CopyAction, Qt.KeyboardModifier.NoModifier
    home.window.dropEvent(QDropEvent(QPointF(9, 9), actions, data, Qt.MouseButton.LeftButton, none))
    assert home.window.session.site.name == "North Pier"
    assert len(load_site(site_path).views[0].recordings) == 1


def test_saved_as_elsewhere_it_still_finds_its_recordings(home, site_path, tmp_path, monkeypatch):
    home.open((site_path,))
    _closed.append(home.window)
    target = tmp_path / "far" / "away" / "site"
    target.parent.mkdir(parents=True)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    home.window.files.save_as()
    assert home.window.session.path == target.with_name("site.hush.json")
    held = load_site(home.window.session.path)
    assert find_recording(held.views[0].recordings[0], home.window.session.path).path == site_path.parent / "slip.mkv"
    assert moved_site(held, home.window.session.path, home.window.session.path.with_name("b.hush.json")) is held


_SECOND = """
import json, sys
from pathlib import Path
from PySide6.QtCore import QCoreApplication
app = QCoreApplication([])
from north_hush.desk.home import hand_over
print(json.dumps(hand_over(tuple(map(Path, sys.argv[1:])))))
"""


def test_a_second_start_shows_the_first_window(home, site_path, tmp_path):
    home.listen()
    home.open((site_path,))
    _closed.append(home.window)
    other = other_site(tmp_path / "b")
    second = subprocess.Popen([sys.executable, "-c", _SECOND, str(other)], stdout=subprocess.PIPE)
    assert wait_until(lambda: second.poll() is not None, 30)
    assert json.loads(second.stdout.read()) is True
    assert home.window.session.path == other
    home._server.close()
    alone = subprocess.run([sys.executable, "-c", _SECOND, str(other)], stdout=subprocess.PIPE, check=True)
    assert json.loads(alone.stdout) is False


def test_a_folder_of_videos_opens_as_one_time_line(home, tmp_path):
    folder = tmp_path / "week"
    folder.mkdir()
    for name in ("slip 2026-11-23 08.00.00", "slip 2026-11-23 07.00.00"):
        write_video(folder / f"{name}.mkv", moving_square(8 + ("08" in name)))
    home.open((folder,))
    session = home.window.session
    assert wait_until(lambda: len(session.view.recordings) == 2, 20)
    assert [Path(held.path).stem[-8:-6] for held in session.view.recordings] == ["07", "08"]
    assert session.site.name == "week"
