"""Moving house: a site packed, carried and unpacked; bundles that lie; what changed, in words."""

import json
import shutil
import zipfile

import pytest
from click.testing import CliRunner

from north_hush.cli import main
from north_hush.core.errors import SiteError
from north_hush.core.footage.fingerprint import fingerprint
from north_hush.core.footage.index import Footage
from north_hush.core.scene.outline import rectangle
from north_hush.core.site import drawing, edits
from north_hush.core.site.bundle import read_bundle, write_bundle
from north_hush.core.site.changes import changes
from north_hush.core.site.file import find_recording, load_site
from north_hush.core.site.saving import save_site
from tests.footage_maker import moving_square, write_video


@pytest.fixture
def home(tmp_path):
    """A site with a recording in another folder, one with the same name, and an image folder."""
    folder = tmp_path / "home"
    for name in ("a", "b", "images"):
        (folder / name).mkdir(parents=True)
    write_video(folder / "a" / "slip.mkv", moving_square(6))
    write_video(folder / "b" / "slip.mkv", moving_square(9))
    for number in range(3):
        (folder / "images" / f"i{number}.pgm").write_bytes(b"P5\n32 32\n255\n" + bytes([40 * number]) * 1024)
    site = edits.new_site("Skerry Quay")
    for path, rate in (("a/slip.mkv", None), ("b/slip.mkv", None), ("images", 5.0)):
        print_of = fingerprint(Footage(folder / path, rate))
        site = edits.add_recording(site, "view-1", str(folder / path), fingerprint=print_of, frames_per_s=rate)
    save_site(drawing.add_zone(site, "view-1", rectangle((0.1, 0.1), (0.5, 0.5)), "Slipway"), folder / "quay.hush.json")
    return folder


def test_a_site_moves_with_its_recordings_to_a_machine_without_the_old_folders(home, tmp_path):
    assert write_bundle([home / "quay.hush.json"], tmp_path / "quay.zip", recordings=True) == []
    before = load_site(home / "quay.hush.json")
    shutil.rmtree(home)
    (path,) = read_bundle(tmp_path / "quay.zip", tmp_path / "new")
    after = load_site(path)
    for old, new in zip(before.views[0].recordings, after.views[0].recordings, strict=True):
        assert fingerprint(find_recording(new, path)) == old.fingerprint
    assert after.views[0].zones == before.views[0].zones
    assert len({recording.path for recording in after.views[0].recordings}) == 3


def test_without_recordings_they_are_found_again_below_the_site(home, tmp_path):
    write_bundle([home / "quay.hush.json"], tmp_path / "quay.zip", recordings=False)
    (path,) = read_bundle(tmp_path / "quay.zip", tmp_path / "new")
    shutil.move(home / "a" / "slip.mkv", path.parent / "slip.mkv")
    shutil.rmtree(home)
    recording = load_site(path).views[0].recordings[0]
    assert find_recording(recording, path).path == path.parent / "slip.mkv"


def test_several_sites_are_backed_up_in_one_act_and_what_is_not_there_is_told(home, tmp_path):
    other = tmp_path / "other" / "quay.hush.json"
    other.parent.mkdir()
    save_site(edits.add_recording(edits.new_site("Gone"), "view-1", "nowhere.mkv"), other)
    run = CliRunner().invoke(
        main, ["bundle", str(home / "quay.hush.json"), str(other), "--out", str(tmp_path / "all.zip"), "--json"]
    )
    assert run.exit_code == 0
    assert [line.rsplit(": ", 1)[1] for line in json.loads(run.stdout)["missing"]] == ["nowhere.mkv"]
    run = CliRunner().invoke(main, ["bundle", str(tmp_path / "all.zip"), "--into", str(tmp_path / "back")])
    assert run.output.split() == [str(tmp_path / "back" / name / "quay.hush.json") for name in ("quay", "quay-2")]
    again = CliRunner().invoke(main, ["bundle", str(tmp_path / "all.zip"), "--into", str(tmp_path / "back")])
    assert again.exit_code == 1
    assert "is there already" in again.output
    assert CliRunner().invoke(main, ["bundle", str(other)]).exit_code == 2


def changed(bundle, out, change):
    """A copy of a bundle with its files changed: name -> data, None leaves one out."""
    with zipfile.ZipFile(bundle) as held, zipfile.ZipFile(out, "w") as target:
        files = change({name: held.read(name) for name in held.namelist()})
        for name, data in files.items():
            target.writestr(name, data)
    return out


