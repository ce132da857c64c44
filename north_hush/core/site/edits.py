"""Named changes of a site: each takes a site and returns the changed one. Desk, command line and advice share them.

Those of what is drawn are in `drawing`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from north_hush.core.detect.settings import VIEW_FIELDS, ZoneSettings
from north_hush.core.footage.gathering import Gathered
from north_hush.core.footage.options import Orientation
from north_hush.core.hours.clock import Place
from north_hush.core.hours.plan import Hours
from north_hush.core.scene.plan import watcher_id
from north_hush.core.site.model import Camera, Site, Tuning, View, replaced
from north_hush.core.site.recording import Recording
from north_hush.core.site.secret import Secret
from north_hush.core.site.taken import named_taken
from north_hush.core.words import tr


def new_site(name: str, view_name: str = tr("Camera 1")) -> Site:
    """Return a site with one empty camera view."""
    return Site(name=name, views=(View(id="view-1", name=view_name),))


def set_time_zone(site: Site, name: str) -> Site:
    """Use the clock of another IANA time zone.

    Raises
    ------
    pydantic.ValidationError : there is no such zone.
    """
    return replaced(site, time_zone=name)


def set_place(site: Site, latitude: float, longitude: float) -> Site:
    """State where the site is, for hours by the sun."""
    return replaced(site, place=Place(latitude=latitude, longitude=longitude))


def set_hours(site: Site, view_id: str, item_id: str, kind: str, text: str) -> Site:
    """State one of the three hours of a view, or of an item of it ('' for the view); '' as text is what stands above.

    Raises
    ------
    pydantic.ValidationError : the text is no hours.
    """

    def change(view: View) -> View:
        if not item_id:
            return replaced(view, hours=replaced(view.hours, **{kind: text or None}))
        own = replaced(view.item_hours.get(item_id, Hours()), **{kind: text or None})
        others = {item: held for item, held in view.item_hours.items() if item != item_id}
        return replaced(view, item_hours=others if own.plain else {**others, item_id: own})

    return in_view(site, view_id, change)


def copy_hours(site: Site, view_id: str, to: Iterable[str]) -> Site:
    """Give other views the hours of one; those of their items stay."""
    hours = site.view(view_id).hours
    for other in to:
        site = in_view(site, other, lambda view: replaced(view, hours=hours))
    return site


def set_secret(site: Site, secret: Secret) -> Site:
    """Ask for this passphrase from now on."""
    return replaced(site, secret=secret)


def add_view(site: Site, name: str) -> Site:
    """Add an empty camera view."""
    view_id = free_id("view", {view.id for view in site.views})
    return replaced(site, views=(*site.views, View(id=view_id, name=name)))


def set_camera(site: Site, view_id: str, camera: Camera | None) -> Site:
    """Give a view a live camera, or take it away."""
    return in_view(site, view_id, lambda view: replaced(view, camera=camera))


def rename_view(site: Site, view_id: str, name: str) -> Site:
    """Rename a camera view."""
    return in_view(site, view_id, lambda view: replaced(view, name=name))


def remove_view(site: Site, view_id: str) -> Site:
    """Remove a camera view with all that is drawn on it; its recordings stay on disk."""
    views = []
    for view in site.views:
        if view.id != view_id:
            along = tuple(held for held in view.outcome.along if held.view != view_id)
            views.append(replaced(view, outcome=replaced(view.outcome, along=along)))
    return replaced(site, views=tuple(views))


def only_view(site: Site, view: View) -> Site:
    """A site with one view alone, for whoever works on that: nothing in it is about other views."""
    alone = replaced(view, outcome=replaced(view.outcome, along=()))
    return replaced(site, views=(alone,))


def add_recording(
    site: Site, view_id: str, path: str, *, fingerprint: str = "", frames_per_s: float | None = None
) -> Site:
    """Add a recording to a view; `path` as it is to be stored."""
    view = site.view(view_id)
    recording = Recording(
        id=free_id("recording", {held.id for held in view.recordings}),
        path=path,
        fingerprint=fingerprint,
        frames_per_s=frames_per_s,
    )
    recording = named_taken(recording, view.name_pattern, site.zone)
    return in_view(site, view_id, lambda view: replaced(view, recordings=(*view.recordings, recording)))


def date_by_names(site: Site, view_id: str, pattern: str) -> Site:
    """All recordings of a view, and those that come later, were taken when their names say by a pattern."""
    dated = tuple(named_taken(held, pattern, site.zone) for held in site.view(view_id).recordings)
    return in_view(site, view_id, lambda view: replaced(view, name_pattern=pattern, recordings=dated))


def add_gathered(site: Site, view_id: str, held: Iterable[tuple[str, Gathered]]) -> Site:
    """Add many recordings at once, each with its path as it is to be stored; those that are there already by what is in them are left
    out."""
    view = site.view(view_id)
    known, taken = {one.fingerprint for one in view.recordings}, {one.id for one in view.recordings}
    made, number = list[Recording](), 0
    for path, one in held:
        if one.fingerprint in known:
            continue
        known.add(one.fingerprint)
        number += 1
        while f"recording-{number}" in taken:
            number += 1
        recording = Recording(
            id=f"recording-{number}", path=path, fingerprint=one.fingerprint, stated_at=one.began,
            length_s=one.length_s,
        )  # fmt: skip
        made.append(named_taken(recording, view.name_pattern, site.zone))
    return in_view(site, view_id, lambda view: replaced(view, recordings=(*view.recordings, *made)))


def remove_recording(site: Site, view_id: str, recording_id: str) -> Site:
    """Take a recording off a view; the file itself stays."""
    return in_view(
        site,
        view_id,
        lambda view: replaced(view, recordings=tuple(held for held in view.recordings if held.id != recording_id)),
    )


def change_recording(site: Site, view_id: str, recording_id: str, **changes: Any) -> Site:
    """Change fields of a recording, such as its path or clock offset."""

    def change(view: View) -> View:
        kept = (replaced(held, **changes) if held.id == recording_id else held for held in view.recordings)
        return replaced(view, recordings=tuple(kept))

    return in_view(site, view_id, change)


def orient_recording(site: Site, view_id: str, recording_id: str, orientation: Orientation) -> Site:
    """Turn or flip a recording."""
    return change_recording(site, view_id, recording_id, orientation=orientation)


def set_dials(site: Site, view_id: str, item_id: str, **dials: Any) -> Site:
    """Turn dials of an item in the tuning in use. Start and clear level give way to each other,
    and so do smallest and largest thing.

    Raises
    ------
    pydantic.ValidationError : a value is out of its range.
    """
    view = site.view(view_id)
    settings = view.tuning.of(item_id).turned(**dials)
    return put_settings(site, view_id, view.tuning_in_use, item_id, settings)


def put_settings(site: Site, view_id: str, tuning: str, item_id: str, settings: ZoneSettings) -> Site:
    """Give an item its settings in a named tuning."""

    def put(view: View) -> View:
        tunings = (
            replaced(held, settings={**held.settings, item_id: settings}) if held.name == tuning else held
            for held in view.tunings
        )
        return replaced(view, tunings=tuple(tunings))

    return in_view(site, view_id, put)


def paste_settings(site: Site, view_id: str, settings: ZoneSettings, item_ids: Iterable[str]) -> Site:
    """Give several items the same settings in the tuning in use."""
    tuning = site.view(view_id).tuning_in_use
    for item_id in item_ids:
        site = put_settings(site, view_id, tuning, item_id, settings)
    return site


def share_view_settings(site: Site, view_id: str, item_id: str) -> Site:
    """Give every zone and wire the analysis rate, smoothing, light guard and kinds of one, in the tuning in use."""
    view = site.view(view_id)
    shared = {field: getattr(view.tuning.of(item_id), field) for field in VIEW_FIELDS}
    for watcher in view.plan.watchers:
        site = set_dials(site, view_id, watcher_id(watcher), **shared)
    return site


def add_tuning(site: Site, view_id: str, name: str, like: str | None = None) -> Site:
    """Add a tuning and use it; `like` names the one whose dials it starts with.

    Raises
    ------
    SiteError : there is no tuning of that name.
    """

    def add(view: View) -> View:
        start = view.tuning_named(like).settings if like else {}
        return replaced(view, tunings=(*view.tunings, Tuning(name=name, settings=start)), tuning_in_use=name)

    return in_view(site, view_id, add)


def rename_tuning(site: Site, view_id: str, name: str, new_name: str) -> Site:
    """Rename a tuning.

    Raises
    ------
    pydantic.ValidationError : another one has that name.
    """

    def rename(view: View) -> View:
        tunings = (replaced(held, name=new_name) if held.name == name else held for held in view.tunings)
        in_use = new_name if view.tuning_in_use == name else view.tuning_in_use
        shade = new_name if view.shade == name else view.shade
        return replaced(view, tunings=tuple(tunings), tuning_in_use=in_use, shade=shade)

    return in_view(site, view_id, rename)


def remove_tuning(site: Site, view_id: str, name: str) -> Site:
    """Remove a tuning; when it was in use, the first of the others is used.

    Raises
    ------
    pydantic.ValidationError : it is the only one.
    """

    def remove(view: View) -> View:
        left = tuple(held for held in view.tunings if held.name != name)
        in_use = left[0].name if left and view.tuning_in_use == name else view.tuning_in_use
        timed = view.by_hours and any(held.hours is not None for held in left)
        shade = None if view.shade == name else view.shade
        return replaced(view, tunings=left, tuning_in_use=in_use, by_hours=timed, shade=shade)

    return in_view(site, view_id, remove)


def use_tuning(site: Site, view_id: str, name: str) -> Site:
    """Use another tuning of the view."""
    return in_view(site, view_id, lambda view: replaced(view, tuning_in_use=name))


def run_in_shade(site: Site, view_id: str, name: str | None) -> Site:
    """Let a tuning run live in the shade of the one that is on; None ends it.

    Raises
    ------
    pydantic.ValidationError : there is no tuning of that name.
    """
    return in_view(site, view_id, lambda view: replaced(view, shade=name))


def set_tuning_hours(site: Site, view_id: str, name: str, hours: str | None) -> Site:
    """State when a tuning is on by itself, None for never. With the first one the view's tunings go by hours; with none left the one in
    use is on again.

    Raises
    ------
    SiteError : there is no tuning of that name.
    pydantic.ValidationError : the hours cannot be read.
    """

    def change(view: View) -> View:
        view.tuning_named(name)
        tunings = tuple(replaced(held, hours=hours) if held.name == name else held for held in view.tunings)
        return replaced(view, tunings=tunings, by_hours=any(held.hours is not None for held in tunings))

    return in_view(site, view_id, change)


def go_by_hours(site: Site, view_id: str, *, on: bool) -> Site:
    """Let each tuning that has hours be on in them, or the one in use at all hours."""
    return in_view(site, view_id, lambda view: replaced(view, by_hours=on))


def free_id(prefix: str, taken: set[str]) -> str:
    """Return prefix-1, prefix-2 ...: the first that is not taken."""
    number = 1
    while f"{prefix}-{number}" in taken:
        number += 1
    return f"{prefix}-{number}"


def in_view(site: Site, view_id: str, change: Callable[[View], View]) -> Site:
    """A site with one of its views changed."""
    return replaced(site, views=tuple(change(view) if view.id == view_id else view for view in site.views))
