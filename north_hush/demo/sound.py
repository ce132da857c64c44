"""What a microphone at the slip hears: wind in gusts, gulls, a horn, glass that breaks. Made from a seed, with its truth."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from north_hush.demo.truth import SoundFact

RATE_HZ = 16_000
Samples = NDArray[np.float32]


def heard(sounds: tuple[SoundFact, ...], duration_s: float, seed: int) -> Samples:
    """The whole track, (samples,) float32 from -1 to 1."""
    rng = np.random.default_rng([seed, 23])
    track = np.zeros(round(duration_s * RATE_HZ), np.float32)
    for fact in sounds:
        first = round(fact.start_s * RATE_HZ)
        count = min(len(track) - first, round((fact.end_s - fact.start_s) * RATE_HZ))
        if count > 0:
            track[first : first + count] += _MAKERS[fact.kind](rng, count)
    return np.clip(track, -1, 1)


def _wind(rng: np.random.Generator, count: int) -> Samples:
    """Noise below 500 Hz that swells and dies down over seconds."""
    low = signal.sosfilt(signal.butter(2, (40, 500), "bandpass", fs=RATE_HZ, output="sos"), rng.standard_normal(count))
    knots = rng.uniform(0.3, 1.0, max(2, count // (RATE_HZ * 3)) + 1)
    gusts = np.interp(np.arange(count), np.linspace(0, count, len(knots)), knots)
    return np.asarray(0.10 * low / low.std() * gusts, np.float32)


def _gull(rng: np.random.Generator, count: int) -> Samples:
    """Cries that fall in pitch."""
    time = np.arange(count) / RATE_HZ
    cry = np.sin(2 * np.pi * (1500 * time - 300 * time**2)) * np.abs(np.sin(2 * np.pi * 1.6 * time))
    return np.asarray(0.05 * rng.uniform(0.6, 1.0) * cry * _fade(count), np.float32)


def _horn(rng: np.random.Generator, count: int) -> Samples:
    """A ship's horn: two deep tones with their overtones."""
    time = np.arange(count) / RATE_HZ
    base = rng.uniform(110, 140)
    tones = sum(
        np.sin(2 * np.pi * base * part * time) / part for ratio in (1, 1.26) for part in (ratio, 2 * ratio, 3 * ratio)
    )
    return np.asarray(0.22 * tones * _fade(count), np.float32)


def _glass(rng: np.random.Generator, count: int) -> Samples:
    """A blow, then shards that ring high and die away."""
    time = np.arange(count) / RATE_HZ
    blow = rng.standard_normal(count) * np.exp(-time / 0.015)
    ring = np.zeros(count)
    for _ in range(14):
        at, pitch = rng.uniform(0, 0.35), rng.uniform(2500, 7000)
        after = np.clip(time - at, 0, None)
        ring += (time >= at) * np.sin(2 * np.pi * pitch * after) * np.exp(-after / rng.uniform(0.03, 0.15))
    return np.asarray(0.5 * blow + 0.22 * ring, np.float32)


def _fade(count: int) -> NDArray[np.float64]:
    """In and out within a tenth of a second."""
    edge = min(count // 2, RATE_HZ // 10)
    shape = np.ones(count)
    shape[:edge], shape[count - edge :] = np.linspace(0, 1, edge), np.linspace(1, 0, edge)
    return shape


_MAKERS: Mapping[str, Callable[[np.random.Generator, int], Samples]] = {
    "wind": _wind,
    "gull": _gull,
    "horn": _horn,
    "glass": _glass,
}
