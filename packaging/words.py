"""Collect the texts of core and desk for translation, merge them into each catalogue, and compile it.

Texts that are new stand in the `.po` files without a translation, those that are gone are left out.
"""

from __future__ import annotations

import sys
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.extract import extract_from_dir
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

ROOT = Path(__file__).parent.parent / "north_hush"
KEYWORDS = {"tr": None, "trn": (1, 2), "marked": None}
HEADER = "# Texts of North Hush. ./run words collects what is new, and compiles this file."


def collected() -> Catalog:
    """Every text that is looked up somewhere."""
    found = Catalog()
    for room in ("core", "desk"):
        for _, _, text, _, _ in extract_from_dir(ROOT / room, keywords=KEYWORDS):
            found.add(text)
    return found


def merged(before: Catalog, texts: Catalog) -> Catalog:
    """The texts of now with the translations there are."""
    made = Catalog(locale=before.locale, project="North Hush", version="1", header_comment=HEADER, fuzzy=False)
    made.creation_date = made.revision_date = before.creation_date  # so that only texts change the file
    for message in texts:
        if message.id:
            held = before.get(message.id)
            empty = "" if isinstance(message.id, str) else ("", "")
            made.add(message.id, held.string if held is not None else empty)
    for message in made:
        message.flags.discard("python-format")  # a percent sign is one; fields are in braces
    return made


def main() -> None:
    texts = collected()
    for path in sorted((ROOT / "locale").glob("*/LC_MESSAGES/*.po")):
        with path.open("rb") as file:
            made = merged(read_po(file), texts)
        with path.open("wb") as file:
            write_po(file, made, width=0, sort_output=True, no_location=True)
        with path.with_suffix(".mo").open("wb") as file:
            write_mo(file, made)
        lacking = sum(
            not all([held.string] if isinstance(held.string, str) else held.string) for held in made if held.id
        )
        sys.stdout.write(f"{path.name} ({made.locale}): {len(texts)} texts, {lacking} without a translation\n")


if __name__ == "__main__":
    main()
