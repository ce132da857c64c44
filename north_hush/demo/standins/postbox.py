"""A mail server and a web server that take everything and show what arrived."""

from __future__ import annotations

import base64
import json
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from email import message_from_bytes
from email.policy import default
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session

_BODY_BYTES_MAX = 64 * 1024**2


@dataclass(frozen=True)
class Arrived:
    """What arrived: by which road, from whom, for whom, what it says, and its pictures by name."""

    road: str
    sender: str
    to: str
    subject: str
    text: str
    pictures: dict[str, bytes] = field(default_factory=dict, repr=False)

    def row(self) -> dict[str, Any]:
        """As plain values, of pictures how many bytes each has."""
        sizes = {name: len(data) for name, data in self.pictures.items()}
        return {
            "road": self.road,
            "from": self.sender,
            "to": self.to,
            "subject": self.subject,
            "text": self.text,
            "pictures": sizes,
        }


class Postbox:
    """Both servers. Use it as a context; `arrived` grows.

    Parameters
    ----------
    fail_first : so many web requests are answered with 503 before the first one is taken
    told : called with everything that arrives, in the servers' threads
    """

    def __init__(
        self,
        smtp_port: int = 0,
        http_port: int = 0,
        *,
        fail_first: int = 0,
        told: Callable[[Arrived], None] = lambda arrived: None,
    ) -> None:
        self.arrived: list[Arrived] = []
        self._told = told
        self._failing = fail_first
        self._mail = _LocalController(self, hostname="127.0.0.1", port=smtp_port)
        self._web = ThreadingHTTPServer(("127.0.0.1", http_port), _handler(self))

    def __enter__(self) -> Postbox:
        self._mail.start()
        threading.Thread(target=self._web.serve_forever, daemon=True).start()
        return self

    def __exit__(self, *_: object) -> None:
        self._mail.stop()
        self._web.shutdown()
        self._web.server_close()

    @property
    def smtp(self) -> str:
        """Address of the mail server."""
        return f"127.0.0.1:{self._mail.port}"

    @property
    def url(self) -> str:
        """Address of the web server."""
        return f"http://127.0.0.1:{self._web.server_address[1]}/"

    def take(self, arrived: Arrived) -> None:
        """Something arrived."""
        self.arrived.append(arrived)
        self._told(arrived)

    def refuses(self) -> bool:
        """Whether the next web request is one of those that fail."""
        self._failing -= 1
        return self._failing >= 0

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        """Take a mail."""
        self.take(_mail(bytes(envelope.original_content or b""), envelope))
        return f"250 taken as {len(self.arrived)}"


class _LocalController(Controller):
    """A controller that says which port it got when asked for any."""

    def _trigger_server(self) -> None:
        server: Any = self.server
        if self.port == 0 and server is not None:
            self.port = server.sockets[0].getsockname()[1]
        super()._trigger_server()  # type: ignore[no-untyped-call]


def _mail(raw: bytes, envelope: Envelope) -> Arrived:
    mail = message_from_bytes(raw, policy=default)
    body = mail.get_body(("plain",))
    pictures = {
        str(part.get_filename() or "picture.jpg"): part.get_payload(decode=True)
        for part in mail.walk()
        if part.get_content_maintype() == "image"
    }
    text = body.get_content().strip() if body is not None else ""
    return Arrived("mail", str(envelope.mail_from), ", ".join(envelope.rcpt_tos), str(mail["subject"]), text, pictures)


def _handler(postbox: Postbox) -> type[BaseHTTPRequestHandler]:
    class Handler(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            length = int(self.headers.get("Content-Length") or 0)
            body = self.rfile.read(min(length, _BODY_BYTES_MAX))
            if postbox.refuses():
                self.send_error(503)
                return
            postbox.take(_request(self.client_address[0], self.path, self.headers.get("Content-Type", ""), body))
            self.send_response(204)
            self.end_headers()

        do_PUT = do_POST

        def do_GET(self) -> None:
            page = json.dumps([arrived.row() for arrived in postbox.arrived], indent=1).encode()
            self.send_response(200)
            self.send_header("Content-Type", "application/json")
            self.end_headers()
            self.wfile.write(page)

        def log_message(self, format: str, *args: Any) -> None:
            return

    return Handler


def _request(sender: str, path: str, kind: str, body: bytes) -> Arrived:
    if kind.startswith("multipart/"):
        mail = message_from_bytes(f"Content-Type: {kind}\r\n\r\n".encode() + body, policy=default)
        fields, pictures = dict[str, str](), dict[str, bytes]()
        for part in mail.iter_parts():
            name = str(part.get_param("name", header="content-disposition") or "")
            data = bytes(part.get_payload(decode=True) or b"")
            if part.get_filename():
                pictures[str(part.get_filename())] = data
            else:
                fields[name] = data.decode(errors="replace")
        return Arrived("http", sender, path, fields.get("subject", ""), fields.get("text", ""), pictures)
    try:
        held = json.loads(body)
    except ValueError:
        return Arrived("http", sender, path, "", body.decode(errors="replace"))
    if not isinstance(held, dict):
        return Arrived("http", sender, path, "", str(held))
    pictures = {one["name"]: base64.b64decode(one["base64"]) for one in held.get("pictures", ())}
    return Arrived("http", sender, path, str(held.get("subject", "")), str(held.get("text", "")), pictures)


def save_pictures(arrived: Arrived, number: int, folder: Path) -> list[Path]:
    """Write the pictures of what arrived into a folder."""
    folder.mkdir(parents=True, exist_ok=True)
    paths = []
    for name, data in arrived.pictures.items():
        paths.append(folder / f"{number:03d}-{Path(name).name}")
        paths[-1].write_bytes(data)
    return paths
