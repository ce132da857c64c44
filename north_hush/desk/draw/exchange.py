"""In and out of the Draw stage: mask images, the shown frame, items as JSON."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QBuffer, QObject
from PySide6.QtGui import QGuiApplication, QImage
from PySide6.QtWidgets import QFileDialog, QMenu, QMessageBox, QWidget

from north_hush.core.errors import HushError, SiteError
from north_hush.core.scene.mask_image import (
    Format,
    Polarity,
    WrongSize,
    detection_strengths,
    mask_image,
    privacy_strengths,
    read_mask_image,
)
from north_hush.core.scene.painted import painted
from north_hush.core.site import drawing
from north_hush.core.site.model import Site
from north_hush.core.site.sheet import SHEET_SUFFIX, Sheet, paste_sheet, read_sheet, sheet_of, sheet_text
from north_hush.core.site.whole import write_whole
from north_hush.core.words import tr
from north_hush.desk.deck import Deck
from north_hush.desk.picture.canvas import Canvas
from north_hush.desk.session import Session

_IMAGES = tr("Mask images (*.png *.pgm)")
_SAVED = tr("PNG (*.png);;PGM, binary (*.pgm);;PGM, plain (*.pgm)")
_FORMATS: dict[str, Format] = {"PGM, binary (*.pgm)": "pgm", "PGM, plain (*.pgm)": "pgm-plain"}
POLARITIES: tuple[tuple[Polarity, str], ...] = (
    ("white_watched", tr("white is watched")),
    ("black_watched", tr("black is watched")),
)


class Exchange(QObject):
    """Reads and writes what is drawn; errors go the session's way."""

    def __init__(self, session: Session, deck: Deck, canvas: Canvas, parent: QWidget) -> None:
        super().__init__(parent)
        self._session, self._deck, self._canvas, self._window = session, deck, canvas, parent
        self._still_to: Path | None = None
        deck.still.connect(self._on_still)

    def fill(self, menu: QMenu) -> None:
        """Offer everything there is in a menu."""
        menu.clear()
        for polarity, words in POLARITIES:
            menu.addAction(tr("Import mask image, {words}…", words=words), lambda p=polarity: self.import_mask(p))
        for polarity, words in POLARITIES:
            menu.addAction(
                tr("Export detection mask, {words}…", words=words), lambda p=polarity: self.export_mask("detection", p)
            )
        for polarity, words in POLARITIES:
            shown = words.replace("watched", "shown")
            menu.addAction(
                tr("Export privacy mask, {shown}…", shown=shown), lambda p=polarity: self.export_mask("privacy", p)
            )
        menu.addAction(tr("Import privacy image, white is shown…"), self.import_privacy)
        menu.addAction(tr("Save the shown frame as PNG…"), self.save_frame)
        menu.addSeparator()
        menu.addAction(tr("Save all items…"), self.save_items)
        menu.addAction(tr("Load items…"), self.load_items)
        others = [view for view in self._session.site.views if view.id != self._session.view_id]
        copies = menu.addMenu(tr("Copy selected items to"))
        copies.setEnabled(bool(others) and bool(self._session.selection))
        for view in others:
            copies.addAction(view.name, lambda view_id=view.id, name=view.name: self.copy_to(view_id, name))

    # --- mask images ------------------------------------------------------------------------------------------------

    def import_mask(self, polarity: Polarity) -> None:
        """Ask for an image and add it as a mask."""
        path = self._ask_image()
        if path is not None:
            self.read_mask(path, polarity)

    def read_mask(self, path: Path, polarity: Polarity, *, privacy: bool = False, rescale: bool = False) -> None:
        """Add an image as a mask; one of another size is offered to be rescaled."""
        width, height = self._canvas.picture_size
        try:
            strengths = read_mask_image(path, width, height, polarity, rescale=rescale)
        except WrongSize as wrong:
            if self._ask_rescale(str(wrong)):
                self.read_mask(path, polarity, privacy=privacy, rescale=True)
            return
        except HushError as error:
            self._session.failed.emit(error)
            return
        image, view_id, name = painted(strengths), self._session.view_id, path.stem[:60]
        add = drawing.add_privacy if privacy else drawing.add_mask
        if self._session.do(tr("Import {name}", name=path.name), lambda site: add(site, view_id, image, name)):
            view = self._session.view
            self._session.select((view.privacy if privacy else view.masks)[-1].id)

    def import_privacy(self) -> None:
        """Ask for an image and add it as a privacy mask."""
        path = self._ask_image()
        if path is not None:
            self.read_mask(path, "white_watched", privacy=True)

    def _ask_image(self) -> Path | None:
        name, _ = QFileDialog.getOpenFileName(self._window, tr("Import a mask image"), str(self._folder), _IMAGES)
        return Path(name) if name else None

    def _ask_rescale(self, said: str) -> bool:
        answer = QMessageBox.question(
            self._window, tr("Another size"), tr("{said}\n\nRescale it to the picture?", said=said)
        )
        return answer == QMessageBox.StandardButton.Yes

    def export_mask(self, what: str, polarity: Polarity) -> None:
        """Ask for a file and write the masks as an image of the picture's size."""
        suggested = str(self._folder / f"{what}-mask.png")
        name, chosen = QFileDialog.getSaveFileName(self._window, tr("Export {what} mask", what=what), suggested, _SAVED)
        if name:
            self.write_mask(Path(name), what, polarity, _FORMATS.get(chosen))

    def write_mask(self, path: Path, what: str, polarity: Polarity, kind: Format | None = None) -> None:
        """Write the "detection" or "privacy" masks; the format is by the file's name when it is not stated."""
        width, height = self._canvas.picture_size
        view = self._session.view
        if what == "privacy":
            strengths = privacy_strengths(view.privacy, width, height)
        else:
            strengths = detection_strengths(view.masks, width, height)
        kind = kind or ("pgm" if path.suffix.lower() == ".pgm" else "png")
        self._write(path, mask_image(strengths, kind, polarity))

    # --- the shown frame --------------------------------------------------------------------------------------------

    def save_frame(self) -> None:
        """Ask for a file and save the shown frame at its exact size, privacy masks covered."""
        name, _ = QFileDialog.getSaveFileName(
            self._window, tr("Save the shown frame"), str(self._folder / "frame.png"), tr("PNG (*.png)")
        )
        if name:
            self.write_frame(Path(name))

    def write_frame(self, path: Path) -> None:
        """Save the shown frame once it is there."""
        self._still_to = path
        self._deck.pictures.ask_still(self._deck.frame)

    def _on_still(self, _: int, image: QImage) -> None:
        path, self._still_to = self._still_to, None
        if path is not None:
            held = QBuffer()
            image.save(held, "PNG")
            self._write(path, bytes(held.data().data()))

    # --- items ------------------------------------------------------------------------------------------------------

    def copy(self) -> None:
        """Put the selected items on the clipboard as JSON."""
        if self._session.selection:
            QGuiApplication.clipboard().setText(sheet_text(sheet_of(self._session.view, self._session.selection)))

    def paste(self) -> None:
        """Add the items on the clipboard."""
        self._take(QGuiApplication.clipboard().text(), "clipboard", tr("Paste items"))

    def save_items(self) -> None:
        """Ask for a file and write all items as JSON."""
        suggested = str(self._folder / f"{self._session.view.name}{SHEET_SUFFIX}")
        name, _ = QFileDialog.getSaveFileName(self._window, tr("Save all items"), suggested, tr("Items (*.json)"))
        if name:
            view = self._session.view
            self._write(Path(name), sheet_text(sheet_of(view, {item.id for item in view.items})).encode())

    def load_items(self) -> None:
        """Ask for a file and add its items."""
        name, _ = QFileDialog.getOpenFileName(self._window, tr("Load items"), str(self._folder), tr("Items (*.json)"))
        if name:
            path = Path(name)
            try:
                text = path.read_text("utf-8")
            except (OSError, UnicodeDecodeError) as error:
                self._session.failed.emit(
                    SiteError(str(path), tr("cannot be read ({error}).", error=error), tr("Check the file."))
                )
                return
            self._take(text, str(path), tr("Load {name}", name=path.name))

    def copy_to(self, view_id: str, name: str) -> None:
        """Copy the selected items to another camera view, with their settings."""
        sheet = sheet_of(self._session.view, self._session.selection)
        self._session.do(tr("Copy items to {name}", name=name), lambda site: paste_sheet(site, view_id, sheet)[0])

    def _take(self, text: str, subject: str, name: str) -> None:
        try:
            sheet = read_sheet(text, subject)
        except HushError as error:
            self._session.failed.emit(error)
            return
        self._add(sheet, name)

    def _add(self, sheet: Sheet, name: str) -> None:
        view_id = self._session.view_id
        added: list[str] = []

        def edit(site: Site) -> Site:
            after, ids = paste_sheet(site, view_id, sheet)
            added.extend(ids)
            return after

        if self._session.do(name, edit):
            self._session.select_many(tuple(added))

    # --- files ------------------------------------------------------------------------------------------------------

    @property
    def _folder(self) -> Path:
        return self._session.path.parent

    def _write(self, path: Path, data: bytes) -> None:
        try:
            write_whole(path, data)
        except OSError as error:
            self._fail(path, tr("cannot be written ({strerror}).", strerror=error.strerror))

    def _fail(self, path: Path, what: str) -> None:
        self._session.failed.emit(SiteError(str(path), what, tr("Choose another folder, or free some space.")))
