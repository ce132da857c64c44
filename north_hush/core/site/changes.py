"""What changed between two versions of a site, in words."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import PurePath
from typing import Any, TypeVar

from pydantic import BaseModel

from north_hush.core.detect.dials import DIALS
from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.scene.items import FIELDS, Item, SizeMark
from north_hush.core.scene.plan import WHOLE_PICTURE_ID
from north_hush.core.site.model import Site, Tuning, View
from north_hush.core.site.recording import Recording
from north_hush.core.words import tr

_KINDS = {
    "zones": "zone",
    "wires": "wire",
    "masks": "mask",
    "privacy": tr("privacy mask"),
    "size_marks": tr("size mark"),
}
_SHAPES = ("area", "line", "outline", "painted", "foot")
_LABELS = {dial.field: (dial.label.lower(), dial.unit) for dial in DIALS} | {
    "kinds": (tr("kinds that are reported"), "")
}
PartT = TypeVar("PartT", bound=BaseModel)


def changes(before: Site, after: Site) -> list[str]:
    """Say what is different in `after`, a sentence each, view by view."""
    return list(_site(before, after))


def _site(before: Site, after: Site) -> Iterator[str]:
    yield from _fields(tr("The site"), before, after, ("name", "time_zone"))
    if before.secret != after.secret:
        yield tr("The passphrase was ") + (
            tr("taken away.") if after.secret is None else "set." if before.secret is None else "changed."
        )
    for view, now in _pairs(before.views, after.views):
        if view is None and now is not None:
            yield tr("View '{name}' was added.", name=now.name)
        elif view is not None and now is None:
            yield tr("View '{name}' was removed.", name=view.name)
        elif view is not None and now is not None:
            yield from (f"{now.name}: {said}" for said in _view(view, now))


def _view(before: View, after: View) -> Iterator[str]:
    yield from _fields(tr("the view"), before, after, ("name", "without_zones", "tuning_in_use", "by_hours"))
    if before.camera != after.camera:
        yield tr("the live camera is another one.")
    for held, now in _pairs(before.recordings, after.recordings):
        yield from _recording(held, now)
    for field in FIELDS.values():
        yield from _items(_KINDS[field], getattr(before, field), getattr(after, field))
    names = {watcher.id: watcher.name for watcher in (*before.watchers, *after.watchers)}
    tunings = {tuning.name: tuning for tuning in before.tunings}
    for tuning in after.tunings:
        if tuning.name not in tunings:
            yield tr("tuning '{name}' was added.", name=tuning.name)
        else:
            yield from _tuning(tunings[tuning.name], tuning, names)
    yield from (
        tr("tuning '{name}' was removed.", name=name)
        for name in tunings
        if name not in {tuning.name for tuning in after.tunings}
    )


def _recording(before: Recording | None, after: Recording | None) -> Iterator[str]:
    if before is None or after is None:
        held = before or after
        assert held is not None
        yield tr(
            "recording {name} was {value}.",
            name=PurePath(held.path).name,
            value=tr("added") if before is None else tr("taken off"),
        )
        return
    name = tr("recording {name}", name=PurePath(after.path).name)
    if before.fingerprint != after.fingerprint:
        yield tr("{name} is another file.", name=name)
    yield from _fields(
        name, before, after, ("path", "frames_per_s", "light", "hours_per_day", "clock_offset_s", "taken_at")
    )
    if before.orientation != after.orientation:
        yield tr("{name} is turned another way.", name=name)
    for what, count in (("incidents", "incidents"), ("verdicts", "verdicts")):
        was, now = getattr(before.truth, count), getattr(after.truth, count)
        if was != now:
            yield f"{name}: {what} {_counted(len(was), len(now))}."
    if before.truth.complete != after.truth.complete:
        yield tr(
            "{name}: all incidents are {value} said to be marked.",
            name=name,
            value=tr("now") if after.truth.complete else tr("no longer"),
        )
    if before.device_alarms != after.device_alarms:
        yield tr(
            "{name}: the device's alarms {counted}.",
            name=name,
            counted=_counted(len(before.device_alarms), len(after.device_alarms)),
        )


def _counted(before: int, after: int) -> str:
    return (
        tr("changed, still {after}", after=after)
        if before == after
        else tr("from {before} to {after}", before=before, after=after)
    )


def _items(kind: str, before: Sequence[Item], after: Sequence[Item]) -> Iterator[str]:
    for held, now in _pairs(before, after):
        if now is None and held is not None:
            yield tr("{kind} '{name}' was removed.", kind=kind, name=held.name)
        elif held is None and now is not None:
            yield tr("{kind} '{name}' was drawn.", kind=kind, name=now.name)
        elif held is not None and now is not None and held != now:
            shaped = any(getattr(held, field, None) != getattr(now, field, None) for field in _SHAPES)
            if shaped:
                yield tr(
                    "{kind} '{name}' was {value}.",
                    kind=kind,
                    name=now.name,
                    value=tr("moved") if isinstance(now, SizeMark) else tr("moved or reshaped"),
                )
            others = tuple(field for field in type(now).model_fields if field not in (*_SHAPES, "id"))
            yield from _fields(f"{kind} '{now.name}'", held, now, others)


def _tuning(before: Tuning, after: Tuning, names: dict[str, str]) -> Iterator[str]:
    if before.hours != after.hours:
        yield tr("{name} is on by itself: {value}.", name=after.name, value=after.hours or "never")
    for item in dict.fromkeys((*before.settings, *after.settings)):
        name = tr("the whole picture") if item == WHOLE_PICTURE_ID else f"'{names.get(item, item)}'"
        yield from (f"{after.name}, {name}: {said}" for said in _dials(before.of(item), after.of(item)))


def _dials(before: ZoneSettings, after: ZoneSettings) -> Iterator[str]:
    everything = tr("all")
    for field in type(FACTORY).model_fields:
        was, now = getattr(before, field), getattr(after, field)
        if was != now:
            label, unit = _LABELS.get(field, (field.replace("_", " "), ""))
            yield tr(
                "{label} {shown} to {shown2}{value}.",
                label=label,
                shown=_shown(was, everything),
                shown2=_shown(now, everything),
                value=f" {unit}" if unit else "",
            )


def _fields(what: str, before: BaseModel, after: BaseModel, fields: Sequence[str]) -> Iterator[str]:
    for field in fields:
        was, now = getattr(before, field), getattr(after, field)
        if was != now:
            yield tr(
                "{what}: {replace} {shown} to {shown2}.",
                what=what,
                replace=field.replace("_", " "),
                shown=_shown(was),
                shown2=_shown(now),
            )


def _shown(value: Any, none: str = "nothing") -> str:
    if value in (None, "", ()):
        return none
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:g}"
    return ", ".join(map(str, value)) if isinstance(value, tuple) else str(value)


def _pairs(before: Sequence[PartT], after: Sequence[PartT]) -> Iterator[tuple[PartT | None, PartT | None]]:
    """Parts of either side by their ids, in the order of the later one; what is gone comes first."""
    held = {str(getattr(part, "id")): part for part in before}  # noqa: B009 - every part that is paired has one
    now = {str(getattr(part, "id")): part for part in after}  # noqa: B009
    yield from ((part, None) for name, part in held.items() if name not in now)
    yield from ((held.get(name), part) for name, part in now.items())
