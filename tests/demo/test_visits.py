"""Who comes into a zone and who stays in it, as the generator knows it."""

import numpy as np
import pytest

from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.reduce import FRAME_DTYPE
from north_hush.core.grid import Grid
from north_hush.core.scene.area import area_of
from north_hush.core.scene.items import Zone
from north_hush.core.scene.outline import rectangle
from north_hush.demo.truth import Incident, Truth
from north_hush.demo.visits import visits

ZONE = Zone(id="zone-1", name="Slip", letter="A", area=area_of(rectangle((0.4, 0.4), (0.8, 0.8))))


def evidence(frames=600):
    rows = np.zeros(frames, FRAME_DTYPE)
    rows["time_us"], rows["valid"] = np.arange(frames) * 100_000, True
    return Evidence("made", Grid(320, 180), EvidenceOptions(), rows, lambda name, block: np.zeros((0, 0), np.uint8))


def box_at(x):
    return None if x is None else (x - 0.02, 0.4, x + 0.02, 0.6)


def somebody(*stretches, first=0):
    """Stretches of (seconds, where his feet are across; None: not in the picture)."""
    boxes = tuple(box_at(x) for seconds, x in stretches for _ in range(round(seconds * 10)))
    return Truth(
        recording="made", seed=1, duration_s=60, frames=600, nuisances=(),
        incidents=(Incident(name="somebody", start_s=0, end_s=60, first_frame=first, boxes=boxes),),
    )  # fmt: skip


@pytest.mark.parametrize(
    ("stretches", "entries", "stays"),
    [
        (((5, 0.1), (20, 0.6), (5, 0.1)), [(5, 24.9)], [(15, 24.9)]),
        (((20, 0.6), (5, 0.1)), [], [(10, 19.9)]),  # he was there from the first
        (((5, 0.1), (4, 0.6), (1, 0.1), (9, 0.6)), [(5, 18.9)], [(15, 18.9)]),  # a step out of it is none
        (((5, 0.1), (4, 0.6), (3, 0.1), (9, 0.6)), [(5, 8.9), (12, 20.9)], []),
        (((5, None), (5, 0.1), (0.2, 0.6), (5, 0.1)), [], []),  # a touch of its edge
        (((5, 0.1), (20, None), (5, 0.6)), [(25, 29.9)], []),
    ],
)
def test_entries_and_stays(stretches, entries, stays):
    truth, held = somebody(*stretches), evidence()
    for fires, wanted in (("entry", entries), ("loitering", stays)):
        found = [(start_s, end_s) for _, start_s, end_s in visits(truth, ZONE, held, fires)]
        assert len(found) == len(wanted) and np.allclose(found, wanted)
