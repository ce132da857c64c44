"""A steerable camera turns to its presets, and what is wrong is told."""

import pytest
from pydantic import ValidationError

from north_hush.core.outcome.rules import Way
from north_hush.core.outcome.ways import send
from north_hush.core.outcome.ways.message import Message, WayError
from north_hush.demo.standins.onvif_device import DeviceStandIn


@pytest.fixture
def camera():
    with DeviceStandIn(password="lantern") as held:
        yield held


def way(camera, preset="Quay head", **more):
    return Way(name="mast", kind="preset", address=camera.url, to=preset, user="operator", **more)


def test_by_name_and_by_token_and_home_when_the_contact_goes_off(camera):
    assert send(way(camera), Message("Wire", "crossed"), "lantern") == "turned to 'Quay head'"
    send(way(camera, "preset-1"), Message("mast: on", "on", facts={"on": True}), "lantern")
    assert send(way(camera), Message("mast: off", "off", facts={"on": False}), "lantern") == "turned home"
    assert camera.turned == ["Quay head", "Slipway", "home"]


def test_no_such_preset_a_wrong_password_and_nobody_there(camera):
    with pytest.raises(WayError, match=r"no preset 'Pier'.*Slipway, Quay head"):
        send(way(camera, "Pier"), Message("a", "b"), "lantern")
    with pytest.raises(WayError, match="refuses the user or the password"):
        send(way(camera), Message("a", "b"), "wrong")
    gone = Way(name="mast", kind="preset", address="http://127.0.0.1:9/onvif", to="Slipway")
    with pytest.raises(WayError, match="cannot be reached"):
        send(gone, Message("a", "b"), "")
    assert camera.turned == []


def test_a_way_without_a_preset_is_none(camera):
    with pytest.raises(ValidationError, match="needs 'to'"):
        Way(name="mast", kind="preset", address=camera.url)
