"""Mask images of all views of a site."""

from __future__ import annotations

from pathlib import Path

from north_hush.core.errors import SiteError
from north_hush.core.footage.index import index_recording
from north_hush.core.handover.names import FileNames
from north_hush.core.scene.mask_image import (
    Format,
    Polarity,
    detection_strengths,
    mask_image,
    privacy_strengths,
)
from north_hush.core.site.file import find_recording
from north_hush.core.site.model import Site, View
from north_hush.core.site.whole import write_whole
from north_hush.core.words import tr


def write_masks(
    site: Site, site_path: Path, out: Path, kind: Format = "png", polarity: Polarity = "white_watched"
) -> list[Path]:
    """Write two images a view, of its first recording's size: what detection leaves out, and what privacy covers.

    Masks that count for some zones only are in the detection image too: a device has one mask for all.

    Raises
    ------
    SiteError : a view has no recording, so its size is not known, or a file cannot be written.
    FootageError : a recording is not there or cannot be read.
    """
    written, names = [], FileNames()
    for view in site.views:
        width, height = _picture_size(view, site_path)
        for what, strengths in (
            ("detection", detection_strengths(view.masks, width, height)),
            ("privacy", privacy_strengths(view.privacy, width, height)),
        ):
            path = out / names.free(f"{site.name} {view.name}", f"-{what}.{kind.split('-')[0]}")
            try:
                out.mkdir(parents=True, exist_ok=True)
                write_whole(path, mask_image(strengths, kind, polarity))
            except OSError as error:
                raise SiteError(
                    str(path),
                    tr("cannot be written ({strerror}).", strerror=error.strerror),
                    tr("Choose another folder."),
                ) from error
            written.append(path)
    return written


def _picture_size(view: View, site_path: Path) -> tuple[int, int]:
    if not view.recordings:
        raise SiteError(
            tr("view '{name}'", name=view.name),
            tr("has no recording, so the size of its picture is not known."),
            tr("Add one first."),
        )
    recording = view.recordings[0]
    grid = index_recording(find_recording(recording, site_path)).grid(recording.orientation)
    return grid.width, grid.height
