"""Messages of a live site: the same tellers as in replay, a durable queue, and sending that tries again."""

from __future__ import annotations

import contextlib
import subprocess
import sys
import threading
from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from functools import partial
from pathlib import Path
from typing import Any
from uuid import NAMESPACE_URL, uuid4, uuid5

from north_hush.core.errors import HushError
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.hours.clock import EPOCH
from north_hush.core.outcome.notices import Notice, Teller
from north_hush.core.outcome.passwords import password_of
from north_hush.core.outcome.rules import Tell
from north_hush.core.outcome.second_place import PASSWORD_NAME, copy_there
from north_hush.core.outcome.ways import send
from north_hush.core.outcome.ways.message import Message, Picture
from north_hush.core.outcome.wording import line_of
from north_hush.core.site.model import Site, View
from north_hush.core.watch.eye import HoursNow
from north_hush.core.watch.sources import now_us
from north_hush.core.watch.store import EventStore
from north_hush.core.words import tr

_AGAIN_S = (5, 15, 60, 300, 900, 3600)
_GIVEN_UP_AFTER = 24
Note = Callable[[View, str, dict[str, Any]], None]


@dataclass(frozen=True)
class _Told:
    """An alarm that is told: of which item, when, and the file of its picture."""

    item: str
    at_us: int
    picture: str = ""


class Telling:
    """Tell it of alarms when they start, and let it work now and then. What is due is kept before anything is sent; a message that was
    sent when the power went may be sent twice, by the same key."""

    def __init__(self, site: Site, store: EventStore, note: Note, path: Path) -> None:
        self._site, self._store, self._note, self._path = site, store, note, path
        self._alarms: dict[tuple[str, int], list[_Told]] = {}
        self._sending: dict[bool, threading.Thread] = {}
        """A thread for copies of clips (True) and one for messages, which wait for no copy."""
        self._results: list[tuple[int, str, str, str, bool, int]] = []
        self._opened: list[tuple[str, str]] = []
        """Views whose message somebody wants to see, and by which way."""
        self._tellers: dict[tuple[str, int], Teller] = {}
        self.take(site)

    def take(self, site: Site) -> None:
        """Use other rules; intervals that run go on where the rule is the same. What an earlier one has collected still goes out."""
        before = self._tellers
        for (view_id, place), earlier in before.items():
            if earlier.tell not in site.view(view_id).outcome.tell[place : place + 1]:
                self._queue(self._site.view(view_id), earlier.finish())
        self._site, self._tellers = site, {}
        self._hours = {view.id: HoursNow(view, site.clock, "notifying") for view in site.views}
        for view in site.views:
            for place, tell in enumerate(view.outcome.tell):
                held = before.get((view.id, place))
                same = held is not None and held.tell == tell
                self._tellers[view.id, place] = held if same and held is not None else Teller(place, tell)

    def alarm(self, view: View, item: str, at_us: int, picture: str = "") -> None:
        """An alarm started; `picture` is the file of what was seen, covered by its masks."""
        if not self._hours[view.id].hold(item, at_us):
            return
        for place, tell in enumerate(view.outcome.tell):
            if tell.items and item not in tell.items:
                continue
            known = self._alarms.setdefault((view.id, place), [])
            known.append(_Told(item, at_us, picture))
            teller = self._tellers[view.id, place]
            self._queue(view, teller.alarm(len(known) - 1, at_us))
            self._queue(view, teller.coming(), coming=True)  # whoever is killed meanwhile sends it at the next start

    def fault(self, view: View, text: str, at_us: int) -> None:
        """Something that no rule holds back is told, to everybody who is told of this view: what is wrong, or what was sent by hand."""
        for way in dict.fromkeys(tell.way for tell in view.outcome.tell):
            told = {"site": self._site.name, "view": view.name, "fault": text}
            at = _time(at_us, self._site)
            message = Message(f"{view.name}: {text}", f"{at}  {text}", facts=told)
            self._store.queue(message.key, way, at_us, _kept(message, view), view.id)
            self._note(view, "notice", {"way": way, "key": message.key, "subject": message.subject, "alarms": 0})

    def copy(self, view: View, file: Path, folder: Path, at_us: int) -> None:
        """A clip is there: where there is a second place it is copied, now or when that can be reached again."""
        if self._site.second_place is None:
            return
        name = str(file.relative_to(folder)) if file.is_relative_to(folder) else file.name
        held = {"subject": name, "text": "", "facts": {}, "view": view.id, "copy": str(file), "name": name}
        self._store.queue(tr("copy {file}", file=file), PASSWORD_NAME, at_us, held, view.id)

    def answered(self, view: View) -> int:
        """Somebody answered for a view: nobody further is told. How many messages that saves."""
        return self._store.answered(view.id)

    def work(self) -> None:
        """Queue what is due, note what was sent, and send what waits."""
        for (view_id, place), teller in self._tellers.items():
            view = self._site.view(view_id)
            if view.id == view_id and place < len(view.outcome.tell):
                self._queue(view, teller.now(now_us()))
        idle = [
            copies for copies in (False, True) if copies not in self._sending or not self._sending[copies].is_alive()
        ]
        self._take_results()  # of those that are idle all of them
        due = self._store.due(now_us()) if idle else []
        for copies in idle:
            rows = [row for row in due if ("copy" in row[3]) == copies]
            if rows:
                self._sending[copies] = threading.Thread(target=self._send, args=(rows,), daemon=True)
                self._sending[copies].start()

    def close(self) -> None:
        """What is collected is queued, what is due is sent; the rest waits for the next start."""
        for (view_id, _), teller in self._tellers.items():
            self._queue(self._site.view(view_id), teller.finish())
        self.work()
        for sending in self._sending.values():
            sending.join(15)
        self._take_results()

    def _queue(self, view: View, notices: list[Notice], *, coming: bool = False) -> None:
        """Keep messages, each followed by its chain; those that are `coming` may still grow, and are noted when they are complete."""
        turn, first = 0, None
        for notice in notices:
            if not notice.sent:
                continue
            turn = turn + 1 if notice.why == "unanswered" else 0
            first = first if turn else notice
            assert first is not None  # a chain follows what it is the chain of
            tell = view.outcome.tell[notice.telling]
            alarms = [self._alarms[view.id, notice.telling][number] for number in notice.alarms]
            message = self._message(view, tell, alarms, turn)
            key = _key_of(self._path, view, first, turn)
            kept = _kept(message, view, alarms[0], tell)
            self._store.queue(key, notice.way, notice.at_us, kept, view.id, turn, coming=coming)
            if not turn and not coming:  # the others of the chain are told when nobody answers
                facts = {"way": notice.way, "key": key, "subject": message.subject, "alarms": len(alarms)}
                self._note(view, "notice", facts)

    def _message(self, view: View, tell: Tell, alarms: list[_Told], turn: int) -> Message:
        names = view.names
        times = [_time(held.at_us, self._site) for held in alarms]
        items = list(dict.fromkeys(names.get(held.item, held.item) for held in alarms))
        facts = {
            "site": self._site.name,
            "view": view.name,
            "items": ", ".join(items),
            "time": times[0],
            "alarms": str(len(alarms)),
        }
        lines = [f"{at}  {names.get(held.item, held.item)}" for at, held in zip(times, alarms, strict=True)]
        unanswered = tr("Nobody answered for {turn:.0f} s.", turn=turn * tell.unanswered_s) if turn else ""
        text = "\n".join([*filter(None, [unanswered]), *lines, *filter(None, (tell.instruction, tell.link))])
        told = {"site": self._site.name, "view": view.name, "items": items, "starts": times}
        return Message(line_of(tell.subject, facts), text, facts=told)

    def _send(self, due: list[tuple[int, str, str, dict[str, Any], int]]) -> None:
        """In a thread of its own: a server that hangs holds up no camera."""
        for number, key, name, held, tried in due:
            try:
                said = self._copied(held) if "copy" in held else self._sent(key, name, held)
            except HushError as error:
                self._results.append((number, held["view"], name, str(error), False, tried))
            else:
                self._results.append((number, held["view"], name, said, True, tried))

    def _sent(self, key: str, name: str, held: dict[str, Any]) -> str:
        opened = partial(self._opened.append, (held["view"], name))
        message = Message(held["subject"], held["text"], _picture(held.get("picture", "")), held["facts"], key, opened)
        return send(self._site.way(name), message, password_of(self._site.name, name))

    def _copied(self, held: dict[str, Any]) -> str:
        place = self._site.second_place
        if place is None:
            return "no second place any more"
        password = password_of(self._site.name, PASSWORD_NAME) if place.user else ""
        return copy_there(place, Path(held["copy"]), held["name"], password)

    def _take_results(self) -> None:
        while self._opened:
            view_id, way = self._opened.pop(0)
            self._note(self._site.view(view_id), "opened", {"way": way})
            _show_window(self._path)
        while self._results:
            number, view_id, way, said, well, tried = self._results.pop(0)
            view = self._site.view(view_id)
            if well:
                self._store.sent(number, said)
                self._note(view, "sent", {"way": way, "said": said})
                continue
            again = (
                None if tried + 1 >= _GIVEN_UP_AFTER else now_us() + _AGAIN_S[min(tried, len(_AGAIN_S) - 1)] * US_PER_S
            )
            self._store.failed(number, said, again)
            if tried == 0 or again is None:
                self._note(view, "fault", {"fault": "cannot send", "way": way, "said": said})


