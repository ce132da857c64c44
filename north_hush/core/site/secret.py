"""The passphrase of a site: who knows it may look under privacy masks, and take them away.

Kept as a hash with its salt (scrypt, RFC 7914), so that the site file does not tell it. It guards what this program shows and changes:
the recordings themselves lie there as they are, for whoever can read them.
"""

from __future__ import annotations

import hashlib
import hmac
import secrets
from typing import TYPE_CHECKING, Annotated

from pydantic import BaseModel, ConfigDict, Field

from north_hush.core.words import tr

if TYPE_CHECKING:
    from north_hush.core.site.model import Site

LENGTH_LEAST = 8
_COST, _BLOCK, _LANES = 2**15, 8, 1
"""About a tenth of a second and 32 MB a try."""
_MEMORY_BYTES = 64 * 1024**2


class Secret(BaseModel):
    """A passphrase as it is kept. The cost stands beside it, so that it can be raised later."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    salt: Annotated[str, Field(pattern=r"^[0-9a-f]{32}$")]
    scrypt: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    cost: Annotated[int, Field(ge=2**14, le=2**15)] = _COST

    def opens(self, passphrase: str) -> bool:
        """Tell whether this is the passphrase. Takes a tenth of a second, on purpose."""
        return hmac.compare_digest(_hash(passphrase, self.salt, self.cost), self.scrypt)


def secret_of(passphrase: str) -> Secret:
    """Keep a passphrase, with a salt of its own."""
    salt = secrets.token_hex(16)
    return Secret(salt=salt, scrypt=_hash(passphrase, salt, _COST))


def _hash(passphrase: str, salt: str, cost: int) -> str:
    held = hashlib.scrypt(
        passphrase.encode(), salt=bytes.fromhex(salt), n=cost, r=_BLOCK, p=_LANES, maxmem=_MEMORY_BYTES, dklen=32
    )
    return held.hex()


def uncovers(before: Site, after: Site) -> str:
    """What a change would uncover or unlock without being asked for the passphrase; '' where it may be done."""
    if before.secret is None:
        return ""
    if after.secret != before.secret:
        return tr("the passphrase")
    kept = {(view.id, held.outline, held.painted) for view in after.views for held in view.privacy}
    views = {view.id for view in after.views}
    for view in before.views:
        for held in view.privacy:
            if view.id in views and (view.id, held.outline, held.painted) not in kept:
                return tr("privacy mask '{name}'", name=held.name)
    return ""
