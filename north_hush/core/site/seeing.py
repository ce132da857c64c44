"""Edits of how well a view's camera is to see: rules of blindness, and turns that somebody looked after."""

from __future__ import annotations

from north_hush.core.sight.rules import BORN, Blindness, SightRule
from north_hush.core.site.edits import change_recording, in_view
from north_hush.core.site.model import Site, View, replaced


def set_sight(site: Site, view_id: str, kind: Blindness, rule: SightRule | None) -> Site:
    """Give a view a rule of blindness of its own; None: it is not looked for."""

    def with_rule(view: View) -> View:
        others = {name: held for name, held in view.sight.items() if name != kind}
        return replaced(view, sight=others if rule == BORN[kind] else {**others, kind: rule})

    return in_view(site, view_id, with_rule)


def settle_turn(site: Site, view_id: str, recording_id: str, start_us: int) -> Site:
    """Say that what is drawn fits after a turn of the camera in a recording."""
    recording = next(held for held in site.view(view_id).recordings if held.id == recording_id)
    settled = (*recording.settled_turns_us, start_us)
    return change_recording(site, view_id, recording_id, settled_turns_us=settled)
