"""The board of cards: one for each view, with its picture and what of it costs attention."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import (
    QAbstractListModel,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QPoint,
    QRect,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QResizeEvent
from PySide6.QtWidgets import QAbstractItemView, QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from north_hush.core.fleet.overview import Card
from north_hush.core.sight.rules import WORDS
from north_hush.core.words import tr
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import text_font

_LEAST_PX = 204
_RATIO = 9 / 16
_WORDS_PX = 92
_PAD_PX, _LINE_PX = 10, 18
_Index = QModelIndex | QPersistentModelIndex
_CARD_ROLE = Qt.ItemDataRole.UserRole
_PICTURE_ROLE = Qt.ItemDataRole.UserRole + 1


def headline(card: Card) -> str:
    """The one thing to know of a view."""
    if card.blind:
        return "⚠ " + ", ".join(WORDS[kind] for kind in card.blind)
    if card.failed:
        return tr("⚠ {count} cannot be read", count=len(card.failed))
    if not card.recordings:
        return tr("no footage yet")
    if card.score is None:
        return tr("not looked at yet")
    if card.score.missed:
        return tr(
            "✕ {count} of {incidents} incidents missed", count=len(card.score.missed), incidents=card.score.incidents
        )
    a_day = card.nuisances_a_day
    if a_day is None:
        return tr("nothing analysed yet")
    return tr("quiet") if a_day < 0.5 else tr("◇ {a_day:,.0f} nuisances a day", a_day=a_day)


def details(card: Card) -> tuple[str, str]:
    """Two more lines: what is known, and of how much."""
    score = card.score
    first = []
    if score is not None and score.incidents:
        first.append(tr("{met} of {incidents} met", met=score.met, incidents=score.incidents))
    if card.to_judge:
        first.append(tr("{to_judge:,} to judge", to_judge=card.to_judge))
    of = (
        tr("{analysed} of {recordings} analysed", analysed=card.analysed, recordings=card.recordings)
        if card.analysed is not None
        else tr("{recordings} recordings", recordings=card.recordings)
    )
    second = [of] if card.recordings else []
    seconds = max(card.footage_s, score.footage_s if score is not None else 0.0)
    if seconds:
        second.append(f"{seconds / 3600:.1f} h" if seconds >= 5400 else tr("{seconds:.0f} min", seconds=seconds / 60))
    if card.live:
        second.append(tr("live camera"))
    return ", ".join(first), ", ".join(second)


class CardModel(QAbstractListModel):
    """Cards and their pictures, as a list view takes them."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.cards: list[Card] = []
        self.pictures: dict[str, QImage] = {}

    def show(self, cards: Sequence[Card]) -> None:
        """Show other cards, or the same in another order."""
        if [card.view for card in cards] == [card.view for card in self.cards]:
            self.cards = list(cards)
            if cards:
                self.dataChanged.emit(self.index(0), self.index(len(cards) - 1))
            return
        self.beginResetModel()
        self.cards = list(cards)
        self.endResetModel()

    def take_picture(self, view: str, picture: QImage) -> None:
        """Have a view's picture."""
        self.pictures[view] = picture
        row = next((row for row, card in enumerate(self.cards) if card.view == view), None)
        if row is not None:
            self.dataChanged.emit(self.index(row), self.index(row))

    def rowCount(self, parent: _Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.cards)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        card = self.cards[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.ToolTipRole):
            told = ", ".join(part for part in (card.name, headline(card), *details(card)) if part)
            return "\n".join((told, *card.failed[:5])) if role == Qt.ItemDataRole.ToolTipRole else told
        if role == _CARD_ROLE:
            return card
        if role == _PICTURE_ROLE:
            return self.pictures.get(card.view)
        return None


