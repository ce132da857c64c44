"""Local control of a service that runs: a socket for one's own user alone, one JSON object a line.

An order is {"v": 1, "do": ..., ...}, see `Order`; the answer is {"v": 1, "ok": true, ...} or {"v": 1, "ok": false, "error": ...}. After
"subscribe" each event follows as {"v": 1, "event": {...}}.
"""

from __future__ import annotations

import fcntl
import hashlib
import json
import os
import pwd
import queue
import socket
import socketserver
import struct
import tempfile
import threading
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from north_hush.core.errors import HushError, SiteError
from north_hush.core.words import tr

VERSION = 1
_HELD_MOST = 10_000
"""Events that wait for a subscriber who does not read; one who is further behind is let go."""
Do = Literal[
    "state", "subscribe", "reload", "arm", "disarm", "hours", "walk", "record", "reply", "press", "contact", "stop"
]


class Order(BaseModel):
    """What may be asked for.

    `view` is a name or an id, '' means all. `arm` and `disarm` hold for some minutes, `walk` is a walk test for some, `hours` ends all
    three. `contact` says that the input contact `text` went on (`act` start) or off (stop). `record` starts or stops a clip or begins a
    new file. `reply` answers what was told, `press` tells people what `text` says. `reload` reads the site file now, `stop` ends the
    service.
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    v: Literal[1] = 1
    do: Do
    view: str = ""
    minutes: float = Field(default=30.0, gt=0, le=24 * 60)
    act: Literal["start", "stop", "new"] = "start"
    text: str = Field(default="", max_length=500)


def order_of(fields: Any) -> Order:
    """An order of its fields.

    Raises
    ------
    SiteError : one of them cannot be.
    """
    try:
        return Order.model_validate(fields)
    except ValidationError as error:
        first = error.errors()[0]
        field = ".".join(map(str, first["loc"])) or "order"
        raise SiteError(
            field, tr("cannot be {first!r}: {first2}.", first=first["input"], first2=first["msg"])
        ) from error


Answer = Callable[[Order, str], dict[str, Any]]
"""Gives the answer to an order of somebody.

Raises
------
HushError : it cannot be done.
"""


def socket_path(site_path: Path) -> Path:
    """Where the service of a site listens: in the user's runtime folder, or where there is none in a folder of theirs."""
    base = os.environ.get("XDG_RUNTIME_DIR")
    folder = Path(base) if base and Path(base).is_dir() else Path(tempfile.gettempdir()) / f"north-hush-{os.getuid()}"
    mark = hashlib.sha256(str(site_path.resolve()).encode()).hexdigest()[:16]
    return folder / f"north-hush-{mark}.sock"


def pictures_folder(site_path: Path) -> Path:
    """Where the service of a site writes small pictures of its cameras, beside its socket."""
    return socket_path(site_path).with_suffix(".pictures")


class Control:
    """The listening side. Answers are given by whoever calls `work`, so that one thread alone changes things.

    Raises
    ------
    SiteError : the site is watched already, or the socket cannot be made.
    """

    def __init__(self, site_path: Path) -> None:
        self.path = socket_path(site_path)
        self._asked: queue.Queue[tuple[Order, str, queue.Queue[dict[str, Any]]]] = queue.Queue()
        self._subscribers: list[queue.Queue[dict[str, Any] | None]] = []
        self._lock = threading.Lock()
        try:
            self.path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            if self.path.parent.stat().st_uid != os.getuid():
                raise PermissionError(1, "belongs to somebody else")
            self._held = self.path.with_suffix(".lock").open("w")
            fcntl.flock(self._held, fcntl.LOCK_EX | fcntl.LOCK_NB)  # goes with the process, however that ends
            self.path.unlink(missing_ok=True)  # of a service that was killed
            old = os.umask(0o177)
            try:
                self._server = _server(str(self.path), self)
            finally:
                os.umask(old)
        except BlockingIOError as error:
            raise SiteError(
                str(site_path),
                tr("is watched already."),
                tr("Stop that service first: north-hush control SITE stop"),
            ) from error
        except OSError as error:
            raise SiteError(
                str(self.path),
                tr("cannot be made ({strerror}).", strerror=error.strerror),
                tr("Check the runtime folder."),
            ) from error
        threading.Thread(target=self._server.serve_forever, args=(0.2,), daemon=True).start()

    def work(self, answer: Answer) -> None:
        """Answer what was asked meanwhile."""
        while True:
            try:
                order, who, back = self._asked.get_nowait()
            except queue.Empty:
                return
            try:
                back.put({"v": VERSION, "ok": True, **answer(order, who)})
            except (HushError, OSError, KeyError, ValueError) as error:  # whoever asked is told; the service goes on
                back.put({"v": VERSION, "ok": False, "error": str(error)})

    def tell(self, event: dict[str, Any]) -> None:
        """Tell subscribers of an event."""
        with self._lock:
            for held in list(self._subscribers):
                if held.qsize() < _HELD_MOST:
                    held.put(event)
                else:
                    self._subscribers.remove(held)
                    held.put(None)

    def close(self) -> None:
        """Listen no more."""
        with self._lock:
            for held in self._subscribers:
                held.put(None)
        self._server.shutdown()
        self._server.server_close()
        self.path.unlink(missing_ok=True)
        self._held.close()

    # --- for the threads of connections -----------------------------------------------------------------------------

    def asked(self, line: bytes, who: str) -> dict[str, Any]:
        """The answer to a line; it is waited for."""
        try:
            order = order_of(json.loads(line))
        except (SiteError, ValueError) as error:
            return {"v": VERSION, "ok": False, "error": str(error)}
        if order.do == "subscribe":
            return {"v": VERSION, "ok": True, "subscribed": True}
        back: queue.Queue[dict[str, Any]] = queue.Queue()
        self._asked.put((order, who, back))
        try:
            return back.get(timeout=10)
        except queue.Empty:
            return {"v": VERSION, "ok": False, "error": "the service does not answer"}

    def subscribed(self) -> queue.Queue[dict[str, Any] | None]:
        """Events from now on; None is the end."""
        held: queue.Queue[dict[str, Any] | None] = queue.Queue()
        with self._lock:
            self._subscribers.append(held)
        return held

    def unsubscribed(self, held: queue.Queue[dict[str, Any] | None]) -> None:
        """Whoever read these events is gone."""
        with self._lock:
            if held in self._subscribers:
                self._subscribers.remove(held)


