"""The sound of a recording kept beside its evidence: heard once, in the pass or when it is first asked for."""

from __future__ import annotations

import numpy as np

from north_hush.core.errors import FootageError
from north_hush.core.footage.evidence import Evidence
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.kept import find_kept, keep_rows
from north_hush.core.footage.sound import Sound, sound_of

_NAME, _FLOAT = "sound 1", np.dtype(np.float32)


def kept_sound(index: FrameIndex, evidence: Evidence) -> Sound | None:
    """Levels of a recording; None where it has no sound.

    Raises
    ------
    FootageError : it is not there any more.
    """
    held = find_kept(evidence.folder, _NAME, (None, 2), _FLOAT)
    if held is None:
        sound = None if index.footage.is_folder else sound_of(index.footage.path)
        rows = np.zeros((0, 2), _FLOAT) if sound is None else np.stack([sound.plain_db, sound.weighted_db], axis=1)
        held = keep_rows(evidence.folder, _NAME, 2, _FLOAT, lambda: [rows])
    rows = np.array(held, np.float32)
    return Sound(rows[:, 0], rows[:, 1]) if len(rows) else None


def keep_sound(index: FrameIndex, evidence: Evidence) -> None:
    """Hear it now, so that nobody waits for it later; where it cannot be, that is told when it is asked for."""
    try:
        kept_sound(index, evidence)
    except FootageError:
        return
