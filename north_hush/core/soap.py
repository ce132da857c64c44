"""Asking a device over its ONVIF services: SOAP 1.2, with a user name token whose password is digested."""

from __future__ import annotations

import base64
import hashlib
import os
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import TYPE_CHECKING
from xml.etree import ElementTree as ET
from xml.sax.saxutils import escape

from north_hush.core.errors import SiteError

if TYPE_CHECKING:
    import httpx

SOAP = "http://www.w3.org/2003/05/soap-envelope"
TT = "http://www.onvif.org/ver10/schema"
DEVICE = "http://www.onvif.org/ver10/device/wsdl"
MEDIA = "http://www.onvif.org/ver10/media/wsdl"
ANALYTICS = "http://www.onvif.org/ver20/analytics/wsdl"
EVENTS = "http://www.onvif.org/ver10/events/wsdl"
PTZ = "http://www.onvif.org/ver20/ptz/wsdl"
WSSE = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-secext-1.0.xsd"
WSU = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-utility-1.0.xsd"
_TIMEOUT_S = 10.0
_BYTES_MAX = 8 * 1024**2


@dataclass(frozen=True)
class SoapDevice:
    """A device: the address of its device service, and who asks."""

    address: str
    user: str = ""
    password: str = ""

    def services(self) -> dict[str, str]:
        """Address of each service by its name space, as the device tells them.

        Raises
        ------
        SiteError : it cannot be reached, or refuses; with what it said.
        """
        answer = self.ask(
            self.address, DEVICE, "<a:GetServices><a:IncludeCapability>false</a:IncludeCapability></a:GetServices>"
        )
        return {
            str(held.findtext(f"{{{DEVICE}}}Namespace")).strip(): str(held.findtext(f"{{{DEVICE}}}XAddr")).strip()
            for held in answer.iter(f"{{{DEVICE}}}Service")
        }

    def ask(self, address: str, space: str, body: str) -> ET.Element:
        """The body of the answer to a request in a service's name space (prefix `a`).

        Raises
        ------
        SiteError : it cannot be reached, or refuses; with what it said.
        """
        import httpx

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
        raise SiteError(address, f"refuses: {said[:300]}.", "Change what it names, or do it in the device itself.")
    return body
