"""Wire prints of a whole site as files."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from north_hush.core.errors import HushError
from north_hush.core.evaluate.armed import armed_lane, armed_over
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.recordings import recording_evidence
from north_hush.core.evaluate.switched import settings_over
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import index_recording
from north_hush.core.footage.wire_print import PrintOrder, keep_print, make_print, png_of, read_print, stored_print
from north_hush.core.handover.names import FileNames
from north_hush.core.site.file import find_recording
from north_hush.core.site.model import Site
from north_hush.core.site.whole import write_whole
from north_hush.core.words import tr


def write_prints(site: Site, site_path: Path, folder: Path) -> Iterator[Path]:
    """Write the print of every wire over every recording, named by recording and wire, and give the files.

    Raises
    ------
    HushError : the site has no wire, a recording cannot be read, or the folder cannot be written.
    """
    if not any(view.wires for view in site.views):
        raise HushError(
            str(site_path), tr("has no tripwire."), tr("Draw one, or make the site with --wire or --crossing.")
        )
    evaluator, names = Evaluator(), FileNames()
    for view in site.views:
        for recording in view.recordings if view.wires else ():
            index = index_recording(find_recording(recording, site_path))
            evidence = recording_evidence(view, recording, site_path)
            for wire in view.wires:
                order = PrintOrder(wire.line, recording.orientation, view.privacy)
                stored = stored_print(index, order)
                picture = read_print(stored)
                if picture is None:
                    picture = make_print(index, order)
                    assert picture is not None  # only a cancelled print is None, and nothing cancels this one
                    keep_print(picture, stored)
                settings = settings_over(site, view, recording, index)
                lane = evaluator.lane(evidence, wire, view.plan, settings)
                armed = armed_over(site, view, recording, index)
                lane = lane if armed is None else armed_lane(lane, armed, evidence)
                stem = f"{Path(recording.path).stem}-{fingerprint(index.footage)[:6]}-{wire.letter}"
                target = folder / names.free(stem, ".png")
                try:
                    folder.mkdir(parents=True, exist_ok=True)
                    write_whole(target, png_of(picture, [alarm.marked_frame for alarm in lane.alarms]))
                except OSError as error:
                    raise HushError(
                        str(target),
                        tr("cannot be written ({strerror}).", strerror=error.strerror),
                        tr("Check permissions."),
                    ) from error
                yield target
