"""A device with ONVIF media, analytics and PTZ services: it tells its streams, takes rules that make sense, turns to its presets,
refuses the rest by name, asks for a password, and answers those who look for cameras."""

from __future__ import annotations

import base64
import queue
import re
import socket
import threading
from contextlib import suppress
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from xml.etree import ElementTree as ET
from xml.sax.saxutils import escape

from north_hush.core.handover.onvif import PARAMETERS, Parameter
from north_hush.core.soap import ANALYTICS, DEVICE, EVENTS, MEDIA, PTZ, SOAP, TT, WSSE, WSU, password_digest
from north_hush.core.watch.camera_events import WSA, WSNT
from north_hush.core.watch.discovery import DISCOVERY

TOKEN = "analytics-1"
PROFILE = "steered-1"
STREAMS = (("main", 1920, 1080, 25, "H264"), ("small", 640, 360, 10, "H264"))
"""Name, size, rate and codec of what it offers."""
PRESETS = {"preset-1": "Slipway", "preset-2": "Quay head"}
_PULL_S = 0.3
_MODULES = ("CellMotionEngine",)
_BODY_BYTES_MAX = 8 * 1024**2


class DeviceStandIn:
    """Use it as a context. `rules` and `modules` hold elements by name, `turned` where it was turned to, one after the other.

    Parameters
    ----------
    password : asked of the user "operator"; '' asks nobody
    rules_most : it takes no more
    streams : addresses of its two streams
    """

    def __init__(
        self, port: int = 0, *, password: str = "", rules_most: int = 16, streams: tuple[str, str] = ("", "")
    ) -> None:
        self.password, self.rules_most, self.streams = password, rules_most, streams
        self.rules: dict[str, ET.Element] = {}
        self.modules: dict[str, ET.Element] = {}
        self.turned: list[str] = []
        self._web = ThreadingHTTPServer(("127.0.0.1", port), _handler(self))
        self._events: queue.Queue[tuple[str, bool]] = queue.Queue()
        self._ear = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._ear.bind(("127.0.0.1", 0))

    def __enter__(self) -> DeviceStandIn:
        threading.Thread(target=self._web.serve_forever, daemon=True).start()
        threading.Thread(target=self._hear, daemon=True).start()
        return self

    @property
    def ear(self) -> tuple[str, int]:
        """Where it hears those who look for cameras; on this machine alone, so as to be found by nobody else."""
        host, port = self._ear.getsockname()
        return str(host), int(port)

    def say(self, topic: str, *, on: bool) -> None:
        """An event of the device itself, for whoever pulls."""
        self._events.put((topic, on))

    def _pulled(self) -> str:
        """What happened since it was last asked, after a moment."""
        found = list[tuple[str, bool]]()
        with suppress(queue.Empty):
            found.append(self._events.get(timeout=_PULL_S))
            while True:
                found.append(self._events.get_nowait())
        messages = "".join(
            f"<n:NotificationMessage><n:Topic>tns1:{topic}</n:Topic><n:Message><tt:Message><tt:Source>"
            '<tt:SimpleItem Name="Source" Value="1"/></tt:Source><tt:Data>'
            f'<tt:SimpleItem Name="State" Value="{str(on).lower()}"/></tt:Data></tt:Message></n:Message></n:NotificationMessage>'
            for topic, on in found
        )
        return f'<e:PullMessagesResponse xmlns:e="{EVENTS}" xmlns:n="{WSNT}" xmlns:tt="{TT}">{messages}</e:PullMessagesResponse>'

    def _hear(self) -> None:
        """Answer every probe, and first with what makes no sense, as in a network where others answer too."""
        with suppress(OSError):  # it was closed
            while True:
                data, who = self._ear.recvfrom(_BODY_BYTES_MAX)
                if b"Probe" in data:
                    self._ear.sendto(b"<no answer", who)
                    self._ear.sendto(_match(self.url).encode(), who)

    def __exit__(self, *_: object) -> None:
        self._ear.close()
        self._web.shutdown()
        self._web.server_close()

    @property
    def url(self) -> str:
        """Address of the device service."""
        return f"http://127.0.0.1:{self._web.server_address[1]}/onvif/device_service"

    def answer(self, data: bytes) -> tuple[int, str]:
        """Status and envelope for a request."""
        try:
            root = ET.fromstring(data)
            self._let_in(root)
            body = root.find(f"{{{SOAP}}}Body")
            if body is None or len(body) != 1:
                raise _Refused("ter:InvalidArgs", "one request in the body")
            return 200, _envelope(self._done(body[0]))
        except ET.ParseError as error:
            return 400, _envelope(_fault("ter:WellFormed", str(error)))
        except _Refused as refused:
            return refused.status, _envelope(_fault(refused.code, str(refused)))

    def _let_in(self, root: ET.Element) -> None:
        if not self.password:
            return
        token = root.find(f".//{{{WSSE}}}UsernameToken")
        if token is None:
            raise _Refused("ter:NotAuthorized", "a user", 401)
        texts = {name: str(token.findtext(f"{{{space}}}{name}")) for name, space in
                 (("Username", WSSE), ("Password", WSSE), ("Nonce", WSSE), ("Created", WSU))}  # fmt: skip
        right = password_digest(base64.b64decode(texts["Nonce"]), texts["Created"], self.password)
        if texts["Username"] != "operator" or base64.b64decode(texts["Password"]) != right:
            raise _Refused("ter:NotAuthorized", "another password", 401)

    def _done(self, request: ET.Element) -> str:
        space, _, name = request.tag.removeprefix("{").partition("}")
        base = self.url.rpartition("/")[0]
        if (space, name) == (DEVICE, "GetServices"):
            services = "".join(
                f"<d:Service><d:Namespace>{of}</d:Namespace><d:XAddr>{base}/{part}</d:XAddr></d:Service>"
                for of, part in ((MEDIA, "media"), (ANALYTICS, "analytics"), (PTZ, "ptz"), (EVENTS, "events"))
            )
            return f'<d:GetServicesResponse xmlns:d="{DEVICE}">{services}</d:GetServicesResponse>'
        if (space, name) == (MEDIA, "GetVideoAnalyticsConfigurations"):
            return (
                f'<m:GetVideoAnalyticsConfigurationsResponse xmlns:m="{MEDIA}"><m:Configurations token="{TOKEN}"/>'
                "</m:GetVideoAnalyticsConfigurationsResponse>"
            )
        if space == ANALYTICS and (match := re.fullmatch(r"(Get|Create|Modify)(Rules|AnalyticsModules)", name)):
            return self._analytics(request, match[1], match[2])
        if (space, name) == (MEDIA, "GetProfiles"):
            steered = f'<m:Profiles token="{PROFILE}"><tt:PTZConfiguration token="ptz-1"/></m:Profiles>'
            offered = "".join(_profile(*held) for held in STREAMS)
            return (
                f'<m:GetProfilesResponse xmlns:m="{MEDIA}" xmlns:tt="{TT}"><m:Profiles token="fixed-1"/>{steered}{offered}'
                "</m:GetProfilesResponse>"
            )
        if (space, name) == (MEDIA, "GetStreamUri"):
            token = request.findtext(f"{{{MEDIA}}}ProfileToken")
            place = next((place for place, held in enumerate(STREAMS) if held[0] == token), None)
            if place is None:
                raise _Refused("ter:NoProfile", str(token))
            uri = f"<m:MediaUri><tt:Uri>{escape(self.streams[place])}</tt:Uri></m:MediaUri>"
            return f'<m:GetStreamUriResponse xmlns:m="{MEDIA}" xmlns:tt="{TT}">{uri}</m:GetStreamUriResponse>'
        if (space, name) == (EVENTS, "CreatePullPointSubscription"):
            point = f"<e:SubscriptionReference><w:Address>{base}/pull</w:Address></e:SubscriptionReference>"
            made = f'<e:{name}Response xmlns:e="{EVENTS}" xmlns:w="{WSA}">'
            return f"{made}{point}</e:{name}Response>"
        if (space, name) == (EVENTS, "PullMessages"):
            return self._pulled()
        if space == PTZ:
            return self._steering(request, name)
        raise _Refused("ter:ActionNotSupported", name)

    def _steering(self, request: ET.Element, name: str) -> str:
        if request.findtext(f"{{{PTZ}}}ProfileToken") != PROFILE:
            raise _Refused("ter:NoProfile", "the token of a profile that can be steered")
        inside = ""
        if name == "GetPresets":
            inside = "".join(
                f'<p:Preset token="{token}"><tt:Name>{escape(word)}</tt:Name></p:Preset>'
                for token, word in PRESETS.items()
            )
        elif name == "GotoPreset":
            token = str(request.findtext(f"{{{PTZ}}}PresetToken"))
            if token not in PRESETS:
                raise _Refused("ter:NoToken", token)
            self.turned.append(PRESETS[token])
        elif name == "GotoHomePosition":
            self.turned.append("home")
        else:
            raise _Refused("ter:ActionNotSupported", name)
        return f'<p:{name}Response xmlns:p="{PTZ}" xmlns:tt="{TT}">{inside}</p:{name}Response>'

    def _analytics(self, request: ET.Element, verb: str, wrapper: str) -> str:
        if request.findtext(f"{{{ANALYTICS}}}ConfigurationToken") != TOKEN:
            raise _Refused("ter:NoConfig", "the token of a configuration")
        what = wrapper.removesuffix("s")
        held = self.rules if what == "Rule" else self.modules
        if verb == "Get":
            inside = "".join(ET.tostring(one, encoding="unicode") for one in held.values())
        else:
            taken = request.findall(f"{{{ANALYTICS}}}{what}")
            for one in taken:  # all or none
                self._check(one, what, verb, held)
            held.update({str(one.get("Name")): one for one in taken})
            inside = ""
        return f'<a:{verb}{wrapper}Response xmlns:a="{ANALYTICS}">{inside}</a:{verb}{wrapper}Response>'

    def _check(self, one: ET.Element, what: str, verb: str, held: dict[str, ET.Element]) -> None:
        name, kind = str(one.get("Name")), str(one.get("Type")).rpartition(":")[2]
        if (verb == "Create") == (name in held):
            raise _Refused("ter:RuleNotExistent" if verb == "Modify" else "ter:RuleAlreadyExistent", name)
        if what != "Rule":
            if kind not in _MODULES:
                raise _Refused("ter:InvalidModule", kind)
            return
        if kind not in PARAMETERS:
            raise _Refused("ter:InvalidRule", kind)
        if verb == "Create" and len(held) >= self.rules_most:
            raise _Refused("ter:TooManyRules", f"{self.rules_most} rules")
        wanted = PARAMETERS[kind]
        given = {
            str(item.get("Name")): item
            for item in one.iter()
            if item.tag in (f"{{{TT}}}SimpleItem", f"{{{TT}}}ElementItem")
        }
        for parameter, item in given.items():
            if parameter not in wanted:
                raise _Refused("ter:RuleParameter", f"{kind} has no {parameter}")
            _check_value(parameter, item.get("Value"), wanted[parameter])
        missing = sorted(set(wanted) - set(given))
        if missing:
            raise _Refused("ter:RuleParameter", f"{kind} without {missing[0]}")
        for point in one.iter(f"{{{TT}}}Point"):
            if not all(-1 <= float(str(point.get(axis))) <= 1 for axis in ("x", "y")):
                raise _Refused("ter:InvalidPolygon", f"a point of {name} outside the picture")


