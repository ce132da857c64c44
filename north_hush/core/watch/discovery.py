"""Cameras that are found in the network, and the streams a camera offers.

Found: a probe of WS-Discovery (2005/04) for network video transmitters, to the multicast group of that; whoever hears it answers.
Offered: profiles of the ONVIF media service with their size, rate, codec and address.
"""

from __future__ import annotations

import socket
import time
import uuid
from dataclasses import dataclass
from urllib.parse import unquote
from xml.etree import ElementTree as ET
from xml.sax.saxutils import escape

from north_hush.core.errors import SiteError
from north_hush.core.soap import MEDIA, SOAP, TT, SoapDevice
from north_hush.core.words import tr

GROUP = ("239.255.255.250", 3702)
DISCOVERY = "http://schemas.xmlsoap.org/ws/2005/04/discovery"
ADDRESSING = "http://schemas.xmlsoap.org/ws/2004/08/addressing"
_SCOPE = "onvif://www.onvif.org/"
_STREAMS = ("rtsp://", "rtsps://", "http://", "https://")
_ANSWER_BYTES, _ANSWERS_MOST = 65_536, 500
_LEAST_WIDE_PX = 480
"""A stream that is narrower shows a person by too few pixels for being analysed."""


@dataclass(frozen=True)
class Found:
    """A device that answered: the address of its device service, and what it says it is."""

    address: str
    name: str = ""
    hardware: str = ""


@dataclass(frozen=True)
class Offered:
    """A stream of a camera; 0 and '' where it does not say."""

    name: str
    address: str
    width: int = 0
    height: int = 0
    frames_per_s: float = 0.0
    codec: str = ""


def find_devices(seconds: float, at: tuple[str, int] = GROUP) -> list[Found]:
    """Every device that answers within some seconds, by name.

    Raises
    ------
    SiteError : there is no network to ask in.
    """
    found: dict[str, Found] = {}
    try:
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as asking:
            asking.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_TTL, 2)
            asking.sendto(_probe().encode(), at)
            ends = time.monotonic() + seconds
            while (left := ends - time.monotonic()) > 0 and len(found) < _ANSWERS_MOST:
                asking.settimeout(left)
                data, _ = asking.recvfrom(_ANSWER_BYTES)
                found.update({held.address: held for held in _matches(data)})
    except TimeoutError:
        pass
    except OSError as error:
        raise SiteError(
            tr("the network"), tr("cannot be asked ({strerror}).", strerror=error.strerror), tr("Check the connection.")
        ) from error
    return sorted(found.values(), key=lambda held: (held.name.casefold(), held.address))


def _probe() -> str:
    return (
        f'<?xml version="1.0" encoding="utf-8"?><s:Envelope xmlns:s="{SOAP}" xmlns:w="{ADDRESSING}" xmlns:d="{DISCOVERY}" '
        'xmlns:dn="http://www.onvif.org/ver10/network/wsdl"><s:Header>'
        f"<w:MessageID>urn:uuid:{uuid.uuid4()}</w:MessageID>"
        '<w:To s:mustUnderstand="1">urn:schemas-xmlsoap-org:ws:2005:04:discovery</w:To>'
        f'<w:Action s:mustUnderstand="1">{DISCOVERY}/Probe</w:Action></s:Header>'
        "<s:Body><d:Probe><d:Types>dn:NetworkVideoTransmitter</d:Types></d:Probe></s:Body></s:Envelope>"
    )


def _matches(data: bytes) -> list[Found]:
    """What an answer names; nothing of one that is none."""
    if b"<!DOCTYPE" in data or b"<!ENTITY" in data:
        return []
    try:
        root = ET.fromstring(data)
    except ET.ParseError:
        return []
    found = []
    for match in root.iter(f"{{{DISCOVERY}}}ProbeMatch"):
        addresses = (match.findtext(f"{{{DISCOVERY}}}XAddrs") or "").split()
        usable = [held for held in addresses if held.startswith(("http://", "https://"))]
        scopes = (match.findtext(f"{{{DISCOVERY}}}Scopes") or "").split()
        if usable:
            found.append(Found(usable[0], _scope(scopes, "name"), _scope(scopes, "hardware")))
    return found


def _scope(scopes: list[str], what: str) -> str:
    start = f"{_SCOPE}{what}/"
    return next((unquote(held.removeprefix(start)) for held in scopes if held.startswith(start)), "")


def device_address(text: str) -> str:
    """The address of a device service as people write it: whole, or a host with or without a port."""
    text = text.strip()
    return text if "://" in text else f"http://{text}/onvif/device_service"


def streams_of(device: SoapDevice) -> list[Offered]:
    """The streams a camera offers, the largest first.

    Raises
    ------
    SiteError : it cannot be reached, refuses, or has none.
    """
    services = device.services()
    if MEDIA not in services:
        raise SiteError(device.address, tr("tells of no streams."), tr("Type the address of a stream instead."))
    found = []
    for profile in device.ask(services[MEDIA], MEDIA, "<a:GetProfiles/>").iter(f"{{{MEDIA}}}Profiles"):
        encoder = profile.find(f"{{{TT}}}VideoEncoderConfiguration")
        if encoder is None:
            continue
        address = _address_of(device, services[MEDIA], str(profile.get("token")))
        if not address.startswith(_STREAMS):
            continue  # a device in the network names no file of this machine
        found.append(
            Offered(
                profile.findtext(f"{{{TT}}}Name") or str(profile.get("token")),
                address,
                _whole(encoder, "Width"),
                _whole(encoder, "Height"),
                float(_whole(encoder, "FrameRateLimit")),
                encoder.findtext(f"{{{TT}}}Encoding") or "",
            )
        )
    if not found:
        raise SiteError(device.address, tr("offers no stream."), tr("Set one up in the camera first."))
    return sorted(found, key=lambda held: held.width * held.height, reverse=True)


def _address_of(device: SoapDevice, media: str, token: str) -> str:
    setup = "<tt:Stream>RTP-Unicast</tt:Stream><tt:Transport><tt:Protocol>RTSP</tt:Protocol></tt:Transport>"
    body = (
        f"<a:GetStreamUri><a:StreamSetup>{setup}</a:StreamSetup><a:ProfileToken>{escape(token)}</a:ProfileToken>"
        "</a:GetStreamUri>"
    )
    answer = device.ask(media, MEDIA, body)
    return next((str(held.text).strip() for held in answer.iter(f"{{{TT}}}Uri") if held.text), "")


def _whole(encoder: ET.Element, name: str) -> int:
    """A number somewhere in a configuration; 0 where it is none."""
    text = next((held.text for held in encoder.iter(f"{{{TT}}}{name}")), None) or ""
    return int(text) if text.strip().isdecimal() else 0


def proposed(offered: list[Offered]) -> tuple[Offered, Offered]:
    """Which one to analyse, and which to record: the smallest that shows enough of a person, and the largest."""
    enough = [held for held in offered if held.width >= _LEAST_WIDE_PX]
    return (min(enough, key=lambda held: held.width * held.height) if enough else offered[0]), offered[0]
