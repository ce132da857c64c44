"""What people ask of a service that runs: arming, walk tests, clips by hand, replies, and how things stand."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from north_hush.core.errors import SiteError
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.site.model import View
from north_hush.core.watch.book import Book
from north_hush.core.watch.by_hand import HOURS_COUNT, ByHand
from north_hush.core.watch.control import Order
from north_hush.core.watch.inputs import Change
from north_hush.core.watch.messages import Telling
from north_hush.core.watch.process import CameraProcess
from north_hush.core.watch.sources import now_us
from north_hush.core.watch.store import utc_text
from north_hush.core.words import tr


@dataclass
class Standing:
    """How the cameras stand, by view."""

    began_us: int
    running: dict[str, dict[str, int]]
    """Items whose alarm runs, and since when."""
    newest: dict[str, dict[str, Any]] = field(default_factory=dict)
    """What each camera's process said last of itself."""
    by_hand: dict[str, ByHand] = field(default_factory=dict)

    def told(self, site_name: str, views: list[View]) -> dict[str, Any]:
        """The same in words for whoever asks."""
        now, rows = now_us(), []
        for view in views:
            held = self.by_hand.get(view.id, HOURS_COUNT)
            rows.append(
                {
                    "view": view.name,
                    "running": {item: utc_text(at) for item, at in self.running[view.id].items()},
                    "armed_by_hand": held.armed if now < held.until_us else None,
                    "until_utc": utc_text(held.until_us) if now < held.until_us else None,
                    "walking": held.walking(now),
                    **self.newest.get(view.id, {}),
                }
            )
        return {"site": site_name, "since_utc": utc_text(self.began_us), "views": rows}


@dataclass(frozen=True)
class Orders:
    """Does what is asked for, and keeps who asked."""

    book: Book
    telling: Telling
    cameras: Mapping[str, CameraProcess]
    standing: Standing
    site_name: str
    views: Callable[[], list[View]]
    """Those that are watched, as the site says them by now."""
    sense: Callable[[Change], None]
    reload: Callable[[], None]
    stop: Callable[[], None]

    def answer(self, order: Order, who: str) -> dict[str, Any]:
        """Do what is asked for.

        Raises
        ------
        SiteError : it names a view that is not watched.
        """
        views = self._named(order.view)
        if order.do == "state":
            return self.standing.told(self.site_name, self.views())
        if order.do in ("reload", "stop"):
            (self.reload if order.do == "reload" else self.stop)()
            return {}
        for view in views:
            facts: dict[str, Any] = {"who": who, **({"text": order.text} if order.text else {})}
            if order.do == "reply":
                facts["stopped"] = self.telling.answered(view)
            elif order.do == "press":
                self.telling.fault(view, order.text or "by hand", now_us())
            elif order.do == "contact":
                self.sense(Change(order.text, order.act == "start", now_us(), "by hand"))
                continue
            elif order.do == "record":
                facts["act"] = order.act
                self.cameras[view.id].record(order.act)
            else:
                facts.update(self._arm(view, order))
            self.book.note(view, order.do, facts)
        return {"views": [view.name for view in views]}

    def _named(self, name: str) -> list[View]:
        watched = self.views()
        found = [view for view in watched if not name or name in (view.name, view.id)]
        if not found:
            known = ", ".join(view.name for view in watched)
            raise SiteError(
                tr("view '{name}'", name=name), tr("is not watched."), tr("Watched are {known}.", known=known)
            )
        return found

    def _arm(self, view: View, order: Order) -> dict[str, Any]:
        """Armed, disarmed or a walk test for some minutes; or as the hours say again."""
        until_us = now_us() + round(order.minutes * 60 * US_PER_S)
        held = self.standing.by_hand.get(view.id, HOURS_COUNT)
        if order.do == "walk":
            held = ByHand(held.armed, held.until_us, until_us)
        else:
            held = HOURS_COUNT if order.do == "hours" else ByHand(order.do == "arm", until_us)
        self.standing.by_hand[view.id] = held
        self.cameras[view.id].by_hand(held)
        return {} if order.do == "hours" else {"until_utc": utc_text(until_us)}
