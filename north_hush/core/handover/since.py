"""What changed between two recordings of a view, as two days or two seasons: light, noise, restlessness, and the score under the same
tuning."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from north_hush.core.errors import SiteError
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.explain.restless import restlessness_over
from north_hush.core.footage.evidence import NOISE_SCALE, Evidence
from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.handover.report import Asked, evaluated
from north_hush.core.site.model import View
from north_hush.core.site.recording import Recording
from north_hush.core.words import tr

_LUMA_SCALE = 16
_RESTLESS_QUARTERS, _RESTLESS_SHARE = 12, 0.02
"""A cell is restless when it changes by three grey levels in a fiftieth of the time."""
_LEAST_US = 10 * US_PER_S
_NOTICED = 1.25
"""A figure that rose by a quarter is worth a word."""


@dataclass(frozen=True)
class Season:
    """What a recording was like.

    Attributes
    ----------
    luma_grey, noise_grey : brightness of the middle cell, and the mean change from frame to frame by itself; None where nobody measured
    restless_percent : share of the view that changes by itself, outside incidents; None where that is under ten seconds
    nuisances_an_hour, quiet_percent : nuisance alarms, and share of the quiet time in alarm, under the tuning; None without truth
    """

    recording: str
    taken: str | None
    luma_grey: float | None
    noise_grey: float | None
    restless_percent: float | None
    alarms_an_hour: float
    met: int
    incidents: int
    nuisances_an_hour: float | None
    quiet_percent: float | None


def season_of(evaluator: Evaluator, asked: Asked, view: View, recording: Recording) -> Season:
    """What a recording was like under the tuning that is asked of.

    Raises
    ------
    FootageError : it is not there, or cannot be read.
    HushError : hours cannot be turned into instants.
    """
    tuning = next(used for held, used in asked.views() if held.id == view.id)
    index, found = evaluated(evaluator, asked, view, tuning, recording)
    soil, hours = found.evidence.soil, max(found.counted_s, 1.0) / 3600
    began = recording.began(index, asked.site.zone)
    still = _outside(found.evidence, recording)
    known, score = recording.truth.known, found.score
    return Season(
        recording.path,
        None if began is None else began.astimezone(asked.site.zone).isoformat(),
        round(float(np.median(soil.luma)) / _LUMA_SCALE, 1) if soil is not None else None,
        round(float(soil.noise.mean()) / NOISE_SCALE, 2) if soil is not None else None,
        _restless_percent(still),
        round(len(found.spans) / hours, 1),
        score.met,
        score.incidents,
        round(score.nuisances / hours, 1) if known else None,
        round(100 * score.quiet_share, 1) if known and score.quiet_share is not None else None,
    )


def _outside(evidence: Evidence, recording: Recording) -> Evidence:
    """Without the time of incidents, in which somebody moves."""
    seconds, outside = evidence.seconds, np.ones(len(evidence.frames), bool)
    for incident in recording.truth.incidents:
        outside &= (seconds < incident.start_s) | (seconds > incident.end_s)
    return evidence.counting(outside)


def _restless_percent(evidence: Evidence) -> float | None:
    if evidence.valid.sum() * evidence.usual_us < _LEAST_US:
        return None
    restless = restlessness_over(evidence, "step", _RESTLESS_QUARTERS)
    return round(100 * float((restless.share >= _RESTLESS_SHARE).mean()), 1)


def pair_of(view: View, before: str, after: str) -> tuple[Recording, Recording]:
    """The recordings that are named by path or id; '' for the oldest, and the newest.

    Raises
    ------
    SiteError : there are not two, or one is unknown.
    """
    if len(view.recordings) < 2:
        raise SiteError(tr("view '{name}'", name=view.name), tr("has no two recordings."), tr("Add another one first."))
    dated = sorted(view.recordings, key=lambda held: (held.taken_at or held.stated_at) is None)
    in_time = sorted(
        (held for held in dated if (held.taken_at or held.stated_at) is not None),
        key=lambda held: held.taken_at or held.stated_at,  # type: ignore[arg-type,return-value]
    ) or list(view.recordings)
    return _named(view, before, in_time[0]), _named(view, after, in_time[-1])


def _named(view: View, text: str, usual: Recording) -> Recording:
    if not text:
        return usual
    found = next((held for held in view.recordings if text in (held.id, held.path)), None)
    if found is None:
        known = ", ".join(held.path for held in view.recordings)
        raise SiteError(
            tr("recording '{path}'", path=text),
            tr("is none of '{name}'.", name=view.name),
            tr("It has {known}.", known=known),
        )
    return found


def words_of(before: Season, after: Season, limit_grey: float) -> list[str]:
    """What changed, and which dial to look at first.

    Parameters
    ----------
    limit_grey : the lowest change limit of the view's items
    """
    said = []
    if _rose(before.noise_grey, after.noise_grey):
        said.append(
            tr("Noise rose from {was:.1f} to {now:.1f} grey levels.", was=before.noise_grey, now=after.noise_grey)
        )
        if after.noise_grey is not None and 2 * after.noise_grey > limit_grey:
            said.append(tr("The change limit of {limit:g} lies within twice that: look at it first.", limit=limit_grey))
    if _rose(before.restless_percent, after.restless_percent):
        said.append(
            tr(
                "More of the view moves by itself, {now:.0f} % instead of {was:.0f} %: see Restlessness in Draw.",
                now=after.restless_percent, was=before.restless_percent,
            )
        )  # fmt: skip
    if before.luma_grey and after.luma_grey and not 1 / _NOTICED < after.luma_grey / before.luma_grey < _NOTICED:
        said.append(
            tr("Brightness went from {was:.0f} to {now:.0f} grey levels.", was=before.luma_grey, now=after.luma_grey)
        )
    if _rose(before.alarms_an_hour, after.alarms_an_hour):
        said.append(
            tr("{now:.0f} alarms an hour instead of {was:.0f}.", now=after.alarms_an_hour, was=before.alarms_an_hour)
        )
    return said or [tr("Nothing that matters changed.")]


def _rose(was: float | None, now: float | None) -> bool:
    return was is not None and now is not None and now > max(_NOTICED * was, was + 0.1)
