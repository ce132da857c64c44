"""Texts in the language that was chosen. They are written in English where they are used, and looked up in a catalogue of gettext.

What stands in the code is the key, so that a text nobody translated is told in English. Numbers and dates within a text follow the
language. The language is one for a process: `NORTH_HUSH_LANGUAGE`, or what `speak` says before other modules are imported, since
many texts are put together then.
"""

from __future__ import annotations

import gettext
import os
from datetime import date
from functools import cache
from pathlib import Path
from string import Formatter
from typing import Any

LANGUAGES = {"en": "English", "de": "Deutsch"}
VARIABLE = "NORTH_HUSH_LANGUAGE"
_DOMAIN, _FOLDER = "north_hush", Path(__file__).parent.parent / "locale"
_COMMA = frozenset({"de"})
"""Languages that write 1.234,5."""
_SWAPPED = str.maketrans(",.", ".,")
_NAMES = ("%a", "%A", "%b", "%B")


@cache
def _catalogue(language: str) -> gettext.NullTranslations:
    return gettext.translation(_DOMAIN, _FOLDER, [language], fallback=True)


class _Spoken:
    """What is spoken now."""

    def __init__(self, language: str) -> None:
        self.language = language if language in LANGUAGES else "en"
        self.catalogue = _catalogue(self.language)


_now = _Spoken(os.environ.get(VARIABLE, "en"))


def speak(language: str) -> None:
    """Speak a language from now on, here and in processes that are started; English where it is none of `LANGUAGES`."""
    _now.__init__(language)  # type: ignore[misc]
    os.environ[VARIABLE] = _now.language


def spoken() -> str:
    """The language that is spoken, as its ISO 639 code."""
    return _now.language


def tr(text: str, /, **values: object) -> str:
    """A text in the language that is spoken, with values in its fields (as of `str.format`)."""
    if _now.language != "en":
        text = _now.catalogue.gettext(text) if text else text
    return _filled(text, values) if values else text


def trn(one: str, many: str, count: float, /, **values: object) -> str:
    """The same for a text that depends on a count."""
    if _now.language == "en":
        return _filled(one if count == 1 else many, values)
    return _filled(_now.catalogue.ngettext(one, many, 1 if count == 1 else 2), values)


def marked(text: str) -> str:
    """A text that is a value too, as it is kept: whoever shows it puts it in the language."""
    return text


def begun(text: str) -> str:
    """A text that begins with a capital letter, the others as they are."""
    return text[:1].upper() + text[1:]


def number(value: float, spec: str = "") -> str:
    """A number as the language writes it, by a format as of `format`."""
    made = format(value, spec)
    return made.translate(_SWAPPED) if _now.language in _COMMA else made


def _filled(text: str, values: dict[str, Any]) -> str:
    return text.format(**values) if _now.language == "en" else _FORMATTER.vformat(text, (), values)


class _OfLanguage(Formatter):
    def format_field(self, value: Any, format_spec: str) -> str:
        if isinstance(value, float) or (isinstance(value, int) and format_spec):
            return number(value, format_spec)
        if isinstance(value, date) and any(name in format_spec for name in _NAMES):
            return _named_date(value, format_spec)
        return str(format(value, format_spec))


_FORMATTER = _OfLanguage()


def _named_date(moment: date, spec: str) -> str:
    """A date whose names of days and months are words of the language."""
    days = (tr("Mon"), tr("Tue"), tr("Wed"), tr("Thu"), tr("Fri"), tr("Sat"), tr("Sun"))
    months = (
        tr("Jan"), tr("Feb"), tr("Mar"), tr("Apr"), tr("May"), tr("Jun"),
        tr("Jul"), tr("Aug"), tr("Sep"), tr("Oct"), tr("Nov"), tr("Dec"),
    )  # fmt: skip
    for name in ("%a", "%A"):
        spec = spec.replace(name, days[moment.weekday()])
    for name in ("%b", "%B"):
        spec = spec.replace(name, months[moment.month - 1])
    return format(moment, spec)
