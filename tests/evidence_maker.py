"""Evidence made up of cell values, for tests of what stands on it. Its key follows its content, as that of real evidence."""

import hashlib

import numpy as np

from north_hush.core.follow.tracks import Follower
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.foreground import ALL_QUARTERS
from north_hush.core.footage.options import FOREGROUND, QUARTERS, STORED, EvidenceOptions


def evidence_of(grid, frames, values, **more):
    """Evidence whose every channel holds the same values, (cells, frames) uint8; what is there fills its cells."""
    digest = hashlib.blake2b(np.ascontiguousarray(values).tobytes() + frames.tobytes(), digest_size=8).hexdigest()

    def channel(name, block):
        return whole_cells(values) if name == QUARTERS else values

    return Evidence(digest, grid, EvidenceOptions(), frames, channel, **more)


def whole_cells(values):
    """Quarters of cells that are over the limit all over, as wide as values."""
    return np.full_like(values, ALL_QUARTERS)


def all_channels(values):
    """One frame's cells by channel, as a reducer hands them on, all of them the same."""
    return {name: whole_cells(values) if name == QUARTERS else values for name in STORED}


def sights_of(evidence, values=None):
    """Sights of all tracks of evidence, or of other foreground in its frames."""
    held = whole_channel(evidence, FOREGROUND) if values is None else values
    return Follower(evidence.grid).feed(held, whole_cells(held), evidence.time_us, evidence.valid, evidence.gap)


def whole_channel(evidence, name):
    """All values of a channel, (cells, frames) uint8; what is changed in them is changed in evidence made up in memory."""
    return evidence.values(name, 0, len(evidence.frames))
