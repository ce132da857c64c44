"""The log of the window: what went wrong, where somebody who helps can read it."""

from __future__ import annotations

import faulthandler
import logging
import logging.handlers
import sys
from collections.abc import Callable
from pathlib import Path
from types import TracebackType

import platformdirs

from north_hush.core.words import tr

_BYTES_MAX, _KEPT = 1024**2, 2
_log = logging.getLogger("north_hush")
Hook = Callable[[type[BaseException], BaseException, TracebackType | None], object]


def log_path() -> Path:
    """Where the log is kept."""
    return Path(platformdirs.user_state_path("north-hush")) / "window.log"


def start_log(path: Path) -> Path | None:
    """Write warnings and faults of the program to a file, crashes of the interpreter too; None where none can be written."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        handler = logging.handlers.RotatingFileHandler(path, maxBytes=_BYTES_MAX, backupCount=_KEPT, encoding="utf-8")
        handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
        _log.addHandler(handler)
        faulthandler.enable(path.with_suffix(".crash").open("w", encoding="utf-8"))
    except OSError:
        return None
    return path


def tell_faults(tell: Callable[[str], None]) -> Hook:
    """Log what nobody caught, tell it in a sentence and go on; the hook there was is returned."""
    before = sys.excepthook

    def hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            before(kind, error, trace)
            return
        _log.error(tr("not caught"), exc_info=(kind, error, trace))
        tell(f"{kind.__name__}: {error}")

    sys.excepthook = hook
    return before
