"""Waiting for what another thread or process does."""

import time


def wait_for(true, seconds=40):
    """Whether something holds within some seconds."""
    ends = time.monotonic() + seconds
    while not true() and time.monotonic() < ends:
        time.sleep(0.05)
    return bool(true())
