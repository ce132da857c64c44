"""Whether cameras that are blind are found, on demo seeds: `python -m bench.sight FOLDER...`, folders made by `north-hush demo --out`.

A blindness of the truth is found when one of its kind is told within 3 s of its start (10 s more of a picture that stands still, which
is what makes it one). All others are false.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path

from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.passes import evidence_of
from north_hush.core.sight.rules import BORN, KINDS
from north_hush.core.sight.sight import FROZEN_S, blind_of
from north_hush.demo.truth import Truth

TOLD_WITHIN_S = 3.0


def truth_of(video: Path) -> list[tuple[str, float]]:
    held = Truth.model_validate_json(video.with_suffix(".truth.json").read_text())
    return [(fact.kind, span[0]) for fact in held.nuisances if fact.kind in KINDS for span in fact.spans_s]


def told_of(video: Path) -> tuple[float, list[tuple[str, float]]]:
    evidence = evidence_of(index_recording(Footage(video)), EvidenceOptions())
    told = [(one.kind, one.start_us / 1e6 + BORN[one.kind].for_s) for one in blind_of(evidence)]
    return evidence.footage_s, [(kind, at + FROZEN_S * (kind == "frozen")) for kind, at in told]


def rows(folders: list[Path]) -> Iterator[str]:
    found = false = all_of = 0
    seconds, late = 0.0, list[float]()
    for video in sorted(path for folder in folders for path in folder.glob("*.mp4")):
        length_s, told = told_of(video)
        seconds += length_s
        for kind, at_s in truth_of(video):
            all_of += 1
            within = TOLD_WITHIN_S + FROZEN_S * (kind == "frozen")
            match = next((one for one in told if one[0] == kind and 0 <= one[1] - at_s <= within), None)
            if match is None:
                yield f"{video}: {kind} at {at_s:.1f} s was not found"
                continue
            told.remove(match)
            found += 1
            late.append(match[1] - at_s - FROZEN_S * (kind == "frozen"))
        false += len(told)
        yield from (f"{video}: {kind} at {at_s:.1f} s is false" for kind, at_s in told)
    worst = f", at most {max(late):.1f} s after it began" if late else ""
    yield f"{found} of {all_of} found{worst}; {false} false in {seconds / 3600:.2f} h of footage"


if __name__ == "__main__":
    for line in rows([Path(name) for name in sys.argv[1:]]):
        print(line)
