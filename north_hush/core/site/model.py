"""The site as frozen values. Everything the operator sets up is in here, and nothing else is saved."""

from __future__ import annotations

from collections import Counter
from datetime import date
from typing import Annotated, Any, Literal, Self, TypeVar
from zoneinfo import ZoneInfo

from pydantic import AfterValidator, BaseModel, Field, field_validator, model_validator

from north_hush.core.detect.settings import FACTORY, ZoneSettings
from north_hush.core.errors import SiteError
from north_hush.core.footage.naming import check_pattern
from north_hush.core.hours.clock import Clock, Place, check_hours
from north_hush.core.hours.plan import Hours, HoursText
from north_hush.core.outcome.rules import Disk, Outcome, SecondPlace, Way
from north_hush.core.scene.items import Item, ItemId, ItemName, Mask, Privacy, SizeMark, Watcher, Wire, Zone
from north_hush.core.scene.kind import Taught
from north_hush.core.scene.plan import Plan, WithoutZones
from north_hush.core.sight.rules import BORN, Blindness, SightRule
from north_hush.core.sight.sensors import SENSORS_MOST, Sensor
from north_hush.core.site.handed import HANDED_MOST, Handed
from north_hush.core.site.questions import QUESTIONS_MOST, KeptQuestion
from north_hush.core.site.recording import Part, Recording
from north_hush.core.site.secret import Secret
from north_hush.core.words import tr

FORMAT = "north-hush-site"
VERSION = 16
"""Of the site file. Raise it with every change of the model, with a migration from the one before."""

PartT = TypeVar("PartT", bound=BaseModel)


def replaced(part: PartT, **changes: Any) -> PartT:
    """Return a copy with fields changed and everything checked again (`model_copy` alone does not check).

    Raises
    ------
    pydantic.ValidationError : the changed value makes no sense.
    """
    held = {name: getattr(part, name) for name in type(part).model_fields}
    return type(part).model_validate({**held, **changes})


class Stream(Part):
    """One stream of a camera: its address without a password, and what it is for."""

    address: Annotated[str, Field(min_length=1, max_length=2000)]
    user: Annotated[str, Field(max_length=200)] = ""
    use: Literal["analyse", "record", "both"] = "both"


class Camera(Part):
    """The live camera of a view."""

    source: Literal["rtsp", "http", "device", "recording"]
    """`recording`: one that is played as if it were live."""
    streams: Annotated[tuple[Stream, ...], Field(min_length=1, max_length=8)]
    events: Annotated[str, Field(max_length=2000)] = ""
    """Address of its ONVIF device service, where its own events are listened to as contacts."""


class Tuning(Part):
    """A named set of dials: settings by item id. An item without settings has the factory ones."""

    name: ItemName
    settings: dict[ItemId, ZoneSettings] = Field(default_factory=dict)
    hours: HoursText | None = None
    """When it is on by itself, in a view whose tunings go by hours."""

    def of(self, item_id: str) -> ZoneSettings:
        """Settings of an item."""
        return self.settings.get(item_id, FACTORY)


