"""What a camera itself says: its events over ONVIF, by pull points, as input contacts of its own view.

A contact is named by the last two parts of the event's topic, as `CellMotionDetector/Motion`, and is on while the event's state is
true. So an alarm of the camera starts one here, is needed beside ours, or is compared with it, as the view's sensors say.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from xml.etree import ElementTree as ET

from north_hush.core.errors import SiteError
from north_hush.core.soap import EVENTS, TT, SoapDevice
from north_hush.core.watch.inputs import Change
from north_hush.core.watch.sources import now_us, pause_s
from north_hush.core.words import tr

WSNT = "http://docs.oasis-open.org/wsn/b-2"
WSA = "http://www.w3.org/2005/08/addressing"
LOST = "camera events lost"
_STATES = {"true": True, "1": True, "false": False, "0": False}
_NAMED_BY = 2
_CREATE = "<a:CreatePullPointSubscription><a:InitialTerminationTime>PT10M</a:InitialTerminationTime></a:CreatePullPointSubscription>"
_PULL = "<a:PullMessages><a:Timeout>PT5S</a:Timeout><a:MessageLimit>50</a:MessageLimit></a:PullMessages>"


class CameraEvents:
    """Listens to a camera until it is closed; it asks again with growing pauses when it is lost.

    Parameters
    ----------
    take : called with each change
    told : called with what is wrong, and with '' once it is mended
    """

    def __init__(
        self, view_id: str, device: SoapDevice, take: Callable[[Change], None], told: Callable[[str], None]
    ) -> None:
        self._view_id, self._device, self._take, self._told = view_id, device, take, told
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._thread.start()

    def close(self) -> None:
        """Listen no more; what is asked for is not waited for."""
        self._ended.set()

    def _run(self) -> None:
        tries, wrong = 0, False
        while not self._ended.is_set():
            try:
                point = self._subscribed()
                while not self._ended.is_set():
                    answer = self._device.ask(point, EVENTS, _PULL)
                    if wrong:
                        self._told("")
                    tries, wrong = 0, False
                    for contact, on in states_of(answer):
                        self._take(Change(contact, on, now_us(), "onvif", self._view_id))
            except SiteError as error:
                if not wrong and not self._ended.is_set():
                    self._told(str(error))
                wrong = True
            self._ended.wait(pause_s(tries))
            tries += 1

    def _subscribed(self) -> str:
        """The address of a new pull point."""
        services = self._device.services()
        if EVENTS not in services:
            raise SiteError(
                self._device.address, tr("tells no events."), tr("Take its alarms by MQTT or HTTP instead.")
            )
        answer = self._device.ask(services[EVENTS], EVENTS, _CREATE)
        address = next((held.text for held in answer.iter(f"{{{WSA}}}Address") if held.text), None)
        if address is None:
            raise SiteError(self._device.address, tr("gives no pull point."), tr("Look at the camera."))
        return address.strip()


def states_of(answer: ET.Element) -> Iterator[tuple[str, bool]]:
    """Contacts and their states that messages tell of; those without a state are none."""
    for message in answer.iter(f"{{{WSNT}}}NotificationMessage"):
        topic = (message.findtext(f"{{{WSNT}}}Topic") or "").strip()
        parts = [part.rpartition(":")[2] for part in topic.split("/") if part]
        for item in message.iter(f"{{{TT}}}SimpleItem"):
            state = _STATES.get((item.get("Value") or "").strip().lower())
            if parts and state is not None and item.get("Name") != "Source":
                yield "/".join(parts[-_NAMED_BY:]), state
                break