class _CardPainter(QStyledItemDelegate):
    def __init__(self, theme: Theme, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.theme, self.now, self.size = theme, "", QSize(_LEAST_PX, _LEAST_PX)

    def sizeHint(self, option: QStyleOptionViewItem, index: _Index) -> QSize:
        return self.size

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: _Index) -> None:
        card: Card = index.data(_CARD_ROLE)
        picture: QImage | None = index.data(_PICTURE_ROLE)
        state = option.state
        theme, box = self.theme, QRect(option.rect).adjusted(4, 4, -4, -4)
        painter.save()
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.raised if card.view == self.now else theme.surface))
        painter.drawRoundedRect(box, 6, 6)
        frame = QRect(box.left() + 1, box.top() + 1, box.width() - 2, round(box.width() * _RATIO))
        if picture is not None and not picture.isNull():
            size = picture.size().scaled(frame.size(), Qt.AspectRatioMode.KeepAspectRatio)
            place = QRect(frame.center() - QRect(QPoint(), size).center(), size)
            painter.drawImage(place, picture)
        else:
            painter.setPen(QColor(theme.muted))
            painter.setFont(text_font(12))
            painter.drawText(
                frame, Qt.AlignmentFlag.AlignCenter, tr("no picture yet") if card.recordings else tr("no footage")
            )
        self._write(painter, card, QRect(box.left() + _PAD_PX, frame.bottom() + 6, box.width() - 2 * _PAD_PX, _LINE_PX))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if state & QStyle.StateFlag.State_Selected:
            painter.setPen(QPen(QColor(theme.accent), 2))
            painter.drawRoundedRect(box, 6, 6)
        if state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(QColor(theme.text), 1, Qt.PenStyle.DotLine))
            painter.drawRoundedRect(box.adjusted(3, 3, -3, -3), 4, 4)
        painter.restore()

    def _write(self, painter: QPainter, card: Card, line: QRect) -> None:
        theme, said = self.theme, headline(card)
        loud = bool(card.blind or card.failed or (card.score is not None and card.score.missed))
        for text, size, bold, colour in (
            (card.name, 14, True, theme.text),
            (said, 13, False, theme.alarm if loud else theme.text),
            *((detail, 12, False, theme.muted) for detail in details(card)),
        ):
            painter.setFont(text_font(size, bold=bold))
            painter.setPen(QColor(colour))
            fits = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, line.width())
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, fits)
            line.translate(0, _LINE_PX)


class CardBoard(QListView):
    """All cards. Return or a double click opens a view; several can be chosen to copy to."""

    opened = Signal(str)
    """A view, by id."""
    chosen = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.cards = CardModel(self)
        self._painter = _CardPainter(theme, self)
        self.setModel(self.cards)
        self.setItemDelegate(self._painter)
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setMovement(QListView.Movement.Static)
        self.setUniformItemSizes(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setAccessibleName(tr("All views"))
        self.setToolTip(tr("Return or a double click opens a view"))
        self.activated.connect(lambda at: self.opened.emit(self.cards.cards[at.row()].view))
        self.selectionModel().selectionChanged.connect(lambda *_: self.chosen.emit())
        self.cards.modelReset.connect(self.chosen.emit)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOn)
        self.dress(theme)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._painter.theme = theme
        ground = self.palette()
        ground.setColor(ground.ColorRole.Base, QColor(theme.ground))
        self.setPalette(ground)
        self.viewport().update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """As many cards side by side as have room, over the whole width."""
        wide = self.viewport().width() - 1
        wide //= max(1, wide // _LEAST_PX)
        self._painter.size = QSize(wide, round(wide * _RATIO) + _WORDS_PX)
        self.setGridSize(self._painter.size)
        super().resizeEvent(event)

    def show_cards(self, cards: Sequence[Card], now: str) -> None:
        """Show cards; `now` is the view that is on. What is selected stays so."""
        held = set(self.selected())
        self._painter.now = now
        self.cards.show(cards)
        chosen = self.selectionModel()
        for row, card in enumerate(cards):
            at = self.cards.index(row)
            if card.view in held and not chosen.isSelected(at):
                chosen.select(at, chosen.SelectionFlag.Select)
        self.viewport().update()

    def selected(self) -> list[str]:
        """Ids of the views that are selected, in the order they are shown."""
        rows = sorted(at.row() for at in self.selectedIndexes())
        return [self.cards.cards[row].view for row in rows if row < len(self.cards.cards)]
