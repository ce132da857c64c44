"""Analytics rules into a device and out of it, over its ONVIF analytics service (SOAP 1.2, see `soap`).

The device says where its services are (GetServices) and which configuration there is; of rules with the same name the parameters are
changed, others are added, and none is taken away.
"""

from __future__ import annotations

from xml.etree import ElementTree as ET
from xml.sax.saxutils import escape

from north_hush.core.errors import SiteError
from north_hush.core.soap import ANALYTICS, MEDIA, TT, SoapDevice


class OnvifDevice(SoapDevice):
    """A device with an analytics service."""

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
                self.ask(analytics, ANALYTICS, f"<a:{verb}{wrapper}>{which}{body}</a:{verb}{wrapper}>")
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
        services = self.services()
        for name, space in (("analytics", ANALYTICS), ("media", MEDIA)):
            if space not in services:
                raise SiteError(self.address, f"has no {name} service.", "Type the settings in by the sheet instead.")
        answer = self.ask(services[MEDIA], MEDIA, "<a:GetVideoAnalyticsConfigurations/>")
        tokens = [str(held.get("token")) for held in answer.iter(f"{{{MEDIA}}}Configurations")]
        if not tokens:
            raise SiteError(self.address, "has no analytics configuration.", "Switch analytics on in the device first.")
        return services[ANALYTICS], tokens[0]

    def _held(self, analytics: str, token: str, wrapper: str, what: str) -> list[ET.Element]:
        body = f"<a:Get{wrapper}><a:ConfigurationToken>{escape(token)}</a:ConfigurationToken></a:Get{wrapper}>"
        return list(self.ask(analytics, ANALYTICS, body).iter(f"{{{ANALYTICS}}}{what}"))


def _renamed(held: ET.Element, what: str) -> str:
    """A module or rule as the analytics service names it; what is inside stays of the schema."""
    made = ET.Element(f"{{{ANALYTICS}}}{what}", dict(held.attrib))
    made.extend(list(held))
    return ET.tostring(made, encoding="unicode")
