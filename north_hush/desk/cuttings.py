"""Small pictures of what raised alarms: cut out of the frame around it, where its level was highest.

Asked for as rows come into sight; where each alarm was is found in the background, and the decoder cuts there.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Hashable
from dataclasses import dataclass

from PySide6.QtCore import QObject, QRectF, QTimer, Signal
from PySide6.QtGui import QImage, QPixmap

from north_hush.core.detect.alarms import Alarm
from north_hush.core.detect.lane import Lane
from north_hush.core.explain.box import Box, box_around
from north_hush.core.explain.reasons import Explainer, Seen
from north_hush.core.scene.plan import watcher_id
from north_hush.desk.deck import Deck
from north_hush.desk.session import Session
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import Urgency

_KEPT, _AT_ONCE, _WAITING_MOST = 800, 16, 120
_TELL_MS = 40


@dataclass(frozen=True)
class Cutting:
    """A picture, and where in it lies what moved, in fractions; None where only scattered cells changed."""

    picture: QPixmap
    ring: QRectF | None


@dataclass(frozen=True)
class _Place:
    frame: int
    box: Box | None
    patch: Seen | None


class Cuttings(QObject):
    """Keeps the pictures of the recording that is on."""

    changed = Signal()
    """Pictures have arrived: what shows them is to be painted again."""

    def __init__(self, session: Session, deck: Deck, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._deck = session, deck
        self._background = Background(("peaks",), self, Urgency.LATER)
        self._kept: OrderedDict[Hashable, Cutting] = OrderedDict()
        self._places: dict[Hashable, _Place] = {}
        self._wanted: OrderedDict[Hashable, tuple[Lane, Alarm]] = OrderedDict()
        self._on_way: set[Hashable] = set()
        self._asked: dict[tuple[int, Box | None], list[Hashable]] = {}
        self._look = QTimer(self, singleShot=True, interval=0)
        self._look.timeout.connect(self._find_places)
        self._tell = QTimer(self, singleShot=True, interval=_TELL_MS)
        self._tell.timeout.connect(self.changed)
        deck.thumbnail.connect(self._on_picture)
        deck.privacy_changed.connect(self._forget)
        deck.recording_changed.connect(self._forget)

    def of(self, lane: Lane, alarm: Alarm) -> Cutting | None:
        """The picture of an alarm; None while it is on its way, and then `changed` tells."""
        key = _key(lane, alarm)
        held = self._kept.get(key)
        if held is not None:
            self._kept.move_to_end(key)
        elif key not in self._on_way:
            self._on_way.add(key)
            self._wanted[key] = (lane, alarm)
            if len(self._wanted) > _WAITING_MOST:  # long scrolled past; asked for again when it is seen again
                self._on_way.discard(self._wanted.popitem(last=False)[0])
            self._look.start()
        return held

    def place_of(self, lane: Lane, alarm: Alarm) -> int | None:
        """The frame an alarm's picture is of, once it is known."""
        place = self._places.get(_key(lane, alarm))
        return None if place is None else place.frame

    @property
    def settled(self) -> bool:
        """True when no picture is on its way."""
        resting = not (self._look.isActive() or self._tell.isActive() or self._on_way)
        return resting and self._background.idle

    def close(self) -> None:
        """End the thread."""
        self._background.close()

    def _forget(self) -> None:
        self._background.drop()
        for held in (self._kept, self._places, self._wanted, self._on_way, self._asked):
            held.clear()
        self.changed.emit()

    def _find_places(self) -> None:
        """Find where the alarms seen last were, a few at a time."""
        evidence, plan = self._deck.evidence, self._session.view.plan
        if evidence is None or not self._background.idle:
            return
        part = [self._wanted.popitem() for _ in range(min(_AT_ONCE, len(self._wanted)))]
        if not part:
            return
        explainer = self._deck.evaluator.explainer(evidence, plan)
        drawn = {watcher_id(held) for held in plan.watchers}

        def work() -> list[tuple[Hashable, _Place]]:
            return [(key, _found(explainer, lane, alarm, drawn)) for key, (lane, alarm) in part]

        self._background.order("peaks", work, self._ask, self._deck.fail_over(evidence))

    def _ask(self, found: list[tuple[Hashable, _Place]]) -> None:
        for key, place in found:
            held = _Place(self._deck.frame_of(place.frame), place.box, place.patch)
            self._places[key] = held
            keys = self._asked.setdefault((held.frame, held.box), [])
            keys.append(key)
            if len(keys) == 1:
                self._deck.pictures.ask_thumbnail_of(held.frame, held.box)
        if self._wanted:
            self._look.start()

    def _on_picture(self, frame: int, box: Box | None, image: QImage) -> None:
        for key in self._asked.pop((frame, box), ()):
            self._on_way.discard(key)
            place = self._places[key]
            self._kept[key] = Cutting(QPixmap.fromImage(image), _ring(place))
            if len(self._kept) > _KEPT:
                self._places.pop(self._kept.popitem(last=False)[0], None)
        if not self._tell.isActive():
            self._tell.start()


def _key(lane: Lane, alarm: Alarm) -> Hashable:
    settings = lane.settings
    return (
        lane.zone_id, alarm.onset_frame, alarm.start_frame, alarm.end_frame, settings.stored_channel,
        settings.change_limit_grey,
    )  # fmt: skip


def _found(explainer: Explainer, lane: Lane, alarm: Alarm, drawn: set[str]) -> _Place:
    """Where an alarm was: the frame of its peak, and a box around what changed then. A device tells no level."""
    if lane.zone_id not in drawn:
        return _Place(alarm.start_frame, None, None)
    frame, patch = explainer.peak(lane, alarm)
    return _Place(frame, None if patch is None else box_around(patch), patch)


def _ring(place: _Place) -> QRectF | None:
    if place.patch is None or place.box is None:
        return None
    left, top, right, bottom = place.box
    across, down, patch = right - left, bottom - top, place.patch
    return QRectF(
        (patch.left - left) / across,
        (patch.top - top) / down,
        (patch.right - patch.left) / across,
        (patch.bottom - patch.top) / down,
    )
