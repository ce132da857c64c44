"""Evidence made up of cell values, for tests of what stands on it. Its key follows its content, as that of real evidence."""

import hashlib

import numpy as np

from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.options import EvidenceOptions


def evidence_of(grid, frames, values, **more):
    """Evidence whose every channel holds the same values, (cells, frames) uint8."""
    digest = hashlib.blake2b(np.ascontiguousarray(values).tobytes() + frames.tobytes(), digest_size=8).hexdigest()
    return Evidence(digest, grid, EvidenceOptions(), frames, lambda name, block: values, **more)


def whole_channel(evidence, name):
    """All values of a channel, (cells, frames) uint8; what is changed in them is changed in evidence made up in memory."""
    return evidence.values(name, 0, len(evidence.frames))
