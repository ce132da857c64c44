"""A desktop that shows notices, as a service on the session bus: it tells each notice on a line, and may press its first action."""

from __future__ import annotations

import json
import sys
from typing import Any

from jeepney import DBusAddress, HeaderFields, MessageType, new_method_return, new_signal
from jeepney.bus_messages import message_bus
from jeepney.io.blocking import open_dbus_connection

SERVICE, PATH = "org.freedesktop.Notifications", "/org/freedesktop/Notifications"


def serve(notices: int, *, press: bool = False) -> int:
    """Answer so many notices, each told as a JSON line; the first line is {"ready": true}. With `press` the first action of each is
    pressed. Returns the exit code."""
    emitter = DBusAddress(PATH, interface=SERVICE)
    with open_dbus_connection(bus="SESSION") as bus:
        bus.send_and_get_reply(message_bus.RequestName(SERVICE))
        _say({"ready": True})
        shown = 0
        while shown < notices:
            asked = bus.receive()
            fields = asked.header.fields
            if asked.header.message_type is not MessageType.method_call or fields.get(HeaderFields.member) != "Notify":
                continue
            shown += 1
            program, _, _, summary, body, actions, *_ = asked.body
            bus.send(new_method_return(asked, "u", (shown,)))
            _say({"program": program, "summary": summary, "body": body, "actions": list(actions)})
            if press and actions:
                bus.send(new_signal(emitter, "ActionInvoked", "us", (shown, actions[0])))
    return 0


def _say(row: dict[str, Any]) -> None:
    sys.stdout.write(json.dumps(row) + "\n")
    sys.stdout.flush()


if __name__ == "__main__":
    sys.exit(serve(int(sys.argv[1]), press="press" in sys.argv[2:]))
