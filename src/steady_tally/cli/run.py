"""`steady-tally run`: the whole chain on files, without database or browser."""

from __future__ import annotations

import gc
import json
import sys
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from functools import cache
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from steady_tally.cli.draft import said, told
from steady_tally.cli.figure import check_ending, draw_to, page_in
from steady_tally.cli.group import NOTHING_PLACED, PATH, WARNED, main, plain_errors
from steady_tally.cli.inputs import Inputs, given, inputs_of, inputs_of_files, is_plan, reads_files

if TYPE_CHECKING:
    from steady_tally.core.released import Released
    from steady_tally.core.sources import Sources
    from steady_tally.formats.handed import Kind

_STEPS = 100


@main.command()
@click.argument("files", metavar="PLAN | FILE...", type=PATH, nargs=-1, required=True)
@reads_files
@click.option("--crs", multiple=True, metavar="FILE=CODE", help="Without a plan: the system of a file that names none.")
@click.option("--out", required=True, type=PATH, help="The folder to write to.")
@click.option(
    "--format",
    "formats",
    multiple=True,
    type=click.Choice(["gpkg", "shp", "fgb", "xlsx", "parquet"]),
    help="The areas with all their figures in this format, too.",
)
@click.option("--figure", type=PATH, help="The map on a page, too: a file that ends in .pdf, .svg or .png.")
@click.option("--page", type=PATH, help="How that page is set: a figure as docs/figures.md has it.")
@click.option("--json", "as_json", is_flag=True, help="Say what became of it as JSON.")
@click.option("--strict", is_flag=True, help="End with 4 where a figure needs a decision.")
@plain_errors
def run(files: tuple[Path, ...], crs: tuple[str, ...], out: Path, formats: tuple[Kind, ...], figure: Path | None,
        page: Path | None, as_json: bool, strict: bool, **options: Any) -> None:  # fmt: skip
    """Do the whole chain of PLAN on files, without database or browser.

    Of FILEs alone a first plan is drafted, said, and written beside the results."""
    gc.set_threshold(100_000, 50, 50)  # of many objects few are in circles: looking for these took a tenth of the time
    named = any(value for name, value in given(options).items() if name != "measure")
    first = None
    if named or (len(files) == 1 and files[0].suffix.lower() == ".json" and is_plan(files[0])):
        if len(files) != 1:
            raise click.UsageError("of a plan and its files, name the files by options; or give no plan.")
        inputs = inputs_of(files[0], **given(options))
    else:
        inputs, first = inputs_of_files(files, crs)
    if figure is not None:
        check_ending(figure)
    look = page_in(page) if page is not None else None
    outcome = _written(inputs, out, formats, figure, look)
    if first is not None:
        plan = json.dumps(first.plan.as_document(), ensure_ascii=False, indent=2)
        (out / "plan.json").write_text(plan + "\n", encoding="utf-8")
    if as_json:
        drafted = {} if first is None else {"drafted": told(first)}
        click.echo(json.dumps({**_report(outcome, out, figure), **drafted}, ensure_ascii=False, indent=2))
    else:
        for line in said(first) if first is not None else ():
            click.echo(line)
        for stage in outcome.ledger.stages:
            click.echo(
                f"{stage.stage}: {stage.records_in:,} in, {stage.records_out:,} on, {stage.total_set_aside:,} set aside"
            )
        for note in outcome.notes:
            click.echo(f"{'warning' if note.warns else 'note'}: {note.says}")
        click.echo(f"Written to {out}")
    if outcome.account.placed.records_out == 0:
        # A script that makes the map anew each month must not take an empty one for a month without events.
        rows = outcome.account.rows + outcome.account.ragged
        what = "not one event is placed in an area" if rows else "the file of events has no rows"
        click.echo(f"steady-tally: {what}; the files written are of an empty map.", err=True)
        sys.exit(NOTHING_PLACED)
    if strict and any(note.warns for note in outcome.notes):
        sys.exit(WARNED)


