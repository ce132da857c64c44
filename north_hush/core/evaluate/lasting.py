"""What the items of a view last made of a recording, kept beside its evidence, where it outlives the values it was worked out of:
alarms, changed areas, and in which frames items touched the places of incidents.

One file a recording, packed: a line of JSON, then the areas, then a bit for each frame of a place. Each entry is named after all
that it depends on. What is long is not told in words, or in many: the interpreter does nothing else while it writes one.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Hashable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import zstandard
from numpy.typing import NDArray
from pydantic import TypeAdapter

from north_hush.core.detect.alarms import Alarm
from north_hush.core.footage.kept import find_kept, keep_rows
from north_hush.core.judge.ground import Ground

_WHAT, _BYTE = "lasting", np.dtype(np.uint8)
_ALARMS = TypeAdapter(list[Alarm])
_ZSTD_LEVEL = 1
Raised = tuple[NDArray[np.int64], list[Alarm]]
"""Changed area in each frame, and the alarms."""


@dataclass(frozen=True, eq=False)
class Lasting:
    """What is kept, by the names of `name_of`."""

    raised: Mapping[str, Raised] = field(default_factory=dict)
    grounds: Mapping[str, Ground] = field(default_factory=dict)


def name_of(basis: Hashable) -> str:
    """The name of what depends on values alone that tell themselves apart when they are written out."""
    return hashlib.blake2b(repr(basis).encode(), digest_size=12).hexdigest()


def keep_lasting(folder: Path, held: Lasting) -> None:
    """Keep it beside the evidence, in place of what was kept before."""
    told, packed = list[str](), list[bytes]()
    for name, (areas, alarms) in held.raised.items():
        small = areas.astype(np.min_scalar_type(int(areas.max(initial=0))))
        told.append(json.dumps({"name": name, "alarms": _ALARMS.dump_python(alarms), "areas": small.dtype.str}))
        packed.append(small.tobytes())
    grounds = {name: [ground.first_frame, len(ground.before) - 1] for name, ground in held.grounds.items()}
    packed += [np.packbits(np.diff(ground.before) > 0).tobytes() for ground in held.grounds.values()]
    head = f'{{"raised": [{", ".join(told)}], "grounds": {json.dumps(grounds)}}}\n'.encode()
    data = zstandard.ZstdCompressor(level=_ZSTD_LEVEL).compress(head + b"".join(packed))
    keep_rows(folder, _WHAT, 1, _BYTE, lambda: [np.frombuffer(data, _BYTE).reshape(-1, 1)])


def find_lasting(folder: Path | None, frames: int) -> Lasting:
    """What was kept last of a recording of so many frames; nothing where that is not whole."""
    held = find_kept(folder, _WHAT, (None, 1), _BYTE)
    if held is None:
        return Lasting()
    try:
        head, _, body = zstandard.ZstdDecompressor().decompress(held.tobytes()).partition(b"\n")
        told = json.loads(head)
        raised, at = dict[str, Raised](), 0
        for one in told["raised"]:
            areas = np.frombuffer(body, np.dtype(one["areas"]), frames, at)
            at += areas.nbytes
            raised[one["name"]] = areas.astype(np.int64), _ALARMS.validate_python(one["alarms"])
        grounds = dict[str, Ground]()
        for name, (first, count) in told["grounds"].items():
            bits = np.frombuffer(body, np.uint8, -(-count // 8), at)
            at += bits.nbytes
            hits = np.unpackbits(bits, count=count)
            grounds[name] = Ground(int(first), np.concatenate([[0], np.cumsum(hits, dtype=np.int64)]))
    except (zstandard.ZstdError, ValueError, KeyError, TypeError):
        return Lasting()
    return Lasting(raised, grounds)
