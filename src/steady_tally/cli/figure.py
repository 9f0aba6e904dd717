"""`steady-tally figure`: a page, or a series of them, drawn from files."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

import click

from steady_tally.cli.group import PATH, main, plain_errors
from steady_tally.cli.inputs import Inputs, given, inputs_of, reads_files, text_in
from steady_tally.core.errors import SourceError

if TYPE_CHECKING:
    from steady_tally.core.plan.figure import FigurePlan
    from steady_tally.core.plan.whole import Plan
    from steady_tally.core.sources import Sources
    from steady_tally.figures.series import Page

_PAGES: dict[str, Literal["svg", "pdf", "png"]] = {".pdf": "pdf", ".svg": "svg", ".png": "png"}


@main.command()
@click.argument("plan", type=PATH)
@reads_files
@click.option("--page", type=PATH, help="How it is set: a figure as docs/figures.md has it.")
@click.option("--to", required=True, type=PATH, help="A file that ends in .pdf, .svg or .png; a series also in .zip.")
@click.option(
    "--pages-as",
    type=click.Choice(["svg", "pdf", "png"]),
    default="pdf",
    show_default=True,
    help="The format of a series' pages in a .zip.",
)
@click.option("--dpi", type=click.FloatRange(30, 1_200), default=300.0, show_default=True, help="Dots an inch.")
@plain_errors
def figure(plan: Path, page: Path | None, to: Path, pages_as: Literal["svg", "pdf", "png"], dpi: float,
           **options: Any) -> None:  # fmt: skip
    """Draw the map of PLAN on a page, or on many, from files."""
    from steady_tally.core.plan.figure import FigurePlan
    from steady_tally.core.sources import Sources
    from steady_tally.formats.sandbox.asking import read_table, read_zones

    inputs = inputs_of(plan, **given(options))
    look = page_in(page) if page is not None else FigurePlan()
    check_ending(to, series=look.series is not None)
    how = inputs.reading
    tables = {n: read_table(f, n, how(n)) for n, f in inputs.files.items() if n not in inputs.shapes}
    shapes = {n: read_zones(f, n, how(n)) for n, f in inputs.files.items() if n in inputs.shapes}
    draw_to(to, inputs, Sources(tables, shapes), look, pages_as=pages_as, dpi=dpi)
    click.echo(f"Written to {to}")


def page_in(path: Path) -> FigurePlan:
    """A figure in a file; SourceError where it is none."""
    from pydantic import ValidationError

    from steady_tally.core.plan.figure import FigurePlan
    from steady_tally.core.plan.mistakes import mistake

    where = f"page “{path}”"
    try:
        return FigurePlan.model_validate(json.loads(text_in(path, "page")))
    except json.JSONDecodeError as error:
        raise SourceError(
            f"this is not JSON (line {error.lineno}).", where=where, todo="Mend the text there."
        ) from None
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        entry = ".".join(str(step) for step in first["loc"]) or "the whole"
        raise SourceError(
            f"{entry}: {mistake(first)}.", where=where, todo="See docs/figures.md for what a page may say."
        ) from None


def check_ending(to: Path, *, series: bool = False) -> None:
    endings = [".pdf", ".zip"] if series else list(_PAGES)
    if to.suffix.lower() not in endings:
        raise SourceError(
            f"it ends in none of {', '.join(endings)}.", where=f"figure “{to}”", todo="Give it one of these endings."
        )


def draw_to(
    to: Path,
    inputs: Inputs,
    sources: Sources,
    look: FigurePlan | None,
    *,
    pages_as: Literal["svg", "pdf", "png"] = "pdf",
    dpi: float = 300.0,
) -> None:
    """Draw one measure, and write it where it is wanted, or nothing there."""
    from steady_tally.core.chain import Chain
    from steady_tally.core.plan.figure import FigurePlan
    from steady_tally.core.report.series import hiding, plan_with, sheets_of
    from steady_tally.figures.content import content_of, part_of
    from steady_tally.figures.draw import check_size, draw, written
    from steady_tally.figures.series import Page, write_pages
    from steady_tally.files import whole
    from steady_tally.formats.handed import plain_faults

    look = look or FigurePlan()
    chain = Chain(plan_with(inputs.plan, mapped=inputs.measure), sources)

    def again(plan: Plan) -> Chain:
        return Chain(plan, sources)

    with plain_faults(str(to)):
        if look.series is not None:
            check_ending(to, series=True)
            found = sheets_of(look.series, chain, again)

            def pages() -> Iterator[Page]:
                for sheet in found.pages:
                    of = hiding(again(sheet.plan), sheet)
                    content = content_of(of, sources, inputs.references)
                    yield Page(sheet.name, content if sheet.areas is None else part_of(content, sheet.areas))

            together = to.suffix.lower() == ".pdf"
            kind = "pdf" if together else pages_as
            check_size(look, kind, dpi)
            said = [*found.said, *write_pages(to, look, pages(), kind, dpi=dpi, together=together)]
        else:
            kind = _PAGES[to.suffix.lower()]
            check_size(look, kind, dpi)
            drawing = draw(content_of(chain, sources, inputs.references), look)
            with whole(to) as half:
                half.write_bytes(written(drawing, kind, dpi=dpi))
            said = drawing.said
    for says in dict.fromkeys(said):
        click.echo(f"figure: {says}", err=True)
