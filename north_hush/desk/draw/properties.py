"""What the selected item is: the few things that are not on the picture."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.scene.area import WHOLE_AREA, inverted
from north_hush.core.scene.items import Item, Mask, SizeMark, Wire, Zone
from north_hush.core.scene.kind import kinds_text
from north_hush.core.site import drawing, edits
from north_hush.core.site.firing import fire_on
from north_hush.core.words import tr
from north_hush.desk.look.number import NumberBox
from north_hush.desk.look.panel import form_row
from north_hush.desk.picture.canvas import Canvas
from north_hush.desk.session import Session

FIRES = (
    ("motion", tr("Motion in it"), tr("Alarms when enough of the zone changes.")),
    (
        "entry",
        tr("Entry across its outline"),
        tr(
            "Alarms when somebody comes in from outside, until they are gone; another who comes is an alarm of his own."
        ),
    ),
    (
        "loitering",
        tr("Loitering in it"),
        tr("Alarms when somebody stays in the zone for a number of seconds, until they are gone."),
    ),
)
WATCHES = (
    ("broken", tr("Broken by anything"), tr("Alarms when enough of the line changes, whoever causes it.")),
    ("a_to_b", "{a} to {b}", tr("Alarms when something crosses from the first side to the second.")),
    ("b_to_a", "{b} to {a}", tr("Alarms when something crosses from the second side to the first.")),
    ("both", tr("Both ways"), tr("Alarms when something crosses, whichever way.")),
)
_TOOL_TIP = Qt.ItemDataRole.ToolTipRole
_NO_BUTTONS = QDoubleSpinBox.ButtonSymbols.NoButtons


class Properties(QWidget):
    """Shows and changes the fields of the item selected last."""

    def __init__(self, session: Session, canvas: Canvas) -> None:
        super().__init__()
        self._session, self._canvas = session, canvas
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self._rows: list[tuple[QWidget, tuple[type[Item], ...]]] = []
        self._make_zone_rows(column)
        self._make_mask_rows(column)
        self._make_wire_rows(column)
        self.height_px = NumberBox(decimals=1, minimum=0.1, maximum=65_535, suffix=tr(" px"), buttonSymbols=_NO_BUTTONS)
        self.height_px.setToolTip(tr("Height of a standing person at this place, in pixels of the picture"))
        self.height_px.setAccessibleName(tr("Person height"))
        self.height_px.setKeyboardTracking(False)
        self.height_px.valueChanged.connect(self._on_height)
        self._row(column, (SizeMark,), form_row(tr("Person height"), self.height_px))

    def _row(self, column: QVBoxLayout, kinds: tuple[type[Item], ...], layout: QHBoxLayout) -> None:
        holder = QWidget()
        layout.setContentsMargins(0, 0, 0, 0)
        holder.setLayout(layout)
        column.addWidget(holder)
        self._rows.append((holder, kinds))

    def _make_zone_rows(self, column: QVBoxLayout) -> None:
        self.fires = QComboBox(accessibleName=tr("Fires on"))
        for kind, label, tip in FIRES:
            self.fires.addItem(label, kind)
            self.fires.setItemData(self.fires.count() - 1, tip, _TOOL_TIP)
        self.fires.setToolTip(tr("What raises an alarm in this zone"))
        self.fires.activated.connect(lambda _: self._on_fires())
        self._row(column, (Zone,), form_row(tr("Fires on"), self.fires))
        self.reports = QLabel(wordWrap=True, toolTip=tr("What is reported alone is turned in Tune, with more dials"))
        self._row(column, (Zone,), form_row(tr("Reports"), self.reports))
        self._reports_row = self._rows[-1][0]
        self.loiter_s = NumberBox(decimals=1, minimum=0.1, maximum=3600, suffix=" s", buttonSymbols=_NO_BUTTONS)
        self.loiter_s.setToolTip(tr("How long something must stay in the zone before it raises an alarm, in seconds"))
        self.loiter_s.setAccessibleName(tr("Stays for"))
        self.loiter_s.setKeyboardTracking(False)
        self.loiter_s.valueChanged.connect(self._on_loiter)
        self._row(column, (Zone,), form_row(tr("Stays for"), self.loiter_s))
        self._loiter_row = self._rows[-1][0]
        areas = QHBoxLayout()
        areas.setSpacing(8)
        self.whole = self._button(areas, tr("Whole picture"), tr("Make it the whole picture"), lambda area: WHOLE_AREA)
        self.clear = self._button(
            areas, tr("Clear"), tr("Take everything out; it stays in the list and watches nothing"), lambda area: ()
        )
        self.invert = self._button(areas, tr("Invert"), tr("Make it everything it leaves out now"), inverted)
        areas.addStretch(1)
        self._row(column, (Zone, Mask), areas)

    def _button(self, row: QHBoxLayout, label: str, tip: str, change: Callable[[Any], Any]) -> QToolButton:
        button = QToolButton(text=label, toolTip=tip)
        button.clicked.connect(lambda: self._change_area(f"{label}: {{}}", change))
        row.addWidget(button)
        return button

    def _make_mask_rows(self, column: QVBoxLayout) -> None:
        self.strength = NumberBox(decimals=0, minimum=0, maximum=100, suffix=" %", accessibleName=tr("Mask strength"))
        self.strength.setToolTip(tr("100 %: not watched at all. Less: change in it counts that much less."))
        self.strength.setKeyboardTracking(False)
        self.strength.setButtonSymbols(_NO_BUTTONS)
        self.strength.valueChanged.connect(lambda percent: self._change("Strength of {}", strength_percent=percent))
        self._row(column, (Mask,), form_row(tr("Mask strength"), self.strength))
        self.only_for = QToolButton(
            popupMode=QToolButton.ToolButtonPopupMode.InstantPopup, accessibleName=tr("Counts for")
        )
        self.only_for.setToolTip(tr("Which zones and wires the mask counts for"))
        self.only_for.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.only_for.setMenu(QMenu(self.only_for))
        self.only_for.menu().aboutToShow.connect(self._fill_only_for)
        self._row(column, (Mask,), form_row(tr("Counts for"), self.only_for))

    def _make_wire_rows(self, column: QVBoxLayout) -> None:
        self.watches = QComboBox(accessibleName=tr("Watched way"), toolTip=tr("Which way a crossing raises an alarm"))
        self.watches.activated.connect(lambda _: self._change("Watched way of {}", watches=self.watches.currentData()))
        self._row(column, (Wire,), form_row(tr("Watched"), self.watches))
        sides = QHBoxLayout()
        sides.setSpacing(8)
        self.sides: dict[str, QLineEdit] = {}
        for field, label in (("side_a", tr("Side A")), ("side_b", tr("Side B"))):
            edit = QLineEdit(
                maxLength=20, accessibleName=tr("Name of {label}", label=label.lower()), placeholderText=label
            )
            edit.setToolTip(tr("Name of {label}, as it stands on the picture", label=label.lower()))
            edit.editingFinished.connect(lambda field=field, edit=edit: self._on_side(field, edit))
            self.sides[field] = edit
            sides.addWidget(edit)
        self.turn = QToolButton(text=tr("Turn round"), toolTip=tr("Exchange the two sides of the line"))
        self.turn.clicked.connect(self._on_turn)
        sides.addWidget(self.turn)
        self._row(column, (Wire,), sides)

    # --- showing ----------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the item selected last."""
        item = self._session.view.item(self._session.item_id)
        useless = self._drawn_only() if isinstance(item, Mask) and item.painted else ()
        for holder, kinds in self._rows:
            holder.setVisible(isinstance(item, kinds) and holder not in useless)
        self.setEnabled(item is not None)
        if isinstance(item, Zone):
            with QSignalBlocker(self.fires):
                self.fires.setCurrentIndex(self.fires.findData(item.fires))
            self._loiter_row.setVisible(item.fires == "loitering")
            view, dials = self._session.view, self._session.view.tuning.of(item.id)
            with QSignalBlocker(self.loiter_s):
                self.loiter_s.setValue(dials.loiter_s)
            self.reports.setText(kinds_text(dials.kinds, view.taught))
            self._reports_row.setVisible(dials.limits_kinds)
        elif isinstance(item, Mask):
            with QSignalBlocker(self.strength):
                self.strength.setValue(item.strength_percent)
            self.only_for.setText(self._only_for_text(item))
        elif isinstance(item, Wire):
            self._show_wire(item)
        elif isinstance(item, SizeMark):
            with QSignalBlocker(self.height_px):
                self.height_px.setValue(item.height_frac * self._canvas.picture_size[1])

    def _drawn_only(self) -> tuple[QWidget | None, ...]:
        """Rows a painted mask has no use for."""
        return self.strength.parentWidget(), self.whole.parentWidget()

    def _show_wire(self, wire: Wire) -> None:
        with QSignalBlocker(self.watches):
            self.watches.clear()
            for kind, label, tip in WATCHES:
                self.watches.addItem(label.format(a=wire.side_a, b=wire.side_b), kind)
                self.watches.setItemData(self.watches.count() - 1, tip, _TOOL_TIP)
            self.watches.setCurrentIndex(self.watches.findData(wire.watches))
        for field, edit in self.sides.items():
            if not edit.hasFocus():
                edit.setText(getattr(wire, field))

    def _only_for_text(self, mask: Mask) -> str:
        if mask.only_for is None:
            return tr("all zones and wires")
        names = [watcher.name for watcher in self._session.view.watchers if watcher.id in mask.only_for]
        return ", ".join(names) if names else tr("none of them")

    def _fill_only_for(self) -> None:
        menu, mask = self.only_for.menu(), self._session.view.item(self._session.item_id)
        menu.clear()
        if not isinstance(mask, Mask):
            return
        every = menu.addAction(tr("All zones and wires"))
        every.setCheckable(True)
        every.setChecked(mask.only_for is None)
        every.triggered.connect(lambda: self._change("What {} counts for", only_for=None))
        menu.addSeparator()
        for watcher in self._session.view.watchers:
            action = menu.addAction(watcher.name)
            action.setCheckable(True)
            action.setChecked(mask.only_for is not None and watcher.id in mask.only_for)
            action.triggered.connect(lambda on, watcher_id=watcher.id: self._on_only_for(watcher_id, on))

    # --- changing ---------------------------------------------------------------------------------------------------

    def _change(self, name: str, **changes: Any) -> None:
        item, view_id = self._session.view.item(self._session.item_id), self._session.view_id
        if item is not None and not self._session.do(
            name.format(item.name), lambda site: drawing.change_item(site, view_id, item.id, **changes)
        ):
            self.refresh()

    def _change_area(self, name: str, change: Callable[[Any], Any]) -> None:
        item = self._session.view.item(self._session.item_id)
        if isinstance(item, Zone | Mask) and not item.locked:
            self._change(name, area=change(item.area))

    def _on_fires(self) -> None:
        item, view_id = self._session.view.item(self._session.item_id), self._session.view_id
        if isinstance(item, Zone):
            fires = self.fires.currentData()
            self._session.do(
                tr("What {name} fires on", name=item.name), lambda site: fire_on(site, view_id, item.id, fires)
            )

    def _on_loiter(self, seconds: float) -> None:
        item, view_id = self._session.view.item(self._session.item_id), self._session.view_id
        if item is not None:
            self._session.do(
                tr("Loitering time of {name}", name=item.name),
                lambda site: edits.set_dials(site, view_id, item.id, loiter_s=seconds),
            )

    def _on_only_for(self, watcher_id: str, on: bool) -> None:
        mask = self._session.view.item(self._session.item_id)
        if isinstance(mask, Mask):
            held = [name for name in mask.only_for or () if name != watcher_id]
            self._change("What {} counts for", only_for=tuple([*held, watcher_id] if on else held))

    def _on_side(self, field: str, edit: QLineEdit) -> None:
        wire, text = self._session.view.item(self._session.item_id), edit.text().strip()
        if isinstance(wire, Wire) and text and text != getattr(wire, field):
            self._change("Name side of {}", **{field: text})
        elif isinstance(wire, Wire):
            edit.setText(getattr(wire, field))

    def _on_turn(self) -> None:
        wire = self._session.view.item(self._session.item_id)
        if isinstance(wire, Wire) and not wire.locked:
            self._change("Turn {} round", line=tuple(reversed(wire.line)))

    def _on_height(self, height_px: float) -> None:
        self._change("Height of {}", height_frac=min(1.0, height_px / self._canvas.picture_size[1]))