def told(files, change):
    manifest = json.loads(files["manifest.json"])
    change(manifest)
    return {**files, "manifest.json": json.dumps(manifest)}


LIES = {
    "is not as it was packed": lambda files: {
        **files,
        "quay/recordings/slip.mkv": b"x" + files["quay/recordings/slip.mkv"][1:],
    },
    "is missing or damaged": lambda files: {
        name: data for name, data in files.items() if name != "quay/recordings/slip.mkv"
    },
    "which its manifest does not name": lambda files: {**files, "quay/extra.txt": b"x"},
    "which would lie outside": lambda files: told(
        {**files, "quay/../../evil": b"x"},
        lambda held: held["files"].update({"quay/../../evil": {"bytes": 1, "sha256": "0"}}),
    ),
    "is no bundle of North Hush": lambda files: {**files, "manifest.json": "[]"},
}


@pytest.mark.parametrize("says", LIES)
def test_a_bundle_that_lies_is_named_and_leaves_nothing(says, home, tmp_path):
    write_bundle([home / "quay.hush.json"], tmp_path / "quay.zip", recordings=True)
    bad = changed(tmp_path / "quay.zip", tmp_path / "bad.zip", LIES[says])
    with pytest.raises(SiteError, match=says):
        read_bundle(bad, tmp_path / "new")
    assert list((tmp_path / "new").iterdir()) == []
    assert not (tmp_path / "evil").exists()


def test_what_is_no_archive_and_a_place_that_cannot_be_written(home, tmp_path):
    (tmp_path / "no.zip").write_bytes(b"no archive")
    with pytest.raises(SiteError, match="is not a bundle"):
        read_bundle(tmp_path / "no.zip", tmp_path / "new")
    with pytest.raises(SiteError, match="cannot be written"):
        write_bundle([home / "quay.hush.json"], tmp_path / "no.zip" / "x.zip", recordings=False)
    with pytest.raises(SiteError, match="is not there"):
        write_bundle([tmp_path / "none.hush.json"], tmp_path / "x.zip", recordings=False)
    assert not list(tmp_path.glob(".x.zip*"))


def test_what_changed_is_told_in_words(tmp_path):
    before = drawing.add_zone(edits.new_site("Skerry Quay"), "view-1", rectangle((0.1, 0.1), (0.5, 0.5)), "Slipway")
    before = drawing.add_wire(before, "view-1", ((0.1, 0.1), (0.9, 0.1)), "Slip line")
    after = edits.set_dials(before, "view-1", "zone-1", change_limit_grey=12.0, confirm_frames=4)
    after = drawing.change_item(
        after, "view-1", "zone-1", area=before.views[0].zones[0].area, name="Ramp", fires="entry"
    )
    after = drawing.move_items(after, "view-1", ["wire-1"], 0.0, 0.1)
    after = drawing.add_privacy(after, "view-1", rectangle((0.6, 0.6), (0.8, 0.8)), "Door")
    after = edits.add_recording(after, "view-1", "footage/dusk.mp4")
    after = edits.set_time_zone(after, "Atlantic/Faroe")
    found = changes(before, after)
    assert "The site: time zone UTC to Atlantic/Faroe." in found
    for said in (
        "recording dusk.mp4 was added.", "zone 'Ramp': name Slipway to Ramp.", "zone 'Ramp': fires motion to entry.",
        "wire 'Slip line' was moved or reshaped.", "privacy mask 'Door' was drawn.",
    ):  # fmt: skip
        assert f"Camera 1: {said}" in found
    assert any(
        line.startswith("Camera 1: factory, 'Ramp': change limit") and "to 12 grey levels." in line for line in found
    )
    assert changes(after, after) == []
    back = changes(after, before)
    assert "Camera 1: recording dusk.mp4 was taken off." in back
    assert "Camera 1: privacy mask 'Door' was removed." in back


def test_the_command_tells_what_the_last_save_changed(tmp_path):
    path = tmp_path / "s.hush.json"
    save_site(edits.new_site("Skerry Quay"), path)
    assert CliRunner().invoke(main, ["changes", str(path)]).output == "There is no version before it.\n"
    save_site(edits.add_view(load_site(path), "Camera 2"), path)
    assert CliRunner().invoke(main, ["changes", str(path)]).output == "View 'Camera 2' was added.\n"
    assert json.loads(CliRunner().invoke(main, ["changes", str(path), str(path), "--json"]).output) == {"changes": []}
