"""Who may look at a site over the web, and at which cameras: names and hashes of passwords, readable by the service's owner alone."""

from __future__ import annotations

import base64
import hashlib
import hmac
import json
import os
import secrets
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from pydantic import BaseModel, ConfigDict, ValidationError

from north_hush.core.errors import SiteError
from north_hush.core.words import tr

_N, _R, _P = 2**14, 8, 1
"""Cost of scrypt (RFC 7914): 16 MiB and some tens of milliseconds for a guess."""
_LEAST_LETTERS = 8


class WebUser(BaseModel):
    """One who may look. `views` are names; empty: all."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str
    salt: str
    hash: str
    views: tuple[str, ...] = ()

    def is_right(self, password: str) -> bool:
        """Whether a password is theirs."""
        return hmac.compare_digest(_hashed(password, base64.b64decode(self.salt)), base64.b64decode(self.hash))

    def sees(self, view: str) -> bool:
        """Whether they may look at a view, by name."""
        return not self.views or view in self.views


@dataclass(frozen=True)
class WebUsers:
    """The users of a site, kept in a file beside what the service records."""

    path: Path

    def all(self) -> tuple[WebUser, ...]:
        """Everybody.

        Raises
        ------
        SiteError : the file cannot be read.
        """
        if not self.path.exists():
            return ()
        try:
            held = json.loads(self.path.read_text("utf-8"))
            return tuple(WebUser.model_validate(one) for one in held["users"])
        except (OSError, ValueError, KeyError, TypeError, ValidationError) as error:
            raise SiteError(str(self.path), tr("cannot be read."), tr("Remove it, and add its users again.")) from error

    def add(self, name: str, password: str, views: Iterable[str] = ()) -> None:
        """Add somebody, or give them another password.

        Raises
        ------
        SiteError : the name or the password will not do, or the file cannot be written.
        """
        if not name or ":" in name:
            raise SiteError(
                tr("user '{name}'", name=name),
                tr("is no name: it is empty or has a colon in it."),
                tr("Choose another one."),
            )
        if len(password) < _LEAST_LETTERS:
            raise SiteError(
                tr("password of '{name}'", name=name),
                tr("has under {least_letters} letters.", least_letters=_LEAST_LETTERS),
                tr("Choose a longer one."),
            )
        salt = secrets.token_bytes(16)
        made = WebUser(name=name, salt=_text(salt), hash=_text(_hashed(password, salt)), views=tuple(views))
        self._write((*(one for one in self.all() if one.name != name), made))

    def remove(self, name: str) -> None:
        """Take somebody away.

        Raises
        ------
        SiteError : there is nobody of that name, or the file cannot be written.
        """
        left = tuple(one for one in self.all() if one.name != name)
        if len(left) == len(self.all()):
            known = ", ".join(one.name for one in left) or "nobody"
            raise SiteError(tr("user '{name}'", name=name), tr("is not there."), tr("There is {known}.", known=known))
        self._write(left)

    def _write(self, users: tuple[WebUser, ...]) -> None:
        text = json.dumps({"users": [one.model_dump(mode="json") for one in users]}, indent=1)
        part = self.path.with_suffix(".part")
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
                file.write(text)
            part.replace(self.path)
        except OSError as error:
            raise SiteError(
                str(self.path), tr("cannot be written ({strerror}).", strerror=error.strerror), tr("Check permissions.")
            ) from error


def web_users(folder: Path) -> WebUsers:
    """The users of the service that keeps its files in a folder."""
    return WebUsers(folder / "web-users.json")


def _hashed(password: str, salt: bytes) -> bytes:
    return hashlib.scrypt(password.encode(), salt=salt, n=_N, r=_R, p=_P, maxmem=64 * 1024**2)


def _text(data: bytes) -> str:
    return base64.b64encode(data).decode()
