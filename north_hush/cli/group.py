"""The command group, and how errors are told."""

from __future__ import annotations

import json
import logging
import sys
from collections.abc import Iterable
from functools import wraps
from pathlib import Path
from typing import Any, TypeVar

import click

from north_hush import __version__
from north_hush.core.errors import HushError, SiteError
from north_hush.core.progress import PROGRESS

CommandT = TypeVar("CommandT", bound=Any)

all_hours_option = click.option(
    "--all-hours", is_flag=True, help="Leave the hours of the site aside: everything counts."
)
json_option = click.option("--json", "as_json", is_flag=True, help="Print JSON.")


class _Stderr(logging.Handler):
    """What standard error is when something is told."""

    def emit(self, record: logging.LogRecord) -> None:
        click.echo(record.getMessage(), err=True)


def asked_password() -> str:
    """A password that is typed unseen, or comes on standard input."""
    if sys.stdin.isatty():
        return str(click.prompt("Password", hide_input=True, err=True))
    return sys.stdin.readline().rstrip("\n")


def tell_files(paths: Iterable[Path], *, as_json: bool) -> None:
    """Print the paths of files that were written."""
    if as_json:
        click.echo(json.dumps({"files": [str(path) for path in paths]}, indent=1))
        return
    for path in paths:
        click.echo(path)


def points_of(text: str, subject: str, example: str = "x,y;x,y...") -> tuple[tuple[float, float], ...]:
    """Read x,y;x,y... in fractions of the picture.

    Raises
    ------
    SiteError : it is something else.
    """
    try:
        return tuple((float(x), float(y)) for x, y in (point.split(",") for point in text.split(";")))
    except ValueError as error:
        raise SiteError(subject, f"is not {example} in fractions.", "Points run from 0,0 to 1,1.") from error


def told(command: CommandT) -> CommandT:
    """Turn an error on purpose into one line on standard error and exit code 1."""

    @wraps(command)
    def run(*args: Any, **kwargs: Any) -> Any:
        try:
            return command(*args, **kwargs)
        except HushError as error:
            raise click.ClickException(str(error)) from error

    return run  # type: ignore[return-value]


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="north-hush")
def main() -> None:
    """Tune motion detection for fixed cameras against recorded footage."""
    if not PROGRESS.handlers:
        PROGRESS.addHandler(_Stderr())
        PROGRESS.setLevel(logging.INFO)
        PROGRESS.propagate = False
