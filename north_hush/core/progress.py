"""How far long work is, for who waits at a terminal: told through a logger, which the command line shows."""

from __future__ import annotations

import logging

PROGRESS = logging.getLogger("north_hush.progress")
TOLD_EVERY_S = 2.0
