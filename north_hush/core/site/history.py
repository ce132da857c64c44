"""Undo and redo: the values the site has had, each with the name of what was done."""

from __future__ import annotations

from dataclasses import dataclass

from north_hush.core.site.model import Site

LENGTH_MAX = 500


@dataclass(frozen=True)
class Step:
    """A value of the site and the name of the act that led to it; `drag` groups the moves of one drag."""

    name: str
    site: Site
    drag: str = ""


class History:
    """A list of steps and a place in it. Doing something after an undo drops what was undone."""

    def __init__(self, site: Site) -> None:
        self._steps = [Step("", site)]
        self._at = 0

    @property
    def site(self) -> Site:
        return self._steps[self._at].site

    @property
    def undo_name(self) -> str:
        """Name of what undo would take back, empty when there is nothing."""
        return self._steps[self._at].name if self._at else ""

    @property
    def redo_name(self) -> str:
        return self._steps[self._at + 1].name if self._at + 1 < len(self._steps) else ""

    @property
    def names(self) -> list[str]:
        """Names of the steps that can be undone, oldest first."""
        return [step.name for step in self._steps[1 : self._at + 1]]

    @property
    def undone_names(self) -> list[str]:
        """Names of the steps that can be done again, next first."""
        return [step.name for step in self._steps[self._at + 1 :]]

    def at(self, steps_done: int) -> Site:
        """The site as it was when so many steps were done; beyond the ends that at the end."""
        return self._steps[min(max(0, steps_done), len(self._steps) - 1)].site

    def go_to(self, steps_done: int) -> Site:
        """Go to where so many steps are done; beyond the ends goes to the ends."""
        self._at = min(max(0, steps_done), len(self._steps) - 1)
        return self.site

    def is_drag(self, drag: str) -> bool:
        """Tell whether the last step belongs to a drag."""
        return bool(drag) and self._steps[self._at].drag == drag

    def do(self, name: str, site: Site, drag: str = "") -> bool:
        """Take a step; moves of the same drag become one. False when nothing changed."""
        if site == self.site:
            return False
        del self._steps[self._at + 1 :]
        if self._at and self.is_drag(drag):
            self._steps[self._at] = Step(name, site, drag)
        else:
            self._steps.append(Step(name, site, drag))
            del self._steps[: max(0, len(self._steps) - LENGTH_MAX)]
            self._at = len(self._steps) - 1
        return True
