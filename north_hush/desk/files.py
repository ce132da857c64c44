"""What the File menu does: other sites, copies, and where the site lies."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QUrl, Signal
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QFileDialog, QWidget

from north_hush.core.errors import HushError
from north_hush.core.site.file import SUFFIX, moved_site
from north_hush.core.site.saving import save_site
from north_hush.core.words import tr
from north_hush.desk.notice import NoticeBar
from north_hush.desk.session import Session
from north_hush.desk.start import SITE_FILES


class SiteFiles(QObject):
    """Asks over a window for files of its site."""

    wanted = Signal(object)
    """Paths (tuple of Path) to be opened in the place of the site."""

    def __init__(self, session: Session, notice: NoticeBar, over: QWidget) -> None:
        super().__init__(over)
        self._session, self._notice, self._over = session, notice, over

    def choose(self) -> None:
        """Ask for another site and open it."""
        name, _ = QFileDialog.getOpenFileName(self._over, tr("Open a site"), str(self._session.path.parent), SITE_FILES)
        if name:
            self.wanted.emit((Path(name),))

    def save_copy(self) -> bool:
        """Write the site to another file; the window stays with the one it has. False when nothing was written."""
        return self._write("Save a copy", f"copy{SUFFIX}") is not None

    def save_as(self) -> None:
        """Write the site to another file, and go on with that one."""
        path = self._write(tr("Save as"), self._session.path.name)
        if path is not None:
            self.wanted.emit((path,))

    def _write(self, title: str, name: str) -> Path | None:
        given, _ = QFileDialog.getSaveFileName(self._over, title, str(self._session.path.with_name(name)), SITE_FILES)
        if not given:
            return None
        path = Path(given if given.endswith(".json") else given + SUFFIX)
        try:
            save_site(moved_site(self._session.site, self._session.path, path), path)
        except HushError as error:
            self._notice.tell(error)
            return None
        return path

    def reveal(self) -> None:
        """Show the folder of the site file in the file manager."""
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(self._session.path.parent)))
