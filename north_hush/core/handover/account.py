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
from north_hush.core.footage.index import FrameIndex
from north_hush.core.footage.stamps import clock_text
from north_hush.core.handover import page
from north_hush.core.handover.account_curves import curve_parts
from north_hush.core.handover.card import Card
from north_hush.core.handover.fit_rows import fit_site, worth_words
from north_hush.core.handover.handed import changes_since
from north_hush.core.handover.outcome import site_outcome
from north_hush.core.handover.picture import as_data, drawn_picture, view_picture
from north_hush.core.handover.report import Asked, evaluated
from north_hush.core.handover.rows import score_row
from north_hush.core.judge.score import Score, summed
from north_hush.core.scene.kind import kinds_text
from north_hush.core.site.handed import Handed
from north_hush.core.site.model import Site, Tuning, View
from north_hush.core.site.recording import Recording
from north_hush.core.words import tr

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
    made = tr(
        "Made on {now:%Y-%m-%d %H:%M} UTC with North Hush {version__}.", now=datetime.now(UTC), version__=__version__
    )
    parts = [page.words(tr("{made} Times are those of {time_zone}.", made=made, time_zone=site.time_zone), quiet=True)]
    evaluator = Evaluator()
    for view, used in asked.views():
        parts += _view_parts(asked, evaluator, view, used, before)
    if card is not None:
        parts += _device_parts(asked, card)
    parts += _outcome_parts(asked)
    parts += [
        page.heading(tr("Signatures")),
        page.table(
            ["", tr("Name"), tr("Date"), tr("Signature")],
            [(tr("Set up by"), "", "", ""), (tr("Accepted by"), "", "", "")],
        ),
    ]
    return page.page(tr("{name}: motion detection", name=site.name), parts)


def _device_parts(asked: Asked, card: Card) -> list[str]:
    """What a device can really do of each view, and what it loses."""
    fits = fit_site(asked, card, lambda share: None)
    rows = [(view.name, worth_words(fit)) for view, fit in fits]
    lost = [(view.name, name, by or tr("no single thing")) for view, fit in fits for name, by in fit.lost]
    return [
        page.heading(tr("Into the device: {name}", name=card.name)),
        page.words(card.says),
        page.table([tr("View"), tr("Can do")], rows),
        page.table([tr("View"), tr("Incident that is lost"), tr("Would be saved by")], lost),
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
        page.heading(tr("View {name}", name=view.name)),
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
            tr("the first")
            if before is None
            else "; ".join(f"{item}: {what}" for item, what, *_ in changes) or "nothing"
        )
        rows.append((f"{held.at.astimezone(site.zone):%Y-%m-%d %H:%M}", held.by, held.card, held.note, said))
        known[held.card] = held
    return [
        page.heading(tr("What was decided")),
        page.table([tr("Handed over"), tr("By"), tr("Into"), tr("Note"), tr("Otherwise than before")], rows),
    ]


def _footage(site: Site, read: Sequence[_Read]) -> list[str]:
    rows = []
    for one in read:
        began = one.recording.began(one.index, site.zone)
        at = tr("not known") if began is None else f"{began.astimezone(site.zone):%Y-%m-%d %H:%M}"
        truth = one.recording.truth
        known = tr("{count} incidents", count=len(truth.incidents)) + (tr(", complete") if truth.complete else "")
        rows.append(
            (Path(one.recording.path).name, at, clock_text(one.index.duration_s * 1e6), one.recording.light, known)
        )
    total = sum(one.after.evidence.footage_s for one in read)
    return [
        page.heading(tr("The footage it rests on")),
        page.table([tr("Recording"), tr("Taken"), tr("Length"), tr("Light"), tr("What is known")], rows),
        page.words(tr("{total:.1f} minutes in all. What did not happen in them is not measured.", total=total / 60)),
    ]


