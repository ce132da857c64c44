"""A page to look at from another computer: small pictures of the cameras, and what happened last. Nothing can be changed by it.

Each user sees their own cameras alone. It listens on this machine alone unless it is told otherwise; over TLS where there is a
certificate. What leaves over it is covered by the privacy masks: it is the same small pictures as in the window.
"""

from __future__ import annotations

import asyncio
import base64
import binascii
import hashlib
import html
import ipaddress
import json
import ssl
import threading
from collections import deque
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from importlib import resources
from pathlib import Path
from typing import Any

from aiohttp import web

from north_hush.core.errors import SiteError
from north_hush.core.watch.web_users import WebUser, WebUsers
from north_hush.core.words import tr

_EVENTS_KEPT, _FRAME_S = 200, 0.5
_SHOWN = frozenset({"alarm_start", "alarm_end", "fault", "mended", "picture", "reply"})
_USER: web.RequestKey[WebUser] = web.RequestKey("user", WebUser)


@dataclass(frozen=True)
class WebPlace:
    """Where it listens: host, port, and certificate and key where it is to be over TLS."""

    host: str = "127.0.0.1"
    port: int = 8080
    certificate: Path | None = None
    key: Path | None = None


def web_place(text: str, certificate: Path | None = None, key: Path | None = None) -> WebPlace:
    """Read PORT or HOST:PORT.

    Raises
    ------
    SiteError : it is neither, or others could listen in on what leaves this machine.
    """
    host, _, port = text.rpartition(":")
    host = host.strip("[]") or "127.0.0.1"
    if not port.isdigit() or int(port) > 65535:
        raise SiteError(
            f"--web {text}", tr("is not PORT or HOST:PORT."), tr("Write 8080, or 0.0.0.0:8443 for all networks.")
        )
    if certificate is None and not _is_here(host):
        raise SiteError(
            f"--web {text}",
            tr("would send passwords and pictures unprotected."),
            tr("Give --certificate, or listen at 127.0.0.1."),
        )
    return WebPlace(host, int(port), certificate, key)


