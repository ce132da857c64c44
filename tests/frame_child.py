"""A frame worker as a process of its own, as it is once it was forked."""

import sys

_SERVES = (
    "import sys; from north_hush.core.footage.frame_worker import serve; raise SystemExit(serve(int(sys.argv[1])))"
)


def frame_command(memory_fd=-1):
    """What starts one, with the descriptor of the memory that pixels go through."""
    return [sys.executable, "-c", _SERVES, str(memory_fd)]
