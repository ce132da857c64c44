"""Input contacts of a live site: over HTTP on this machine, and on a topic of a broker. Each message is {"contact": NAME, "on": true}.

HTTP: a POST with such a body, answered 204, or 400 with what is wrong. MQTT: the same on the topic, at QoS 1.
"""

from __future__ import annotations

import json
import queue
import threading
from dataclasses import dataclass
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from north_hush.core.errors import SiteError
from north_hush.core.watch.sources import now_us
from north_hush.core.words import tr

_BODY_BYTES_MAX, _WAITING_MOST, _BROKER_S = 64 * 1024, 10_000, 10.0


class _Said(BaseModel):
    model_config = ConfigDict(extra="ignore")

    contact: str = Field(min_length=1, max_length=200)
    on: bool


@dataclass(frozen=True)
class Change:
    """A contact went on or off."""

    contact: str
    on: bool
    at_us: int
    road: str
    view: str = ""
    """The view it is of, by id; '' for every view that listens to it."""


class Inputs:
    """Listens until it is closed; `changes` holds what came.

    Parameters
    ----------
    http : HOST:PORT or PORT, '' for none
    broker : HOST[:PORT]/TOPIC, '' for none

    Raises
    ------
    SiteError : an address makes no sense or cannot be used.
    """

    def __init__(self, http: str = "", broker: str = "") -> None:
        self.changes: queue.Queue[Change] = queue.Queue(_WAITING_MOST)
        self._web = self._listening(http) if http else None
        self._client: Any = None
        if broker:
            self._client = self._subscribed(broker)

    @property
    def url(self) -> str:
        """Where requests are taken."""
        return "" if self._web is None else f"http://127.0.0.1:{self._web.server_address[1]}/"

    def take(self, road: str, body: bytes) -> str:
        """Take a message; what is wrong with it, or nothing."""
        try:
            said = _Said.model_validate_json(body)
        except ValidationError as error:
            first = error.errors()[0]
            return f"{'.'.join(map(str, first['loc'])) or 'body'}: {first['msg']}"
        try:
            self.changes.put_nowait(Change(said.contact, said.on, now_us(), road))
        except queue.Full:
            return "too many changes wait"
        return ""

    def close(self) -> None:
        """Listen no more."""
        if self._client is not None:
            self._client.disconnect()
            self._client.loop_stop()
        if self._web is not None:
            self._web.shutdown()
            self._web.server_close()

    def _listening(self, text: str) -> ThreadingHTTPServer:
        host, _, port = text.rpartition(":")
        try:
            server = ThreadingHTTPServer((host or "127.0.0.1", int(port)), _handler(self))
        except (ValueError, OverflowError) as error:
            raise SiteError(f"--inputs {text}", tr("is not PORT or HOST:PORT."), tr("Write 8090.")) from error
        except OSError as error:
            raise SiteError(
                f"--inputs {text}",
                tr("cannot be used ({strerror}).", strerror=error.strerror),
                tr("Choose another port."),
            ) from error
        threading.Thread(target=server.serve_forever, daemon=True).start()
        return server

    def _subscribed(self, text: str) -> Any:
        from paho.mqtt.client import Client
        from paho.mqtt.enums import CallbackAPIVersion

        address, _, topic = text.partition("/")
        host, _, port = address.partition(":")
        if not host or not topic or (port and not port.isdigit()):
            raise SiteError(
                f"--inputs-broker {text}", tr("is not HOST[:PORT]/TOPIC."), tr("Write broker.example/contacts.")
            )
        ready, client = threading.Event(), Client(CallbackAPIVersion.VERSION2)

        def on_connect(*_: Any) -> None:
            client.subscribe(topic, qos=1)  # again after each outage

        def on_message(_: Any, __: Any, message: Any) -> None:
            self.take("mqtt", bytes(message.payload))

        client.on_connect, client.on_message = on_connect, on_message
        client.on_subscribe = lambda *_: ready.set()
        try:
            client.connect(host, int(port or 1883))
        except (OSError, ValueError) as error:
            raise SiteError(
                f"--inputs-broker {text}", tr("cannot be reached ({error}).", error=error), tr("Look at the broker.")
            ) from error
        client.loop_start()
        if not ready.wait(_BROKER_S):
            client.loop_stop()
            raise SiteError(f"--inputs-broker {text}", tr("does not take the subscription."), tr("Look at the broker."))
        return client


def _handler(inputs: Inputs) -> type[BaseHTTPRequestHandler]:
    class Handler(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            length = self.headers.get("Content-Length") or "0"
            body = self.rfile.read(min(int(length), _BODY_BYTES_MAX)) if length.isdigit() else b""
            wrong = inputs.take("http", body)
            self.send_response(400 if wrong else 204)
            self.end_headers()
            if wrong:
                self.wfile.write(json.dumps({"error": wrong}).encode())

        do_PUT = do_POST

        def log_message(self, format: str, *args: Any) -> None:
            return

    return Handler
