"""A frame index as it goes from the frame worker to the window: JSON and raw numbers, nothing that could run."""

from __future__ import annotations

import json
from datetime import datetime
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from north_hush.core.footage.dating import Dated
from north_hush.core.footage.index import Footage, FrameIndex
from north_hush.core.footage.options import Orientation
from north_hush.core.words import tr

_ARRAYS: dict[str, Any] = {"pts": np.int64, "time_us": np.int64, "key": np.bool_}
_PLAIN = ("coded_width", "coded_height", "full_range", "codec", "container", "stamped", "shown", "exact")


def index_message(index: FrameIndex, fingerprint: str) -> bytes:
    """An index and its recording's fingerprint as a JSON line and the bytes of its arrays, one after the other."""
    told = {
        **{name: getattr(index, name) for name in _PLAIN},
        "frames": index.frames,
        "fingerprint": fingerprint,
        "path": str(index.footage.path),
        "frames_per_s": index.footage.frames_per_s,
        "orientation": index.orientation.model_dump(),
        "time_base": [index.time_base.numerator, index.time_base.denominator],
        "dates": [{"source": held.source, "moment": held.moment.isoformat()} for held in index.dates],
        "oddities": list(index.oddities),
    }
    arrays = (np.ascontiguousarray(getattr(index, name), kind).tobytes() for name, kind in _ARRAYS.items())
    return json.dumps(told).encode() + b"\n" + b"".join(arrays)


def read_index_message(message: bytes) -> tuple[FrameIndex, str]:
    """The index and the fingerprint of a message.

    Raises
    ------
    ValueError : it is not one.
    """
    line, _, rest = message.partition(b"\n")
    told = json.loads(line)
    arrays: dict[str, NDArray[Any]] = {}
    at = 0
    for name, kind in _ARRAYS.items():
        size = np.dtype(kind).itemsize * int(told["frames"])
        arrays[name] = np.frombuffer(rest[at : at + size], kind)
        at += size
    if at != len(rest):
        raise ValueError(tr("a frame index of another length"))
    plain: dict[str, Any] = {name: told[name] for name in _PLAIN}
    index = FrameIndex(
        footage=Footage(Path(told["path"]), told["frames_per_s"]),
        orientation=Orientation.model_validate(told["orientation"]),
        time_base=Fraction(*told["time_base"]),
        dates=tuple(Dated(held["source"], datetime.fromisoformat(held["moment"])) for held in told["dates"]),
        oddities=tuple(told["oddities"]),
        pts=arrays["pts"],
        time_us=arrays["time_us"],
        key=arrays["key"],
        **plain,
    )
    return index, str(told["fingerprint"])
