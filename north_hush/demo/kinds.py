"""The weights that kinds are told by: fitted on tracks of demo recordings, whose truth is known.

Made again with `python -m north_hush.demo.kinds --seeds 51,52,...`; the same seeds give the same weights.
"""

from __future__ import annotations

import json
import sys
from collections import Counter
from dataclasses import fields
from importlib import resources
from pathlib import Path
from typing import Any

import click
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize
from scipy.special import log_softmax, softmax

from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.follow.apart import tracks_apart
from north_hush.core.follow.kinds import KINDS, WEIGHTS_FILE, Kind, KindModel, terms_of, trait_rows
from north_hush.core.follow.tracks import HOW, OWN, TRACK
from north_hush.core.follow.traits import Traits, traits_of
from north_hush.core.handover.propose import view_cases
from north_hush.core.scene.stature import person_cells
from north_hush.core.site.model import View
from north_hush.demo.catalogue import CROWD, RECORDINGS
from north_hush.demo.confusion import true_kinds
from north_hush.demo.site import demo_site
from north_hush.demo.trial import kept_folder, made, rendered_truth

_PENALTY = 0.02
"""How freely weights may grow, against the sum over all tracks: the inverse of the usual ridge."""
_RARE_POWER, _RARE_MOST, _PERSON_WORTH = 0.7, 8.0, 2.5
"""Rare kinds count for more, each track by the share of the most frequent one to this power, and not more than so many times; and a
person that is named something else is worse than the other way about."""

_PIECE_S = 5.0
"""Long tracks count in pieces of this too: who stands for a while is who he was."""


def fitted(held: list[Traits], true: list[Kind]) -> KindModel:
    """Weights that make the true kinds of some tracks likely, by ridge regression of their logits (Hoerl and Kennard 1970)."""
    kinds = tuple(kind for kind in KINDS if kind in true)
    rows, which = trait_rows(held), np.array([kinds.index(kind) for kind in true])
    middle, spread = rows.mean(axis=0), np.maximum(rows.std(axis=0), 1e-6)
    terms = terms_of((rows - middle) / spread)
    at, width = terms.mean(axis=0), np.maximum(terms.std(axis=0), 1e-6)
    even = (terms - at) / width
    often = np.bincount(which, minlength=len(kinds))
    worth = np.where(np.array(kinds) == "person", _PERSON_WORTH, 1.0)
    counts = worth[which] * np.minimum(_RARE_MOST, (often.max() / often[which]) ** _RARE_POWER)
    truth = np.eye(len(kinds))[which]

    def loss(flat: NDArray[np.float64]) -> tuple[float, NDArray[np.float64]]:
        weights = flat.reshape(len(kinds), -1)
        strengths = even @ weights[:, 1:].T + weights[:, 0]
        missed = counts[:, None] * (softmax(strengths, axis=1) - truth)
        slope = np.column_stack([missed.sum(axis=0), missed.T @ even + weights[:, 1:] / _PENALTY])
        held = -float((counts * log_softmax(strengths, axis=1)[np.arange(len(which)), which]).sum())
        return held + float((weights[:, 1:] ** 2).sum()) / (2 * _PENALTY), slope.ravel()

    start = np.zeros(len(kinds) * (1 + terms.shape[1]))
    weights = minimize(loss, start, jac=True, method="L-BFGS-B", options={"maxiter": 2000}).x.reshape(len(kinds), -1)
    plain = weights[:, 1:] / width
    return KindModel(kinds, middle, spread, plain, weights[:, 0] - plain @ at)


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


def _numbers(values: NDArray[np.float64]) -> Any:
    return json.loads(json.dumps(values.tolist()), parse_float=lambda text: float(f"{float(text):.4g}"))


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
    model = fitted(held, true)
    text = {
        "made_by": f"python -m north_hush.demo.kinds --seeds {seeds}" + (f" --crowds {crowds}" if crowds else ""),
        "tracks": dict(Counter(true)),
        "traits": [field.name for field in fields(Traits)],
        "kinds": model.kinds,
        **{name: _numbers(getattr(model, name)) for name in ("middle", "spread", "bias", "weights")},
    }
    target = Path(str(resources.files("north_hush.core.follow") / WEIGHTS_FILE))
    target.write_text(json.dumps(text) + "\n", "utf-8")
    click.echo(target)


if __name__ == "__main__":
    sys.exit(fit())
