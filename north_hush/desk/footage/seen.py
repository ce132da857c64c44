"""When the camera of a recording was blind, and when it was loud: a list to jump by."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from north_hush.core.errors import HushError
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.sound import sound_of
from north_hush.core.footage.stamps import clock_text
from north_hush.core.sight.hearing import SoundRule, heard_in
from north_hush.core.sight.rules import WORDS
from north_hush.core.sight.sight import Blind
from north_hush.core.site import seeing
from north_hush.core.words import begun, tr
from north_hush.desk.deck import Deck
from north_hush.desk.look.panel import muted, wrapped
from north_hush.desk.session import Session
from north_hush.desk.sight_now import SightNow
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import Urgency

_LOUD = SoundRule(hears="jump")
_ROW_PX, _ROWS_MOST = 24, 6


@dataclass(frozen=True)
class _Row:
    start_us: int
    words: str
    blind: Blind | None = None
    """None: it was loud."""


class SeenBox(QWidget):
    """Not there while there is nothing to say."""

    def __init__(self, session: Session, deck: Deck, sight: SightNow, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck, self._sight = session, deck, sight
        sight.changed.connect(self.refresh)
        self._work = Background(("seen",), self, Urgency.LATER)
        self._shown: tuple[object, ...] = ()
        self.title = wrapped(muted(""))
        self.rows = QListWidget(toolTip=tr("Return or a double click goes there"), accessibleName=tr("Blind and loud"))
        self.rows.itemActivated.connect(self._on_activated)
        self.rows.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        for words, acted in ((tr("Go there"), self._go), (tr("Do not look for this in this view"), self._forget)):
            action = QAction(words, self.rows)
            action.triggered.connect(acted)
            self.rows.addAction(action)
        self.shift = QPushButton(
            tr("Shift the drawing with it"),
            toolTip=tr(
                "Move everything that is drawn as far as the picture went; look at it in Draw, Ctrl+Z brings it back"
            ),
        )
        self.shift.clicked.connect(self._shift)
        self.rows.currentItemChanged.connect(lambda *_: self._show_shift())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.title)
        column.addWidget(self.rows)
        column.addWidget(self.shift)
        self.hide()

    def close_worker(self) -> None:
        """End the thread."""
        self._work.close()

    def refresh(self) -> None:
        """Look at the recording that is on, once its evidence is whole."""
        evidence, index, blinds = self._deck.evidence, self._deck.index, tuple(self._sight.blinds)
        whole = evidence is not None and evidence.whole and index is not None
        wanted = (evidence.key if evidence is not None and whole else "", blinds)
        if wanted == self._shown:
            self._show_shift()
            return
        self._shown = wanted
        self.hide()
        self._work.drop()
        if index is not None and whole:
            self._work.order("seen", lambda: _rows(blinds, index), self._show, lambda _: None)

    def _show(self, rows: list[_Row]) -> None:
        self.rows.clear()
        for row in rows:
            item = QListWidgetItem(row.words)
            item.setToolTip(row.words)
            item.setData(Qt.ItemDataRole.UserRole, row)
            self.rows.addItem(item)
        blind = sum(row.blind is not None for row in rows)
        said = [tr("Blind {blind} times", blind=blind) if blind > 1 else tr("Blind once")] if blind else []
        said += (
            [tr("loud {count} times", count=len(rows) - blind) if len(rows) - blind > 1 else tr("loud once")]
            if len(rows) > blind
            else []
        )
        self.title.setText(begun(", ".join(said)) + ".")
        self.rows.setFixedHeight(_ROW_PX * min(len(rows), _ROWS_MOST) + 8)
        self.setVisible(bool(rows))
        turned = next((place for place, row in enumerate(rows) if _turned(row)), None)
        if turned is not None:
            self.rows.setCurrentRow(turned)
        self._show_shift()

    def _on_activated(self, item: QListWidgetItem) -> None:
        self._deck.playhead.seek_s(item.data(Qt.ItemDataRole.UserRole).start_us / 1e6)

    def _go(self) -> None:
        if self.rows.currentItem() is not None:
            self._on_activated(self.rows.currentItem())

    def _row(self) -> _Row | None:
        item = self.rows.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item is not None else None

    def _show_shift(self) -> None:
        """There while a turn is chosen that went far enough, and anything is drawn."""
        row = self._row()
        self.shift.setVisible(row is not None and _turned(row) and bool(self._session.view.items))

    def _shift(self) -> None:
        row = self._row()
        if row is not None and row.blind is not None:
            self._sight.shift(row.blind)

    def _forget(self) -> None:
        row = self._row()
        if row is not None and row.blind is not None:
            view_id, kind = self._session.view_id, row.blind.kind
            self._session.do(
                tr("Not looked for: {kind}", kind=kind), lambda site: seeing.set_sight(site, view_id, kind, None)
            )


def _turned(row: _Row) -> bool:
    return row.blind is not None and any(row.blind.moved)


def _rows(blinds: Sequence[Blind], index: FrameIndex) -> list[_Row]:
    """What there is to say of a recording, in order of time."""
    found = []
    for one in blinds:
        start, end = clock_text(one.start_us), clock_text(one.end_us) if one.end_us is not None else tr("the end")
        said = tr("{clock_text} to {end}  {words}", clock_text=start, end=end, words=WORDS[one.kind])
        found.append(_Row(one.start_us, said, one))
    try:
        sound = None if index.footage.is_folder else sound_of(index.footage.path)
    except HushError:
        sound = None
    for heard in heard_in(sound, _LOUD) if sound is not None else ():
        found.append(
            _Row(
                heard.start_us,
                tr(
                    "{clock_text}  loud, {peak_db:.0f} dB", clock_text=clock_text(heard.start_us), peak_db=heard.peak_db
                ),
            )
        )
    return sorted(found, key=lambda row: row.start_us)