def _is_here(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


@dataclass
class _State:
    """What is shown."""

    views: Mapping[str, Path]
    """Small pictures, by the names of views."""
    events: deque[dict[str, Any]] = field(default_factory=lambda: deque(maxlen=_EVENTS_KEPT))
    running: dict[str, dict[str, str]] = field(default_factory=dict)


class WebView:
    """Runs in a thread of its own; tell it what happens.

    Raises
    ------
    SiteError : nobody may look yet, the certificate cannot be used, or it cannot listen there.
    """

    def __init__(self, place: WebPlace, users: WebUsers, site: str, views: Mapping[str, Path]) -> None:
        if not users.all():
            raise SiteError("--web", tr("has no users yet."), tr("Add one: north-hush web-user SITE NAME"))
        self._place, self._users, self._site = place, users, site
        self._state = _State(views)
        self._known: dict[str, str] = {}
        """Hashes of what was found right, so that not every picture costs a slow hash."""
        self._lock = threading.Lock()
        self._loop = asyncio.new_event_loop()
        self.port = 0
        tls = self._tls()
        started: list[BaseException | None] = []
        ready = threading.Event()

        def run() -> None:
            asyncio.set_event_loop(self._loop)
            try:
                self._loop.run_until_complete(self._start(tls))
            except OSError as error:
                started.append(error)
            ready.set()
            if not started:
                self._loop.run_forever()

        self._thread = threading.Thread(target=run, daemon=True)
        self._thread.start()
        ready.wait(20)
        if started:
            raise SiteError(
                f"--web {place.host}:{place.port}",
                tr("cannot listen ({started}).", started=started[0]),
                tr("Choose another port."),
            )

    def _tls(self) -> ssl.SSLContext | None:
        if self._place.certificate is None:
            return None
        context = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH)
        try:
            context.load_cert_chain(self._place.certificate, self._place.key)
        except (OSError, ssl.SSLError) as error:
            raise SiteError(
                str(self._place.certificate),
                tr("cannot be used ({value}).", value=error.strerror or error),
                tr("Give a PEM certificate, and its --key."),
            ) from error
        return context

    async def _start(self, tls: ssl.SSLContext | None) -> None:
        app = web.Application(middlewares=[self._let_in])
        app.router.add_get("/", self._page)
        app.router.add_get("/state", self._tell_state)
        app.router.add_get("/picture/{view}", self._picture)
        app.router.add_get("/live/{view}", self._live)
        self._runner = web.AppRunner(app, access_log=None, shutdown_timeout=1)
        await self._runner.setup()
        site = web.TCPSite(self._runner, self._place.host, self._place.port, ssl_context=tls)
        await site.start()
        self.port = self._runner.addresses[0][1]

    def tell(self, event: Mapping[str, Any]) -> None:
        """Something happened."""
        view, what, item = str(event["view"]), event["what"], str(event["item"])
        with self._lock:
            running = self._state.running.setdefault(view, {})
            if what == "alarm_start":
                running[item] = str(event["time_utc"])
            elif what == "alarm_end":
                running.pop(item, None)
            if what in _SHOWN:
                kept = ("time_utc", "view", "item", "what", "fault", "said", "text")
                self._state.events.appendleft({name: event[name] for name in kept if name in event})

    def close(self) -> None:
        """Listen no more."""
        asyncio.run_coroutine_threadsafe(self._runner.cleanup(), self._loop).result(10)
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(10)

    # --- requests ---------------------------------------------------------------------------------------------------

    @web.middleware
    async def _let_in(self, request: web.Request, handler: Any) -> web.StreamResponse:
        user = await asyncio.get_running_loop().run_in_executor(
            None, self._user_of, request.headers.get("Authorization", "")
        )
        if user is None:
            return web.Response(status=401, headers={"WWW-Authenticate": 'Basic realm="North Hush", charset="UTF-8"'})
        request[_USER] = user
        answer: web.StreamResponse = await handler(request)
        if not answer.prepared:
            answer.headers.update({"Cache-Control": "no-store", "Referrer-Policy": "no-referrer"})
            answer.headers["Content-Security-Policy"] = (
                "default-src 'self'; style-src 'unsafe-inline'; script-src 'unsafe-inline'"
            )
        return answer

    def _user_of(self, header: str) -> WebUser | None:
        kind, _, text = header.partition(" ")
        try:
            name, _, password = base64.b64decode(text, validate=True).decode().partition(":")
        except (binascii.Error, ValueError):
            return None
        user = next((one for one in self._users.all() if one.name == name), None)
        if kind.lower() != "basic" or user is None:
            return None
        mark = hashlib.sha256(f"{user.hash}:{password}".encode()).hexdigest()
        if self._known.get(name) == mark or user.is_right(password):
            self._known[name] = mark
            return user
        return None

    def _seen_by(self, request: web.Request) -> dict[str, Path]:
        return {view: path for view, path in self._state.views.items() if request[_USER].sees(view)}

    async def _page(self, request: web.Request) -> web.Response:
        page = (resources.files("north_hush.core.watch") / "page.html").read_text("utf-8")
        state = json.dumps(self._state_for(request)).replace("<", "\\u003c")  # a name ends no script
        page = page.replace("{site}", html.escape(self._site)).replace("{state}", state)
        return web.Response(text=page, content_type="text/html")

    async def _tell_state(self, request: web.Request) -> web.Response:
        return web.json_response(self._state_for(request))

    def _state_for(self, request: web.Request) -> dict[str, Any]:
        """What whoever asks may know."""
        views = self._seen_by(request)
        with self._lock:
            rows = [{"view": view, "running": dict(self._state.running.get(view, {}))} for view in views]
            events = [one for one in self._state.events if one["view"] in views]
        rows.sort(key=lambda row: not row["running"])  # what alarms comes first
        return {"site": self._site, "views": rows, "events": events}

    async def _picture(self, request: web.Request) -> web.StreamResponse:
        path = self._path(request)
        return web.Response(body=_bytes(path), content_type="image/jpeg")

    async def _live(self, request: web.Request) -> web.StreamResponse:
        path = self._path(request)
        answer = web.StreamResponse(headers={"Content-Type": "multipart/x-mixed-replace; boundary=frame"})
        await answer.prepare(request)
        shown = b""
        with suppress(ConnectionResetError):  # whoever looked is gone
            while True:
                data = _bytes(path)
                if data and data != shown:
                    shown = data
                    head = f"--frame\r\nContent-Type: image/jpeg\r\nContent-Length: {len(data)}\r\n\r\n"
                    await answer.write(head.encode() + data + b"\r\n")
                await asyncio.sleep(_FRAME_S)
        return answer

    def _path(self, request: web.Request) -> Path:
        path = self._seen_by(request).get(request.match_info["view"])
        if path is None:  # the same for one that is not there and one that is not theirs
            raise web.HTTPNotFound
        return path


def _bytes(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError:
        return b""
