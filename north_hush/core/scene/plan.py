"""The plan of a camera view: everything drawn on it, as one value the detector takes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, TypeGuard

from north_hush.core.scene.items import Mask, Privacy, SizeMark, Watcher, Wire, Zone
from north_hush.core.scene.kind import Taught

WithoutZones = Literal["whole_picture", "nothing"]
"""What is watched while no zone is drawn: the whole picture, or deliberately nothing."""


WHOLE_PICTURE_ID = "whole-picture"
"""Settings of the whole picture, watched while no zone is drawn, are kept under this id."""


@dataclass(frozen=True)
class Plan:
    """What is watched, what is left out of it, and what its things are called."""

    zones: tuple[Zone, ...] = ()
    wires: tuple[Wire, ...] = ()
    masks: tuple[Mask, ...] = ()
    privacy: tuple[Privacy, ...] = ()
    size_marks: tuple[SizeMark, ...] = ()
    without_zones: WithoutZones = "whole_picture"
    taught: tuple[Taught, ...] = ()
    """Kinds of one's own."""

    @property
    def watchers(self) -> tuple[Watcher | None, ...]:
        """What is evaluated, zones before wires. None stands for the whole picture."""
        if self.zones or self.without_zones == "nothing":
            return (*self.zones, *self.wires)
        return (None, *self.wires)


def is_crossed(watcher: Watcher | None) -> TypeGuard[Wire]:
    """Tell whether something drawn is a wire watched for crossings, which has no level to pass."""
    return isinstance(watcher, Wire) and watcher.crossed


def watcher_id(watcher: Watcher | None) -> str:
    """Id of a zone or wire; that of the whole picture for None."""
    return watcher.id if watcher else WHOLE_PICTURE_ID
