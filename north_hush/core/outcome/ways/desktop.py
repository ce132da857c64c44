"""A notice on the desktop, by the open desktop notification interface over D-Bus."""

from __future__ import annotations

from north_hush.core.outcome.rules import Way
from north_hush.core.outcome.ways.message import TIMEOUT_S, Message, WayError

_OPEN = ("open", "Open the alarm")


def send(way: Way, message: Message, password: str) -> str:
    """Show a notice.

    Raises
    ------
    WayError : there is no desktop that shows notices.
    """
    from jeepney import DBusAddress, DBusErrorResponse, new_method_call
    from jeepney.io.blocking import open_dbus_connection

    service = "org.freedesktop.Notifications"
    address = DBusAddress("/org/freedesktop/Notifications", bus_name=service, interface=service)
    body = ("North Hush", 0, "", message.subject, message.text, list(_OPEN), {"urgency": ("y", 2)}, -1)
    try:
        with open_dbus_connection(bus="SESSION") as bus:
            answer = bus.send_and_get_reply(
                new_method_call(address, "Notify", "susssasa{sv}i", body), timeout=TIMEOUT_S
            )
            if answer.header.message_type.name == "error":
                raise DBusErrorResponse(answer)
    except (OSError, KeyError, TimeoutError, DBusErrorResponse) as error:
        raise WayError(
            f"way '{way.name}'",
            f"found no desktop that shows notices ({error}).",
            "Log in to a desktop, or tell otherwise.",
        ) from error
    return f"shown as notice {answer.body[0]}"
