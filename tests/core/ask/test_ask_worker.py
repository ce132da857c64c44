"""Questions answered by the process the window starts, which is confined: it may write nothing but what is kept of answers."""

import json
import os
import subprocess
import sys

import pytest

from north_hush.core.ask.ask_worker import ask_request
from north_hush.core.ask.question import Question
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.footage.options import EvidenceOptions
from north_hush.core.footage.passes import make_evidence
from north_hush.core.site import edits
from north_hush.core.site.saving import save_site
from tests.core.ask.test_settled import EVERYWHERE, FRAMES, pictures
from tests.footage_maker import write_video


@pytest.fixture(scope="module")
def site_path(tmp_path_factory):
    """A recording in which a box is left, analysed and not asked yet."""
    folder = tmp_path_factory.mktemp("asked")
    path = write_video(folder / "slip.mkv", list(pictures(thing_from=215, thing_to=FRAMES)))
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("NORTH_HUSH_CACHE", str(folder / "cache"))
        make_evidence(index_recording(Footage(path)), EvidenceOptions())
    save_site(
        edits.add_recording(edits.new_site("Skerry Quay", "Slipway"), "view-1", "slip.mkv"), folder / "slip.hush.json"
    )
    return folder / "slip.hush.json"


@pytest.mark.parametrize("kind", ["moved", "left"])
def test_it_answers_what_nobody_has_asked_before(site_path, kind):
    site = edits.add_recording(edits.new_site("Skerry Quay", "Slipway"), "view-1", "slip.mkv")
    request = ask_request(site_path, site.views[0], site.views[0].recordings[0], Question(kind, EVERYWHERE))
    environment = {**os.environ, "NORTH_HUSH_CACHE": str(site_path.parent / "cache")}
    process = subprocess.Popen(
        [sys.executable, "-m", "north_hush", "_ask"], env=environment, stdin=subprocess.PIPE, stdout=subprocess.PIPE
    )
    process.stdin.write(request)
    process.stdin.flush()
    said = [json.loads(line) for line in process.stdout]
    assert process.wait(20) == 0
    process.stdin.close()
    process.stdout.close()
    assert said[-1] == {"event": "done"}
    answers = [answer for part in said[:-1] for answer in part["answers"]]
    assert answers and any(abs(answer["start_s"] - (21.5 if kind == "left" else 15.0)) < 3 for answer in answers)
