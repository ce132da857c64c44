"""Whether blind cameras are found, on demo seeds: `python -m bench.sight FOLDER...`, folders made by `north-hush demo --out`."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path

from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.passes import evidence_of
from north_hush.demo.seen import Seen, blindness_seen
from north_hush.demo.trial import rendered_truth


def rows(folders: list[Path]) -> Iterator[str]:
    whole = Seen()
    for video in sorted(path for folder in folders for path in folder.glob("*.mp4")):
        found = blindness_seen(rendered_truth(video), evidence_of(index_recording(Footage(video)), EvidenceOptions()))
        yield from (f"{video}: {wrong}" for wrong in found.wrong)
        whole += found
    late = f", at most {whole.latest_s:.1f} s after it began" if whole.latest_s is not None else ""
    yield f"{whole.found} of {whole.to_find} found{late}; {whole.false} false in {whole.footage_s / 3600:.2f} h"


if __name__ == "__main__":
    for line in rows([Path(name) for name in sys.argv[1:]]):
        print(line)
