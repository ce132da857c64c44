"""Passwords of ways, in the desktop's keyring; where there is none, in a file that nobody else may read. Never in a site or a log."""

from __future__ import annotations

import json
import os
import stat
from pathlib import Path

from platformdirs import user_config_path

from north_hush.core.errors import HushError

_SERVICE = "north-hush"


def passwords_path() -> Path:
    """The file for machines without a keyring."""
    return user_config_path("north-hush") / "passwords.json"


def password_of(site: str, way: str) -> str:
    """The password of a way of a site; '' where none is kept.

    Raises
    ------
    HushError : the file of passwords may be read by others, or is broken.
    """
    import keyring
    from keyring.errors import KeyringError

    try:
        held = keyring.get_password(_SERVICE, f"{site}/{way}")
    except KeyringError:
        held = None
    return held if held is not None else _file().get(f"{site}/{way}", "")


def keep_password(site: str, way: str, password: str, *, in_file: bool = False) -> str:
    """Keep a password, and say where.

    Raises
    ------
    HushError : there is no keyring, and `in_file` was not chosen; or the file cannot be written.
    """
    import keyring
    from keyring.errors import KeyringError, NoKeyringError

    if not in_file:
        try:
            keyring.set_password(_SERVICE, f"{site}/{way}", password)
            return "in the keyring"
        except NoKeyringError as error:
            raise HushError(
                f"password of '{way}'", "cannot be kept: this machine has no keyring.",
                f"Choose --in-file: it is kept in {passwords_path()}, which nobody but you may read.",
            ) from error  # fmt: skip
        except KeyringError as error:
            raise HushError(f"password of '{way}'", f"was not taken by the keyring ({error}).", "Unlock it.") from error
    path = passwords_path()
    held = {**_file(), f"{site}/{way}": password}
    part = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        part.unlink(missing_ok=True)
        with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as out:
            out.write(json.dumps(held, indent=1))
        part.replace(path)
    except OSError as error:
        raise HushError(str(path), f"cannot be written ({error.strerror}).", "Check permissions.") from error
    return f"in {path}"


def _file() -> dict[str, str]:
    path = passwords_path()
    try:
        if path.stat().st_mode & (stat.S_IRWXG | stat.S_IRWXO):
            raise HushError(str(path), "may be read by others.", f"Take that away: chmod 600 {path}")
        held = json.loads(path.read_text("utf-8"))
    except FileNotFoundError:
        return {}
    except (OSError, ValueError) as error:
        raise HushError(str(path), f"cannot be read ({error}).", "Remove it, and state the passwords again.") from error
    if not isinstance(held, dict):
        raise HushError(str(path), "is no list of passwords.", "Remove it, and state the passwords again.")
    return {str(name): str(value) for name, value in held.items()}
