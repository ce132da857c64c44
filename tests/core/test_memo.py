"""What is remembered is bounded, counted in full, and shared."""

import threading
from dataclasses import replace

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from north_hush.core.memo import Memo, bytes_of
from tests.core.follow.test_owned import line, walk
from tests.evidence_maker import whole_channel


@given(st.lists(st.tuples(st.integers(0, 9), st.integers(0, 4000)), max_size=40))
def test_it_never_holds_more_than_its_limit_and_counts_all_it_holds(acts):
    memo = Memo(6000)
    for key, size in acts:
        memo.put(key, np.zeros(size, np.uint8))
        assert memo.held_bytes <= 6000
        held = [memo.get(k) for k in range(10) if k in memo]
        assert memo.held_bytes == sum(bytes_of(value) for value in held)


def test_what_was_used_longest_ago_goes_first_and_what_is_too_large_is_handed_out():
    memo = Memo(3000)
    for key in "ab":
        memo.put(key, np.zeros(1000, np.uint8))
    assert memo.get("a") is not None
    memo.put("c", np.zeros(1000, np.uint8))
    assert ("a" in memo, "b" in memo) == (True, False)
    large = memo.made("large", lambda: np.zeros(9000, np.uint8))
    assert len(large) == 9000
    assert "large" not in memo


def test_containers_count_what_is_in_them():
    arrays = [np.zeros(500, np.uint8), np.zeros(700, np.uint8)]
    assert bytes_of(arrays) >= 1200
    assert bytes_of((arrays[0],)) >= 500


def test_threads_share_it():
    memo, failures = Memo(20_000), []

    def work(seed):
        draw = np.random.default_rng(seed)
        for _ in range(300):
            key = int(draw.integers(0, 30))
            if memo.made(key, lambda key=key: np.full(500, key, np.uint8))[0] != key:
                failures.append(key)

    threads = [threading.Thread(target=work, args=(seed,)) for seed in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert failures == []
    assert memo.held_bytes <= 20_000


def test_three_channels_used_in_turns_are_inflated_once_each():
    evidence, read = walk(line(5, 6), frames=40), []

    def load(name, block):
        read.append(name)
        return whole_channel(evidence, "step")

    watched = replace(evidence, key="in turns", load=load)
    for _ in range(5):
        for name in ("step", "background", "step_500ms"):
            whole_channel(watched, name)
    assert read == ["step", "background", "step_500ms"]
