"""Output contacts that show whether they are on: over HTTP, and on a topic of a broker where one is named."""

from __future__ import annotations

import json
import threading
from collections.abc import Callable
from dataclasses import dataclass
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from north_hush.core.errors import HushError

_BODY_BYTES_MAX = 1024**2
_BROKER_S = 10.0


@dataclass(frozen=True)
class Switched:
    """A contact went on or off."""

    road: str
    contact: str
    on: bool

    def row(self) -> dict[str, Any]:
        """As plain values."""
        return {"road": self.road, "contact": self.contact, "on": self.on}


class Contacts:
    """Use it as a context; `state` holds what is on.

    Parameters
    ----------
    broker, topic : where it listens over MQTT besides; '' nowhere
    told : called with everything that is switched
    """

    def __init__(
        self,
        http_port: int = 0,
        broker: str = "",
        topic: str = "contacts",
        told: Callable[[Switched], None] = lambda switched: None,
    ) -> None:
        self.state: dict[str, bool] = {}
        self.switched: list[Switched] = []
        self._told, self._broker, self._topic = told, broker, topic
        self._client: Any = None
        self._web = ThreadingHTTPServer(("127.0.0.1", http_port), _handler(self))

    def __enter__(self) -> Contacts:
        threading.Thread(target=self._web.serve_forever, daemon=True).start()
        if self._broker:
            self._client = self._listen()
        return self

    def __exit__(self, *_: object) -> None:
        if self._client is not None:
            self._client.disconnect()
            self._client.loop_stop()
        self._web.shutdown()
        self._web.server_close()

    @property
    def url(self) -> str:
        """Where requests are taken."""
        return f"http://127.0.0.1:{self._web.server_address[1]}/"

    def take(self, road: str, body: bytes) -> bool:
        """Switch as a message says; False where it says nothing of a contact."""
        try:
            held = json.loads(body)
            switched = Switched(road, str(held["contact"]), bool(held["on"]))
        except (ValueError, KeyError, TypeError):
            return False
        self.state[switched.contact] = switched.on
        self.switched.append(switched)
        self._told(switched)
        return True

    def _listen(self) -> Any:
        from paho.mqtt.client import Client
        from paho.mqtt.enums import CallbackAPIVersion

        ready = threading.Event()
        client = Client(CallbackAPIVersion.VERSION2)

        def on_connect(*_: Any) -> None:
            client.subscribe(self._topic, qos=1)

        def on_message(_: Any, __: Any, message: Any) -> None:
            self.take("mqtt", message.payload)

        client.on_connect, client.on_message = on_connect, on_message
        client.on_subscribe = lambda *_: ready.set()
        host, _, port = self._broker.partition(":")
        try:
            client.connect(host, int(port or 1883))
        except (OSError, ValueError) as error:
            raise HushError(
                f"broker {self._broker}", f"cannot be reached ({error}).", "Start it first, or leave it out."
            ) from error
        client.loop_start()
        if not ready.wait(_BROKER_S):
            raise HushError(f"broker {self._broker}", "does not answer.", "Look at the broker.")
        return client


def _handler(contacts: Contacts) -> type[BaseHTTPRequestHandler]:
    class Handler(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            length = int(self.headers.get("Content-Length") or 0)
            taken = contacts.take("http", self.rfile.read(min(length, _BODY_BYTES_MAX)))
            self.send_response(204 if taken else 400)
            self.end_headers()

        do_PUT = do_POST

        def do_GET(self) -> None:
            page = json.dumps(contacts.state, indent=1).encode()
            self.send_response(200)
            self.send_header("Content-Type", "application/json")
            self.end_headers()
            self.wfile.write(page)

        def log_message(self, format: str, *args: Any) -> None:
            return

    return Handler
