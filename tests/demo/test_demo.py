"""Skerry Quay: the truth agrees with the pixels, whatever the seed."""

import errno
import hashlib

import numpy as np
import pytest
from click.testing import CliRunner

from north_hush.cli import main
from north_hush.core.errors import HushError
from north_hush.core.site.file import load_site
from north_hush.core.site.report import site_alarms
from north_hush.demo import render as render_module
from north_hush.demo.camera import HEIGHT_PX, WIDTH_PX, project
from north_hush.demo.catalogue import RECORDINGS
from north_hush.demo.render import frame_times, record, render, truth_of
from north_hush.demo.script import write_script
from north_hush.demo.site import lay_out_demo, shipped_recordings
from north_hush.demo.truth import Truth


def test_people_have_the_height_the_camera_gives_them():
    near = project((0, 0, 9))[1] - project((0, 1.76, 9))[1]
    far = project((0, 1.2, 73))[1] - project((0, 2.96, 73))[1]
    assert 150 <= near <= 200
    assert 18 <= far <= 25


def test_the_shipped_demo_shows_work_to_do(tmp_path):
    path = lay_out_demo(tmp_path, fresh=True)
    site = load_site(path)
    factory, tuned = (
        sum(len(row["alarms"]) for row in site_alarms(site, path, name)["recordings"]) for name in ("factory", "tuned")
    )
    assert factory >= 4 * tuned
    for source in shipped_recordings():
        assert source.stat().st_size < 4_000_000
        truth = Truth.model_validate_json(source.with_suffix(".truth.json").read_text())
        assert len(truth.incidents) >= 3


def test_an_earlier_demo_is_kept_unless_a_fresh_one_is_wanted(tmp_path):
    path = lay_out_demo(tmp_path)
    path.write_text(path.read_text().replace("Skerry Quay", "My quay"))
    assert load_site(lay_out_demo(tmp_path)).name == "My quay"
    assert load_site(lay_out_demo(tmp_path, fresh=True)).name == "Skerry Quay"


def test_bad_wishes_are_named(tmp_path):
    with pytest.raises(HushError, match=r"'beach'.*afternoon"):
        write_script("beach", 1)
    with pytest.raises(HushError, match="--seconds: is -3"):
        write_script("afternoon", 1, -3)
    (tmp_path / "file").write_text("")
    done = CliRunner().invoke(main, ["demo", "--out", str(tmp_path / "file" / "x"), "--seconds", "1"])
    assert done.exit_code == 1
    assert "cannot be written" in done.output


def test_a_full_disk_leaves_no_half_file(tmp_path, monkeypatch):
    def full(script, path, report):
        path.write_bytes(b"half")
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(render_module, "_encode", full)
    with pytest.raises(HushError, match="No space left"):
        record(write_script("afternoon", 1, 2), tmp_path)
    assert list(tmp_path.iterdir()) == []


def test_demo_makes_recordings_truth_and_site(tmp_path):
    done = CliRunner().invoke(
        main, ["demo", "--out", str(tmp_path), "--seed", "5", "--recording", "afternoon", "--seconds", "3"]
    )
    assert done.exit_code == 0, done.output
    names = sorted(path.name for path in tmp_path.iterdir())
    assert names == ["afternoon.mp4", "afternoon.truth.json", "skerry-quay.hush.json"]
    assert len(load_site(tmp_path / "skerry-quay.hush.json").views[0].recordings) == 1


@pytest.fixture(scope="module", params=[(name, seed) for name in RECORDINGS for seed in (1, 2)], ids=str)
def made(request):
    """A short recording rendered without noise or encoding, its truth, and the same without people."""
    name, seed = request.param
    script = write_script(name, seed, 24)
    frames = list(render(script, noisy=False))[::6]
    return script, frames, truth_of(script, [frame.boxes for frame in render(script, noisy=False)])


def test_inside_a_box_the_picture_differs_from_the_empty_place(made):
    from dataclasses import replace

    script, frames, _ = made
    empty = list(render(replace(script, plays=()), noisy=False))[::6]
    seen = 0
    for full, bare in zip(frames, empty, strict=True):
        changed = np.abs(full.pixels.astype(int) - bare.pixels).max(axis=2) > 6
        allowed = np.zeros((HEIGHT_PX, WIDTH_PX), bool)
        for box in full.boxes:
            if box is None:
                continue
            left, top, right, bottom = (round(edge) for edge in box)
            seen += 1
            assert changed[top:bottom, left:right].mean() > 0.05
            reach = 8 + max(right - left, bottom - top)  # shadows reach beyond the figure
            allowed[max(0, top - 4) : bottom + reach // 4, max(0, left - reach) : right + reach] = True
        for edge in (np.s_[:14], np.s_[-14:], np.s_[:, :14], np.s_[:, -14:]):
            allowed[edge] = True  # shadows come in before their figures
        outside = np.argwhere(changed & ~allowed)
        assert len(outside) == 0, (full.time_s, full.boxes, outside.min(axis=0), outside.max(axis=0))
    assert seen > 3


def test_incident_spans_are_those_of_the_boxes(made):
    script, _, truth = made
    times = frame_times(script)
    for incident in truth.incidents:
        assert incident.start_s == times[incident.first_frame]
        assert incident.end_s == times[incident.first_frame + len(incident.boxes) - 1]
        assert incident.boxes[0] is not None
        assert incident.boxes[-1] is not None


def test_the_same_seed_gives_the_same_frames_and_another_one_others():
    def digest(seed):
        frames = list(render(write_script("afternoon", seed, 1.5)))
        return hashlib.sha256(b"".join(frame.pixels.tobytes() for frame in frames)).hexdigest()

    assert digest(3) == digest(3) != digest(4)
