"""The list of incidents and walk tests of the recording that is on."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QWidget,
)

from north_hush.core.footage.stamps import clock_text
from north_hush.core.judge.incidents import Incident
from north_hush.core.site import marking
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.session import Session


class IncidentList(QListWidget):
    """A row an incident. Walk tests are told apart by a word, and show their way on the picture."""

    played = Signal(float, float)
    """Play this stretch, in seconds."""
    place_wanted = Signal(bool)
    """A box on the picture is to be dragged for the current incident, or no longer."""
    walk_chosen = Signal(object)
    """A walk test (Incident) to show on the picture; None for none."""

    def __init__(self, session: Session, deck: Deck, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._shown: tuple[Incident, ...] = ()
        self.placing = QPushButton(tr("Place"), checkable=True, enabled=False)
        self.placing.setToolTip(
            tr(
                "Drag a box on the picture where the current incident is in the shown frame. Boxes of other frames stay; between "
                "them it moves on a straight line."
            )
        )
        self.placing.toggled.connect(self.place_wanted)
        self.setAccessibleName(tr("Incidents"))
        self.setToolTip(
            tr(
                "Click: play it; of a walk test the picture shows where the walker was noticed. "
                "Double click: name and note. Delete: take it off."
            )
        )
        self.itemClicked.connect(lambda item: self._on_row(self.row(item)))
        self.itemActivated.connect(lambda item: self._on_row(self.row(item)))
        self.itemDoubleClicked.connect(lambda item: self.ask_about(self.row(item)))
        self.currentRowChanged.connect(lambda _: self._tell_walk())
        self.currentRowChanged.connect(lambda _: self._allow_placing())

    @property
    def incidents(self) -> tuple[Incident, ...]:
        """Incidents of the recording that is on, as the site has them now."""
        on = self._deck.recording
        held = next((one for one in self._session.view.recordings if on is not None and one.id == on.id), None)
        return held.truth.incidents if held is not None else ()

    def refresh(self) -> None:
        """Show the incidents; the current row stays."""
        at, incidents = self.currentRow(), self.incidents
        if incidents == self._shown:
            return
        self._shown = incidents
        self.blockSignals(True)
        self.clear()
        for held in incidents:
            kind = tr("  (walk test)") if held.walk else ""
            note = "  ✎" if held.note else ""
            note += "" if held.place or held.items else tr("  (by time alone)")
            item = QListWidgetItem(
                f"{clock_text(held.start_s * 1e6)}–{clock_text(held.end_s * 1e6)}  {held.name}{kind}{note}"
            )
            item.setToolTip(f"{held.note or 'No note'}\n{_place_text(held)}")
            self.addItem(item)
        self.setCurrentRow(min(at, self.count() - 1))
        self.blockSignals(False)
        self._tell_walk()
        self.placing.setEnabled(self.current() is not None)

    def _allow_placing(self) -> None:
        self.end_placing()
        self.placing.setEnabled(self.current() is not None)

    def end_placing(self) -> None:
        """No box is wanted any more."""
        self.placing.setChecked(False)

    def current(self) -> Incident | None:
        """The incident that is current."""
        place, held = self.currentRow(), self.incidents
        return held[place] if 0 <= place < len(held) else None

    def _tell_walk(self) -> None:
        held = self.current()
        self.walk_chosen.emit(held if held is not None and held.walk else None)

    def _on_row(self, place: int) -> None:
        if 0 <= place < len(self.incidents):
            held = self.incidents[place]
            self.played.emit(held.start_s, held.end_s)

    def ask_about(self, place: int) -> None:
        """Ask for the name and note of an incident, and whether it is a walk test."""
        recording, view_id = self._deck.recording, self._session.view_id
        if recording is None or not 0 <= place < len(self.incidents):
            return
        names = {held.id: held.name for held in self._session.view.watchers}
        dialog = IncidentDialog(self.incidents[place], names, self)
        if dialog.exec():
            changes = dialog.changes()
            self._session.do(
                tr("Name incident {changes}", changes=changes["name"]),
                lambda site: marking.change_incident(site, view_id, recording.id, place, **changes),
            )

    def remove_current(self) -> None:
        """Take the current incident off."""
        recording, place, view_id = self._deck.recording, self.currentRow(), self._session.view_id
        held = self.current()
        if recording is not None and held is not None:
            self._session.do(
                tr("Take off {name}", name=held.name),
                lambda site: marking.remove_incident(site, view_id, recording.id, place),
            )

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Delete:
            self.remove_current()
        else:
            super().keyPressEvent(event)


class IncidentDialog(QDialog):
    """Name, note and items of an incident."""

    def __init__(self, held: Incident, names: Mapping[str, str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Incident"))
        self.name = QLineEdit(
            held.name, maxLength=80, toolTip=tr("What it is called in lists"), accessibleName=tr("Name")
        )
        self.note = QLineEdit(
            held.note,
            maxLength=500,
            toolTip=tr("Anything worth knowing of it"),
            accessibleName=tr("Note"),
            minimumWidth=280,
        )
        self.walk = QCheckBox(tr("Walk test"), checked=held.walk)
        self.walk.setToolTip(tr("Somebody walked there to test the settings: the picture shows where he was noticed"))
        self.items = QListWidget(accessibleName=tr("Items that must alarm"), maximumHeight=96)
        self.items.setToolTip(
            tr("Zones and wires that must alarm for it. None ticked: those it enters by its place, else any")
        )
        for item_id, name in names.items():
            row = QListWidgetItem(name, self.items)
            row.setData(Qt.ItemDataRole.UserRole, item_id)
            row.setCheckState(Qt.CheckState.Checked if item_id in held.items else Qt.CheckState.Unchecked)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        self._before = held
        form = QFormLayout(self)
        form.addRow(tr("Name"), self.name)
        form.addRow(tr("Note"), self.note)
        form.addRow("", self.walk)
        form.addRow(tr("Must alarm"), self.items)
        form.addRow(buttons)

    def changes(self) -> dict[str, object]:
        """The fields as they were left; an empty name keeps the one before."""
        name = self.name.text().strip() or self._before.name
        rows = [self.items.item(place) for place in range(self.items.count())]
        ticked = (row for row in rows if row.checkState() is Qt.CheckState.Checked)
        items = tuple(str(row.data(Qt.ItemDataRole.UserRole)) for row in ticked)
        return {"name": name, "note": self.note.text().strip(), "walk": self.walk.isChecked(), "items": items}


def _place_text(held: Incident) -> str:
    if not held.place:
        return tr("Its place is not known: it counts by time alone. Place says where it was.")
    return tr("Its place is known at {count} moments", count=len(held.place))
