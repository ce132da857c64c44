"""What is to be kept, told and switched when alarms run, as frozen values with their units."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from north_hush.core.outcome.naming import check_pattern
from north_hush.core.outcome.wording import check_line
from north_hush.core.scene.items import ItemId, ItemName
from north_hush.core.scene.kind import KindId, is_named
from north_hush.core.words import tr

Seconds = Annotated[float, Field(ge=0, le=3600)]
How = Literal["on_alarm", "always", "low_and_full", "never"]
WayKind = Literal["mail", "http", "mqtt", "desktop", "sound", "preset"]


class _Rule(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Limits(_Rule):
    """Which alarms count for a rule. An alarm whose kind or certainty nobody knows always does."""

    kinds: tuple[KindId, ...] = ()
    """Empty: any."""
    least_sure: Annotated[float, Field(ge=0, le=1)] = 0.0

    @property
    def plain(self) -> bool:
        """True when nothing is left out."""
        return not self.kinds and self.least_sure == 0

    def hold(self, kind: str, sure: float | None) -> bool:
        """Whether an alarm of a kind, that is so sure, counts."""
        return not (self.kinds and is_named(kind) and kind not in self.kinds) and (
            sure is None or sure >= self.least_sure
        )


class Keep(Limits):
    """What is kept of the footage.

    `low_and_full` keeps everything in low quality and alarms in full, with a time before and after of its own. Change that lasts under
    `drop_under_frames` in every alarm of a clip drops the clip. 0 s between snapshots makes none.
    """

    how: How = "on_alarm"
    before_s: Seconds = 5.0
    after_s: Seconds = 10.0
    after_from: Literal["end", "start"] = "end"
    full_before_s: Seconds = 5.0
    full_after_s: Seconds = 10.0
    low_share: Annotated[float, Field(gt=0, le=1)] = 0.2
    """Bytes of the low quality, as a share of the recording's own."""
    join_s: Seconds = 2.0
    longest_s: Annotated[float, Field(ge=5, le=24 * 3600)] = 600.0
    drop_under_frames: Annotated[int, Field(ge=0, le=1000)] = 0
    sound: bool = False
    """Whether what is recorded of a live camera keeps its sound; in many countries nobody's voice may be."""
    snapshot_every_s: Seconds = 0.0
    snapshots_most: Annotated[int, Field(ge=1, le=1000)] = 20
    clips_days: Annotated[float, Field(gt=0, le=3650)] = 90.0
    continuous_days: Annotated[float, Field(gt=0, le=3650)] = 30.0
    quota_gb: Annotated[float, Field(gt=0, le=1e6)] | None = None
    """The most this view takes of the disk; None: what is there."""

    @property
    def before(self) -> float:
        """Seconds of a clip before the alarm."""
        return self.full_before_s if self.how == "low_and_full" else self.before_s

    @property
    def after(self) -> float:
        """Seconds of a clip after it."""
        return self.full_after_s if self.how == "low_and_full" else self.after_s


class Stamp(_Rule):
    """A time stamp burnt into what is cut."""

    corner: Literal["top_left", "top_right", "bottom_left", "bottom_right"] = "top_left"
    height_percent: Annotated[float, Field(ge=1, le=20)] = 4.0


class Naming(_Rule):
    """How files are called and written."""

    pattern: Annotated[str, Field(min_length=1, max_length=200), AfterValidator(check_pattern)] = (
        "{view}/{start}-{item}"
    )
    container: Literal["mkv", "mp4"] = "mkv"
    picture: Literal["jpg", "png"] = "jpg"
    stamp: Stamp | None = None


class Tell(Limits):
    """Who is told of which alarms, and at most how often. `items` empty: of all."""

    way: ItemName
    items: tuple[ItemId, ...] = ()
    every_s: Annotated[float, Field(ge=0, le=24 * 3600)] = 300.0
    collect: bool = True
    """What came meanwhile is told together when the interval is over; else it is held back."""
    subject: Annotated[str, Field(min_length=1, max_length=200), AfterValidator(check_line)] = "{view}: {items}, {time}"
    picture: Literal["none", "crop", "view", "both"] = "both"
    link: Annotated[str, Field(max_length=500)] = ""
    """An address of the live picture, that is sent along."""
    instruction: Annotated[str, Field(max_length=500)] = ""
    unanswered_s: Seconds = 0.0
    then: Annotated[tuple[ItemName, ...], Field(max_length=10)] = ()
    """The ways that are told one after the other, each when nobody answered for so many seconds."""

    @model_validator(mode="after")
    def _chain_ends(self) -> Self:
        chain = (self.way, *self.then)
        if len(set(chain)) < len(chain):
            raise ValueError(
                tr("then names a way twice ({join}); a chain that comes round never ends", join=", ".join(chain))
            )
        if self.then and not self.unanswered_s:
            raise ValueError(tr("unanswered_s is 0: state after how many seconds the next one is told"))
        return self