class View(Part):
    """One fixed camera view: its recordings, what is drawn on it, and its tunings, of which one is in use."""

    id: ItemId
    name: ItemName
    recordings: tuple[Recording, ...] = ()
    name_pattern: Annotated[str, Field(max_length=300), AfterValidator(check_pattern)] = ""
    """How the names of its recordings say when they were taken, where that was shown."""
    camera: Camera | None = None
    """The live camera beside its recordings, where there is one."""
    zones: tuple[Zone, ...] = ()
    wires: tuple[Wire, ...] = ()
    masks: tuple[Mask, ...] = ()
    privacy: tuple[Privacy, ...] = ()
    size_marks: tuple[SizeMark, ...] = ()
    taught: tuple[Taught, ...] = ()
    """Kinds of one's own."""
    without_zones: WithoutZones = "whole_picture"
    hours: Hours = Hours()
    """When its alarms count, its footage is kept, and people are told."""
    item_hours: dict[ItemId, Hours] = Field(default_factory=dict)
    """Hours of zones and wires that differ; they take the place of the view's."""
    outcome: Outcome = Outcome()
    """What its alarms lead to."""
    sensors: Annotated[tuple[Sensor, ...], Field(max_length=SENSORS_MOST)] = ()
    """Sound and input contacts beside the picture, and what they do."""
    sight: dict[Blindness, SightRule | None] = Field(default_factory=dict)
    """Rules of blindness that differ from those a view is born with; None: it is not looked for."""
    tunings: Annotated[tuple[Tuning, ...], Field(min_length=1)] = (Tuning(name="factory"),)
    handed: Annotated[tuple[Handed, ...], Field(max_length=HANDED_MOST)] = ()
    """Sheets that were handed over, the newest last."""
    questions: Annotated[tuple[KeptQuestion, ...], Field(max_length=QUESTIONS_MOST)] = ()
    """Questions to its footage that are kept, to be asked again."""
    tuning_in_use: ItemName = "factory"
    shade: ItemName | None = None
    """A tuning that runs live in the shade of the one that is on: its alarms are only counted."""
    by_hours: bool = False
    """Whether each tuning that has hours is on in them, instead of the one in use."""

    @field_validator("sight")
    @classmethod
    def _hours_are_hours(cls, held: dict[Blindness, SightRule | None]) -> dict[Blindness, SightRule | None]:
        for kind, rule in held.items():
            if rule is not None and rule.hours:
                try:
                    check_hours(rule.hours)
                except ValueError as error:
                    raise ValueError(tr("hours of '{kind}': {error}", kind=kind, error=error)) from error
        return held

    @model_validator(mode="after")
    def _references_hold(self) -> Self:
        _no_twice("recordings", [recording.id for recording in self.recordings])
        _no_twice(tr("ids of what is drawn and of sensors"), [held.id for held in (*self.items, *self.sensors)])
        _no_twice("letters", [watcher.letter for watcher in self.watchers])
        _no_twice("taught", [held.id for held in self.taught])
        watchers = {watcher.id for watcher in self.watchers}
        for mask in self.masks:
            gone = sorted(set(mask.only_for or ()) - watchers)
            if gone:
                raise ValueError(
                    tr(
                        "mask '{name}' is only for '{gone}', which is no zone or wire of this view",
                        name=mask.name,
                        gone=gone[0],
                    )
                )
        names = [tuning.name for tuning in self.tunings]
        _no_twice("tunings", names)
        _no_twice("questions", [held.name for held in self.questions])
        if self.tuning_in_use not in names:
            raise ValueError(
                tr(
                    "tuning_in_use is '{tuning_in_use}', but the tunings are {join}",
                    tuning_in_use=self.tuning_in_use,
                    join=", ".join(names),
                )
            )
        if self.shade is not None and self.shade not in names:
            raise ValueError(
                tr("shade is '{shade}', but the tunings are {join}", shade=self.shade, join=", ".join(names))
            )
        return self

    @property
    def sight_rules(self) -> dict[Blindness, SightRule]:
        """The rules of every kind of blindness that is looked for."""
        held = {kind: self.sight.get(kind, BORN[kind]) for kind in BORN}
        return {kind: rule for kind, rule in held.items() if rule is not None}

    def hours_of(self, item_id: str) -> Hours:
        """Hours of a zone or wire: its own, and where it has none the view's."""
        return self.item_hours.get(item_id, Hours()).over(self.hours)

    @property
    def has_hours(self) -> bool:
        """Whether any hours are stated at all."""
        return not self.hours.plain or any(not held.plain for held in self.item_hours.values())

    @property
    def tuning_otherwise(self) -> Tuning:
        """The tuning that is on where the hours of none hold."""
        return next((tuning for tuning in self.tunings if tuning.hours is None), self.tuning)

    @property
    def tuning(self) -> Tuning:
        """The tuning in use."""
        return self.tuning_named(self.tuning_in_use)

    def tuning_named(self, name: str) -> Tuning:
        """A tuning by name.

        Raises
        ------
        SiteError : there is none of that name.
        """
        found = next((tuning for tuning in self.tunings if tuning.name == name), None)
        if found is None:
            known = ", ".join(tuning.name for tuning in self.tunings)
            raise SiteError(
                tr("tuning '{name}'", name=name),
                tr("is none of view '{name}'.", name=self.name),
                tr("It has {known}.", known=known),
            )
        return found

    @property
    def watchers(self) -> tuple[Watcher, ...]:
        """All that raises alarms: zones, then wires."""
        return (*self.zones, *self.wires)

    @property
    def names(self) -> dict[str, str]:
        """The name of everything that raises alarms, sensors too, by id."""
        return {held.id: held.name for held in (*self.watchers, *self.sensors)}

    @property
    def items(self) -> tuple[Item, ...]:
        """All that is drawn: zones, wires, masks, privacy masks, size marks."""
        return (*self.zones, *self.wires, *self.masks, *self.privacy, *self.size_marks)

    @property
    def plan(self) -> Plan:
        """What is drawn, as the detector takes it."""
        return Plan(self.zones, self.wires, self.masks, self.privacy, self.size_marks, self.without_zones, self.taught)

    def item(self, item_id: str) -> Item | None:
        """What is drawn, by id."""
        return next((item for item in self.items if item.id == item_id), None)


