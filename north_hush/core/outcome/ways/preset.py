"""A steerable camera turns to a preset, over its ONVIF PTZ service; switched as a contact, it turns home again when that goes off."""

from __future__ import annotations

from xml.sax.saxutils import escape

from north_hush.core.errors import SiteError
from north_hush.core.outcome.rules import Way
from north_hush.core.outcome.ways.message import Message, WayError
from north_hush.core.soap import MEDIA, PTZ, TT, SoapDevice
from north_hush.core.words import tr


def send(way: Way, message: Message, password: str) -> str:
    """Turn the camera at `address` to the preset named `to`; home where the message says that a contact went off.

    Raises
    ------
    WayError : it cannot be reached, refuses, cannot be steered, or has no such preset.
    """
    camera = SoapDevice(way.address, way.user, password)
    try:
        service, profile = _steering(camera)
        which = f"<a:ProfileToken>{escape(profile)}</a:ProfileToken>"
        if message.facts.get("on") is False:
            camera.ask(service, PTZ, f"<a:GotoHomePosition>{which}</a:GotoHomePosition>")
            return tr("turned home")
        token = _preset(camera, service, which, way.to)
        camera.ask(service, PTZ, f"<a:GotoPreset>{which}<a:PresetToken>{escape(token)}</a:PresetToken></a:GotoPreset>")
    except SiteError as error:
        raise WayError(
            tr("way '{name}'", name=way.name),
            tr("failed: {subject} {what}", subject=error.subject, what=error.what),
            error.remedy,
        ) from error
    return tr("turned to '{to_}'", to_=way.to)


def _steering(camera: SoapDevice) -> tuple[str, str]:
    """The address of the PTZ service, and the token of the first profile that can be steered."""
    services = camera.services()
    if PTZ in services and MEDIA in services:
        for profile in camera.ask(services[MEDIA], MEDIA, "<a:GetProfiles/>").iter(f"{{{MEDIA}}}Profiles"):
            if profile.find(f"{{{TT}}}PTZConfiguration") is not None:
                return services[PTZ], str(profile.get("token"))
    raise SiteError(camera.address, tr("cannot be steered."), tr("Give the address of a steerable camera."))


def _preset(camera: SoapDevice, service: str, which: str, wanted: str) -> str:
    """The token of a preset by its name, or by the token itself."""
    answer = camera.ask(service, PTZ, f"<a:GetPresets>{which}</a:GetPresets>")
    named = {
        str(held.findtext(f"{{{TT}}}Name") or held.get("token")): str(held.get("token"))
        for held in answer.iter(f"{{{PTZ}}}Preset")
    }
    if wanted in named.values():
        return wanted
    if wanted not in named:
        there = ", ".join(named) or "none"
        raise SiteError(
            camera.address, tr("has no preset '{wanted}'.", wanted=wanted), tr("There are: {there}.", there=there)
        )
    return named[wanted]
