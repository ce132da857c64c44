"""What is kept of a live camera: clips around alarms out of a ring, and where all is kept, files one after the other.

The ring holds whole groups of pictures. A clip is what came before an alarm, then what comes, until the time after is over; clips in
which change was too brief are taken away again. An operator may record by hand: that is a clip that ends when they say so.
"""

from __future__ import annotations

from collections.abc import Callable, Set
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Literal
from zoneinfo import ZoneInfo

from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.grid import Grid
from north_hush.core.outcome.naming import Names
from north_hush.core.outcome.raisers import ON_BOTH, Raisers
from north_hush.core.outcome.replay import how_said
from north_hush.core.outcome.rules import How, Keep
from north_hush.core.site.model import View
from north_hush.core.watch.happening import Happening
from north_hush.core.watch.live_file import WRITING_FAILS, LiveFile, Quality, Seen, copies, covered
from north_hush.core.watch.ring import Ring
from north_hush.core.watch.sources import LiveFrame, Opened, said_of

_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_CONTINUOUS: dict[How, Quality] = {"always": "full", "low_and_full": "low"}
"""How everything is kept, beside clips or instead of them."""
BY_HAND = "by hand"
_ALONG, _FAR_US = "with ", 5 * US_PER_S
"""Before the name of a view that asked for a clip; and how far apart two cameras' clocks may be."""
Act = Literal["start", "stop", "new"]


@dataclass
class _Clip:
    """A clip that is being written, and of what."""

    file: LiveFile
    items: tuple[str, ...]
    lasted: bool = False


