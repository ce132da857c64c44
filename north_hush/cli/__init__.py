"""The command line: the same core as the window, for scripts."""

from north_hush.cli import judging, making, reading, workers
from north_hush.cli.group import main

__all__ = ["judging", "main", "making", "reading", "workers"]
