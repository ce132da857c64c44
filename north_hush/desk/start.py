"""The start page: recordings, a site, the demo, and the sites that were open lately."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSize, Qt, QUrl, Signal
from PySide6.QtGui import QDesktopServices, QDragEnterEvent, QDropEvent, QIcon
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QMainWindow,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.site.file import SUFFIX
from north_hush.core.words import tr
from north_hush.desk.look.panel import muted, stage_title, wrapped
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import apply_theme, dress
from north_hush.desk.notice import NoticeBar
from north_hush.desk.recent import RecentSite, picture_of, recent_sites

_PICTURE = QSize(160, 90)
SITE_FILES = tr("North Hush sites (*{suffix} *.zip)", suffix=SUFFIX)


class StartWindow(QMainWindow):
    """Shown when no site is asked for, and from the File menu."""

    opened = Signal(object)
    """Paths (tuple of Path) of a site file, or of recordings for a new one."""
    demo_wanted = Signal()

    def __init__(self, theme: Theme, sites: Path) -> None:
        super().__init__()
        apply_theme(QApplication.instance(), theme)  # type: ignore[arg-type]
        self.setWindowTitle(tr("North Hush"))
        self.resize(880, 520)
        self.setAcceptDrops(True)
        self.notice = NoticeBar()
        self.recordings = self._button(
            tr("Open recordings…"),
            tr("Video files of one fixed camera: a new site is made of them"),
            self._choose_recordings,
        )
        self.site = self._button(
            tr("Open a site…"), tr("A site file, or a bundle of one with its recordings"), self._choose_site
        )
        self.demo = self._button(
            tr("Look at the demo"),
            tr("Skerry Quay, a made-up ferry slip: five recordings with known truth"),
            self.demo_wanted.emit,
        )
        self.where = wrapped(muted(tr("New sites are kept in {sites}. Every change is saved at once.", sites=sites)))
        self.reveal = self._button(
            tr("Show that folder"),
            tr("Open it in the file manager"),
            lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(str(sites))),
        )
        self.recent = QListWidget(accessibleName=tr("Recent sites"), toolTip=tr("Double click or Return: open it"))
        self.recent.setIconSize(_PICTURE)
        self.recent.setSpacing(4)
        self.recent.itemActivated.connect(lambda item: self.opened.emit((item.data(Qt.ItemDataRole.UserRole),)))
        self._lay_out()
        dress(self, theme)
        self.refresh()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(stage_title(tr("North Hush")))
        left.addWidget(wrapped(muted(tr("Tune motion detection of a fixed camera against its own recordings."))))
        left.addSpacing(12)
        for part in (self.recordings, self.site, self.demo):
            left.addWidget(part)
        left.addStretch(1)
        left.addWidget(self.where)
        left.addWidget(self.reveal)
        right = QVBoxLayout()
        self.title = stage_title(tr("Recent sites"))
        right.addWidget(self.title)
        right.addWidget(self.recent, 1)
        body = QHBoxLayout()
        body.setContentsMargins(24, 24, 24, 20)
        body.setSpacing(28)
        body.addLayout(left, 2)
        body.addLayout(right, 3)
        centre = QWidget()
        centre.setObjectName("surface")
        column = QVBoxLayout(centre)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.notice)
        column.addLayout(body, 1)
        self.setCentralWidget(centre)

    @staticmethod
    def _button(text: str, tip: str, act: object) -> QPushButton:
        button = QPushButton(text, toolTip=tip)
        button.clicked.connect(act)
        return button

    def refresh(self) -> None:
        """Show the sites that were open lately."""
        self.recent.clear()
        for site in recent_sites():
            item = QListWidgetItem(_said(site))
            item.setData(Qt.ItemDataRole.UserRole, site.path)
            item.setToolTip(str(site.path))
            picture = picture_of(site)
            if picture is not None:
                item.setIcon(QIcon(str(picture)))
            item.setSizeHint(QSize(0, _PICTURE.height() + 8))
            self.recent.addItem(item)
        if not self.recent.count():
            nothing = QListWidgetItem(tr("None yet. Drop recordings or a site file here."))
            nothing.setFlags(Qt.ItemFlag.NoItemFlags)
            self.recent.addItem(nothing)

    def _choose_recordings(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, tr("Open recordings of one camera"), str(Path.home()))
        if names:
            self.opened.emit(tuple(map(Path, names)))

    def _choose_site(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Open a site"), str(Path.home()), SITE_FILES)
        if name:
            self.opened.emit((Path(name),))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = tuple(Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile())
        if paths:
            self.opened.emit(paths)


def _said(site: RecentSite) -> str:
    opened = tr("{opened:%d %b %Y, %H:%M}", opened=site.opened)
    return "\n".join(line for line in (site.name, site.score, f"{site.path.parent.name}, opened {opened}") if line)
