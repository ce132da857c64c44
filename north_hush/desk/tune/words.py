"""What the Tune panel says in words: how long frames last, the score, and what a zone can still see."""

from __future__ import annotations

from north_hush.core.detect.dials import dial_of
from north_hush.core.explain.blind import LIGHT, BlindCheck
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.stamps import clock_text
from north_hush.core.judge.score import Score
from north_hush.core.words import tr

_WHOLLY_PERCENT = 97.0
"""From here on the ground counts as covered."""


def frames_text(index: FrameIndex, frames: int) -> str:
    """How long some frames last: n frames span n - 1 intervals, median and (where it differs) worst."""
    usual = (frames - 1) * index.usual_interval_us / 1000
    worst = (frames - 1) * index.worst_interval_us / 1000
    return (
        tr("{usual:,.0f} ms", usual=usual)
        if worst < 1.5 * usual or frames == 1
        else tr("{usual:,.0f}–{worst:,.0f} ms", usual=usual, worst=worst)
    )


def score_text(held: Score) -> str:
    """Met, unwanted and not judged, in words."""
    nuisances = (
        tr("1 nuisance alarm") if held.nuisances == 1 else tr("{nuisances} nuisance alarms", nuisances=held.nuisances)
    )
    text = tr(
        "{met} of {incidents} incidents met, {nuisances}", met=held.met, incidents=held.incidents, nuisances=nuisances
    )
    return text + (tr(", {unjudged} not judged", unjudged=held.unjudged) if held.unjudged else "")


def blind_text(check: BlindCheck | None) -> tuple[str, str]:
    """What a zone can still see, and how that is known."""
    if check is None:
        return "", ""
    smallest = check.smallest_frac
    text = (
        tr("Sees nobody here")
        if smallest is None
        else tr("Sees people from {smallest:.1f} % of the picture's height", smallest=100 * smallest)
    )
    if check.hidden_by:
        hides = tr("too little light") if check.hidden_by == LIGHT else dial_of(check.hidden_by).label.lower()
        text = tr("Sees nobody who walks: {hides} hides them", hides=hides)
    elif check.covered_percent < _WHOLLY_PERCENT:
        text += tr(", on {covered_percent:.0f} % of the ground", covered_percent=check.covered_percent)
    if check.not_covered_s:
        spans = ", ".join(
            f"{clock_text(start * 1e6)}–{clock_text(end * 1e6)}" for start, end in check.not_covered_s[:3]
        )
        text += tr("; not covered {spans}", spans=spans) + ("…" if len(check.not_covered_s) > 3 else "")
    noise = (
        tr("not measured")
        if check.noise_grey is None
        else tr("{noise_grey:.2f} grey levels", noise_grey=check.noise_grey)
    )
    lines = [
        tr(
            "Blind check: on this ground a person differs by about {contrast_grey:.0f} grey "
            "levels, a quarter of its brightness. Its own noise from frame to frame: {noise}.",
            contrast_grey=check.contrast_grey,
            noise=noise,
        )
    ]
    if check.slowest_m_per_s is not None and check.fastest_m_per_s is not None:
        lines.append(
            tr(
                "Walks from {slowest_m_per_s:.1f} to {fastest_m_per_s:.1f} m/s are noticed.",
                slowest_m_per_s=check.slowest_m_per_s,
                fastest_m_per_s=check.fastest_m_per_s,
            )
        )
    if check.unrecognised_percent:
        lines.append(
            tr(
                "On {unrecognised_percent:.0f} % of that ground a person is noticed, but too small "
                "or too dark to be recognised.",
                unrecognised_percent=check.unrecognised_percent,
            )
        )
    for where, reach in zip(("far", "near") if len(check.reaches) == 2 else ("near",), check.reaches, strict=False):
        need = (
            tr("too few cells to alarm")
            if reach.contrast_grey is None
            else tr("must differ by {contrast_grey:.0f} grey levels", contrast_grey=reach.contrast_grey)
        )
        lines.append(
            tr(
                "A person at the {where} end, {height_frac:.1f} % of the picture tall: {need}.",
                where=where,
                height_frac=100 * reach.height_frac,
                need=need,
            )
        )
    return text, "\n".join(lines)
