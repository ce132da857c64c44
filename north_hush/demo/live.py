"""Skerry Quay live: two stand-in cameras, and a site that watches them with the demo's own drawing and settings."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from north_hush.core.errors import HushError
from north_hush.core.site import edits
from north_hush.core.site.file import SUFFIX, load_site
from north_hush.core.site.model import Camera, Site, Stream, View, replaced
from north_hush.core.site.saving import mark_of, save_site
from north_hush.demo.site import demo_folder, demo_site, shipped_recordings

CAMERAS = (("Slipway", "afternoon"), ("Slipway in snow", "snow"))
"""Names of the views, and the recordings that play in them."""


@contextmanager
def stand_in_cameras() -> Iterator[list[str]]:
    """The addresses of cameras that run as processes of their own until the context ends.

    Raises
    ------
    HushError : one does not start.
    """
    running: list[subprocess.Popen[str]] = []
    try:
        addresses = []
        for _, recording in CAMERAS:
            command = [sys.executable, "-m", "north_hush", "stand-in", "camera", "--recording", recording, "--json"]
            running.append(subprocess.Popen(command, stdout=subprocess.PIPE, text=True))
            assert running[-1].stdout is not None
            try:
                addresses.append(str(json.loads(running[-1].stdout.readline())["url"]))
            except ValueError as error:
                raise HushError(
                    "stand-in camera", "does not start.", "Try it by itself: north-hush stand-in camera"
                ) from error
        yield addresses
    finally:
        for process in running:
            process.terminate()
        for process in running:
            process.wait(10)


def lay_out_live(addresses: list[str], folder: Path | None = None, *, fresh: bool = False) -> Path:
    """The site file of the live demo, with the cameras where they are this time; what was drawn and tuned in it before stays unless
    `fresh`.

    Raises
    ------
    HushError : the folder cannot be written.
    """
    path = (folder or demo_folder()) / f"skerry-quay-live{SUFFIX}"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise HushError(str(path.parent), f"cannot be made ({error.strerror}).", "Check permissions.") from error
    known = mark_of(path)
    site = _new_live() if fresh or known is None else load_site(path)
    for (name, _), address in zip(CAMERAS, addresses, strict=True):
        camera = Camera(source="http", streams=(Stream(address=address),))
        for view in [view.id for view in site.views if view.name == name]:
            site = edits.set_camera(site, view, camera)
    save_site(site, path, known)
    return path


def _new_live() -> Site:
    """Each camera sees the slipway, so each has what is drawn on it in the demo, with the tuned settings."""
    model = edits.use_tuning(demo_site(shipped_recordings()), "view-1", "tuned").views[0]
    views = [
        View.model_validate({**dict(model), "id": f"view-{number}", "name": name, "recordings": ()})
        for number, (name, _) in enumerate(CAMERAS, 1)
    ]
    return replaced(edits.new_site("Skerry Quay live"), views=tuple(views))
