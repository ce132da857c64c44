"""Seals: a manifest signed with a key of the site's owner (Ed25519, RFC 8032)."""

from __future__ import annotations

import base64
import hashlib
from pathlib import Path
from typing import Any

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey

from north_hush.core.errors import SiteError
from north_hush.core.words import tr

_RAW = serialization.Encoding.Raw, serialization.PublicFormat.Raw


def seal(data: bytes, key: Path) -> dict[str, str]:
    """The seal of some bytes with a private key in PEM.

    Raises
    ------
    SiteError : the key cannot be read, or is of another kind.
    """
    try:
        held = serialization.load_pem_private_key(key.read_bytes(), password=None)
    except (OSError, ValueError, TypeError) as error:
        raise SiteError(
            str(key),
            tr("is no private key that can be read ({error}).", error=error),
            tr("Give an Ed25519 key as PEM, without a password."),
        ) from error
    if not isinstance(held, Ed25519PrivateKey):
        raise SiteError(
            str(key), tr("is a key of another kind."), tr("Make one: openssl genpkey -algorithm ed25519 -out owner.pem")
        )
    public = held.public_key().public_bytes(*_RAW)
    return {
        "algorithm": "Ed25519",
        "public_key": base64.b64encode(public).decode(),
        "signature": base64.b64encode(held.sign(data)).decode(),
    }


def key_print(public_key: str) -> str:
    """What people compare: SHA-256 of the public key, in groups of four."""
    digest = hashlib.sha256(base64.b64decode(public_key)).hexdigest()[:32]
    return " ".join(digest[place : place + 4] for place in range(0, 32, 4))


def seal_holds(data: bytes, held: dict[str, Any]) -> bool:
    """Whether a seal is of these bytes."""
    try:
        public = Ed25519PublicKey.from_public_bytes(base64.b64decode(str(held["public_key"])))
        public.verify(base64.b64decode(str(held["signature"])), data)
    except (KeyError, ValueError, InvalidSignature):
        return False
    return True
