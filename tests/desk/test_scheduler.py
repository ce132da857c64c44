"""Work in the background: the most urgent goes first, and what can wait does."""

import threading
import time

from north_hush.core.courtesy import PAINTING_S, give_way, patient, soon_painted, urgent
from north_hush.desk.app import wait_until
from north_hush.desk.workers.background import Background
from north_hush.desk.workers.scheduler import _TAKES, Scheduler, Urgency

THREADS = len(_TAKES)


def test_the_most_urgent_of_what_waits_goes_first():
    scheduler, gate, done = Scheduler(), threading.Event(), []
    busy = threading.Semaphore(0)

    def hold():
        busy.release()
        gate.wait(60)

    for _ in range(THREADS):
        scheduler.put(Urgency.NOW, hold)  # which any thread takes
    for _ in range(THREADS):
        assert busy.acquire(timeout=10)  # every thread is taken
    for urgency in (Urgency.LATER, Urgency.SOON, Urgency.NOW, Urgency.LATER):
        scheduler.put(urgency, lambda urgency=urgency: done.append(urgency))
    taken = [held[0] for held in sorted(scheduler._waiting)]
    gate.set()
    assert taken == [Urgency.NOW, Urgency.SOON, Urgency.LATER, Urgency.LATER]
    deadline = time.monotonic() + 10
    while len(done) < 4 and time.monotonic() < deadline:
        time.sleep(0.01)
    assert sorted(done) == taken


def test_urgent_work_never_waits_for_a_thread():
    scheduler, gate, done = Scheduler(), threading.Event(), threading.Event()
    for _ in range(12):
        scheduler.put(Urgency.LATER, lambda: gate.wait(10))
        scheduler.put(Urgency.SOON, lambda: gate.wait(10))
    scheduler.put(Urgency.NOW, done.set)
    assert done.wait(5)
    gate.set()


def test_what_can_wait_stands_still_while_something_urgent_is_worked_out():
    steps, go_on, stop = [], threading.Event(), threading.Event()

    def long_work():
        with patient():
            go_on.set()
            while not stop.is_set():
                give_way()
                steps.append(time.monotonic())
                time.sleep(0.001)

    worker = threading.Thread(target=long_work)
    worker.start()
    assert go_on.wait(5)
    with urgent():
        time.sleep(0.02)
        before = len(steps)
        give_way()  # nobody else than who can wait does
        time.sleep(0.2)
        assert len(steps) <= before + 1
    assert wait_until(lambda: len(steps) > before + 20, 5)
    stop.set()
    worker.join(5)


def test_what_can_wait_lets_the_window_paint_what_came_of_it():
    soon_painted()
    began = time.monotonic()
    give_way()  # nobody else than who can wait does
    assert time.monotonic() - began < PAINTING_S / 2
    with patient():
        give_way()
    assert time.monotonic() - began > PAINTING_S - 0.05


def test_what_can_wait_is_given_up_where_it_gives_way_once_nobody_wants_it(qtbot):
    steps, came, begun = [], [], threading.Event()

    def long_work():
        while True:
            give_way()
            steps.append(1)
            begun.set()
            time.sleep(0.001)

    background = Background(("look",), urgency=Urgency.LATER)
    background.order("look", long_work, came.append, came.append)
    assert begun.wait(10)
    background.close()
    done = len(steps)
    qtbot.wait(50)
    assert len(steps) == done
    assert came == []


def test_one_at_a_time_of_one_owner_and_nothing_after_its_end(qtbot):
    owner, other = Background(("a", "b")), Background(("c",))
    at_once, most, seen, gate = [], [], [], threading.Event()

    def work():
        at_once.append(1)
        most.append(len(at_once))
        time.sleep(0.05)
        at_once.pop()
        return 1

    for kind in ("a", "b"):
        owner.order(kind, work, seen.append, seen.append)
    assert wait_until(lambda: owner.idle, 10)
    assert most == [1, 1] and seen == [1, 1]
    owner.order("a", lambda: gate.wait(10), seen.append, seen.append)
    other.order("c", lambda: 7, seen.append, seen.append)
    assert wait_until(lambda: 7 in seen, 10)  # another one's is not held up
    owner.order("b", lambda: seen.append("never"), seen.append, seen.append)
    threading.Timer(0.2, gate.set).start()
    owner.close()  # waits for what runs, and begins nothing more
    time.sleep(0.1)
    assert "never" not in seen
    owner.order("a", lambda: seen.append("never"), seen.append, seen.append)
    time.sleep(0.1)
    assert "never" not in seen
    other.close()