def _show_window(site_path: Path) -> None:
    """Open the window on a site; one that is open comes to the front. It outlives whoever asked for it."""
    command = [sys.executable, "-m", "north_hush", "open", str(site_path), "--stage", "watch"]
    with contextlib.suppress(OSError):
        subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
                         start_new_session=True)  # fmt: skip


def _key_of(path: Path, view: View, first: Notice, turn: int) -> str:
    """The key of a message, or of one in its chain: where it collects, the same before and after it is complete."""
    if first.why != "collected":
        return uuid4().hex
    return uuid5(NAMESPACE_URL, f"{path}/{view.id}/{first.telling}/{first.at_us}/{turn}").hex


def _kept(message: Message, view: View, alarm: _Told | None = None, tell: Tell | None = None) -> dict[str, Any]:
    picture = alarm.picture if alarm is not None and tell is not None and tell.picture != "none" else ""
    return {
        "subject": message.subject,
        "text": message.text,
        "facts": message.facts,
        "view": view.id,
        "picture": picture,
    }


def _picture(file: str) -> tuple[Picture, ...]:
    """The picture of a file; none where it is gone by now."""
    try:
        return (Picture("view.jpg", Path(file).read_bytes()),) if file else ()
    except OSError:
        return ()


def _time(at_us: int, site: Site) -> str:
    return f"{(EPOCH + timedelta(microseconds=at_us)).astimezone(site.zone):%Y-%m-%d %H:%M:%S}"
