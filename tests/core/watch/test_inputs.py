"""Input contacts live: over HTTP and a real broker, and what the eye makes of them beside motion."""

import shutil
import socket
import subprocess
import time
import urllib.error
import urllib.request

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from north_hush.core.errors import SiteError
from north_hush.core.evaluate.evaluator import Evaluator
from north_hush.core.evaluate.recordings import read_recording
from north_hush.core.evaluate.sensed import sensed_over
from north_hush.core.footage.index import Footage, index_recording
from north_hush.core.judge.device import DeviceAlarm
from north_hush.core.sight.sensors import Sensor
from north_hush.core.site import drawing, edits
from north_hush.core.site.model import replaced
from north_hush.core.watch.eye import Eye
from north_hush.core.watch.inputs import Inputs
from tests.core.watch.test_eye import MONDAY_US, frames_of
from tests.footage_maker import moving_square, write_video


def post(url, body):
    try:
        with urllib.request.urlopen(urllib.request.Request(url, data=body.encode(), method="POST"), timeout=5) as told:
            return told.status, ""
    except urllib.error.HTTPError as error:
        return error.code, error.read().decode()


def test_over_http_what_is_a_contact_is_taken_and_what_is_none_is_told():
    inputs = Inputs("0")
    try:
        assert post(inputs.url, '{"contact": "door", "on": true}') == (204, "")
        change = inputs.changes.get(timeout=5)
        assert (change.contact, change.on, change.road) == ("door", True, "http")
        assert abs(change.at_us / 1e6 - time.time()) < 5
        for body, said in (
            ("door", "Invalid JSON"),
            ('{"on": true}', "contact"),
            ('{"contact": "", "on": 1}', "contact"),
        ):
            code, text = post(inputs.url, body)
            assert code == 400 and said in text
        assert inputs.changes.empty()
    finally:
        inputs.close()


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        (("door", ""), "is not PORT"),
        (("", "broker"), "is not HOST"),
        (("", "127.0.0.1:1/contacts"), "cannot be reached"),
    ],
)
def test_addresses_that_make_no_sense_are_told(asked, said):
    with pytest.raises(SiteError, match=said):
        Inputs(*asked)


@pytest.mark.skipif(shutil.which("mosquitto") is None, reason="mosquitto is not installed")
def test_over_a_broker(tmp_path):
    from paho.mqtt.publish import single

    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    (tmp_path / "m.conf").write_text(f"listener {port} 127.0.0.1\nallow_anonymous true\n")
    with subprocess.Popen([shutil.which("mosquitto"), "-c", tmp_path / "m.conf"], stderr=subprocess.DEVNULL) as broker:
        try:
            for _ in range(100):
                with socket.socket() as held:
                    if held.connect_ex(("127.0.0.1", port)) == 0:
                        break
                time.sleep(0.05)
            inputs = Inputs("", f"127.0.0.1:{port}/quay/contacts")
            try:
                single("quay/contacts", '{"contact": "gate", "on": false}', qos=1, hostname="127.0.0.1", port=port)
                change = inputs.changes.get(timeout=10)
                assert (change.contact, change.on, change.road) == ("gate", False, "mqtt")
            finally:
                inputs.close()
        finally:
            broker.terminate()


# --- beside motion ------------------------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def moved(tmp_path_factory):
    """The square moves from 1.6 s to 6.4 s, and again from 9.6 s to 14.4 s: its frames, and the site that watches it."""
    folder = tmp_path_factory.mktemp("beside")
    path = write_video(folder / "slip.mkv", moving_square(80) + moving_square(80))
    site = edits.add_recording(edits.new_site("Skerry Quay", "Slipway"), "view-1", str(path))
    site = drawing.add_zone(site, "view-1", ((0, 0), (1, 0), (1, 1), (0, 1)), "All")
    site = edits.set_dials(site, "view-1", "zone-1", confirm_frames=2, start_percent=0.5, clear_percent=0.5)
    return folder, site, list(frames_of(path))


def live(site, frames, changes):
    """Starts and ends told live, by item, in seconds."""
    eye, found, left = None, [], sorted(changes)
    for frame in frames:
        eye = eye or Eye(site.views[0], site.clock, frame)
        while left and left[0][0] * 1e6 + MONDAY_US <= frame.time_us:
            at_s, name, on = left.pop(0)
            found += eye.contact(name, MONDAY_US + round(1e6 * at_s), on=on)
        found += eye.look(frame)
    found += eye.lost()
    return sorted((one.item, round((one.time_us - MONDAY_US) / 1e6, 2)) for one in found if one.what == "alarm_start")


def replayed(folder, site, contacts):
    view = site.views[0]
    recording = replaced(view.recordings[0], contacts=contacts)
    index = index_recording(Footage(folder / "slip.mkv"))
    evidence = read_recording(view, recording, folder / "a.hush.json")[1]
    sensed = sensed_over(view, recording, index, evidence)
    lanes = Evaluator().evaluate(evidence, view.plan, view.tuning.settings, None, None, sensed).lanes
    return sorted((lane.zone_id, round(alarm.start_s, 2)) for lane in lanes for alarm in lane.alarms)


@pytest.mark.parametrize("role", ["start", "need", "veto"])
@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(pairs=st.lists(st.tuples(st.integers(0, 70), st.integers(1, 30)), max_size=3), within=st.integers(0, 20))
def test_live_and_replay_make_the_same_of_contacts(moved, role, pairs, within):
    """Times lie between frames, so that nothing depends on which of two at the same instant comes first."""
    folder, site, frames = moved
    spans, last = [], -1
    for start, length in sorted(pairs):
        first = max(start, last + 2)
        spans.append((first * 0.2 + 0.05, (first + length) * 0.2 + 0.05))
        last = first + length
    spans = [(start, min(end, 15.85)) for start, end in spans if start < 15]
    sensor = Sensor(id="sensor-1", name="Door", contact="door", role=role, within_s=within / 4 + 0.01)
    site = replaced(site, views=(replaced(site.views[0], sensors=(sensor,)),))
    contacts = tuple(DeviceAlarm(start_s=start, end_s=end, label="door") for start, end in spans)
    changes = [(at, "door", on) for start, end in spans for at, on in ((start, True), (end, False))]
    told, counted = live(site, frames, changes), replayed(folder, site, contacts)
    assert [item for item, _ in told] == [item for item, _ in counted]
    for (_, at), (_, start) in zip(told, counted, strict=True):
        assert start - 0.001 <= at <= start + 0.21  # told with the next frame at the latest, or when it is confirmed
