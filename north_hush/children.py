"""The child processes of the window and of the service, `python -m north_hush _NAME`: they start without the command line, whose
commands take longer to import than what a child needs itself."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module

SERVED_BY = {
    "_ask": "north_hush.core.ask.ask_worker",
    "_cameras": "north_hush.core.watch.nursery_worker",
    "_frames": "north_hush.core.footage.frame_nursery",
    "_pass": "north_hush.core.footage.pass_worker",
    "_print": "north_hush.core.footage.print_worker",
}
"""The module that serves each, by the name it is started with."""


def child_of(arguments: list[str]) -> Callable[[], int] | None:
    """What serves the child process that arguments name; None where they are a command."""
    if len(arguments) != 1 or arguments[0] not in SERVED_BY:
        return None
    serve: Callable[[], int] = import_module(SERVED_BY[arguments[0]]).serve
    return serve
