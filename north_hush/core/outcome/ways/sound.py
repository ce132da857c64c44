"""A sound, by the first player that is there."""

from __future__ import annotations

import math
import shutil
import struct
import subprocess
import tempfile
import wave
from pathlib import Path

from north_hush.core.outcome.rules import Way
from north_hush.core.outcome.ways.message import TIMEOUT_S, Message, WayError
from north_hush.core.words import tr

_PLAYERS = ("pw-play", "paplay", "aplay")
_RATE = 22_050


def send(way: Way, message: Message, password: str) -> str:
    """Play the file of `address`, or two tones of our own where none is stated.

    Raises
    ------
    WayError : there is no player, no such file, or no device to play on.
    """
    player = next((found for name in _PLAYERS if (found := shutil.which(name))), None)
    if player is None:
        raise WayError(
            tr("way '{name}'", name=way.name),
            tr("found no player ({join}).", join=", ".join(_PLAYERS)),
            tr("Install one: pipewire-bin, pulseaudio-utils, alsa-utils."),
        )
    if way.address and not Path(way.address).is_file():
        raise WayError(
            tr("way '{name}'", name=way.name),
            tr("has no sound at {address}.", address=way.address),
            tr("Check the file."),
        )
    with tempfile.TemporaryDirectory() as folder:
        path = Path(way.address) if way.address else _two_tones(Path(folder) / "tones.wav")
        try:
            done = subprocess.run([player, str(path)], capture_output=True, timeout=TIMEOUT_S, check=False)
        except subprocess.TimeoutExpired:
            return tr("played for {timeout_s:g} s and stopped", timeout_s=TIMEOUT_S)
    if done.returncode:
        said = done.stderr.decode(errors="replace").strip().splitlines()
        raise WayError(
            tr("way '{name}'", name=way.name),
            tr("could not play ({value}).", value=said[-1] if said else tr("no word")),
            tr("Check the sound device."),
        )
    return "played"


def _two_tones(path: Path) -> Path:
    """Half a second of two tones, a fifth apart."""
    steps = range(_RATE // 4)
    samples = [math.sin(2 * math.pi * tone * step / _RATE) for tone in (440, 660) for step in steps]
    with wave.open(str(path), "wb") as out:
        out.setnchannels(1)
        out.setsampwidth(2)
        out.setframerate(_RATE)
        out.writeframes(b"".join(struct.pack("<h", round(12_000 * value)) for value in samples))
    return path