def _server(path: str, control: Control) -> socketserver.ThreadingUnixStreamServer:
    class _Connection(socketserver.StreamRequestHandler):
        def handle(self) -> None:
            who = _user_of(self.connection)
            with suppress(OSError):
                for line in self.rfile:
                    told = control.asked(line, who)
                    if told.get("subscribed"):
                        self._subscribe(told)
                        return
                    self._say(told)

        def _subscribe(self, told: dict[str, Any]) -> None:
            """Nothing else is heard on this connection any more."""
            events = control.subscribed()
            try:
                self._say(told)
                while (event := events.get()) is not None:
                    self._say({"v": VERSION, "event": event})
            finally:
                control.unsubscribed(events)

        def _say(self, told: dict[str, Any]) -> None:
            self.wfile.write(json.dumps(told).encode() + b"\n")

    server = socketserver.ThreadingUnixStreamServer(path, _Connection)
    server.daemon_threads = True
    return server


def _user_of(connection: socket.socket) -> str:
    """Whose process is at the other end, as the kernel says."""
    held = connection.getsockopt(socket.SOL_SOCKET, socket.SO_PEERCRED, struct.calcsize("3i"))
    uid = struct.unpack("3i", held)[1]
    try:
        return pwd.getpwuid(uid).pw_name
    except KeyError:
        return str(uid)


def listens(path: Path) -> bool:
    """Whether a service answers at a socket."""
    with socket.socket(socket.AF_UNIX) as held:
        held.settimeout(2)
        try:
            held.connect(str(path))
        except OSError:
            return False
        return True


def ask(site_path: Path, order: Order) -> dict[str, Any]:
    """Ask the service of a site for something.

    Raises
    ------
    SiteError : none runs, or it says no.
    """
    for told in _lines(site_path, order):
        if not told["ok"]:
            raise SiteError(tr("order '{do}'", do=order.do), tr("was not done: {told}", told=told["error"]), "")
        return {name: value for name, value in told.items() if name not in ("v", "ok")}
    raise SiteError(str(site_path), tr("is watched, but its service went away."), tr("Ask again."))


def follow(site_path: Path) -> Iterator[dict[str, Any]]:
    """What happens from now on, until the service ends.

    Raises
    ------
    SiteError : none runs.
    """
    for told in _lines(site_path, Order(do="subscribe"), waits=None):
        if "event" in told:
            yield told["event"]


def _lines(site_path: Path, order: Order, waits: float | None = 15.0) -> Iterator[dict[str, Any]]:
    with socket.socket(socket.AF_UNIX) as held:
        held.settimeout(waits)
        try:
            held.connect(str(socket_path(site_path)))
            held.sendall(order.model_dump_json().encode() + b"\n")
            for line in held.makefile("rb"):
                yield json.loads(line)
        except (OSError, ValueError) as error:
            raise SiteError(
                str(site_path), tr("is watched by no service."), tr("Start one: north-hush watch SITE")
            ) from error
