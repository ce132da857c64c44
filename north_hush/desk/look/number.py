"""Number fields that mean the same everywhere: a point or a comma before the decimals, and no signs between thousands."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QLocale
from PySide6.QtGui import QValidator
from PySide6.QtWidgets import QDoubleSpinBox

from north_hush.core.words import spoken


def plain_number(text: str) -> str:
    """A typed number with a point; '' for one with more than one sign in it, which could be read in two ways."""
    return text.replace(",", ".") if text.count(",") + text.count(".") <= 1 else ""


class NumberBox(QDoubleSpinBox):
    """A field for a number, as the language writes it, whatever the locale of the desktop."""

    def __init__(self, **properties: Any) -> None:
        super().__init__(**properties)
        locale = QLocale(spoken()) if spoken() != "en" else QLocale.c()
        locale.setNumberOptions(QLocale.NumberOption.OmitGroupSeparator | QLocale.NumberOption.RejectGroupSeparator)
        self.setLocale(locale)

    def validate(self, text: str, place: int) -> tuple[QValidator.State, str, int]:
        """Let a comma stand for a point while it is typed."""
        plain = plain_number(text)
        if not plain and text:
            return QValidator.State.Invalid, text, place
        found: Any = super().validate(self._written(plain), place)
        return (found[0], text, place) if isinstance(found, tuple) else (found, text, place)

    def valueFromText(self, text: str) -> float:
        """The number that was typed."""
        return super().valueFromText(self._written(plain_number(text)))

    def _written(self, plain: str) -> str:
        return plain.replace(".", self.locale().decimalPoint())
