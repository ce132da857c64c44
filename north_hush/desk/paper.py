"""Pages as PDF (A4): the same HTML, laid out and printed."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QMarginsF
from PySide6.QtGui import QPageLayout, QPageSize, QPdfWriter, QTextDocument

from north_hush.core.errors import SiteError
from north_hush.core.words import tr
from north_hush.desk.app import application

_MARGIN_MM = 14


def write_pdf(html: str, title: str, target: Path) -> None:
    """Print a page of `handover.page` to a file.

    Raises
    ------
    SiteError : the file cannot be written.
    """
    application()
    part = target.with_name(f".{target.name}.part")
    writer = QPdfWriter(str(part))
    writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
    writer.setPageMargins(QMarginsF(_MARGIN_MM, _MARGIN_MM, _MARGIN_MM, _MARGIN_MM), QPageLayout.Unit.Millimeter)
    writer.setTitle(title)
    writer.setCreator(tr("North Hush"))
    document = QTextDocument()
    document.documentLayout().setPaintDevice(writer)
    document.setHtml(html)
    document.print_(writer)
    del writer  # only now is it whole on disk
    try:
        part.replace(target)
    except OSError as error:
        raise SiteError(
            str(target),
            tr("cannot be written ({strerror}).", strerror=error.strerror),
            tr("Check the folder and permissions."),
        ) from error
