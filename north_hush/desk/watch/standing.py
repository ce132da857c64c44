"""How each camera stands, by what the service says: a value that every event changes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from north_hush.core.words import tr

LATE_MS = 2000
"""A picture that is later than this is said to be late."""


@dataclass(frozen=True)
class CameraStanding:
    """One camera.

    Attributes
    ----------
    since : when it came to be as it is: quiet since the last alarm ended, lost since the picture went
    running : names of items whose alarm runs, with when it started
    fault : what is wrong; '' when nothing is
    by_hand : armed or not by hand, and until when; None while the hours count
    walk_began, walk_until : of a walk test that runs, or is over and nobody has said so yet
    """

    view: str
    since: datetime | None = None
    running: Mapping[str, datetime] = field(default_factory=dict)
    fault: str = ""
    picture: bool = False
    writing: bool = False
    lag_ms: int = 0
    levels: Mapping[str, float] = field(default_factory=dict)
    by_hand: tuple[bool, datetime] | None = None
    walk_began: datetime | None = None
    walk_until: datetime | None = None

    def after(self, event: Mapping[str, Any], names: Mapping[str, str]) -> CameraStanding:
        """How it stands after an event; `names` are those of items."""
        at, what = datetime.fromisoformat(event["time_utc"]), event["what"]
        item = names.get(event.get("item", ""), event.get("item", ""))
        if what == "picture":
            return replace(self, picture=True, fault="", since=at)
        if what in ("arm", "disarm", "hours", "walk", "walk_over"):
            return self._said_by_hand(event, at)
        if what == "mended":
            return replace(self, fault="")
        if what == "state":
            return replace(self, lag_ms=int(event["lag_ms"]), levels=dict(event["levels"]))
        if what == "alarm_start":
            return replace(self, running={**self.running, item: at}, since=at)
        if what == "alarm_end":
            left = {name: began for name, began in self.running.items() if name != item}
            return replace(self, running=left, since=at if not left else self.since)
        if what == "clip_start":
            return replace(self, writing=True)
        if what == "clip":
            return replace(self, writing=False)
        if what == "fault":
            return self._faulty(event, at)
        if what == "end":
            return replace(self, picture=False, fault="The recording that was played has ended.", running={})
        return self

    def _said_by_hand(self, event: Mapping[str, Any], at: datetime) -> CameraStanding:
        what = event["what"]
        if what == "walk":
            return replace(self, walk_began=at, walk_until=datetime.fromisoformat(event["until_utc"]))
        if what == "walk_over":
            return replace(self, walk_began=None, walk_until=None)
        if what == "hours":
            return replace(self, by_hand=None, walk_until=at if self.walk_until is not None else None)
        return replace(self, by_hand=(what == "arm", datetime.fromisoformat(event["until_utc"])))

    def walking(self, now: datetime) -> bool:
        """Whether a walk test runs."""
        return self.walk_until is not None and now < self.walk_until

    def _faulty(self, event: Mapping[str, Any], at: datetime) -> CameraStanding:
        said = f"{event['fault']}: {event.get('said', '')}".strip(": ")
        lost = event["fault"] in ("no picture", "picture lost", "camera process ended")
        if not lost:
            return replace(self, fault=said)
        since = self.since if not self.picture and self.since is not None else at
        return replace(self, picture=False, fault=said, running={}, since=since, writing=False)

    @property
    def alarmed(self) -> bool:
        return bool(self.running)

    def headline(self, now: datetime) -> str:
        """The one thing that matters, in words."""
        if self.alarmed:
            return tr(
                "Alarm: {join}, {span_text}",
                join=", ".join(self.running),
                span_text=span_text(now, min(self.running.values())),
            )
        if not self.picture:
            return (
                tr("No picture for {span_text}", span_text=span_text(now, self.since))
                if self.since is not None
                else tr("Waiting for a picture")
            )
        return (
            tr("Quiet for {span_text}", span_text=span_text(now, self.since)) if self.since is not None else tr("Quiet")
        )

    def details(self, *, armed: bool, now: datetime | None = None) -> str:
        """What else there is to say, in words."""
        said = ["armed" if armed else tr("not armed")]
        if now is not None and self.by_hand is not None and now < self.by_hand[1]:
            left = span_text(self.by_hand[1], now)
            said = [
                tr(
                    "{value} by hand for another {left}",
                    value=tr("armed") if self.by_hand[0] else tr("not armed"),
                    left=left,
                )
            ]
        if now is not None and self.walking(now):
            said = [tr("walk test: nothing is recorded or told")]
        elif self.writing:
            said.append("recording")
        if self.lag_ms > LATE_MS:
            said.append(tr("{lag_ms:.0f} s late", lag_ms=self.lag_ms / 1000))
        return ", ".join(said) + (f". {self.fault}" if self.fault else "")


def span_text(now: datetime, since: datetime | None) -> str:
    """How long ago something was, in the two largest units."""
    seconds = 0 if since is None else max(0, round((now - since).total_seconds()))
    days, hours, minutes = seconds // 86400, seconds // 3600 % 24, seconds // 60 % 60
    if days:
        return f"{days} d {hours} h"
    if hours:
        return tr("{hours} h {minutes} min", hours=hours, minutes=minutes)
    return tr("{minutes} min {seconds} s", minutes=minutes, seconds=seconds % 60) if minutes else f"{seconds} s"
