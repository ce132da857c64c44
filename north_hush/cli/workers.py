"""Hidden commands: the child processes of the window."""

from __future__ import annotations

import sys

from north_hush.cli.group import main


@main.command("_pass", hidden=True)
def pass_command() -> None:
    from north_hush.core.footage.pass_worker import serve

    sys.exit(serve())


@main.command("_print", hidden=True)
def print_command() -> None:
    from north_hush.core.footage.print_worker import serve

    sys.exit(serve())


@main.command("_frames", hidden=True)
def frames_command() -> None:
    from north_hush.core.footage.frame_worker import serve

    sys.exit(serve())


@main.command("_watch", hidden=True)
def watch_command() -> None:
    from north_hush.core.watch.camera_worker import serve

    sys.exit(serve())


@main.command("_ask", hidden=True)
def ask_command() -> None:
    from north_hush.core.ask.ask_worker import serve

    sys.exit(serve())