def _written(inputs: Inputs, out: Path, formats: tuple[Kind, ...], figure: Path | None, look: Any) -> Released:
    from steady_tally.core.plan.gather import Reading
    from steady_tally.core.sources import Sources
    from steady_tally.formats.read import checksum
    from steady_tally.formats.sandbox.asking import read_table, read_zones, table_pieces

    files, counted, how = inputs.files, inputs.counted, inputs.reading
    reading: Reading = how(counted.source)
    with ThreadPoolExecutor() as pool, _progress() as tell:
        # The files are read side by side, and what works on them is loaded in the meantime.
        whole, shapes = inputs.whole, inputs.shapes
        of_rows = {n: pool.submit(read_table, f, n, how(n)) for n, f in whole.items() if n not in shapes}
        of_shapes = {n: pool.submit(read_zones, f, n, how(n)) for n, f in whole.items() if n in shapes}
        sums = {n: pool.submit(checksum, f) for n, f in files.items()}
        pool.submit(import_module, "scipy.special")  # how sure the classes are is asked of it at the end
        from steady_tally.core.chain import Chain
        from steady_tally.core.disclosure.family import let_out_areas
        from steady_tally.core.fold import fold
        from steady_tally.formats.outcome import OutcomeFiles, RecordRows, record_rows

        def others() -> Sources:
            tables = {n: one.result() for n, one in of_rows.items()}
            return Sources(tables, {n: one.result() for n, one in of_shapes.items()})

        @cache
        def everything() -> Sources:
            """The events, too, in one."""
            found = others()
            if not counted.source:
                return found
            events = read_table(files[counted.source], counted.source, reading)
            return Sources({counted.source: events, **found.tables}, found.features)

        with OutcomeFiles(out) as written:

            def take(rows: RecordRows) -> None:
                written.add(rows)
                tell("writing", 0.0)

            rule = inputs.plan.release
            outcome: Released
            if rule is not None or not counted.source or any(m.by_groups for m in inputs.plan.measures.values()):
                whole_outcome = outcome = Chain(inputs.plan, everything()).outcome(inputs.measure)
                let_out_areas(rule, whole_outcome.hidden)
                if rule is None or rule.event_points:
                    take(record_rows(inputs.plan.place, whole_outcome.gathered, whole_outcome.placed))
            else:
                outcome = fold(
                    inputs.plan,
                    inputs.measure,
                    lambda: table_pieces(
                        files[counted.source], counted.source, reading, on_rows=lambda _, share: tell("reading", share)
                    ),
                    others,
                    make=lambda gathered, placed: record_rows(inputs.plan.place, gathered, placed),
                    take=take,
                )
            more = _in_formats(inputs, everything, formats) if formats else None
            written.finish(outcome, {n: one.result() for n, one in sums.items()}, more)
    if figure is not None:
        draw_to(figure, inputs, everything(), look)
    return outcome


def _in_formats(inputs: Inputs, sources: Callable[[], Sources], formats: tuple[Kind, ...]) -> Callable[[Path], None]:
    """What writes the areas in further formats into a folder, with their dictionary and their style."""
    from steady_tally.core.chain import Chain
    from steady_tally.core.geo.projection import DEGREES, coordinate_system
    from steady_tally.core.report.handed import areas_to_hand_on
    from steady_tally.core.report.series import plan_with
    from steady_tally.core.report.style import style_files
    from steady_tally.formats.handed import Piece, short_names, write_files

    chain = Chain(plan_with(inputs.plan, mapped=inputs.measure), sources())
    outcome = chain.outcome()
    handed = areas_to_hand_on(chain, outcome)

    def write(folder: Path) -> None:
        wanted = coordinate_system(DEGREES, wanted_by="--format")
        short = short_names(handed.table.column_names) if "shp" in formats else None
        also = style_files(outcome, "areas", short)
        write_files(folder, [Piece(handed, "areas", formats)], wanted, also=also)

    return write


def _report(outcome: Released, out: Path, figure: Path | None) -> dict[str, Any]:
    from steady_tally.core.report.tables import account_document

    files = sorted(p.name for p in out.iterdir() if p.is_file() and not p.name.startswith("."))
    return {
        "out": str(out),
        "files": files,
        "figure": None if figure is None else str(figure),
        **account_document(outcome),
    }


@contextmanager
def _progress() -> Iterator[Callable[[str, float], None]]:
    """A bar at the foot of a terminal: how much of the events has been read. None where nobody looks."""
    if not sys.stderr.isatty():
        yield lambda _step, _share: None
        return
    with click.progressbar(length=_STEPS, label="reading", file=sys.stderr) as bar:

        def tell(step: str, share: float) -> None:
            bar.label = step
            done = _STEPS if step == "writing" else int(share * _STEPS)
            if done > bar.pos:
                bar.update(done - bar.pos)

        yield tell
