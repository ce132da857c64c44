"""Rules into a device and out of it, against a stand-in that takes what makes sense and refuses the rest by name."""

from xml.etree import ElementTree as ET

import httpx
import numpy as np
import pytest

from north_hush.core.errors import SiteError
from north_hush.core.handover.exchange import pull_onvif, push_onvif
from north_hush.core.handover.onvif import onvif_xml
from north_hush.core.handover.onvif_device import OnvifDevice
from north_hush.core.site import edits
from north_hush.core.site.file import load_site
from north_hush.core.site.saving import save_site
from north_hush.core.soap import SOAP, TT
from north_hush.demo.standins.onvif_device import DeviceStandIn
from tests.core.handover.test_onvif import plan


@pytest.fixture
def site_path(tmp_path):
    path = tmp_path / "quay.hush.json"
    save_site(plan(), path)
    return path


@pytest.fixture
def device():
    with DeviceStandIn(password="lantern") as held:
        yield held


def asking(device, password="lantern", user="operator"):
    return OnvifDevice(device.url, user, password)


def test_a_drawing_goes_in_and_comes_back_the_same(site_path, device, tmp_path):
    said = push_onvif(site_path, asking(device))
    assert said[:2] == ["added: Cell motion engine", "added: Slip, Gate, Bench, Line"]
    other = tmp_path / "other.hush.json"
    save_site(edits.new_site("Other", "Slipway"), other)
    pull_onvif(asking(device), other)
    before, after = load_site(site_path).views[0], load_site(other).views[0]
    assert [zone.name for zone in after.zones] == [zone.name for zone in before.zones]
    assert [zone.fires for zone in after.zones] == ["motion", "entry", "loitering"]
    assert after.wires[0].watches == "a_to_b" and np.allclose(after.wires[0].line, before.wires[0].line)


def test_rules_of_the_same_name_are_changed_and_others_stay(site_path, device):
    push_onvif(site_path, asking(device))
    device.rules["Theirs"] = device.rules["Line"]
    said = push_onvif(site_path, asking(device))
    assert said[:2] == ["changed: Cell motion engine", "changed: Slip, Gate, Bench, Line"]
    assert set(device.rules) == {"Slip", "Gate", "Bench", "Line", "Theirs"}


@pytest.mark.parametrize(("user", "password"), [("operator", "wrong"), ("somebody", "lantern"), ("", "")])
def test_without_the_right_password_nothing_goes_in(site_path, device, user, password):
    with pytest.raises(SiteError, match="refuses the user or the password"):
        push_onvif(site_path, asking(device, password, user))
    assert not device.rules


def test_the_password_itself_is_never_sent(site_path, device, monkeypatch):
    sent = []
    monkeypatch.setattr(device, "answer", lambda data, answer=device.answer: sent.append(data) or answer(data))
    push_onvif(site_path, asking(device))
    assert len(sent) >= 5 and all(b"lantern" not in data for data in sent)
    assert len({data.split(b"Nonce>")[1] for data in sent}) == len(sent)  # no request can be sent again


def test_what_a_device_refuses_is_said_in_its_words(site_path, device):
    device.rules_most = 0
    with pytest.raises(SiteError, match="TooManyRules 0 rules"):
        push_onvif(site_path, asking(device))
    assert not device.rules


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda rule: rule.set("Type", "tt:Unknown"), "InvalidRule Unknown"),
        (lambda rule: rule.find(f".//{{{TT}}}SimpleItem").set("Value", "lots"), "InvalidArgVal"),
        (lambda rule: rule.find(f".//{{{TT}}}SimpleItem").set("Name", "Colour"), "has no Colour"),
        (lambda rule: rule.find(f"{{{TT}}}Parameters").clear(), "without"),
    ],
)
def test_the_stand_in_looks_at_what_it_gets(device, change, says):
    site = plan()
    root = ET.fromstring(onvif_xml(site, site.views[0], 100.0)[0])
    change(next(held for held in root.iter(f"{{{TT}}}Rule") if held.get("Name") == "Slip"))
    with pytest.raises(SiteError, match=says):
        asking(device).push(ET.tostring(root))
    assert not device.rules  # all or none


def test_what_is_no_device_is_told(site_path, device, monkeypatch):
    with pytest.raises(SiteError, match="cannot be reached"):
        push_onvif(site_path, OnvifDevice("http://127.0.0.1:9/onvif"))
    for data, says in (
        (b"<html>hello", "no SOAP"),
        (b'<!DOCTYPE a [<!ENTITY x "y">]><a/>', "what no device answers"),
        (f'<s:Envelope xmlns:s="{SOAP}"/>'.encode(), "without a body"),
        (f'<s:Envelope xmlns:s="{SOAP}"><s:Body/></s:Envelope>'.encode(), "has no analytics service"),
    ):
        monkeypatch.setattr(httpx, "post", lambda *_, data=data, **__: httpx.Response(200, content=data))
        with pytest.raises(SiteError, match=says):
            OnvifDevice("http://somewhere/onvif").pull()
