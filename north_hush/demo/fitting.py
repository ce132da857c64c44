"""Fitting the weights that things are named by, and writing them beside what they name."""

from __future__ import annotations

import json
from importlib import resources
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize
from scipy.special import softmax

from north_hush.core.weighing import Weighing, terms_of

_PENALTY = 0.02
"""How freely weights may grow, against the sum over all rows: the inverse of the usual ridge."""


def fitted(
    names: tuple[str, ...], rows: NDArray[np.float64], allowed: NDArray[np.bool_], worth: NDArray[np.float64]
) -> Weighing:
    """Weights that make the true names of rows likely, by ridge regression of their logits (Hoerl and Kennard 1970).

    Parameters
    ----------
    rows : (rows, numbers) float64
    allowed : (rows, names) bool, which names are true of each; where several are, that any of them is named
    worth : (rows,) how much each counts
    """
    middle, spread = rows.mean(axis=0), np.maximum(rows.std(axis=0), 1e-6)
    terms = terms_of((rows - middle) / spread)
    at, width = terms.mean(axis=0), np.maximum(terms.std(axis=0), 1e-6)
    even = (terms - at) / width

    def loss(flat: NDArray[np.float64]) -> tuple[float, NDArray[np.float64]]:
        weights = flat.reshape(len(names), -1)
        likely = softmax(even @ weights[:, 1:].T + weights[:, 0], axis=1)
        right = (likely * allowed).sum(axis=1) + 1e-12
        missed = worth[:, None] * likely * (1 - allowed / right[:, None])
        slope = np.column_stack([missed.sum(axis=0), missed.T @ even + weights[:, 1:] / _PENALTY])
        return float(-(worth * np.log(right)).sum() + (weights[:, 1:] ** 2).sum() / (2 * _PENALTY)), slope.ravel()

    start = np.zeros(len(names) * (1 + terms.shape[1]))
    weights = minimize(loss, start, jac=True, method="L-BFGS-B", options={"maxiter": 2000}).x.reshape(len(names), -1)
    plain = weights[:, 1:] / width
    return Weighing(names, middle, spread, plain, weights[:, 0] - plain @ at)


def write_weights(package: str, file: str, held: Weighing, made_by: str, numbers: list[str]) -> Path:
    """Write weights beside what they name, with what made them."""
    text: dict[str, Any] = {"made_by": made_by, "numbers": numbers, "names": held.names}
    for name in ("middle", "spread", "bias", "weights"):
        plain = json.dumps(getattr(held, name).tolist())
        text[name] = json.loads(plain, parse_float=lambda number: float(f"{float(number):.4g}"))
    target = Path(str(resources.files(package) / file))
    target.write_text(json.dumps(text) + "\n", "utf-8")
    return target
