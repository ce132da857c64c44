"""The window with the demo, all five recordings analysed."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from north_hush.core.site.model import Site
from north_hush.demo.site import lay_out_demo

if TYPE_CHECKING:
    from tests.seen_window import SeenWindow


os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


@contextmanager
def demo_window(change: Callable[[Site], Site] = lambda site: site) -> Iterator[SeenWindow]:
    """The window with the demo's site, changed; all is worked out."""
    from north_hush.desk.app import application, wait_until
    from north_hush.desk.session import Session
    from tests.seen_window import SeenWindow

    application()
    session = Session(lay_out_demo(Path(tempfile.mkdtemp()), fresh=True))
    session.do("Demo", change)
    window = SeenWindow(session)
    window.show()
    wait_until(lambda: window.deck.evidence is not None and window.deck.evidence.whole and window.deck.settled, 120)
    wait_until(lambda: window.analysis.settled and window.scores.settled, 300)
    yield window
    window.close()
