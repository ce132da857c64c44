"""A few gestures again in a real X window, where drag, focus and grabs are the server's."""

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

GESTURES = "from_a_recording_to_a_quieter or corners_items_and_masks or dials_turn_by_key or dropped_files"


@pytest.mark.skipif(
    shutil.which("Xvfb") is None and os.geteuid() != 0, reason="Xvfb is missing, and only root can install it"
)
def test_gestures_in_a_real_window(tmp_path):
    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", "1400x900x24", "-nolisten", "tcp"],
        pass_fds=[write],
        stderr=subprocess.DEVNULL,
    )
    try:
        os.close(write)
        display = os.read(read, 16).decode().strip()
        done = subprocess.run(
            [
                sys.executable,
                "-m",
                "pytest",
                "-q",
                "-p",
                "no:cacheprovider",
                "tests/desk/test_window.py",
                "-k",
                GESTURES,
            ],
            env={**os.environ, "DISPLAY": f":{display}", "QT_QPA_PLATFORM": "xcb"},
            cwd=Path(__file__).parents[2],
            capture_output=True,
            text=True,
            timeout=240,
            check=False,
        )
        assert done.returncode == 0, done.stdout[-3000:] + done.stderr[-1000:]
        assert "4 passed" in done.stdout
    finally:
        server.terminate()
        server.wait()
        os.close(read)
