"""The text of a file that somebody or some device wrote as a table: read whole, within a bound."""

from __future__ import annotations

import csv
import io
from pathlib import Path
from typing import Any

from north_hush.core.errors import SiteError
from north_hush.core.words import tr

_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def plain_cell(value: object) -> object:
    """A value for a table: text that a spreadsheet would run as a formula gets an apostrophe before it."""
    return f"'{value}" if isinstance(value, str) and value.startswith(_FORMULA) else value


def table_rows(
    text: str, path: Path, dialect: str | type[csv.Dialect] = "excel"
) -> tuple[list[str], list[dict[str, Any]]]:
    """Column names and rows of a CSV text with a header.

    Raises
    ------
    SiteError : a line is no CSV; it names the line.
    """
    reader = csv.DictReader(io.StringIO(text), dialect=dialect)
    try:
        return list(reader.fieldnames or ()), list(reader)
    except csv.Error as error:
        raise SiteError(
            tr("{path}, line {line_num}", path=path, line_num=reader.line_num),
            tr("is no CSV ({error}).", error=error),
            tr("Export it again."),
        ) from error


def table_text(path: Path, bytes_max: int, too_large: str) -> str:
    """Read a file as UTF-8 text.

    Raises
    ------
    SiteError : it cannot be read, is larger than `bytes_max` (`too_large` tells the way out), or is no text.
    """
    try:
        if path.stat().st_size > bytes_max:
            raise SiteError(str(path), tr("is larger than {bytes_max} MB.", bytes_max=bytes_max // 1000000), too_large)
        return path.read_text("utf-8-sig")
    except OSError as error:
        raise SiteError(
            str(path), tr("cannot be read ({strerror}).", strerror=error.strerror), tr("Check the name.")
        ) from error
    except UnicodeDecodeError as error:
        raise SiteError(str(path), tr("is not text in UTF-8."), tr("Save it as UTF-8.")) from error
