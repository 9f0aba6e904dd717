"""The command line. `steady-tally run` does the whole chain on files; `serve` starts the application."""

from steady_tally.cli import draft, figure, plan, run, serving
from steady_tally.cli.group import main

__all__ = ["draft", "figure", "main", "plan", "run", "serving"]
