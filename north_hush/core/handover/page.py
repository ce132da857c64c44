"""Pages of paper as plain HTML that stands by itself: no script, nothing fetched, legible in black and white."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from html import escape

_STYLE = """
body { font-family: sans-serif; font-size: 10pt; color: #000; background: #fff; max-width: 46em; margin: 1em auto; }
h1 { font-size: 16pt; margin: 0 0 4pt 0; } h2 { font-size: 12pt; margin: 12pt 0 4pt 0; }
table { border-collapse: collapse; margin: 4pt 0; } th, td { border: 1px solid #555; text-align: left;
  padding-left: 5px; padding-right: 5px; padding-top: 1px; padding-bottom: 1px; }
p { margin: 3pt 0; } .quiet { color: #444; } img { max-width: 100%; }
@media print { h2 { page-break-after: avoid; } table { page-break-inside: avoid; } }
"""


def page(title: str, parts: Iterable[str]) -> str:
    """A whole page of some parts."""
    return (
        f'<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>{escape(title)}</title><style>{_STYLE}</style></head>'
        f"<body><h1>{escape(title)}</h1>\n" + "\n".join(parts) + "\n</body></html>\n"
    )


def heading(text: str) -> str:
    """A heading."""
    return f"<h2>{escape(text)}</h2>"


def words(text: str, *, quiet: bool = False) -> str:
    """A paragraph; lines stay lines."""
    kind = ' class="quiet"' if quiet else ""
    return f"<p{kind}>{escape(text).replace(chr(10), '<br>')}</p>"


def table(head: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """A table with a head; '' where it has no row."""
    body = "".join("<tr>" + "".join(f"<td>{escape(str(cell))}</td>" for cell in row) + "</tr>" for row in rows)
    if not body:
        return ""
    named = "".join(f"<th>{escape(name)}</th>" for name in head)
    return f'<table border="1" cellspacing="0"><tr>{named}</tr>{body}</table>'


def boxes(texts: Iterable[str]) -> str:
    """Things to do, each with a box to tick."""
    return "".join(f"<p>☐ {escape(text)}</p>" for text in texts)


def picture(data: str, width_px: int = 540) -> str:
    """A picture from an address that holds it."""
    return f'<p><img src="{data}" width="{width_px}" alt="The view with its drawing"></p>'
