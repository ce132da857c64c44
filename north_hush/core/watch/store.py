"""What happened, in SQLite: written and synced before anybody is told, so that nothing that was acknowledged is lost in a power cut."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterator, Mapping
from contextlib import closing, contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from north_hush.core.errors import SiteError
from north_hush.core.words import tr

VERSION = 2
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_MIGRATIONS = (
    """
    CREATE TABLE events (
        id INTEGER PRIMARY KEY, time_us INTEGER NOT NULL, view TEXT NOT NULL, item TEXT NOT NULL, what TEXT NOT NULL,
        facts TEXT NOT NULL, settings TEXT NOT NULL DEFAULT '');
    CREATE INDEX events_by_time ON events (time_us);
    CREATE TABLE notices (
        id INTEGER PRIMARY KEY, key TEXT NOT NULL UNIQUE, way TEXT NOT NULL, due_us INTEGER NOT NULL, message TEXT NOT NULL,
        state TEXT NOT NULL DEFAULT 'waiting', attempts INTEGER NOT NULL DEFAULT 0, said TEXT NOT NULL DEFAULT '');
    CREATE INDEX notices_waiting ON notices (state, due_us);
    """,
    """
    ALTER TABLE notices ADD COLUMN view TEXT NOT NULL DEFAULT '';
    ALTER TABLE notices ADD COLUMN turn INTEGER NOT NULL DEFAULT 0;
    """,
)
"""From each version to the next."""


def utc_text(us: int) -> str:
    """An instant as ISO 8601 with milliseconds."""
    return (_EPOCH + timedelta(microseconds=us)).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def watch_folder(site_path: Path) -> Path:
    """Where the service keeps what it records and writes, beside the site."""
    return site_path.with_name(f"{site_path.name.removesuffix('.json').removesuffix('.hush')}.watch")


class EventStore:
    """One writer; any number of readers beside it."""

    def __init__(self, path: Path) -> None:
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._base = sqlite3.connect(path, isolation_level=None, check_same_thread=False, timeout=10)
            self._base.execute("PRAGMA journal_mode=WAL")
            self._base.execute("PRAGMA synchronous=FULL")
            self._migrate(path)
            self._base.execute("UPDATE notices SET state = 'waiting' WHERE state = 'coming'")
        except (OSError, sqlite3.Error) as error:
            raise SiteError(
                str(path), tr("cannot be used ({error}).", error=error), tr("Check the disk and permissions.")
            ) from error

    def _migrate(self, path: Path) -> None:
        version = int(self._base.execute("PRAGMA user_version").fetchone()[0])
        if version > VERSION:
            raise SiteError(
                str(path),
                tr("is of version {version}, newer than this North Hush reads.", version=version),
                tr("Update North Hush."),
            )
        for number, step in enumerate(_MIGRATIONS[version:], start=version + 1):
            self._base.executescript(f"BEGIN; {step} PRAGMA user_version={number}; COMMIT;")

    @contextmanager
    def together(self) -> Iterator[None]:
        """What is written in it is on the disk as a whole or not at all."""
        self._base.execute("BEGIN IMMEDIATE")
        try:
            yield
        except BaseException:
            self._base.execute("ROLLBACK")
            raise
        self._base.execute("COMMIT")

    def add(self, time_us: int, view: str, item: str, what: str, facts: Mapping[str, Any], settings: str = "") -> int:
        """Write an event, and give its number once it is on the disk."""
        done = self._base.execute(
            "INSERT INTO events (time_us, view, item, what, facts, settings) VALUES (?, ?, ?, ?, ?, ?)",
            (time_us, view, item, what, json.dumps(facts), settings),
        )
        return int(done.lastrowid or 0)

    def queue(
        self,
        key: str,
        way: str,
        due_us: int,
        message: Mapping[str, Any],
        view: str = "",
        turn: int = 0,
        *,
        coming: bool = False,
    ) -> None:
        """Write a message that is to be sent; the same key is one message, which says what it said last while it waits. `turn` is its
        place in a chain: from 1 on it is sent only while nobody has answered. What is `coming` may still grow: it is sent when it is
        queued as complete, or by whoever opens the store next."""
        self._base.execute(
            "INSERT INTO notices (key, way, due_us, message, view, turn, state) VALUES (?, ?, ?, ?, ?, ?, ?)"
            " ON CONFLICT (key) DO UPDATE SET message = excluded.message, state = excluded.state WHERE state = 'coming'",
            (key, way, due_us, json.dumps(message), view, turn, "coming" if coming else "waiting"),
        )

    def answered(self, view: str) -> int:
        """Somebody answered: what waits for nobody having done so is not sent any more. How many messages that are."""
        done = self._base.execute(
            "UPDATE notices SET state = 'answered' WHERE state = 'waiting' AND turn > 0 AND view = ?", (view,)
        )
        return done.rowcount

    def due(self, now_us: int) -> list[tuple[int, str, str, dict[str, Any], int]]:
        """Messages that are to be sent by now: number, key, way, message, attempts."""
        rows = self._base.execute(
            "SELECT id, key, way, message, attempts FROM notices WHERE state = 'waiting' AND due_us <= ? ORDER BY due_us",
            (now_us,),
        )
        return [
            (int(n), str(key), str(way), json.loads(text), int(tried)) for n, key, way, text, tried in rows.fetchall()
        ]

    def sent(self, number: int, said: str) -> None:
        """A message was taken."""
        self._base.execute(
            "UPDATE notices SET state = 'sent', attempts = attempts + 1, said = ? WHERE id = ?", (said, number)
        )

    def failed(self, number: int, said: str, again_us: int | None) -> None:
        """A message was not taken; it is tried again at an instant, or given up."""
        state = "waiting" if again_us is not None else "given up"
        self._base.execute(
            "UPDATE notices SET state = ?, attempts = attempts + 1, said = ?, due_us = ? WHERE id = ?",
            (state, said, again_us or 0, number),
        )

    def alarm_starts(self, view: str, since_us: int) -> list[int]:
        """When alarms of a view started since an instant, in order."""
        rows = self._base.execute(
            "SELECT time_us FROM events WHERE what = 'alarm_start' AND view = ? AND time_us >= ? ORDER BY time_us",
            (view, since_us),
        )
        return [int(time_us) for (time_us,) in rows.fetchall()]

    def files(self) -> list[tuple[str, str, int, str]]:
        """Files that were kept: the view's name, when each ended, and whether it is a clip or footage; those that were taken away
        since are among them."""
        rows = self._base.execute(
            "SELECT json_extract(facts, '$.file') AS file, view, time_us, what FROM events"
            " WHERE what IN ('clip', 'footage') AND file NOT NULL"
        )
        return [(str(file), str(view), int(time_us), str(what)) for file, view, time_us, what in rows.fetchall()]

    def close(self) -> None:
        """Let go of it."""
        self._base.close()


def read_events(path: Path, since_us: int = 0, until_us: int = 2**62) -> Iterator[dict[str, Any]]:
    """Events between two instants, as they are told; nothing is written.

    Raises
    ------
    SiteError : there is no store, or it cannot be read.
    """
    if not path.exists():
        raise SiteError(str(path), tr("is not there."), tr("Nothing was watched yet."))
    try:
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True, timeout=10)) as base:
            rows = base.execute(
                "SELECT time_us, view, item, what, facts FROM events WHERE time_us >= ? AND time_us < ? ORDER BY time_us, id",
                (since_us, until_us),
            ).fetchall()
    except sqlite3.Error as error:
        raise SiteError(str(path), tr("cannot be read ({error}).", error=error), tr("Check the disk.")) from error
    for time_us, view, item, what, facts in rows:
        yield {"time_utc": utc_text(time_us), "view": view, "item": item, "what": what, **json.loads(facts)}
