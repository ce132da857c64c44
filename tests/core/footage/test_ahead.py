"""Items made in a thread of its own."""

import threading
import time

import pytest

from north_hush.core.footage.ahead import ahead


def test_all_come_in_their_order_and_none_is_made_far_ahead():
    made = []

    def source():
        for number in range(50):
            made.append(number)
            yield number

    found = []
    for number in ahead(source(), 3):
        time.sleep(0.001)
        assert len(made) <= number + 1 + 3 + 2  # in the queue, at hand, and in the making
        found.append(number)
    assert found == list(range(50))


def test_what_goes_wrong_is_raised_after_what_went_well():
    def source():
        yield 1
        yield 2
        raise ValueError("broken")

    found = []
    with pytest.raises(ValueError, match="broken"):
        found.extend(ahead(source(), 8))
    items = ahead(source(), 8)
    assert [next(items), next(items)] == [1, 2]
    with pytest.raises(ValueError, match="broken"):
        next(items)


def test_who_leaves_early_closes_the_source_and_its_thread():
    ended, before = [], threading.active_count()

    def source():
        try:
            yield from range(1_000_000)
        finally:
            ended.append(threading.current_thread().name)

    items = ahead(source(), 4)
    assert next(items) == 0
    items.close()
    assert ended == ["ahead"] and threading.active_count() == before


def test_the_next_are_made_while_one_is_worked_on():
    third = threading.Event()

    def source():
        yield 1
        yield 2
        third.set()
        yield 3

    items = ahead(source(), 4)
    assert next(items) == 1
    assert third.wait(10)  # nobody took the second one yet
    assert list(items) == [2, 3]
