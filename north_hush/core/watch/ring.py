"""The ring: the last seconds of a live camera, in whole groups of pictures, and not more bytes than are allowed."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence

from north_hush.core.watch.live_file import Seen

_BYTES_MOST = 64 * 1024**2


class Ring:
    """Frames that may come before an alarm, the oldest of them a key frame."""

    def __init__(self) -> None:
        self._held: deque[Seen] = deque()
        self._bytes = 0

    def push(self, seen: Seen, oldest_us: int) -> None:
        """Take the frame of now, and let whole groups go that lie before an instant, or are too many."""
        self._held.append(seen)
        self._bytes += _bytes_of(seen)
        while len(self._held) > 1:
            following = next((place for place, one in enumerate(self._held) if place and one.frame.key), None)
            over = self._bytes > _BYTES_MOST
            if following is None or (self._held[following].frame.time_us > oldest_us and not over):
                break
            for _ in range(following):
                self._bytes -= _bytes_of(self._held.popleft())

    def since(self, begin_us: int) -> Sequence[Seen]:
        """What is held from the last key frame at an instant or before it on, all of it where there is none; the frame of now last."""
        earlier = [place for place, held in enumerate(self._held) if held.frame.key and held.frame.time_us <= begin_us]
        return list(self._held)[earlier[-1] if earlier else 0 :]

    def clear(self) -> None:
        """Let all of it go: it is another stream's."""
        self._held.clear()
        self._bytes = 0


def _bytes_of(seen: Seen) -> int:
    """Of a frame without its picture what its packets take, else what the picture does; and its evidence."""
    cells = 0 if seen.reduced is None else sum(values.nbytes for values in seen.reduced.cells.values())
    cells += sum(int(packet.size) for packet, _ in seen.frame.sound)
    if seen.frame.picture is None:
        return cells + sum(int(packet.size) for packet, _ in seen.frame.packets)
    return cells + int(seen.frame.picture.width * seen.frame.picture.height * 3 // 2)
