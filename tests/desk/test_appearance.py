"""Both themes. In a process of its own: a theme dresses every window there is, and the tests keep theirs to the end."""

import os
import subprocess
import sys

SCRIPT = """
import os, sys
from pathlib import Path
from PySide6.QtGui import QColor
from north_hush.desk.app import application, wait_until
from north_hush.desk.footage.sight import SightDialog
from north_hush.desk.look.roles import DAY_FOG, NIGHT_WATCH
from north_hush.desk.session import Session
from tests.seen_window import SeenWindow

application()
window = SeenWindow(Session(Path(sys.argv[1])), NIGHT_WATCH)
window.show()
assert wait_until(lambda: window.deck.evidence is not None and window.deck.settled, 60)
night = window.grab().toImage().pixelColor(300, 20).lightness()
window.header.theme_wanted.emit()
assert window.theme is DAY_FOG
window.resize(1100, 700)
day = window.grab().toImage().pixelColor(300, 20).lightness()
opened = []
SightDialog.exec = lambda self: opened.append(self)
window.footage.sight.click()  # dressed as the window is by then
assert opened[0].plot.curve._line.name() == QColor(DAY_FOG.level).name() != QColor(NIGHT_WATCH.level).name()
opened[0].done(0)
window.header.theme_wanted.emit()
assert window.theme is NIGHT_WATCH
print(night, day, window.grab().toImage().pixelColor(300, 20).lightness(), flush=True)
os._exit(0)
"""


def test_both_themes_and_a_small_window(site_path):
    done = subprocess.run(
        [sys.executable, "-c", SCRIPT, str(site_path)], capture_output=True, text=True, check=False, env={**os.environ}
    )
    assert done.returncode == 0, done.stderr
    night, day, again = map(int, done.stdout.split())
    assert night == again < 60
    assert day > 200
