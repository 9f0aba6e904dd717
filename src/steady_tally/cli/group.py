"""The group of commands, how they say what is wrong, and the codes that they end with."""

from __future__ import annotations

import sys
from collections.abc import Callable
from functools import wraps
from pathlib import Path
from typing import Any

import click

from steady_tally.core.errors import SteadyTallyError

PATH = click.Path(path_type=Path)
WRONG = 1  # click itself ends with 2 where a command cannot be understood
NOTHING_PLACED = 3
WARNED = 4
COMPLETE = "_STEADY_TALLY_COMPLETE"


def plain_errors(command: Callable[..., None]) -> Callable[..., None]:
    """Print what the user can put right as one sentence and exit with 1, instead of a traceback."""

    @wraps(command)
    def wrapped(*args: Any, **kwargs: Any) -> None:
        try:
            command(*args, **kwargs)
        except SteadyTallyError as error:
            click.echo(f"steady-tally: {error.sentence}", err=True)
            sys.exit(WRONG)

    return wrapped


@click.group()
def main() -> None:
    """Steady Tally: counts placed events in areas, and accounts for every record.

    Ends with 0 where all is done, with 1 where something must be put right, which it says, with 2 where the command
    cannot be understood, with 3 where not one event was placed, and with --strict with 4 where a figure needs a
    decision.
    """


@main.command()
@click.argument("shell", type=click.Choice(["bash", "zsh", "fish"]))
def completion(shell: str) -> None:
    """Print what makes SHELL complete commands and options; to be read by it when it starts."""
    from click.shell_completion import get_completion_class

    kind = get_completion_class(shell)
    assert kind is not None
    click.echo(kind(main, {}, "steady-tally", COMPLETE).source())
