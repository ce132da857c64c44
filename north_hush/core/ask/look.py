"""How what is looked at for a question gets its pictures."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

Box = tuple[slice, slice]
Cut = Callable[[int], NDArray[np.float64]]
"""The same part of every picture."""


class Look(Protocol):
    """Pictures of evidence rows as grey levels on the analysis plane, privacy masks covered."""

    def prepare(self, rows: Iterable[int]) -> None:
        """Many are wanted soon: going through a recording once is cheaper than jumping in it."""
        ...

    def __call__(self, row: int, box: Box) -> NDArray[np.float64]:
        """The rows and columns of a box of the picture of a row."""
        ...
