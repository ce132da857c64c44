"""Cameras found in the network, and the streams they offer: asked of the stand-in, which others in the network disturb."""

import pytest

from north_hush.core.errors import SiteError
from north_hush.core.soap import SoapDevice
from north_hush.core.watch.discovery import Offered, device_address, find_devices, proposed, streams_of
from north_hush.demo.standins.onvif_device import DeviceStandIn

LARGE, SMALL = "rtsp://127.0.0.1:9/large", "rtsp://127.0.0.1:9/small"


def test_who_answers_is_found_with_its_name():
    with DeviceStandIn() as device:
        (found,) = find_devices(1.0, device.ear)
        assert (found.address, found.name, found.hardware) == (device.url, "Skerry Quay", "stand-in")


def test_nobody_answers_where_nobody_is():
    with DeviceStandIn() as device:
        nowhere = device.ear
    assert find_devices(0.2, nowhere) == []


def test_a_camera_tells_its_streams_to_who_may_know():
    with DeviceStandIn(password="lantern", streams=(LARGE, SMALL)) as device:
        offered = streams_of(SoapDevice(device.url, "operator", "lantern"))
        with pytest.raises(SiteError, match="user or the password"):
            streams_of(SoapDevice(device.url, "operator", "torch"))
    assert [(held.width, held.height, held.frames_per_s, held.codec) for held in offered] == [
        (1920, 1080, 25.0, "H264"), (640, 360, 10.0, "H264"),
    ]  # fmt: skip
    assert [held.address for held in offered] == [LARGE, SMALL]
    assert [held.address for held in proposed(offered)] == [SMALL, LARGE]


def test_a_device_names_no_file_of_this_machine():
    with (
        DeviceStandIn(streams=("/etc/hostname", "file:///etc/hostname")) as device,
        pytest.raises(SiteError, match="no stream"),
    ):
        streams_of(SoapDevice(device.url))


def test_what_is_no_camera_is_told():
    with pytest.raises(SiteError, match="cannot be reached"):
        streams_of(SoapDevice("http://127.0.0.1:9/onvif/device_service"))


@pytest.mark.parametrize(
    ("wides", "analysed"), [((1920, 640), 640), ((1920, 640, 320), 640), ((320, 160), 320), ((1920,), 1920)]
)
def test_the_smallest_that_shows_enough_is_proposed_and_the_largest_recorded(wides, analysed):
    offered = [Offered(str(wide), f"rtsp://a/{wide}", wide, wide * 9 // 16) for wide in wides]
    first, second = proposed(offered)
    assert first.width == analysed and second.width == wides[0]


@pytest.mark.parametrize(
    ("typed", "address"),
    [(" 10.0.0.7 ", "http://10.0.0.7/onvif/device_service"), ("cam:8080", "http://cam:8080/onvif/device_service"),
     ("http://cam/x", "http://cam/x")],
)  # fmt: skip
def test_a_host_is_enough_of_an_address(typed, address):
    assert device_address(typed) == address
