"""Naming things by weighed numbers: multinomial logistic regression on them, their squares and products (Cox 1966).

The weights ship as a table of numbers beside what they name, made by a command from demo recordings whose truth is known.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from importlib import resources
from typing import Any

import numpy as np
from numpy.typing import NDArray

RIM = 2.0
"""Numbers beyond so many standard deviations of what the weights were fitted on count as that: nothing is said more surely the
farther it lies outside."""


@dataclass(frozen=True, eq=False)
class Weighing:
    """Weights that name something.

    Attributes
    ----------
    names : what is told apart
    middle, spread : (numbers,) of what it was fitted on
    weights : (names, terms) float64, see `terms_of`
    bias : (names,) float64
    """

    names: tuple[str, ...]
    middle: NDArray[np.float64]
    spread: NDArray[np.float64]
    weights: NDArray[np.float64]
    bias: NDArray[np.float64]

    def chances(self, rows: NDArray[np.float64]) -> NDArray[np.float64]:
        """How likely each is of each name, (rows, names), of (rows, numbers) float64."""
        strengths = terms_of((rows - self.middle) / self.spread) @ self.weights.T + self.bias
        likely = np.exp(strengths - strengths.max(axis=1, keepdims=True))
        return np.asarray(likely / likely.sum(axis=1, keepdims=True))


def terms_of(scaled: NDArray[np.float64]) -> NDArray[np.float64]:
    """Numbers, their squares and products, (rows, terms) float64, of numbers in standard deviations."""
    held = np.clip(scaled, -RIM, RIM)
    first, second = np.triu_indices(held.shape[1])
    return np.hstack([held, held[:, first] * held[:, second]])


def read_weights(package: str, file: str) -> Weighing:
    """The weights that ship with a package."""
    held: dict[str, Any] = json.loads((resources.files(package) / file).read_text("utf-8"))
    middle, spread, weights, bias = (np.array(held[name], float) for name in ("middle", "spread", "weights", "bias"))
    return Weighing(tuple(held["names"]), middle, spread, weights, bias)
