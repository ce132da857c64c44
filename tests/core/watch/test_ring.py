"""The ring of a camera: whole groups of pictures, as long and as many bytes as it may."""

from types import SimpleNamespace

from north_hush.core.watch import ring as module
from north_hush.core.watch.live_file import Seen
from north_hush.core.watch.ring import Ring
from north_hush.core.watch.sources import LiveFrame

S = 1_000_000


def frame(number, *, every=5, size=100):
    """Ten a second, a key frame every few."""
    packet = SimpleNamespace(size=size)
    return Seen(LiveFrame(None, number * S // 10, number % every == 0, packets=((packet, 0),)))


def times(held):
    return [round(one.frame.time_us / S, 1) for one in held]


def test_it_holds_whole_groups_and_what_comes_before_an_instant_goes():
    ring = Ring()
    for number in range(23):
        ring.push(frame(number), (number - 10) * S // 10)
    assert times(ring.since(0)) == [number / 10 for number in range(10, 23)]  # 1.2 s lies in the group from 1.0 s on


def test_what_is_asked_for_begins_with_the_key_frame_before_it():
    ring = Ring()
    for number in range(15):
        ring.push(frame(number), 0)
    assert times(ring.since(int(0.8 * S)))[0] == 0.5
    assert times(ring.since(int(0.5 * S)))[0] == 0.5
    assert times(ring.since(-S))[0] == 0.0
    ring.clear()
    ring.push(frame(17), 0)
    assert times(ring.since(2 * S)) == [1.7]  # no key frame yet: what there is


def test_too_many_bytes_let_groups_go_but_never_the_one_that_runs(monkeypatch):
    monkeypatch.setattr(module, "_BYTES_MOST", 1000)
    ring = Ring()
    for number in range(14):
        ring.push(frame(number), 0)
    assert times(ring.since(0))[0] == 0.5
    long = Ring()
    for number in range(14):
        long.push(frame(number, every=50), 0)
    assert len(long.since(0)) == 14
