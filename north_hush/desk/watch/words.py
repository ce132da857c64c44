"""What is wrong with a camera, in words."""

from __future__ import annotations

from north_hush.core.words import tr

FAULT_WORDS = {
    "no picture": tr("no picture"), "picture lost": tr("picture lost"), "camera process ended": tr("camera process ended"),
    "frozen": tr("frozen"), "covered": tr("covered"), "moved": tr("moved"), "dark": tr("dark"), "bright": tr("bright"),
    "blurred": tr("blurred"), "recorded stream lost": tr("recorded stream lost"),
    "camera events lost": tr("camera events lost"), "unusually quiet": tr("unusually quiet"),
    "disk full": tr("disk full"), "cannot write": tr("cannot write"), "recording failed": tr("recording failed"),
    "clock jump": tr("clock jump"), "another size": tr("another size"), "cannot send": tr("cannot send"),
}  # fmt: skip
"""By the name it has in the store."""
