"""The tracks of a site's recordings as plain values, for scripts."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from north_hush.core.errors import FootageError
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.recordings import read_recording
from north_hush.core.follow.apart import tracks_apart
from north_hush.core.follow.tracks import FOOT, FRAME, TOP, TRACK, X
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.scene.kind import kind_name
from north_hush.core.site.model import Site


def site_tracks(site: Site, site_path: Path) -> dict[str, Any]:
    """Everything that was followed on every recording of every view: what it is, how sure that is, when it came and went, and in
    each frame its feet and its height, in fractions of the picture.

    A recording that cannot be read is listed with its `error`.
    """
    evaluator, rows = Evaluator(), []
    for view in site.views:
        for recording in view.recordings:
            row: dict[str, Any] = {"view": view.name, "path": recording.path}
            try:
                _, evidence = read_recording(view, recording, site_path)
            except FootageError as error:
                rows.append({**row, "error": str(error)})
                continue
            kinds, grid = evaluator.kinds(evidence, view.plan), evidence.grid
            across, down = grid.cell_size_frac
            tracks = []
            for sights in tracks_apart(evaluator.tracks(evidence, view.plan)):
                number = int(sights[0, TRACK])
                at_s = evidence.time_us[sights[:, FRAME].astype(int)] / US_PER_S
                x, foot = sights[:, X] * across, sights[:, FOOT] * down
                tall = (sights[:, FOOT] - sights[:, TOP]) * down
                points = [
                    [round(float(value), 5) for value in point] for point in zip(at_s, x, foot, tall, strict=True)
                ]
                kind, sure = kinds[number]
                tracks.append(
                    {
                        "id": number,
                        "kind": kind_name(kind, view.taught),
                        "sure": sure,
                        "start_s": round(float(at_s[0]), 3),
                        "end_s": round(float(at_s[-1]), 3),
                        "points": points,
                    }
                )
            rows.append({**row, "tracks": tracks})
    return {"site": site.name, "recordings": rows}
