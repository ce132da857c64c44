"""A notice on the desktop, by the open desktop notification interface over D-Bus, with an action that opens what it tells of."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable

from jeepney import DBusAddress, DBusErrorResponse, MatchRule, message_bus, new_method_call
from jeepney.io.blocking import DBusConnection, Proxy, open_dbus_connection

from north_hush.core.outcome.rules import Way
from north_hush.core.outcome.ways.message import TIMEOUT_S, Message, WayError
from north_hush.core.words import tr

_OPEN = ("default", tr("Open the alarm"), "open", tr("Open the alarm"))
"""A press on the notice itself, and the button beside it."""
_HEARD_S = 3600.0
_SERVICE, _PATH = "org.freedesktop.Notifications", "/org/freedesktop/Notifications"


def send(way: Way, message: Message, password: str) -> str:
    """Show a notice; for an hour its action is heard, where something can be opened.

    Raises
    ------
    WayError : there is no desktop that shows notices.
    """
    address = DBusAddress(_PATH, bus_name=_SERVICE, interface=_SERVICE)
    actions = list(_OPEN) if message.opened is not None else []
    body = (tr("North Hush"), 0, "", message.subject, message.text, actions, {"urgency": ("y", 2)}, -1)
    bus: DBusConnection | None = None
    try:
        bus = open_dbus_connection(bus="SESSION")
        if message.opened is not None:
            Proxy(message_bus, bus, timeout=TIMEOUT_S).AddMatch(_signals())
        answer = bus.send_and_get_reply(
            new_method_call(address, tr("Notify"), "susssasa{sv}i", body), timeout=TIMEOUT_S
        )
        if answer.header.message_type.name == "error":
            raise DBusErrorResponse(answer)
    except (OSError, KeyError, TimeoutError, DBusErrorResponse) as error:
        if bus is not None:
            bus.close()
        raise WayError(
            tr("way '{name}'", name=way.name),
            tr("found no desktop that shows notices ({error}).", error=error),
            tr("Log in to a desktop, or tell otherwise."),
        ) from error
    number = int(answer.body[0])
    if message.opened is None:
        bus.close()
    else:
        threading.Thread(target=_hear, args=(bus, number, message.opened), daemon=True).start()
    return tr("shown as notice {number}", number=number)


def _signals() -> MatchRule:
    return MatchRule(type="signal", interface=_SERVICE, path=_PATH)


def _hear(bus: DBusConnection, number: int, opened: Callable[[], None]) -> None:
    """Wait until the action of a notice is pressed or the notice is gone."""
    until = time.monotonic() + _HEARD_S
    with contextlib.suppress(OSError, TimeoutError, EOFError), bus, bus.filter(_signals(), bufsize=64) as signals:
        while (left := until - time.monotonic()) > 0:
            told = bus.recv_until_filtered(signals, timeout=left)
            name, about = told.header.fields.get(3), told.body
            if not about or about[0] != number:
                continue
            if name == "ActionInvoked":
                opened()
            if name in ("ActionInvoked", "NotificationClosed"):
                return