class Site(Part):
    """A place with its camera views: the whole document."""

    format: Literal["north-hush-site"] = "north-hush-site"
    version: Literal[16] = 16
    name: ItemName
    time_zone: Annotated[str, Field(min_length=1, max_length=60)] = "UTC"
    """Name of the IANA time zone whose clock is shown."""
    place: Place | None = None
    """Where it is, for hours by the sun."""
    holidays: Annotated[tuple[date, ...], Field(max_length=4000)] = ()
    """Days that hours name as PH."""
    secret: Secret | None = None
    """The passphrase without which nobody looks under privacy masks or takes them away; None: anybody may."""
    disk: Disk = Disk()
    """The disk its views share."""
    second_place: SecondPlace | None = None
    """Where clips of its live cameras are copied to as well."""
    ways: Annotated[tuple[Way, ...], Field(max_length=50)] = ()
    """How people are told."""
    views: Annotated[tuple[View, ...], Field(min_length=1)]

    @model_validator(mode="after")
    def _references_hold(self) -> Self:
        _no_twice("views", [view.id for view in self.views])
        _no_twice("ways", [way.name for way in self.ways])
        ways = {way.name for way in self.ways}
        for view in self.views:
            for tell in view.outcome.tell:
                gone = next((name for name in (tell.way, *tell.then) if name not in ways), None)
                if gone is not None:
                    raise ValueError(
                        tr("view '{name}' tells by '{gone}', which is no way of this site", name=view.name, gone=gone)
                    )
            for along in view.outcome.along:
                if along.view == view.id or all(along.view != other.id for other in self.views):
                    raise ValueError(
                        tr(
                            "view '{name}' has '{view}' record along, which is no other view of this site",
                            name=view.name,
                            view=along.view,
                        )
                    )
        return self

    def way(self, name: str) -> Way:
        """A way by name.

        Raises
        ------
        SiteError : there is none of that name.
        """
        found = next((way for way in self.ways if way.name == name), None)
        if found is None:
            known = ", ".join(way.name for way in self.ways) or "none"
            raise SiteError(
                tr("way '{name}'", name=name),
                tr("is none of '{name}'.", name=self.name),
                tr("It has {known}.", known=known),
            )
        return found

    @field_validator("time_zone")
    @classmethod
    def _zone_is_known(cls, name: str) -> str:
        try:
            ZoneInfo(name)
        except (ValueError, OSError, LookupError) as error:
            raise ValueError(tr("'{name}' is no IANA time zone; write one as Atlantic/Faroe", name=name)) from error
        return name

    @property
    def zone(self) -> ZoneInfo:
        """The time zone."""
        return ZoneInfo(self.time_zone)

    @property
    def clock(self) -> Clock:
        """What its hours are read on."""
        return Clock(zone=self.time_zone, place=self.place, holidays=self.holidays)

    def view(self, view_id: str) -> View:
        """A view by id; the first one when the id is not there any more."""
        return next((view for view in self.views if view.id == view_id), self.views[0])


def _no_twice(what: str, names: list[str]) -> None:
    twice = sorted(name for name, count in Counter(names).items() if count > 1)
    if twice:
        raise ValueError(tr("{what} must differ, but there is more than one '{twice}'", what=what, twice=twice[0]))
