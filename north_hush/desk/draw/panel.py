"""Draw stage: what is drawn on the camera view, and everything that is done to it."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.detect.starting import SCENES, Scene
from north_hush.core.scene.items import Privacy, SizeMark
from north_hush.core.site import drawing, edits
from north_hush.core.site.model import Site
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.draw.exchange import Exchange
from north_hush.desk.draw.items import ItemList
from north_hush.desk.draw.numbers import CornerTable
from north_hush.desk.draw.places import PlaceCurve
from north_hush.desk.draw.properties import Properties
from north_hush.desk.draw.proposal import ProposalBox
from north_hush.desk.draw.turned import TurnedBox
from north_hush.desk.draw.uncover import Uncover
from north_hush.desk.look.panel import muted, rule, stage_title, wrapped
from north_hush.desk.look.roles import Theme
from north_hush.desk.look.style import icon
from north_hush.desk.picture.board import ARRANGE, DRAW, OFF, PROPOSE
from north_hush.desk.picture.draft import Kind
from north_hush.desk.picture.pane import PicturePane
from north_hush.desk.picture.tools.arrange import remove_selected
from north_hush.desk.pictures import RESTLESS
from north_hush.desk.session import Session
from north_hush.desk.sight_now import SightNow
from north_hush.desk.walkers import WalkerMarks

KINDS: tuple[tuple[Kind, str, str, str], ...] = (
    ("zone", tr("Zone"), "Z", tr("Draw a region that raises alarms")),
    ("wire", tr("Wire"), "W", tr("Draw a line that is watched for crossings, or must not be broken")),
    ("mask", tr("Mask"), "M", tr("Draw a region that is not watched, or less")),
    ("privacy", tr("Privacy"), "P", tr("Draw a region whose pixels are never shown, exported or saved")),
    ("size", tr("Size mark"), "S", tr("Mark the height of a standing person: pull from the feet to the head")),
)
_ARRANGE_HELP = tr(
    "Click selects, Shift adds. Drag an item or its corners; double click an edge for a new corner, the other button "
    "takes one away. Arrow keys nudge."
)
_FORM_HELP = {
    "corners": tr(
        "Click corner after corner. Enter, a double click or the first corner closes; Backspace takes one back, "
        "Esc leaves, Shift keeps angles."
    ),
    "rectangle": tr("Press, drag, release. The other button cuts a rectangle out of the selected item. Esc leaves."),
    "brush": tr("Paint cells. The other button rubs out; Shift and the wheel change the width. V when done."),
}
_WIRE_HELP = tr(
    "Pull a line, or click points and press Enter. Lay it where feet pass. Then say on which way it is watched; "
    "“broken by anything” is the way it starts."
)
_SIZE_HELP = tr(
    "Press at the feet of somebody standing, pull up to the head. One mark near, one far: a ghost at the mouse then shows "
    "how tall a person is at each place."
)
_PROPOSE_HELP = tr(
    "Wider dots change more often, bars keep a rhythm. Click a place to have it proposed as a mask; 4 comes back here."
)


class DrawPanel(QWidget):
    """Right panel of the Draw stage."""

    def __init__(
        self,
        session: Session,
        deck: Deck,
        sight: SightNow,
        picture: PicturePane,
        theme: Theme,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._session, self._deck, self._picture, self._theme = session, deck, picture, theme
        self._board = picture.board
        self._copied: ZoneSettings | None = None
        self.buttons: dict[Kind, QPushButton] = {}
        for kind, label, key, tip in KINDS:
            button = QPushButton(label, checkable=True, toolTip=f"{tip}  ({key})")
            button.clicked.connect(lambda _, kind=kind: self.draw_new(kind))
            self.buttons[kind] = button
        self.walkers = WalkerMarks(session, deck)
        self.saying = QLabel("")
        self.help = wrapped(muted(""))
        self.walkers.told.connect(self.help.setText)
        self.turned = TurnedBox(sight, deck)
        self.items = ItemList(session, sight, theme)
        self.properties = Properties(session, picture.canvas)
        self.corners = CornerTable(session, picture.canvas)
        self.proposal = ProposalBox(self._board, picture)
        self.uncover = Uncover(session, deck)
        self.places = PlaceCurve(session, deck, picture.canvas)
        picture.canvas.layers.append(lambda painter, _: self.places.paint(painter, self._theme))
        picture.board.snap = self.places.snapped
        self.exchange = Exchange(session, deck, picture.canvas, self)
        self._make_buttons()
        self._lay_out()
        session.changed.connect(self.refresh)
        session.view_changed.connect(self.refresh)
        session.item_selected.connect(lambda _: self.refresh())
        deck.privacy_changed.connect(self.refresh)
        self._board.changed.connect(self._on_board)
        self.dress(theme)

    def _make_buttons(self) -> None:
        self.lock = self._tool(tr("Lock: it cannot be moved or reshaped on the picture"), checkable=True)
        self.lock.clicked.connect(lambda on: self._set_on_selected(tr("Lock") if on else tr("Unlock"), locked=on))
        self.hide_item = self._tool(tr("Hide on the picture; it counts all the same"), checkable=True)
        self.hide_item.clicked.connect(lambda on: self._set_on_selected(tr("Hide") if on else tr("Show"), hidden=on))
        self.numbers = self._tool(tr("Show exact numbers"), checkable=True)
        self.numbers.clicked.connect(lambda _: self.refresh())
        self.duplicate = self._tool(tr("Duplicate  (Ctrl+D)"))
        self.duplicate.clicked.connect(self.duplicate_selected)
        self.remove = self._tool(tr("Delete  (Del)"))
        self.remove.clicked.connect(lambda: remove_selected(self._session))
        self.settings = self._menu_button(tr("Settings"), tr("Copy and paste settings, or take starting values"))
        self.settings.menu().aboutToShow.connect(self._fill_settings)
        self.in_out = self._menu_button(tr("In and out"), tr("Mask images, the shown frame, items as JSON"))
        self.in_out.menu().aboutToShow.connect(lambda: self.exchange.fill(self.in_out.menu()))
        self.empty = wrapped(QLabel(""))
        self.without = QPushButton("", toolTip=tr("What is watched while no zone is drawn"))
        self.without.clicked.connect(self._on_without)

    def _tool(self, tip: str, *, checkable: bool = False) -> QToolButton:
        return QToolButton(toolTip=tip, accessibleName=tip.split("  ", maxsplit=1)[0], checkable=checkable)

    def _menu_button(self, label: str, tip: str) -> QToolButton:
        button = QToolButton(text=label, toolTip=tip, popupMode=QToolButton.ToolButtonPopupMode.InstantPopup)
        button.setMenu(QMenu(button))
        return button

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 8)
        column.setSpacing(8)
        column.addWidget(stage_title(tr("Draw")))
        grid = QGridLayout()
        grid.setSpacing(8)
        for place, button in enumerate(self.buttons.values()):
            grid.addWidget(button, place // 2, place % 2)
        grid.addWidget(self.walkers, len(self.buttons) // 2, len(self.buttons) % 2)
        column.addLayout(grid)
        column.addWidget(self.saying)
        column.addWidget(self.help)
        column.addWidget(self.proposal)
        column.addWidget(rule())
        column.addWidget(self.empty)
        column.addWidget(self.without)
        column.addWidget(self.turned)
        column.addWidget(self.items, 1)
        acts = QHBoxLayout()
        acts.setSpacing(4)
        for act in (self.lock, self.hide_item, self.duplicate, self.numbers, self.remove):
            acts.addWidget(act)
        acts.addStretch(1)
        column.addLayout(acts)
        menus = QHBoxLayout()
        menus.setSpacing(8)
        for menu in (self.settings, self.in_out):
            menu.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            menus.addWidget(menu)
        column.addLayout(menus)
        column.addWidget(self.properties)
        column.addWidget(self.places)
        column.addWidget(self.uncover)
        column.addWidget(self.corners)

    def dress(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        for kind, name in (("zone", "polygon"), ("wire", "line-segment"), ("mask", "selection-slash"),
                           ("privacy", "eye-slash"), ("size", "person")):  # fmt: skip
            self.buttons[kind].setIcon(icon(name, theme))  # type: ignore[index]
        for act, picture in ((self.lock, "lock-simple"), (self.hide_item, "eye-closed"), (self.numbers, "ruler"),
                             (self.duplicate, "copy"), (self.remove, "trash")):  # fmt: skip
            act.setIcon(icon(picture, theme))
        self.walkers.setIcon(icon("person", theme))
        self.items.dress(theme)
        self.refresh()

    # --- tools ------------------------------------------------------------------------------------------------------

    def draw_new(self, kind: Kind) -> None:
        """Draw a new item of a kind on the picture."""
        self._board.draw_new(kind)
        self._picture.canvas.setFocus()

    def enter(self) -> None:
        """The stage is shown: the mouse arranges, or takes proposals on the restlessness map."""
        self._board.use(PROPOSE if self._deck.view_kind == RESTLESS else ARRANGE)
        self._picture.measure_restlessness()

    def leave(self) -> None:
        """Another stage is shown: the mouse draws nothing, and what was uncovered is covered."""
        self._board.use(OFF)
        self._board.propose(None)
        self.uncover.cover()

    def _on_board(self) -> None:
        board = self._board
        for kind, button in self.buttons.items():
            button.setChecked(board.mode == DRAW and board.pencil.kind == kind and board.pencil.onto == "new")
        self.saying.setVisible(board.mode == DRAW)
        self.saying.setText(board.saying)
        if board.mode == PROPOSE:
            self.help.setText(_PROPOSE_HELP)
        elif board.mode != DRAW:
            self.help.setText(_ARRANGE_HELP)
        elif board.pencil.kind in ("wire", "size"):
            self.help.setText(_WIRE_HELP if board.pencil.kind == "wire" else _SIZE_HELP)
        else:
            self.help.setText(_FORM_HELP[board.pencil.form])

    # --- acts -------------------------------------------------------------------------------------------------------

    def duplicate_selected(self) -> None:
        """Put a copy of the selected item beside it and select it."""
        item, view_id = self._session.view.item(self._session.item_id), self._session.view_id
        before = {held.id for held in self._session.view.items}
        if item is not None and self._session.do(
            tr("Duplicate {name}", name=item.name), lambda site: drawing.duplicate_item(site, view_id, item.id)
        ):
            self._session.select(next(held.id for held in self._session.view.items if held.id not in before))

    def copy_settings(self) -> None:
        """Remember the settings of the selected zone or wire."""
        item = self._session.view.item(self._session.item_id)
        if item in self._session.view.watchers and item is not None:
            self._copied = self._session.view.tuning.of(item.id)

    def paste_settings(self) -> None:
        """Give the remembered settings to every selected zone and wire."""
        if self._copied is not None:
            self._give(self._copied, tr("Paste settings"))

    def take_starting_values(self, scene: Scene) -> None:
        """Give the starting values of a kind of scene to every selected zone and wire."""
        index = self._deck.index
        self._give(
            scene.settings(index.frames_per_s if index else 15.0),
            tr("Starting values: {name}", name=scene.name.lower()),
        )

    def _give(self, settings: ZoneSettings, name: str) -> None:
        view_id, chosen = self._session.view_id, self._chosen_watchers()
        if chosen:
            self._session.do(name, lambda site: edits.paste_settings(site, view_id, settings, chosen))

    def _chosen_watchers(self) -> list[str]:
        return [watcher.id for watcher in self._session.view.watchers if watcher.id in self._session.selection]

    def _fill_settings(self) -> None:
        menu = self.settings.menu()
        menu.clear()
        menu.setToolTipsVisible(True)
        some = bool(self._chosen_watchers())
        menu.addAction(tr("Copy settings  (Ctrl+Shift+C)"), self.copy_settings).setEnabled(some)
        menu.addAction(tr("Paste settings  (Ctrl+Shift+V)"), self.paste_settings).setEnabled(
            some and self._copied is not None
        )
        menu.addSeparator()
        for scene in SCENES:
            action = menu.addAction(
                tr("Start as: {name}", name=scene.name.lower()), lambda scene=scene: self.take_starting_values(scene)
            )
            action.setToolTip(scene.reason)
            action.setEnabled(some)

    def _set_on_selected(self, name: str, **changes: bool) -> None:
        view_id, ids = self._session.view_id, self._session.selection

        def edit(site: Site) -> Site:
            for item_id in ids:
                site = drawing.change_item(site, view_id, item_id, **changes)
            return site

        item = self._session.view.item(self._session.item_id)
        self._session.do(f"{name} {item.name if item and len(ids) == 1 else f'{len(ids)} items'}", edit)
        self.refresh()

    def _on_without(self) -> None:
        view_id = self._session.view_id
        whole = self._session.view.without_zones == "whole_picture"
        self._session.do(
            tr("Watch nothing") if whole else tr("Watch the whole picture"),
            lambda site: drawing.watch_without_zones(site, view_id, "nothing" if whole else "whole_picture"),
        )

    def refresh(self) -> None:
        """Show the session's items."""
        view = self._session.view
        self.items.refresh()
        nothing = view.without_zones == "nothing"
        self.empty.setVisible(not view.zones)
        self.without.setVisible(not view.zones)
        self.empty.setText(
            tr("Nothing is watched, on purpose: no zone alarms.")
            if nothing
            else tr("No zone drawn yet, so the whole picture is watched. Choose Zone and click round what matters.")
        )
        self.without.setText(tr("Watch the whole picture") if nothing else tr("Watch nothing on purpose"))
        item = view.item(self._session.item_id)
        for button in (self.lock, self.hide_item, self.duplicate, self.numbers, self.remove):
            button.setEnabled(item is not None)
        self.lock.setChecked(item is not None and item.locked)
        self.hide_item.setChecked(item is not None and item.hidden)
        self.remove.setEnabled(item is not None and not item.locked)
        self.properties.setVisible(item is not None and not isinstance(item, Privacy))
        self.properties.refresh()
        self.corners.setVisible(item is not None and self.numbers.isChecked())
        if self.corners.isVisibleTo(self):
            self.corners.refresh()
        self.settings.setEnabled(not isinstance(item, SizeMark | Privacy))
        self._on_board()
