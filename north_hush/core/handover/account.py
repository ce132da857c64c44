"""The report for people: why these numbers, what they are worth, and what is not covered. Who never saw the program understands it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from north_hush import __version__
from north_hush.core.detect.dials import DIALS
from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.errors import FootageError
from north_hush.core.evaluate.evaluation import Evaluation
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.explain.blind import BlindCheck, blind_check
from north_hush.core.explain.causes import CAUSE_NAMES
from north_hush.core.footage.index import FrameIndex, clock_text
from north_hush.core.handover import page
from north_hush.core.handover.account_curves import curve_parts
from north_hush.core.handover.card import Card
from north_hush.core.handover.fit_rows import fit_site, worth_words
from north_hush.core.handover.handed import changes_since
from north_hush.core.handover.outcome import site_outcome
from north_hush.core.handover.picture import as_data, drawn_picture, view_picture
from north_hush.core.handover.report import Asked, evaluated, score_row
from north_hush.core.judge.score import Score, summed
from north_hush.core.site.handed import Handed
from north_hush.core.site.model import Recording, Site, Tuning, View

_BORN = ZoneSettings()


@dataclass(frozen=True, eq=False)
class _Read:
    """A recording that could be read, and what two tunings raise on it."""

    recording: Recording
    index: FrameIndex
    after: Evaluation
    before: Evaluation | None


def account_html(asked: Asked, before: str, card: Card | None = None) -> str:
    """The report of a site; with a card, what that device can really do of it.

    Raises
    ------
    SiteError : no view has the tuning that is asked for.
    HushError : hours cannot be turned into instants.
    """
    site = asked.site
    made = f"Made on {datetime.now(UTC):%Y-%m-%d %H:%M} UTC with North Hush {__version__}."
    parts = [page.words(f"{made} Times are those of {site.time_zone}.", quiet=True)]
    evaluator = Evaluator()
    for view, used in asked.views():
        parts += _view_parts(asked, evaluator, view, used, before)
    if card is not None:
        parts += _device_parts(asked, card)
    parts += _outcome_parts(asked)
    parts += [
        page.heading("Signatures"),
        page.table(["", "Name", "Date", "Signature"], [("Set up by", "", "", ""), ("Accepted by", "", "", "")]),
    ]
    return page.page(f"{site.name}: motion detection", parts)


def _device_parts(asked: Asked, card: Card) -> list[str]:
    """What a device can really do of each view, and what it loses."""
    fits = fit_site(asked, card, lambda share: None)
    rows = [(view.name, worth_words(fit)) for view, fit in fits]
    lost = [(view.name, name, by or "no single thing") for view, fit in fits for name, by in fit.lost]
    return [
        page.heading(f"Into the device: {card.name}"),
        page.words(card.says),
        page.table(["View", "Can do"], rows),
        page.table(["View", "Incident that is lost", "Would be saved by"], lost),
    ]


def _view_parts(asked: Asked, evaluator: Evaluator, view: View, used: Tuning, before: str) -> list[str]:
    held = view.tuning_named(before) if before in {tuning.name for tuning in view.tunings} else None
    read: list[_Read] = []
    notes: list[str] = []
    for recording in view.recordings:
        try:
            index, after = evaluated(evaluator, asked, view, used, recording)
            was = evaluated(evaluator, asked, view, held, recording)[1] if held is not None else None
        except FootageError as error:
            notes.append(str(error))
            continue
        read.append(_Read(recording, index, after, was))
    pixels = view_picture(view, asked.path)
    return [
        page.heading(f"View {view.name}"),
        page.picture(as_data(drawn_picture(pixels, view.zones, view.wires))),
        *_footage(asked.site, read),
        *(page.words(note) for note in notes),
        *_worth(read, used.name, held.name if held is not None else ""),
        *_settings(view, used),
        *curve_parts(evaluator, view, used, [one.after for one in read]),
        *_causes(evaluator, read),
        *_not_covered(view, used, read),
        *_hours(view),
        *_walks(read),
        *_decisions(asked.site, view),
    ]


def _decisions(site: Site, view: View) -> list[str]:
    """What was handed over, when, by whom, and what each time was otherwise than the time before."""
    if not view.handed:
        return []
    rows, known = [], dict[str, Handed]()
    for held in view.handed:
        before = known.get(held.card)
        changes = [] if before is None else changes_since(before, held)
        said = (
            "the first" if before is None else "; ".join(f"{item}: {what}" for item, what, *_ in changes) or "nothing"
        )
        rows.append((f"{held.at.astimezone(site.zone):%Y-%m-%d %H:%M}", held.by, held.card, held.note, said))
        known[held.card] = held
    return [
        page.heading("What was decided"),
        page.table(["Handed over", "By", "Into", "Note", "Otherwise than before"], rows),
    ]


def _footage(site: Site, read: Sequence[_Read]) -> list[str]:
    rows = []
    for one in read:
        began = one.recording.began(one.index, site.zone)
        at = "not known" if began is None else f"{began.astimezone(site.zone):%Y-%m-%d %H:%M}"
        truth = one.recording.truth
        known = f"{len(truth.incidents)} incidents" + (", complete" if truth.complete else "")
        rows.append(
            (Path(one.recording.path).name, at, clock_text(one.index.duration_s * 1e6), one.recording.light, known)
        )
    total = sum(one.after.evidence.footage_s for one in read)
    return [
        page.heading("The footage it rests on"),
        page.table(["Recording", "Taken", "Length", "Light", "What is known"], rows),
        page.words(f"{total / 60:.1f} minutes in all. What did not happen in them is not measured."),
    ]


def _worth(read: Sequence[_Read], after: str, before: str) -> list[str]:
    columns: list[tuple[str, list[Score]]] = [(after, [one.after.score for one in read])]
    if before and before != after:
        columns.insert(0, (before, [one.before.score for one in read if one.before is not None]))
    if not any(score.incidents or score.nuisances or score.unjudged for _, parts in columns for score in parts):
        return [page.words("Nothing is known of what really happened: no score.")]
    rows_of = [score_row(parts) for _, parts in columns]

    def interval(row: dict[str, object], name: str, scale: float = 1.0) -> str:
        found = row[f"{name}_interval"]
        return f" ({found[0] * scale:.0f} to {found[1] * scale:.0f})" if isinstance(found, list) else ""

    def share(row: dict[str, Any]) -> str:
        return f"{row['met']} of {row['incidents']}, {100 * row['met'] / max(1, row['incidents']):.0f} %"

    def delay(row: dict[str, object]) -> str:
        found = row["delay_s"]
        return f"{found['median']} s, worst {found['worst']} s" if isinstance(found, dict) else "–"

    rows = [
        ("Incidents met", *(f"{share(row)}{interval(row, 'met', 100)}" for row in rows_of)),
        ("Nuisance alarms", *(str(row["nuisance"]) for row in rows_of)),
        ("Nuisances an hour", *(f"{row['nuisance_per_hour']}{interval(row, 'nuisance_per_hour')}" for row in rows_of)),
        ("Quiet time in alarm", *(f"{row['nuisance_time_percent']} %" for row in rows_of)),
        ("Delay", *(delay(row) for row in rows_of)),
        ("Missed", *(", ".join(summed(parts).missed) or "none" for _, parts in columns)),
    ]
    return [
        page.heading("Before and after"),
        page.table(["", *(name for name, _ in columns)], rows),
        page.words("Ranges in brackets are 95 %: whole recordings drawn again and again.", quiet=True),
    ]


def _settings(view: View, used: Tuning) -> list[str]:
    """What differs from the settings an item is born with."""
    rows = []
    for item in view.watchers:
        dials = used.of(item.id)
        turned = [
            f"{dial.label} {getattr(dials, dial.field):g} {dial.unit}"
            for dial in DIALS
            if getattr(dials, dial.field) != getattr(_BORN, dial.field) and dial.things_in in (None, dials.things_in)
        ]
        turned += [f"compares by {dials.channel}"] if dials.channel != _BORN.channel else []
        rows.append((f"{item.letter}  {item.name}", "; ".join(turned) or "as it was born"))
    return [page.heading(f"The numbers: tuning {used.name}"), page.table(["Item", "Turned"], rows)]


def _causes(evaluator: Evaluator, read: Sequence[_Read]) -> list[str]:
    """What nuisances look like under the tuning."""
    found: Counter[str] = Counter()
    for one in read:
        worths = dict(zip(((span.item, span.start_s) for span in one.after.spans), one.after.worths, strict=True))
        explainer = evaluator.explainer(one.after.evidence, one.after.plan)
        for lane in one.after.lanes:
            for alarm in lane.alarms:
                if worths.get((lane.zone_id, alarm.start_s)) == "nuisance":
                    found[CAUSE_NAMES[explainer.explain(lane, alarm).cause]] += 1
    return (
        [page.heading("Nuisances that are left"), page.table(["Looks like", "Alarms"], found.most_common())]
        if found
        else []
    )


def _not_covered(view: View, used: Tuning, read: Sequence[_Read]) -> list[str]:
    """Where and when somebody would not be seen."""
    rows = []
    for one in read:
        for item in view.watchers:
            check = blind_check(one.after.evidence, item, view.plan, used.of(item.id))
            if check is not None:
                rows.append((Path(one.recording.path).stem, f"{item.letter}  {item.name}", _blind_words(check)))
    return [
        page.heading("What is not covered"),
        page.words("A quiet list is no safe scene: here is what could not have been seen."),
        page.table(["Recording", "Item", "Sees"], rows),
    ]


def _blind_words(check: BlindCheck) -> str:
    text = (
        "nobody"
        if check.smallest_frac is None
        else f"people from {100 * check.smallest_frac:.1f} % of the picture's height, on {check.covered_percent:.0f} % of its ground"
    )
    if check.not_covered_s:
        spans = ", ".join(
            f"{clock_text(start * 1e6)}-{clock_text(end * 1e6)}" for start, end in check.not_covered_s[:4]
        )
        text += f"; not covered {spans}" + (" and more" if len(check.not_covered_s) > 4 else "")
    return text


def _hours(view: View) -> list[str]:
    if not view.has_hours:
        return []
    rows = [("the view", *(getattr(view.hours, kind) or "always" for kind in ("armed", "recording", "notifying")))]
    for item in view.watchers:
        if item.id in view.item_hours:
            own = view.hours_of(item.id)
            rows.append((item.name, *(getattr(own, kind) or "always" for kind in ("armed", "recording", "notifying"))))
    return [page.heading("Hours"), page.table(["Of", "Armed", "Recording", "Notifying"], rows)]


def _walks(read: Sequence[_Read]) -> list[str]:
    walks = [
        (Path(one.recording.path).stem, held.name, clock_text(held.start_s * 1e6))
        for one in read
        for held in one.recording.truth.incidents
        if held.walk
    ]
    return [page.heading("Walk tests"), page.table(["Recording", "Walk", "At"], walks)] if walks else []


def _outcome_parts(asked: Asked) -> list[str]:
    found = site_outcome(asked)
    rows = []
    for day in found["views"]:
        clips, messages = (f"{day[name]['a_day']:.0f}" for name in ("clips", "messages"))
        rows.append((day["view"], clips, f"{day['clip_hours']:.1f}", f"{day['gb_a_day']:.2f}", messages))
    full = found["disk"]["full_after_days"]
    fares = f"full after {full} days, then it goes round" if full else "never full"
    return [
        page.heading("What follows from alarms, a day"),
        page.table(["View", "Clips", "Hours of clips", "GB", "Messages"], rows),
        page.words(f"Disk of {found['disk']['size_gb']:g} GB: {fares}."),
    ]
