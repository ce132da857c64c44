"""The weights that kinds are told by: fitted on tracks of demo recordings, whose truth is known.

Made again with `python -m north_hush.demo.kinds --seeds 51,52,...`; the same seeds give the same weights.
"""

from __future__ import annotations

import sys
from dataclasses import fields
from pathlib import Path

import click
import numpy as np
from numpy.typing import NDArray

from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.follow.apart import tracks_apart
from north_hush.core.follow.kinds import WEIGHTS_FILE, trait_rows
from north_hush.core.follow.tracks import HOW, OWN, TRACK
from north_hush.core.follow.traits import Traits, traits_of
from north_hush.core.handover.propose import view_cases
from north_hush.core.scene.kind import KINDS, Kind
from north_hush.core.scene.stature import person_cells
from north_hush.core.site.model import View
from north_hush.core.weighing import Weighing
from north_hush.demo.catalogue import CROWD, RECORDINGS
from north_hush.demo.confusion import true_kinds
from north_hush.demo.fitting import fitted, write_weights
from north_hush.demo.site import demo_site
from north_hush.demo.trial import kept_folder, made, rendered_truth

_RARE_POWER, _RARE_MOST, _PERSON_WORTH = 0.7, 8.0, 2.5
"""Rare kinds count for more, each track by the share of the most frequent one to this power, and not more than so many times; and a
person that is named something else is worse than the other way about."""

_PIECE_S = 5.0
"""Long tracks count in pieces of this too: who stands for a while is who he was."""


def kind_weights(held: list[Traits], true: list[Kind]) -> Weighing:
    """Weights that make the true kinds of some tracks likely."""
    kinds = tuple(kind for kind in KINDS if kind in true)
    which = np.array([kinds.index(kind) for kind in true])
    often = np.bincount(which, minlength=len(kinds))
    worth = np.where(np.array(kinds) == "person", _PERSON_WORTH, 1.0)[which]
    worth *= np.minimum(_RARE_MOST, (often.max() / often[which]) ** _RARE_POWER)
    return fitted(kinds, trait_rows(held), np.eye(len(kinds), dtype=bool)[which], worth)


def told_tracks(view: View, recordings: list[Path], folder: Path) -> tuple[list[Traits], list[Kind]]:
    """Traits and true kinds of the tracks of rendered recordings; each counts twice, the second time as where nobody's height is
    known, and long ones in pieces too."""
    evaluator = Evaluator()
    held, true = list[Traits](), list[Kind]()
    for case, path in zip(view_cases(view, folder), recordings, strict=True):
        evidence, grid = case.evidence, case.evidence.grid
        tracks = np.asarray(evaluator.tracks(evidence, view.plan))
        apart = {int(rows[0, TRACK]): rows for rows in tracks_apart(tracks)}
        for number, name in true_kinds(evidence, tracks, rendered_truth(path)):
            kind: Kind | None = "person" if name == "people" else next((one for one in KINDS if one == name), None)
            for rows in (apart[number], *_pieces(apart[number], evidence.usual_us)):
                for person in (person_cells(view.plan.size_marks, grid), np.zeros(grid.rows)):
                    traits = traits_of(rows, evidence.time_us, person, grid)
                    if traits is not None and kind is not None:
                        held.append(traits)
                        true.append(kind)
    return held, true


def _pieces(rows: NDArray[np.float64], usual_us: int) -> list[NDArray[np.float64]]:
    """A long track in pieces; none of a short one."""
    frames = max(1, round(_PIECE_S * 1e6 / max(1, usual_us)))
    count = len(rows) // frames
    return [piece for piece in np.array_split(rows, count) if (piece[:, HOW] == OWN).any()] if count > 1 else []


@click.command()
@click.option("--seeds", required=True, help="Seeds, separated by commas: all five recordings of each.")
@click.option("--crowds", default="", help="Seeds of which the regatta day alone is used.")
@click.option("--keep", type=click.Path(path_type=Path), help="Keep the recordings here, and use those in it.")
def fit(seeds: str, crowds: str, keep: Path | None) -> None:
    """Fit the weights on the recordings of some seeds and write them beside the rules that use them."""
    with kept_folder(keep) as folder:
        held, true = list[Traits](), list[Kind]()
        whole = dict.fromkeys(seeds.split(","), (*RECORDINGS, CROWD))
        for seed, names in (whole | dict.fromkeys(filter(None, crowds.split(",")), (CROWD,))).items():
            paths = [made(name, int(seed), folder / seed) for name in names]
            found = told_tracks(demo_site(paths).views[0], paths, folder / seed / "site")
            held += found[0]
            true += found[1]
            click.echo(f"seed {seed}: {len(found[0])} tracks", err=True)
    made_by = f"python -m north_hush.demo.kinds --seeds {seeds}" + (f" --crowds {crowds}" if crowds else "")
    traits = [field.name for field in fields(Traits)]
    click.echo(write_weights("north_hush.core.follow", WEIGHTS_FILE, kind_weights(held, true), made_by, traits))


if __name__ == "__main__":
    sys.exit(fit())
