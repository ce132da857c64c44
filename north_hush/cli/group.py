"""The command group, and how errors are told."""

from __future__ import annotations

from functools import wraps
from typing import Any, TypeVar

import click

from north_hush import __version__
from north_hush.core.errors import HushError

CommandT = TypeVar("CommandT", bound=Any)


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
