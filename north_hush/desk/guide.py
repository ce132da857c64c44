"""The operators' guide, to be read beside the work."""

from __future__ import annotations

from importlib import resources

from PySide6.QtWidgets import QDialog, QTextBrowser, QVBoxLayout, QWidget

from north_hush.core.words import tr


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
            held = (resources.files("north_hush.desk") / "guide.md").read_text("utf-8")
            self.text.setMarkdown("\n".join(line for line in held.splitlines() if not line.startswith("![")))
        self.show()
        self.raise_()
