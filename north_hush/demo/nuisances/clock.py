"""The clock burnt into a corner of the picture."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from north_hush.demo.draw import Box
from north_hush.demo.shot import Shot, Span

_SCALE = 2
_GLYPHS = {
    "0": "01110 10001 10011 10101 11001 10001 01110", "1": "00100 01100 00100 00100 00100 00100 01110",
    "2": "01110 10001 00001 00110 01000 10000 11111", "3": "01110 10001 00001 00110 00001 10001 01110",
    "4": "00010 00110 01010 10010 11111 00010 00010", "5": "11111 10000 11110 00001 00001 10001 01110",
    "6": "00110 01000 10000 11110 10001 10001 01110", "7": "11111 00001 00010 00100 01000 01000 01000",
    "8": "01110 10001 10001 01110 10001 10001 01110", "9": "01110 10001 10001 01111 00001 00010 01100",
    "-": "00000 00000 00000 11111 00000 00000 00000", ":": "00000 00100 00100 00000 00100 00100 00000",
    "S": "01111 10000 10000 01110 00001 00001 11110", "K": "10001 10010 10100 11000 10100 10010 10001",
    "E": "11111 10000 10000 11110 10000 10000 11111", "R": "11110 10001 10001 11110 10100 10010 10001",
    "Y": "10001 10001 01010 00100 00100 00100 00100", "L": "10000 10000 10000 10000 10000 10000 11111",
    "I": "01110 00100 00100 00100 00100 00100 01110", "P": "11110 10001 10001 11110 10000 10000 10000",
    " ": "00000 00000 00000 00000 00000 00000 00000",
}  # fmt: skip


def _bitmap(text: str) -> np.ndarray:
    rows = [[[bit == "1" for bit in line] + [False] for line in _GLYPHS[letter].split()] for letter in text]
    return np.kron(np.concatenate([np.array(glyph) for glyph in rows], axis=1), np.ones((_SCALE, _SCALE), bool))


@dataclass(frozen=True)
class Clock:
    """White figures with a dark edge at the top left; they change once a second."""

    taken_at: datetime
    duration_s: float
    left_px: int = 14
    top_px: int = 12
    kind: str = "clock"
    name: str = "burnt-in clock"
    order: str = "overlay"

    def spans(self) -> list[Span]:
        return [(0.0, self.duration_s)]

    def box(self) -> Box:
        width = len(self._text(0.0)) * 6 * _SCALE
        return self.left_px - 2.0, self.top_px - 2.0, self.left_px + width + 2.0, self.top_px + 7 * _SCALE + 2.0

    def apply(self, shot: Shot, time_s: float) -> None:
        ink = _bitmap(self._text(time_s))
        edge = np.zeros((ink.shape[0] + 2, ink.shape[1] + 2), bool)
        for dy in range(3):
            for dx in range(3):
                edge[dy : dy + ink.shape[0], dx : dx + ink.shape[1]] |= ink
        top, left = self.top_px - 1, self.left_px - 1
        patch = shot.picture[top : top + edge.shape[0], left : left + edge.shape[1]]
        patch[edge] = 0.03
        patch[1:-1, 1:-1][ink] = 0.94 / shot.gain

    def _text(self, time_s: float) -> str:
        return (self.taken_at + timedelta(seconds=time_s)).strftime("%Y-%m-%d %H:%M:%S  SKERRY SLIP")