class _Refused(Exception):
    """A request that is answered with a fault."""

    def __init__(self, code: str, said: str, status: int = 400) -> None:
        super().__init__(said)
        self.code, self.status = code, status


def _profile(name: str, width: int, height: int, rate: int, codec: str) -> str:
    size = f"<tt:Resolution><tt:Width>{width}</tt:Width><tt:Height>{height}</tt:Height></tt:Resolution>"
    limit = f"<tt:RateControl><tt:FrameRateLimit>{rate}</tt:FrameRateLimit></tt:RateControl>"
    encoder = (
        f"<tt:VideoEncoderConfiguration><tt:Encoding>{codec}</tt:Encoding>{size}{limit}</tt:VideoEncoderConfiguration>"
    )
    return f'<m:Profiles token="{name}"><tt:Name>{name} stream</tt:Name>{encoder}</m:Profiles>'


def _match(address: str) -> str:
    scopes = "onvif://www.onvif.org/name/Skerry%20Quay onvif://www.onvif.org/hardware/stand-in"
    match = f"<d:ProbeMatch><d:Scopes>{scopes}</d:Scopes><d:XAddrs>{address}</d:XAddrs></d:ProbeMatch>"
    return f'<s:Envelope xmlns:s="{SOAP}" xmlns:d="{DISCOVERY}"><s:Body><d:ProbeMatches>{match}</d:ProbeMatches></s:Body></s:Envelope>'


