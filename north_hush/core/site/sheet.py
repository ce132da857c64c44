"""Items on their own, as JSON: for the clipboard, for files, and for another camera view."""

from __future__ import annotations

import json
from collections.abc import Collection
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.errors import SiteError
from north_hush.core.scene.items import FIELDS, Item, ItemId, Mask, Privacy, SizeMark, Wire, Zone
from north_hush.core.site.drawing import add_item, fresh_item
from north_hush.core.site.edits import put_settings
from north_hush.core.site.file import describe_invalid
from north_hush.core.site.model import Site, View, replaced
from north_hush.core.words import tr

SHEET_SUFFIX = ".items.json"
_MANY = 2000
_SHEET_CHARACTERS_MAX = 64 * 1024**2


class Sheet(BaseModel):
    """Items of a view with the settings they have in its tuning in use."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: Literal["north-hush-items"] = "north-hush-items"
    version: Literal[2] = 2
    zones: Annotated[tuple[Zone, ...], Field(max_length=_MANY)] = ()
    wires: Annotated[tuple[Wire, ...], Field(max_length=_MANY)] = ()
    masks: Annotated[tuple[Mask, ...], Field(max_length=_MANY)] = ()
    privacy: Annotated[tuple[Privacy, ...], Field(max_length=_MANY)] = ()
    size_marks: Annotated[tuple[SizeMark, ...], Field(max_length=_MANY)] = ()
    settings: dict[ItemId, ZoneSettings] = {}

    @property
    def items(self) -> tuple[Item, ...]:
        """All of them, watchers before masks."""
        return (*self.zones, *self.wires, *self.masks, *self.privacy, *self.size_marks)


def sheet_of(view: View, item_ids: Collection[str]) -> Sheet:
    """The named items of a view."""
    held = {field: tuple(item for item in getattr(view, field) if item.id in item_ids) for field in FIELDS.values()}
    settings = {item_id: dials for item_id, dials in view.tuning.settings.items() if item_id in item_ids}
    return Sheet.model_validate({**held, "settings": settings})


def sheet_text(sheet: Sheet) -> str:
    """A sheet as JSON."""
    return sheet.model_dump_json(indent=1) + "\n"


def read_sheet(text: str, subject: str) -> Sheet:
    """Read items from JSON; `subject` says where it came from.

    Raises
    ------
    SiteError : it is not JSON, not items, or a field makes no sense (which is named).
    """
    try:
        if len(text) > _SHEET_CHARACTERS_MAX:
            raise SiteError(subject, tr("is larger than 64 MB, which no items are."), tr("Choose something else."))
        held = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise SiteError(
            subject, tr("holds no items: it is not JSON ({error}).", error=error), tr("Copy items first.")
        ) from error
    if not isinstance(held, dict) or held.get("format") != "north-hush-items":
        raise SiteError(subject, tr("holds JSON, but no North Hush items."), tr("Copy items first."))
    try:
        return Sheet.model_validate_json(json.dumps(held))
    except ValidationError as error:
        raise SiteError(subject, describe_invalid(error), tr("Nothing was added.")) from error


def paste_sheet(site: Site, view_id: str, sheet: Sheet) -> tuple[Site, tuple[str, ...]]:
    """Add the items of a sheet to a view under free ids and letters, with their settings in its tuning in use.

    A mask that is only for some zones goes on being for those, where they came along or are there.

    Returns
    -------
    The site, and the ids of what was added.
    """
    renamed: dict[str, str] = {}
    for item in sheet.items:
        view = site.view(view_id)
        fresh = fresh_item(view, item)
        if isinstance(fresh, Mask) and fresh.only_for is not None:
            held = {watcher.id for watcher in view.watchers}
            names = [renamed.get(name, name) for name in fresh.only_for]
            fresh = replaced(fresh, only_for=tuple(name for name in names if name in held))
        site = add_item(site, view_id, fresh)
        renamed[item.id] = fresh.id
        if item.id in sheet.settings:
            site = put_settings(site, view_id, site.view(view_id).tuning_in_use, fresh.id, sheet.settings[item.id])
    return site, tuple(renamed.values())
