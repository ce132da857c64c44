"""The text of a file that somebody or some device wrote as a table: read whole, within a bound."""

from __future__ import annotations

from pathlib import Path

from north_hush.core.errors import SiteError


def table_text(path: Path, bytes_max: int, too_large: str) -> str:
    """Read a file as UTF-8 text.

    Raises
    ------
    SiteError : it cannot be read, is larger than `bytes_max` (`too_large` tells the way out), or is no text.
    """
    try:
        if path.stat().st_size > bytes_max:
            raise SiteError(str(path), f"is larger than {bytes_max // 1_000_000} MB.", too_large)
        return path.read_text("utf-8-sig")
    except OSError as error:
        raise SiteError(str(path), f"cannot be read ({error.strerror}).", "Check the name.") from error
    except UnicodeDecodeError as error:
        raise SiteError(str(path), "is not text in UTF-8.", "Save it as UTF-8.") from error
