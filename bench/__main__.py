"""Print the table."""

import sys

import click

from bench import (
    browser,
    classing,
    drafting,
    files,
    gathering,
    holding,
    importing,
    measuring,
    placing,
    releasing,
    serving,
    showing,
    sureness,
)

PARTS = {
    "placing": placing.rows,
    "classing": classing.rows,
    "gathering": gathering.rows,
    "measuring": measuring.rows,
    "sureness": sureness.rows,
    "releasing": releasing.rows,
    "files": files.rows,
    "importing": importing.rows,
    "drafting": drafting.rows,
    "showing": showing.rows,
    "browser": browser.rows,
    "serving": serving.rows,
    "holding": holding.rows,
}


@click.command()
@click.argument("part", required=False, type=click.Choice(list(PARTS)))
def main(part: str | None) -> None:
    """Measure PART, or everything."""
    for name, rows in PARTS.items():
        if part in (None, name):
            for row in rows():
                click.echo(f"{row.ratio:8.1f} {row.unit:14} {row.name} ({row.detail})")
                sys.stdout.flush()


if __name__ == "__main__":
    main()
