"""Ways to tell people: a message in, what the other side said out. A way is one file and one line here."""

from __future__ import annotations

from collections.abc import Callable

from north_hush.core.outcome.rules import Way, WayKind
from north_hush.core.outcome.ways import broker, desktop, mail, preset, sound, web
from north_hush.core.outcome.ways.message import Message

Send = Callable[[Way, Message, str], str]
SENDERS: dict[WayKind, Send] = {
    "mail": mail.send,
    "http": web.send,
    "mqtt": broker.send,
    "desktop": desktop.send,
    "sound": sound.send,
    "preset": preset.send,
}
LEAVES_THE_HOUSE: frozenset[WayKind] = frozenset({"mail", "http", "mqtt"})
ASKS_A_USER: frozenset[WayKind] = LEAVES_THE_HOUSE | {"preset"}


def send(way: Way, message: Message, password: str = "") -> str:
    """Send a message by a way, and give what the other side said.

    Raises
    ------
    WayError : it was not taken; with what the other side said.
    """
    return SENDERS[way.kind](way, message, password)
