"""The operators' guide, to be read beside the work."""

from __future__ import annotations

from importlib import resources

from PySide6.QtWidgets import QDialog, QTextBrowser, QVBoxLayout, QWidget

from north_hush.core.words import spoken, tr


def guide_text(language: str) -> str:
    """The guide in a language, in English where it is not written in that one."""
    folder = resources.files("north_hush.desk")
    own = folder / f"guide.{language}.md"
    return (own if own.is_file() else folder / "guide.md").read_text("utf-8")


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
        self.show()
        self.raise_()