class Recorder:
    """Give it every frame, then what happened with it."""

    def __init__(
        self,
        view: View,
        source: Opened,
        grid: Grid,
        folder: Path,
        zone: ZoneInfo,
        kept: Callable[[str, int], bool] = lambda item, at_us: True,
        said: Callable[[int], str] = lambda at_us: "",
        *,
        seen: bool = True,
    ) -> None:
        self._view, self._source, self._grid, self._folder, self._zone = view, source, grid, folder, zone
        self._kept, self._said, self._seen = kept, said, seen
        self._names = Names(view.outcome.naming.pattern)
        self._ring = Ring()
        self._clip: _Clip | None = None
        self._all: LiveFile | None = None
        """The file that everything goes into."""
        self._until_us: int | None = None
        """When the clip is over; None while an alarm runs."""
        self._running: set[str] = set()
        self._raisers = Raisers()
        self._act: Act | None = None
        self._asked: list[Happening] = []
        """What other views asked for since the last frame."""
        self._since: dict[str, int] = {}
        """When they began to."""
        self._copies = copies(source, view)

    def take(self, view: View, at_us: int) -> list[Happening]:
        """Use other rules from now on; a clip that runs ends by its own. Where other privacy masks are to hold, what is written ends at
        once, and what was kept of the time before is let go: it was covered otherwise, or not at all."""
        before, self._view = self._view, view
        if view.privacy == before.privacy:
            return []
        self._copies = copies(self._source, view)
        return self.lost(at_us)

    def by_hand(self, act: Act) -> None:
        """Start or stop a clip, or begin a new file, with the next frame."""
        self._act = act

    def along(self, view: str, at_us: int, frames: int | None) -> None:
        """Record along with another view from an instant on; or up to it, with the frames that change lasted in there."""
        what = "alarm_start" if frames is None else "alarm_end"
        facts = {} if frames is None else {"frames": frames}
        self._asked.append(Happening(at_us, what, f"{_ALONG}{view}", facts))

    def _keep(self, item: str) -> Keep:
        return self._view.outcome.keep_of(item)

    # --- what comes -------------------------------------------------------------------------------------------------

    def frame(self, seen: Seen, happened: list[Happening]) -> list[Happening]:
        """Take a frame and what happened with it; files that began, ended or failed."""
        found: list[Happening] = []
        frame = seen.frame
        self._into_ring(seen)
        sensors = {sensor.id for sensor in self._view.sensors}
        for one in (*happened, *self._acted(frame), *self._taken_along(frame)):
            makes_clip = one.what == "alarm_start" and self._makes_clip(one, sensors)
            self._follow(one, sensors)
            if makes_clip:
                self._running.add(one.item)
                if self._said(one.time_us) == ON_BOTH:
                    self._running |= self._raisers.others(one.item, sensors)
                self._until_us = None
                if self._clip is None:
                    found += self._open(one, frame)
                elif one.item not in self._clip.items:
                    self._clip.items += (one.item,)
            elif one.what == "alarm_end" and one.item in self._running:
                self._alarm_over(one)
        if self._clip is not None:
            longest = self._view.outcome.keep.longest_s * US_PER_S
            if frame.key and frame.time_us - self._clip.file.start_us >= longest:
                found += self._split(seen)
            else:
                found += self._write(seen)
            if self._until_us is not None and frame.time_us >= self._until_us:
                found += self.finish(frame.time_us)
        return found + self._go_on(seen)

    def _follow(self, one: Happening, sensors: Set[str]) -> None:
        """Know which alarms run, also those that lead to no clip."""
        if one.item == BY_HAND or one.item.startswith(_ALONG):
            return
        if one.what == "alarm_start":
            self._raisers.start(one.item)
        elif one.what == "alarm_end":
            self._raisers.end(one.item, one.time_us, is_sensor=one.item in sensors)

    def _makes_clip(self, one: Happening, sensors: Set[str]) -> bool:
        """Whether an alarm leads to a clip of its own: not where everything is kept in full, or something else must raise it."""
        if one.item == BY_HAND:
            return True
        said = self._said(one.time_us)
        how = how_said(said, self._keep(one.item).how)
        if not one.item.startswith(_ALONG) and not self._raisers.opens(said, one.item, one.time_us, sensors):
            return False
        return how in ("on_alarm", "low_and_full") and self._kept(one.item, one.time_us)

    def _acted(self, frame: LiveFrame) -> list[Happening]:
        """What an operator did by hand, as a clip's begin and end."""
        act, self._act = self._act, None
        held = BY_HAND in self._running
        ends = [Happening(frame.time_us, "alarm_end", BY_HAND)] if held and act in ("stop", "new") else []
        begins = [Happening(frame.time_us, "alarm_start", BY_HAND)] if act == "start" and not held else []
        if act == "new" and self._clip is not None:
            self._until_us = frame.time_us
        return [*ends, *begins]

    def _taken_along(self, frame: LiveFrame) -> list[Happening]:
        """What other views asked for. Where their cameras' clocks are far from this one's, it counts from now."""
        asked, self._asked = self._asked, []
        found = list[Happening]()
        for one in asked:
            at_us = one.time_us if abs(one.time_us - frame.time_us) <= _FAR_US else frame.time_us
            since_us = self._since.setdefault(one.item, at_us)
            if one.what == "alarm_end":
                del self._since[one.item]
            found.append(replace(one, time_us=at_us, facts={**one.facts, "start_us": since_us}))
        return found

    def _alarm_over(self, one: Happening) -> None:
        self._running.discard(one.item)
        if one.item == BY_HAND:
            after_us, lasted = one.time_us, True
        else:
            keep = self._keep(one.item)
            lasted = one.facts.get("frames", 1) >= keep.drop_under_frames
            anchor = one.time_us if keep.after_from == "end" else int(one.facts.get("start_us", one.time_us))
            after_us = max(anchor + round(keep.after * US_PER_S), one.time_us)
        if self._clip is not None:
            self._clip.lasted = self._clip.lasted or lasted
        if not self._running:
            self._until_us = after_us

    def finish(self, at_us: int) -> list[Happening]:
        """Close the clip that is written, if one is."""
        clip, self._clip, self._until_us = self._clip, None, None
        if clip is None:
            return []
        kept = clip.lasted or any(self._keep(item).drop_under_frames == 0 for item in clip.items)
        clip.file.close(keep=kept)
        why = "alarm" if clip.items != (BY_HAND,) else BY_HAND
        facts = {
            "file": str(clip.file.path) if kept else None,
            "start_us": clip.file.start_us,
            "frames": clip.file.frames,
            "items": list(clip.items),
            "why": why if kept else "dropped: change lasted too few frames",
        }
        return [Happening(at_us, "clip", clip.items[0], facts)]

    def lost(self, at_us: int) -> list[Happening]:
        """The picture is lost: what is written ends, and the ring is another stream's."""
        self._running.clear()
        self._raisers.clear()
        self._asked.clear()
        self._since.clear()
        self._ring.clear()
        if self._clip is not None:
            self._clip.lasted = True  # nobody knows how long it would have lasted
        return [*self.finish(at_us), *self._end_all(at_us)]

    # --- the ring ---------------------------------------------------------------------------------------------------

    def _into_ring(self, seen: Seen) -> None:
        """Keep what may come before an alarm."""
        frame = seen.frame
        if self._copies:  # without their pictures, which are a hundred times as large and not written
            seen = replace(seen, frame=replace(frame, picture=None))
        else:
            picture = covered(frame.picture, self._grid, self._view)
            seen = replace(seen, frame=LiveFrame(picture, frame.time_us, True, sound=frame.sound))
        watchers = self._view.watchers
        before = max((self._keep(item.id).before for item in watchers), default=self._view.outcome.keep.before)
        self._ring.push(seen, frame.time_us - round(before * US_PER_S))

    # --- the clip ---------------------------------------------------------------------------------------------------

    def _open(self, one: Happening, frame: LiveFrame) -> list[Happening]:
        """Begin a clip with what the ring holds of the time before."""
        begin_us = one.time_us - round(self._keep(one.item).before * US_PER_S)
        held = self._ring.since(begin_us)
        started = self._begin((one.item,), held[0].frame.time_us)
        for earlier in held[:-1]:  # the last one is the frame of now, which is written next
            started += self._write(earlier)
        return started

    def _begin(self, items: tuple[str, ...], start_us: int) -> list[Happening]:
        made = self._file(items[0], start_us, "full")
        if isinstance(made, Happening):
            return [made]
        self._clip = _Clip(made, items)
        return [Happening(start_us, "clip_start", items[0], {"file": str(made.path)})]

    def _write(self, seen: Seen) -> list[Happening]:
        if self._clip is None:
            return []
        try:
            self._clip.file.write(seen)
        except WRITING_FAILS as error:
            clip, self._clip = self._clip, None
            return [_failed(clip.file, seen.frame.time_us, error)]
        return []

    def _split(self, seen: Seen) -> list[Happening]:
        """The clip is at its longest: the next one begins with this key frame."""
        clip, at_us = self._clip, seen.frame.time_us
        assert clip is not None
        clip.lasted, until = True, self._until_us
        found = [*self.finish(at_us), *self._begin(clip.items, at_us)]
        self._until_us = until
        if self._clip is not None:
            self._clip.lasted = True
            found += self._write(seen)
        return found

    # --- everything -------------------------------------------------------------------------------------------------

    def _go_on(self, seen: Seen) -> list[Happening]:
        """Where everything is kept: files one after the other, each from a key frame and as long as a clip at most."""
        keep, at_us = self._view.outcome.keep, seen.frame.time_us
        quality, found = _CONTINUOUS.get(how_said(self._said(at_us), keep.how)), list[Happening]()
        wanted = quality is not None and self._kept("", at_us)
        key = seen.frame.key or not self._copies or quality == "low"
        over = self._all is not None and at_us - self._all.start_us >= keep.longest_s * US_PER_S and key
        if self._all is not None and (over or not wanted):
            found += self._end_all(at_us)
        if self._all is None and wanted and key and quality is not None:
            made = self._file("", at_us, quality)
            if isinstance(made, Happening):
                return [*found, made]
            self._all = made
        if self._all is not None:
            try:
                self._all.write(seen)
            except WRITING_FAILS as error:
                failed, self._all = self._all, None
                found.append(_failed(failed, at_us, error))
        return found

    def _end_all(self, at_us: int) -> list[Happening]:
        file, self._all = self._all, None
        if file is None:
            return []
        file.close()
        facts = {"file": str(file.path), "start_us": file.start_us, "frames": file.frames, "why": "always"}
        return [Happening(at_us, "footage", "", facts)]

    # --- files ------------------------------------------------------------------------------------------------------

    def _file(self, item: str, start_us: int, quality: Quality) -> LiveFile | Happening:
        """A file that is not there yet; a fault where it cannot be written."""
        path = self._free(item, start_us)
        while path.exists():  # of an earlier run
            path = self._free(item, start_us)
        try:
            return LiveFile(path, self._source, self._grid, self._view, start_us, quality, seen=self._seen)
        except WRITING_FAILS as error:
            return Happening(
                start_us, "fault", item, {"fault": "cannot write", "said": said_of(error), "file": str(path)}
            )

    def _free(self, item: str, start_us: int) -> Path:
        return self._folder / self._names.free(self._fields(item, start_us), ".mkv")

    def _fields(self, item: str, at_us: int) -> dict[str, str]:
        at = (_EPOCH + timedelta(microseconds=at_us)).astimezone(self._zone)
        start = f"{at:%Y-%m-%dT%H%M%S}.{at.microsecond // 10_000:02d}"
        return {
            "view": self._view.name, "item": self._view.names.get(item, item or "all"), "kind": "unclear",
            "recording": "live", "date": f"{at:%Y-%m-%d}", "time": f"{at:%H%M%S}", "start": start, "end": start,
        }  # fmt: skip


def _failed(file: LiveFile, at_us: int, error: BaseException) -> Happening:
    """A file that cannot be written any more; what is in it stays."""
    file.close()
    return Happening(at_us, "fault", "", {"fault": "recording failed", "said": said_of(error), "file": str(file.path)})
