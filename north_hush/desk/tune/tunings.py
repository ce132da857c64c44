"""The named tunings of a view: which is in use, new ones, and one shown beside it."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QInputDialog, QLabel, QMenu, QToolButton, QVBoxLayout, QWidget

from north_hush.core.site import edits
from north_hush.core.site.model import View
from north_hush.core.words import tr
from north_hush.desk.comparison import Comparison
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import icon
from north_hush.desk.session import Session


class TuningRow(QWidget):
    """The tuning in use, with a menu."""

    def __init__(self, session: Session, comparison: Comparison, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._comparison = session, comparison
        self.box = QComboBox(
            toolTip=tr("The named set of dials in use for this camera view"), accessibleName=tr("Tuning")
        )
        self.box.currentTextChanged.connect(session.use_tuning)
        self.menu_button = QToolButton(toolTip=tr("New, rename, remove, or show another tuning beside this one"))
        self.menu_button.setAccessibleName(tr("More about tunings"))
        self.menu_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu = QMenu(self.menu_button)
        self.menu.aboutToShow.connect(self._fill)
        self.menu_button.setMenu(self.menu)
        self.hours = QLabel(wordWrap=True)
        self.hours.setProperty("role", "muted")
        self.hours.setAccessibleName(tr("When the tunings are on"))
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(self.box, 1)
        row.addWidget(self.menu_button)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(row)
        column.addWidget(self.hours)
        self.dress(theme)
        self.refresh()

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self.menu_button.setIcon(icon("dots-three", theme))

    def refresh(self) -> None:
        """Show the session's tunings."""
        view = self._session.view
        with QSignalBlocker(self.box):
            self.box.clear()
            self.box.addItems([tuning.name for tuning in view.tunings])
            self.box.setCurrentText(view.tuning_in_use)
        self.hours.setText(_said_of_hours(view))
        self.hours.setVisible(bool(self.hours.text()))

    def _fill(self) -> None:
        view = self._session.view
        self.menu.clear()
        self.menu.addAction(tr("New tuning, from this one…"), self.ask_new)
        self.menu.addAction(tr("Rename…"), self.ask_name)
        removing = self.menu.addAction(tr("Remove"), self.remove)
        removing.setEnabled(len(view.tunings) > 1)
        self.menu.addSeparator()
        self.menu.addAction(tr("When “{tuning_in_use}” is on…", tuning_in_use=view.tuning_in_use), self.ask_hours)
        switching = self.menu.addAction(tr("Each tuning in its hours"), self.switch)
        switching.setEnabled(any(held.hours is not None for held in view.tunings))
        self._mark(switching, view.by_hours)
        self.menu.addSeparator()
        nothing = self.menu.addAction(tr("Nothing beside it"), lambda: self._comparison.show_beside(""))
        self._mark(nothing, not self._comparison.beside)
        for tuning in view.tunings:
            if tuning.name != view.tuning_in_use:
                action = self.menu.addAction(
                    tr("Show “{name}” beside it", name=tuning.name),
                    lambda name=tuning.name: self._comparison.show_beside(name),
                )
                self._mark(action, self._comparison.beside == tuning.name)
        if view.camera is not None:
            self.menu.addSeparator()
            self._mark(self.menu.addAction(tr("Nothing in its shade"), lambda: self.shade(None)), view.shade is None)
            for tuning in view.tunings:
                if tuning.name != view.tuning_in_use:
                    action = self.menu.addAction(
                        tr("Run “{name}” in its shade", name=tuning.name), lambda name=tuning.name: self.shade(name)
                    )
                    self._mark(action, view.shade == tuning.name)

    def shade(self, name: str | None) -> None:
        """Let a tuning run live in the shade of the one in use, or none."""
        view_id = self._session.view_id
        self._session.do(tr("Tuning in the shade"), lambda site: edits.run_in_shade(site, view_id, name))

    @staticmethod
    def _mark(action: QAction, checked: bool) -> None:
        action.setCheckable(True)
        action.setChecked(checked)

    def ask_new(self) -> None:
        """Ask for a name and start a tuning with the dials of the one in use."""
        name, given = QInputDialog.getText(self, tr("New tuning"), tr("Name, such as day or night:"))
        view_id, like = self._session.view_id, self._session.view.tuning_in_use
        if given and name.strip():
            self._session.do(
                tr("New tuning {name}", name=name.strip()),
                lambda site: edits.add_tuning(site, view_id, name.strip(), like),
            )

    def ask_name(self) -> None:
        """Ask for another name of the tuning in use."""
        before, view_id = self._session.view.tuning_in_use, self._session.view_id
        name, given = QInputDialog.getText(self, tr("Rename tuning"), tr("Name:"), text=before)
        if given and name.strip() and name.strip() != before:
            self._session.do(
                tr("Rename tuning {before}", before=before),
                lambda site: edits.rename_tuning(site, view_id, before, name.strip()),
            )

    def ask_hours(self) -> None:
        """Ask when the tuning in use is on by itself."""
        view, view_id = self._session.view, self._session.view_id
        text, given = QInputDialog.getText(
            self,
            tr("When “{tuning_in_use}” is on", tuning_in_use=view.tuning_in_use),
            "By itself, such as sunset-sunrise or Mo-Fr 06:00-18:00; empty for never:",
            text=view.tuning.hours or "",
        )
        if given and text.strip() != (view.tuning.hours or ""):
            self._session.do(
                tr("When {tuning_in_use} is on", tuning_in_use=view.tuning_in_use),
                lambda site: edits.set_tuning_hours(site, view_id, view.tuning_in_use, text.strip() or None),
            )

    def switch(self) -> None:
        """Let each tuning be on in its hours, or the one in use always."""
        view_id, on = self._session.view_id, not self._session.view.by_hours
        what = tr("Tunings in their hours") if on else tr("One tuning at all hours")
        self._session.do(what, lambda site: edits.go_by_hours(site, view_id, on=on))

    def remove(self) -> None:
        """Remove the tuning in use; undo brings it back."""
        name, view_id = self._session.view.tuning_in_use, self._session.view_id
        self._session.do(tr("Remove tuning {name}", name=name), lambda site: edits.remove_tuning(site, view_id, name))


def _said_of_hours(view: View) -> str:
    """When which tuning is on, in words; nothing where the one in use always is."""
    if not view.by_hours:
        return ""
    timed = [f"{held.name}: {held.hours}" for held in view.tunings if held.hours is not None]
    if view.tuning.hours is None and view.tuning != view.tuning_otherwise:
        timed.append(tr("{tuning_in_use}: never", tuning_in_use=view.tuning_in_use))
    return tr("On in their hours: {join}. Else {name}.", join="; ".join(timed), name=view.tuning_otherwise.name)
