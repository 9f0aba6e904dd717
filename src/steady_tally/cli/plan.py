"""`steady-tally plan check`: is a plan one, and what does it need?"""

from __future__ import annotations

import json
from pathlib import Path

import click

from steady_tally.cli.group import PATH, main, plain_errors
from steady_tally.cli.inputs import plan_in


@main.group()
def plan() -> None:
    """Plans themselves."""


@plan.command()
@click.argument("path", metavar="PLAN", type=PATH)
@click.option("--json", "as_json", is_flag=True, help="Say it as JSON.")
@plain_errors
def check(path: Path, as_json: bool) -> None:
    """Say whether PLAN can be read, what it maps, and which sources and columns it needs."""
    from steady_tally.core.draft.needed import needed_columns
    from steady_tally.core.needs import needed_sources

    found = plan_in(path)
    needs = {
        name: {"role": role, "columns": needed_columns(found, name)} for name, role in needed_sources(found).items()
    }
    if as_json:
        said = {"measures": list(found.measures), "mapped": found.mapped, "needs": needs}
        click.echo(json.dumps(said, ensure_ascii=False, indent=2))
        return
    click.echo(f"{path} is a plan of {len(found.measures)} measures; “{found.mapped}” is mapped.")
    for name, what in needs.items():
        columns = ", ".join(f"“{c}”" for c in what["columns"])
        click.echo(f"needs “{name}” ({what['role']}){f' with {columns}' if columns else ''}")
