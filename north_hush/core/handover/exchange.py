"""Rules written to files of open formats and read from them, for scripts."""

from __future__ import annotations

import tempfile
from pathlib import Path

from pydantic import ValidationError

from north_hush.core.errors import FootageError, SiteError
from north_hush.core.footage.index import index_recording
from north_hush.core.handover.onvif import onvif_xml
from north_hush.core.handover.onvif_device import OnvifDevice
from north_hush.core.handover.onvif_reading import take_onvif
from north_hush.core.site.file import describe_invalid, find_recording, load_site
from north_hush.core.site.model import Site, View
from north_hush.core.site.saving import held_site, mark_of, save_site
from north_hush.core.site.whole import write_whole
from north_hush.core.words import tr

_FRAME_MS = 100.0
"""Between two frames, where no recording tells."""


def named_view(site: Site, name: str | None) -> View:
    """A view by name or id; the first one for None.

    Raises
    ------
    SiteError : none is called so.
    """
    found = next((view for view in site.views if name in (None, view.name, view.id)), None)
    if found is None:
        raise SiteError(
            tr("view '{name}'", name=name),
            tr("is none of '{name}'.", name=site.name),
            tr("It has {join}.", join=", ".join(view.name for view in site.views)),
        )
    return found


def frame_ms_of(view: View, site_path: Path) -> float:
    """The usual time between two frames of a view's first recording that can be read."""
    for recording in view.recordings:
        try:
            return index_recording(find_recording(recording, site_path)).usual_interval_us / 1000
        except FootageError:
            continue
    return _FRAME_MS


def write_onvif(site_path: Path, target: Path, view_name: str | None = None) -> list[str]:
    """Write a view's rules; what they cannot hold.

    Raises
    ------
    SiteError : there is no such view, or the file cannot be written.
    """
    site = load_site(site_path)
    view = named_view(site, view_name)
    data, notes = onvif_xml(site, view, frame_ms_of(view, site_path))
    try:
        write_whole(target, data)
    except OSError as error:
        raise SiteError(
            str(target), tr("cannot be written ({strerror}).", strerror=error.strerror), tr("Check permissions.")
        ) from error
    return notes


def read_onvif(path: Path, site_path: Path, view_name: str | None = None) -> list[str]:
    """Take rules into a view of a site; what could not be taken.

    Raises
    ------
    SiteError : the file or the site cannot be read, or a rule makes no sense; nothing is changed then.
    """
    known, site = mark_of(site_path), load_site(site_path)
    try:
        after, notes = take_onvif(site, named_view(site, view_name).id, path)
    except ValidationError as error:
        raise SiteError(str(path), describe_invalid(error), tr("Nothing was changed.")) from error
    if after != site:
        with held_site(site_path):
            save_site(after, site_path, known)
    return notes


def push_onvif(site_path: Path, device: OnvifDevice, view_name: str | None = None) -> list[str]:
    """Put a view's rules into a device; what was done, and what they cannot hold.

    Raises
    ------
    SiteError : there is no such view, or the device cannot be reached or refuses.
    """
    view = named_view(site := load_site(site_path), view_name)
    data, notes = onvif_xml(site, view, frame_ms_of(view, site_path))
    return [*device.push(data), *notes]


def pull_onvif(device: OnvifDevice, site_path: Path, view_name: str | None = None) -> list[str]:
    """Take a device's rules into a view of a site; what could not be taken.

    Raises
    ------
    SiteError : the device cannot be reached or refuses, or a rule makes no sense; nothing is changed then.
    """
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "rules of the device.xml"
        path.write_bytes(device.pull())
        return read_onvif(path, site_path, view_name)
