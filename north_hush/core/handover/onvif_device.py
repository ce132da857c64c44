"""Analytics rules into a device and out of it, over its ONVIF analytics service (SOAP 1.2, WS-UsernameToken with a digest).

The device says where its services are (GetServices) and which configuration there is; of rules with the same name the parameters are
changed, others are added, and none is taken away.
"""

from __future__ import annotations

import base64
import hashlib
import os
from dataclasses import dataclass
from datetime import UTC, datetime
from xml.etree import ElementTree as ET
from xml.sax.saxutils import escape

import httpx

from north_hush.core.errors import SiteError
from north_hush.core.handover.onvif import TT

SOAP = "http://www.w3.org/2003/05/soap-envelope"
DEVICE = "http://www.onvif.org/ver10/device/wsdl"
MEDIA = "http://www.onvif.org/ver10/media/wsdl"
ANALYTICS = "http://www.onvif.org/ver20/analytics/wsdl"
WSSE = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-secext-1.0.xsd"
WSU = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-utility-1.0.xsd"
_TIMEOUT_S = 10.0
_BYTES_MAX = 8 * 1024**2


@dataclass(frozen=True)
class OnvifDevice:
    """A device: the address of its device service, and who asks."""

    address: str
    user: str = ""
    password: str = ""

    def push(self, configuration: bytes) -> list[str]:
        """Put the modules and rules of a VideoAnalyticsConfiguration into the device; what was done, in words.

        Raises
        ------
        SiteError : it cannot be reached, or refuses; with what it said.
        """
        root = ET.fromstring(configuration)
        analytics, token = self._where()
        said = []
        for what, wrapper in (("AnalyticsModule", "AnalyticsModules"), ("Rule", "Rules")):
            wanted = list(root.iter(f"{{{TT}}}{what}"))
            known = {held.get("Name") for held in self._held(analytics, token, wrapper, what)}
            for verb, held in (
                ("Modify", [one for one in wanted if one.get("Name") in known]),
                ("Create", [one for one in wanted if one.get("Name") not in known]),
            ):
                if not held:
                    continue
                body = "".join(_renamed(one, what) for one in held)
                which = f"<a:ConfigurationToken>{escape(token)}</a:ConfigurationToken>"
                self._ask(analytics, ANALYTICS, f"<a:{verb}{wrapper}>{which}{body}</a:{verb}{wrapper}>")
                names = ", ".join(str(one.get("Name")) for one in held)
                said.append(f"{'changed' if verb == 'Modify' else 'added'}: {names}")
        return said

    def pull(self) -> bytes:
        """The device's modules and rules as a VideoAnalyticsConfiguration.

        Raises
        ------
        SiteError : it cannot be reached, or refuses; with what it said.
        """
        analytics, token = self._where()
        root = ET.Element(f"{{{TT}}}VideoAnalyticsConfiguration", {"token": token})
        for wrapper, what, part in (
            ("AnalyticsModules", "AnalyticsModule", "AnalyticsEngineConfiguration"),
            ("Rules", "Rule", "RuleEngineConfiguration"),
        ):
            inside = ET.SubElement(root, f"{{{TT}}}{part}")
            for held in self._held(analytics, token, wrapper, what):
                held.tag = f"{{{TT}}}{what}"
                inside.append(held)
        return bytes(ET.tostring(root, encoding="utf-8", xml_declaration=True))

    # --- asking -----------------------------------------------------------------------------------------------------

    def _where(self) -> tuple[str, str]:
        """The address of the analytics service, and the token of the first configuration."""
        answer = self._ask(
            self.address, DEVICE, "<a:GetServices><a:IncludeCapability>false</a:IncludeCapability></a:GetServices>"
        )
        services = {
            str(held.findtext(f"{{{DEVICE}}}Namespace")).strip(): str(held.findtext(f"{{{DEVICE}}}XAddr")).strip()
            for held in answer.iter(f"{{{DEVICE}}}Service")
        }
        for name, space in (("analytics", ANALYTICS), ("media", MEDIA)):
            if space not in services:
                raise SiteError(self.address, f"has no {name} service.", "Type the settings in by the sheet instead.")
        answer = self._ask(services[MEDIA], MEDIA, "<a:GetVideoAnalyticsConfigurations/>")
        tokens = [str(held.get("token")) for held in answer.iter(f"{{{MEDIA}}}Configurations")]
        if not tokens:
            raise SiteError(self.address, "has no analytics configuration.", "Switch analytics on in the device first.")
        return services[ANALYTICS], tokens[0]

    def _held(self, analytics: str, token: str, wrapper: str, what: str) -> list[ET.Element]:
        body = f"<a:Get{wrapper}><a:ConfigurationToken>{escape(token)}</a:ConfigurationToken></a:Get{wrapper}>"
        return list(self._ask(analytics, ANALYTICS, body).iter(f"{{{ANALYTICS}}}{what}"))

    def _ask(self, address: str, space: str, body: str) -> ET.Element:
        """The body of the answer."""
        envelope = (
            f'<?xml version="1.0" encoding="utf-8"?><s:Envelope xmlns:s="{SOAP}" xmlns:a="{space}" xmlns:tt="{TT}">'
            f"<s:Header>{self._security()}</s:Header><s:Body>{body}</s:Body></s:Envelope>"
        )
        try:
            answer = httpx.post(
                address,
                content=envelope.encode(),
                timeout=_TIMEOUT_S,
                headers={"Content-Type": "application/soap+xml; charset=utf-8"},
            )
        except (httpx.HTTPError, httpx.InvalidURL, ValueError) as error:
            raise SiteError(
                address, f"cannot be reached ({error or type(error).__name__}).", "Check the address."
            ) from error
        return _body(address, answer)

    def _security(self) -> str:
        """A user name token whose password is digested with a nonce and the time, so that it is never sent."""
        if not self.user:
            return ""
        nonce, created = os.urandom(16), datetime.now(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")
        digest = base64.b64encode(password_digest(nonce, created, self.password)).decode()
        return (
            f'<wsse:Security xmlns:wsse="{WSSE}" xmlns:wsu="{WSU}"><wsse:UsernameToken>'
            f"<wsse:Username>{escape(self.user)}</wsse:Username>"
            f'<wsse:Password Type="{_DIGEST}">{digest}</wsse:Password>'
            f"<wsse:Nonce>{base64.b64encode(nonce).decode()}</wsse:Nonce><wsu:Created>{created}</wsu:Created>"
            "</wsse:UsernameToken></wsse:Security>"
        )


_DIGEST = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-username-token-profile-1.0#PasswordDigest"


def password_digest(nonce: bytes, created: str, password: str) -> bytes:
    """SHA-1 over nonce, time and password, as the Username Token Profile 1.0 wants it."""
    return hashlib.sha1(nonce + created.encode() + password.encode(), usedforsecurity=False).digest()


def _body(address: str, answer: httpx.Response) -> ET.Element:
    if answer.status_code == 401:
        raise SiteError(address, "refuses the user or the password.", "Check both.")
    data = answer.content
    if len(data) > _BYTES_MAX or b"<!DOCTYPE" in data or b"<!ENTITY" in data:
        raise SiteError(address, "answers with what no device answers.", "Check the address.")
    try:
        body = ET.fromstring(data).find(f"{{{SOAP}}}Body")
    except ET.ParseError as error:
        raise SiteError(address, f"answers {answer.status_code}, and no SOAP.", "Check the address.") from error
    if body is None:
        raise SiteError(address, "answers without a body.", "Check the address.")
    fault = body.find(f"{{{SOAP}}}Fault")
    if fault is not None:
        said = " ".join(text.strip() for text in fault.itertext() if text.strip())
        raise SiteError(
            address, f"refuses: {said[:300]}.", "Change what it names, or type the settings in by the sheet."
        )
    return body


def _renamed(held: ET.Element, what: str) -> str:
    """A module or rule as the analytics service names it; what is inside stays of the schema."""
    made = ET.Element(f"{{{ANALYTICS}}}{what}", dict(held.attrib))
    made.extend(list(held))
    return ET.tostring(made, encoding="unicode")
