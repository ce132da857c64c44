"""The operators' guide, to be read beside the work."""

from __future__ import annotations

from importlib import resources

from PySide6.QtGui import QTextBlockFormat, QTextCursor, QTextDocument
from PySide6.QtWidgets import QDialog, QTextBrowser, QVBoxLayout, QWidget

from north_hush.core.words import spoken, tr

_MARGIN_PX, _ABOVE_HEADING_PX, _PARAGRAPH_PX, _LIST_PX, _LINE_PERCENT = 16, 16, 8, 4, 120


def guide_text(language: str) -> str:
    """The guide in a language, in English where it is not written in that one."""
    folder = resources.files("north_hush.desk")
    own = folder / f"guide.{language}.md"
    return (own if own.is_file() else folder / "guide.md").read_text("utf-8")


def _space(document: QTextDocument) -> None:
    """Give paragraphs room; as they are read in they have none between them."""
    document.setDocumentMargin(_MARGIN_PX)
    cursor, block = QTextCursor(document), document.begin()
    while block.isValid():
        form, heading = block.blockFormat(), block.blockFormat().headingLevel() > 0
        form.setTopMargin(_ABOVE_HEADING_PX if heading and block.position() else 0)
        goes_on = block.textList() is not None and block.next().textList() is not None
        form.setBottomMargin(_LIST_PX if goes_on else _PARAGRAPH_PX)
        form.setLineHeight(_LINE_PERCENT, QTextBlockFormat.LineHeightTypes.ProportionalHeight.value)
        cursor.setPosition(block.position())
        cursor.setBlockFormat(form)
        block = block.next()


class Guide(QDialog):
    """A window with the guide; it is read in when it is first wanted."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Guide"))
        self.resize(720, 640)
        self.text = QTextBrowser(openExternalLinks=True, accessibleName=tr("Guide"))
        column = QVBoxLayout(self)
        column.addWidget(self.text)

    def read(self) -> None:
        """Show it; the pictures that docs/guide.md has are left out."""
        if not self.text.toPlainText():
            held = guide_text(spoken())
            self.text.setMarkdown("\n".join(line for line in held.splitlines() if not line.startswith("![")))
            _space(self.text.document())
        self.show()
        self.raise_()
