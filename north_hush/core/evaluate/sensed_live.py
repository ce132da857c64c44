"""Input contacts and sound as they go on and off beside a live camera, by the same rules as `sensed` has over a recording."""

from __future__ import annotations

from north_hush.core.footage.stamps import US_PER_S
from north_hush.core.sight.sensors import Sensor

_KEPT_US = 3600 * US_PER_S
"""What was on longer ago is near no motion: the widest reach is an hour."""
Times = list[list[int | None]]
"""From when to when; the end is None while it lasts."""


def name_of(sensor: Sensor) -> str:
    """What a sensor listens to: a contact by its name, or what a rule of its own hears."""
    return sensor.contact or f"sound {sensor.id}"


class LiveContacts:
    """Tell it of contacts, and of what rules of sound hear, as they change; it tells of motion whether it counts."""

    def __init__(self, sensors: tuple[Sensor, ...]) -> None:
        self._sensors = sensors
        self._on: dict[str, Times] = {}

    def take(self, sensors: tuple[Sensor, ...]) -> None:
        """Obey other rules; what was on stays known."""
        self._sensors = sensors

    def starting(self, contact: str) -> list[Sensor]:
        """Sensors of a contact that start alarms by themselves."""
        return [held for held in self._sensors if name_of(held) == contact and held.role == "start"]

    def change(self, contact: str, at_us: int, *, on: bool) -> bool:
        """A contact went on or off; False where it was so already."""
        times = self._on.setdefault(contact, [])
        runs = bool(times) and times[-1][1] is None
        if on == runs:
            return False
        if on:
            times.append([at_us, None])
        else:
            times[-1][1] = max(at_us, int(times[-1][0] or 0) + 1)
        self._on[contact] = [held for held in times if held[1] is None or held[1] > at_us - _KEPT_US]
        return True

    def silenced(self, item: str, start_us: int) -> bool:
        """Whether motion of an item that starts now is taken away."""
        return any(
            start <= start_us and (end is None or end + self._within(sensor) > start_us)
            for sensor in self._of("veto", item)
            for start, end in self._times(sensor)
        )

    def lets(self, item: str, start_us: int) -> bool:
        """Whether everything that is needed beside motion of an item that started then has been there by now."""
        return all(
            any(
                start <= start_us + self._within(sensor) and (end is None or end > start_us - self._within(sensor))
                for start, end in self._times(sensor)
            )
            for sensor in self._of("need", item)
        )

    def awaits_us(self, item: str) -> int:
        """For how long after its start motion of an item may still be joined by what it needs; 0 where it needs nothing."""
        return max((self._within(sensor) for sensor in self._of("need", item)), default=0)

    def _of(self, role: str, item: str) -> list[Sensor]:
        return [held for held in self._sensors if held.role == role and (not held.items or item in held.items)]

    def _times(self, sensor: Sensor) -> list[tuple[int, int | None]]:
        return [(int(start or 0), end) for start, end in self._on.get(name_of(sensor), ())]

    @staticmethod
    def _within(sensor: Sensor) -> int:
        return round(sensor.within_s * US_PER_S)