def _check_value(name: str, value: str | None, parameter: Parameter) -> None:
    if parameter.choices and value not in parameter.choices:
        raise _Refused("ter:InvalidArgVal", f"{name} {value}")
    if parameter.low is None or parameter.high is None:
        return
    if value is None or not re.fullmatch(r"-?\d+", value) or not parameter.low <= int(value) <= parameter.high:
        raise _Refused("ter:InvalidArgVal", f"{name} {value}")


def _envelope(body: str) -> str:
    return f'<?xml version="1.0" encoding="utf-8"?><s:Envelope xmlns:s="{SOAP}"><s:Body>{body}</s:Body></s:Envelope>'


def _fault(code: str, said: str) -> str:
    which = f"<s:Code><s:Value>s:Sender</s:Value><s:Subcode><s:Value>{escape(code)}</s:Value></s:Subcode></s:Code>"
    return f'<s:Fault>{which}<s:Reason><s:Text xml:lang="en">{escape(said)}</s:Text></s:Reason></s:Fault>'


def _handler(device: DeviceStandIn) -> type[BaseHTTPRequestHandler]:
    class Handler(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            length = int(self.headers.get("Content-Length") or 0)
            status, page = device.answer(self.rfile.read(min(length, _BODY_BYTES_MAX)))
            data = page.encode()
            self.send_response(status)
            self.send_header("Content-Type", "application/soap+xml; charset=utf-8")
            self.send_header("Content-Length", str(len(data)))
            self.end_headers()
            self.wfile.write(data)

        def log_message(self, format: str, *args: Any) -> None:
            return

    return Handler