def _worth(read: Sequence[_Read], after: str, before: str) -> list[str]:
    columns: list[tuple[str, list[Score]]] = [(after, [one.after.score for one in read])]
    if before and before != after:
        columns.insert(0, (before, [one.before.score for one in read if one.before is not None]))
    if not any(score.incidents or score.nuisances or score.unjudged for _, parts in columns for score in parts):
        return [page.words(tr("Nothing is known of what really happened: no score."))]
    rows_of = [score_row(parts) for _, parts in columns]

    def interval(row: dict[str, object], name: str, scale: float = 1.0) -> str:
        found = row[f"{name}_interval"]
        return (
            tr(" ({found:.0f} to {found2:.0f})", found=found[0] * scale, found2=found[1] * scale)
            if isinstance(found, list)
            else ""
        )

    def share(row: dict[str, Any]) -> str:
        return tr(
            "{row} of {row2}, {row3:.0f} %",
            row=row["met"],
            row2=row["incidents"],
            row3=100 * row["met"] / max(1, row["incidents"]),
        )

    def delay(row: dict[str, object]) -> str:
        found = row["delay_s"]
        return (
            tr("{found} s, worst {found2} s", found=found["median"], found2=found["worst"])
            if isinstance(found, dict)
            else "–"
        )

    rows = [
        (tr("Incidents met"), *(f"{share(row)}{interval(row, 'met', 100)}" for row in rows_of)),
        (tr("Nuisance alarms"), *(str(row["nuisance"]) for row in rows_of)),
        (
            tr("Nuisances an hour"),
            *(f"{row['nuisance_per_hour']}{interval(row, 'nuisance_per_hour')}" for row in rows_of),
        ),
        (tr("Quiet time in alarm"), *(f"{row['nuisance_time_percent']} %" for row in rows_of)),
        (tr("Delay"), *(delay(row) for row in rows_of)),
        (tr("Missed"), *(", ".join(summed(parts).missed) or "none" for _, parts in columns)),
    ]
    return [
        page.heading(tr("Before and after")),
        page.table(["", *(name for name, _ in columns)], rows),
        page.words(tr("Ranges in brackets are 95 %: whole recordings drawn again and again."), quiet=True),
    ]


def _settings(view: View, used: Tuning) -> list[str]:
    """What differs from the settings an item is born with."""
    rows = []
    for item in view.watchers:
        dials = used.of(item.id)
        turned = [
            f"{dial.label} {getattr(dials, dial.field):g} {dial.unit}"
            for dial in DIALS
            if getattr(dials, dial.field) != getattr(_BORN, dial.field) and dial.counts_under(dials)
        ]
        turned += [tr("reports {kinds} alone", kinds=kinds_text(dials.kinds, view.taught))] if dials.kinds else []
        turned += [tr("compares by {channel}", channel=dials.channel)] if dials.channel != _BORN.channel else []
        rows.append((f"{item.letter}  {item.name}", "; ".join(turned) or tr("as it was born")))
    return [
        page.heading(tr("The numbers: tuning {name}", name=used.name)),
        page.table([tr("Item"), tr("Turned")], rows),
    ]


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
        [page.heading(tr("Nuisances that are left")), page.table([tr("Looks like"), tr("Alarms")], found.most_common())]
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
        page.heading(tr("What is not covered")),
        page.words(tr("A quiet list is no safe scene: here is what could not have been seen.")),
        page.table([tr("Recording"), tr("Item"), tr("Sees")], rows),
    ]


def _blind_words(check: BlindCheck) -> str:
    text = (
        "nobody"
        if check.smallest_frac is None
        else tr(
            "people from {smallest_frac:.1f} % of the picture's height, on {covered_percent:.0f} % of its ground",
            smallest_frac=100 * check.smallest_frac,
            covered_percent=check.covered_percent,
        )
    )
    if check.not_covered_s:
        spans = ", ".join(
            f"{clock_text(start * 1e6)}-{clock_text(end * 1e6)}" for start, end in check.not_covered_s[:4]
        )
        text += tr("; not covered {spans}", spans=spans) + (tr(" and more") if len(check.not_covered_s) > 4 else "")
    return text


def _hours(view: View) -> list[str]:
    if not view.has_hours:
        return []
    rows = [(tr("the view"), *(getattr(view.hours, kind) or "always" for kind in ("armed", "recording", "notifying")))]
    for item in view.watchers:
        if item.id in view.item_hours:
            own = view.hours_of(item.id)
            rows.append((item.name, *(getattr(own, kind) or "always" for kind in ("armed", "recording", "notifying"))))
    return [page.heading(tr("Hours")), page.table([tr("Of"), tr("Armed"), tr("Recording"), tr("Notifying")], rows)]


def _walks(read: Sequence[_Read]) -> list[str]:
    walks = [
        (Path(one.recording.path).stem, held.name, clock_text(held.start_s * 1e6))
        for one in read
        for held in one.recording.truth.incidents
        if held.walk
    ]
    return [page.heading(tr("Walk tests")), page.table([tr("Recording"), tr("Walk"), tr("At")], walks)] if walks else []


def _outcome_parts(asked: Asked) -> list[str]:
    found = site_outcome(asked)
    rows = []
    for day in found["views"]:
        clips, messages = (f"{day[name]['a_day']:.0f}" for name in ("clips", "messages"))
        rows.append((day["view"], clips, f"{day['clip_hours']:.1f}", f"{day['gb_a_day']:.2f}", messages))
    full = found["disk"]["full_after_days"]
    fares = tr("full after {full} days, then it goes round", full=full) if full else tr("never full")
    return [
        page.heading(tr("What follows from alarms, a day")),
        page.table([tr("View"), tr("Clips"), tr("Hours of clips"), "GB", tr("Messages")], rows),
        page.words(tr("Disk of {found:g} GB: {fares}.", found=found["disk"]["size_gb"], fares=fares)),
    ]
