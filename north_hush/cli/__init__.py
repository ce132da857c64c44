"""The command line: the same core as the window, for scripts."""

from north_hush.cli import (
    asking,
    cards,
    dating,
    fleet,
    handing,
    hours,
    judging,
    keeping,
    making,
    outcome,
    packing,
    reading,
    sensing,
    sensors,
    standins,
    watching,
    workers,
)
from north_hush.cli.group import main

__all__ = [
    "asking",
    "cards",
    "dating",
    "fleet",
    "handing",
    "hours",
    "judging",
    "keeping",
    "main",
    "making",
    "outcome",
    "packing",
    "reading",
    "sensing",
    "sensors",
    "standins",
    "watching",
    "workers",
]