class Switch(_Rule):
    """An output contact that is on for some seconds from the start of an alarm."""

    contact: ItemName
    hold_s: Annotated[float, Field(gt=0, le=3600)] = 10.0
    items: tuple[ItemId, ...] = ()


class Along(_Rule):
    """Another view, by id, that records too while alarms of this one run; with times before and after, limits and hours of its own."""

    view: Annotated[str, Field(min_length=1, max_length=100)]
    items: tuple[ItemId, ...] = ()


class Outcome(_Rule):
    """All that alarms of a view lead to."""

    keep: Keep = Keep()
    item_keep: dict[ItemId, Keep] = {}
    """Of zones and wires that differ: limits, times before and after, dropping and snapshots; the rest is the view's."""
    tell: Annotated[tuple[Tell, ...], Field(max_length=50)] = ()
    switch: Annotated[tuple[Switch, ...], Field(max_length=50)] = ()
    along: Annotated[tuple[Along, ...], Field(max_length=50)] = ()
    naming: Naming = Naming()

    @model_validator(mode="after")
    def _along_is_clear(self) -> Self:
        views = [held.view for held in self.along]
        if len(set(views)) < len(views):
            raise ValueError(tr("along names a view twice ({join})", join=", ".join(views)))
        return self

    def keep_of(self, item: str) -> Keep:
        """What is kept of alarms of an item."""
        return self.item_keep.get(item, self.keep)


class Disk(_Rule):
    """The disk that the views of a site share."""

    size_gb: Annotated[float, Field(gt=0, le=1e7)] = 1000.0
    reserve_gb: Annotated[float, Field(ge=0, le=1e7)] = 10.0

    @model_validator(mode="after")
    def _room_is_left(self) -> Self:
        if self.reserve_gb >= self.size_gb:
            raise ValueError(
                tr(
                    "reserve_gb is {reserve_gb:g}, which leaves nothing of {size_gb:g} GB",
                    reserve_gb=self.reserve_gb,
                    size_gb=self.size_gb,
                )
            )
        return self


class SecondPlace(_Rule):
    """Where clips are copied to as well: a folder, sftp://[USER@]HOST[:PORT]/PATH, or a WebDAV address (http, https)."""

    to: Annotated[str, Field(min_length=1, max_length=2000)]
    user: Annotated[str, Field(max_length=200)] = ""

    @model_validator(mode="after")
    def _is_a_place(self) -> Self:
        scheme = self.to.split("://", 1)[0] if "://" in self.to else ""
        if scheme not in ("", "sftp", "http", "https"):
            raise ValueError(
                tr("to is '{to_}'; a place is a folder, sftp://HOST/PATH, or http(s)://HOST/PATH", to_=self.to)
            )
        if not scheme and not self.to.startswith("/"):
            raise ValueError(tr("to is '{to_}'; write the whole path of the folder", to_=self.to))
        if scheme and ":" in self.to.split("://", 1)[1].split("@")[0] and "@" in self.to:
            raise ValueError(tr("to has a password in its address; it belongs into the keyring"))
        return self


class Way(_Rule):
    """A way to tell somebody. The address holds no password: that lies in the keyring.

    Of mail `to` is who gets it, of MQTT the topic, of HTTP the method, and of a steerable camera the preset it turns to.
    """

    name: ItemName
    kind: WayKind
    address: Annotated[str, Field(max_length=2000)] = ""
    user: Annotated[str, Field(max_length=200)] = ""
    sender: Annotated[str, Field(max_length=200)] = ""
    to: Annotated[str, Field(max_length=500)] = ""
    secure: Literal["none", "starttls", "tls"] = "starttls"
    headers: dict[str, str] = {}
    body: Literal["json", "form"] = "json"

    @model_validator(mode="after")
    def _is_whole(self) -> Self:
        needs = {
            "mail": ("address", "to"),
            "http": ("address",),
            "mqtt": ("address", "to"),
            "preset": ("address", "to"),
        }
        for field in needs.get(self.kind, ()):
            if not getattr(self, field).strip():
                raise ValueError(
                    tr("way '{name}' ({kind}) needs '{field}'", name=self.name, kind=self.kind, field=field)
                )
        if "@" in self.address.split("://")[-1].split("/")[0]:
            raise ValueError(
                tr("way '{name}' has a user in its address; write it as 'user', and no password here", name=self.name)
            )
        return self
