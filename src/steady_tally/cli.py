"""The command line. `steady-tally run` does the whole chain on files; `serve` starts the application."""

from __future__ import annotations

import gc
import sys
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import wraps
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

import click

from steady_tally.core.errors import SetUpError, SourceError, SteadyTallyError

if TYPE_CHECKING:
    from steady_tally.core.plan.whole import Plan
    from steady_tally.core.sources import Sources

_PATH = click.Path(path_type=Path)
_NOTHING_PLACED = 3
_PAGES: dict[str, Literal["svg", "pdf", "png"]] = {".pdf": "pdf", ".svg": "svg", ".png": "png"}


def _plain_errors(command: Callable[..., None]) -> Callable[..., None]:
    """Print what the user can put right as one sentence and exit with 1, instead of a traceback."""

    @wraps(command)
    def wrapped(*args: Any, **kwargs: Any) -> None:
        try:
            command(*args, **kwargs)
        except SteadyTallyError as error:
            click.echo(f"steady-tally: {error.sentence}", err=True)
            sys.exit(1)

    return wrapped


@click.group()
def main() -> None:
    """Steady Tally: counts placed events in areas, and accounts for every record."""


@main.command()
@click.argument("plan", type=_PATH)
@click.option("--events", required=True, type=_PATH, help="The event records.")
@click.option("--areas", required=True, type=_PATH, help="The zones to count them in.")
@click.option("--table", type=_PATH, help="What to divide by.")
@click.option("--look-up", type=_PATH, help="Where records without coordinates find them.")
@click.option("--source", multiple=True, metavar="NAME=FILE", help="Any other source, by the name that the plan uses.")
@click.option("--measure", help="The measure to work out.  [default: the mapped one]")
@click.option("--out", required=True, type=_PATH, help="The folder to write to.")
@click.option("--figure", type=_PATH, help="The map on a page, too: a file that ends in .pdf, .svg or .png.")
@_plain_errors
def run(
    plan: Path,
    events: Path,
    areas: Path,
    table: Path | None,
    look_up: Path | None,
    source: tuple[str, ...],
    measure: str | None,
    out: Path,
    figure: Path | None,
) -> None:
    """Do the whole chain of PLAN on files, without database or browser."""
    from steady_tally.formats.workbooks import begin

    gc.set_threshold(100_000, 50, 50)  # of many objects few are in circles: looking for these took a tenth of the time
    for file in filter(None, (table, look_up)):
        begin(file)  # in another process, while all else is loaded
    from steady_tally.core.plan.gather import Reading
    from steady_tally.core.plan.show import ReferenceLayer
    from steady_tally.core.plan.whole import parse_plan
    from steady_tally.core.sources import Sources
    from steady_tally.formats.look import has_polygons
    from steady_tally.formats.read import checksum, read_table, read_zones, table_pieces

    try:
        text = plan.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise SourceError(f"it cannot be read ({error}).", where=f"plan “{plan}”", todo="Check the path.") from None
    document = parse_plan(text)
    if figure is not None and figure.suffix.lower() not in _PAGES:
        raise SourceError(
            "it is none of .pdf, .svg and .png.", where=f"figure “{figure}”", todo="Give it one of these."
        )
    name = measure or document.mapped
    if name not in document.measures:
        there = ", ".join(f"“{m}”" for m in document.measures)
        raise SourceError(f"it has no measure “{name}”.", where=f"plan “{plan}”", todo=f"Choose one of these: {there}.")
    counted = document.events_of(name)
    read = list(dict.fromkeys(r for term in document.measures[name].terms.values() for r in term.reads))
    files = {counted.source: events, document.place.source or "areas": areas}
    if table is not None:
        files[next(iter(read), "table")] = table
    if look_up is not None:
        files[counted.look_up.source if counted.look_up else "look-up"] = look_up
    files |= dict(_named(one) for one in source)

    def how(name: str) -> Reading:
        return document.gather.reading.get(name, Reading())

    references = [layer.source for layer in document.show.layers if isinstance(layer, ReferenceLayer)]
    shapes = {*document.shapes, document.place.source or "areas", *references}
    shapes |= {n for n in document.weights if n in files and has_polygons(files[n], n, how(n))}
    # The events come in pieces, unless something else is read from the same file.
    sources_of_others = [e.source for e in document.gather.events.values() if e is not counted]
    also = {*read, *document.lists, *sources_of_others}
    whole = {n: f for n, f in files.items() if n != counted.source or n in also}
    with ThreadPoolExecutor() as pool:
        # The files are read side by side, and what works on them is loaded in the meantime.
        of_rows = {n: pool.submit(read_table, f, n, how(n)) for n, f in whole.items() if n not in shapes}
        of_shapes = {n: pool.submit(read_zones, f, n, how(n)) for n, f in whole.items() if n in shapes}
        sums = {n: pool.submit(checksum, f) for n, f in files.items()}
        pool.submit(import_module, "scipy.special")  # how sure the classes are is asked of it at the end
        from steady_tally.core.fold import fold
        from steady_tally.formats.outcome import OutcomeFiles, record_rows

        def others() -> Sources:
            tables = {n: one.result() for n, one in of_rows.items()}
            return Sources(tables, {n: one.result() for n, one in of_shapes.items()})

        with OutcomeFiles(out) as written:
            outcome = fold(
                document,
                name,
                lambda: table_pieces(files[counted.source], counted.source, how(counted.source)),
                others,
                make=lambda gathered, placed: record_rows(document.place, gathered, placed),
                take=written.add,
            )
            written.finish(outcome, {n: one.result() for n, one in sums.items()})
    if figure is not None:
        tables = {n: one.result() for n, one in of_rows.items()}
        tables.setdefault(counted.source, read_table(files[counted.source], counted.source, how(counted.source)))
        read_in = Sources(tables, {n: one.result() for n, one in of_shapes.items()})
        _drawn_on_page(document, name, read_in, references, figure)
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
        sys.exit(_NOTHING_PLACED)


def _drawn_on_page(plan: Plan, measure: str, sources: Sources, references: list[str], to: Path) -> None:
    """Draw one measure on a page of its own, and write it where it is wanted, or nothing there."""
    from steady_tally.core.chain import Chain
    from steady_tally.core.plan.figure import FigurePlan
    from steady_tally.figures.content import content_of
    from steady_tally.figures.draw import draw, written

    show = plan.show.model_copy(update={"mapped": measure})
    chain = Chain(plan.model_copy(update={"show": show}), sources)
    drawing = draw(content_of(chain, chain.outcome(), sources, references), FigurePlan())
    data = written(drawing, _PAGES[to.suffix.lower()])
    half = to.with_name(f".{to.name}.half")
    try:
        half.write_bytes(data)
        half.replace(to)
    except OSError as error:
        half.unlink(missing_ok=True)
        raise SourceError(
            f"it cannot be written ({error.strerror}).", where=f"figure “{to}”", todo="Choose another place."
        ) from None
    for says in dict.fromkeys(drawing.said):
        click.echo(f"figure: {says}")


def _named(option: str) -> tuple[str, Path]:
    name, _, file = option.partition("=")
    if not name or not file:
        raise SourceError(f"“{option}” is not NAME=FILE.", where="--source", todo="Give a name and a file.")
    return name, Path(file)


@main.command()
@click.option("--out", required=True, type=_PATH, help="The folder to write to.")
@click.option("--events", default=60_000, show_default=True, type=click.IntRange(500), help="How many call-outs.")
@click.option("--seed", default=1, show_default=True, type=int)
@_plain_errors
def demo(out: Path, events: int, seed: int) -> None:
    """Write the files of the made-up demo study."""
    from steady_tally.demo.quillhaven import write_quillhaven

    try:
        write_quillhaven(out, events=events, seed=seed)
    except OSError as error:
        raise SetUpError(
            f"it cannot be written ({error.strerror}).", where=f"folder “{out}”", todo="Choose another."
        ) from None
    click.echo(f"Written to {out}")


@main.command()
@click.option("--data", type=_PATH, required=True, help="The folder that holds everything.")
@click.option("--port", type=click.IntRange(1, 65_535), help="The loopback port.  [default: 8460 or the next free one]")
@click.option("--no-demo", is_flag=True, help="Do not make up the demo study.")
@_plain_errors
def serve(data: Path, port: int | None, no_demo: bool) -> None:
    """Start the application and keep it running until Ctrl-C."""
    from steady_tally.serve.supervisor import serve as run_supervisor

    run_supervisor(data, port, demo=not no_demo)


@main.command(hidden=True)
@_plain_errors
def faces() -> None:
    """Make the typefaces of printed pages, so that the first page does not wait for them."""
    from typing import get_args

    from steady_tally.core.plan.figure import Face
    from steady_tally.figures.faces import families

    for face in get_args(Face):
        families(face)


@main.command(hidden=True)
@click.option("--listener", type=int, required=True)
@click.option("--port", type=int, required=True)
@_plain_errors
def web(listener: int, port: int) -> None:
    """The web server, started by `serve`, on a socket that it inherits."""
    import socket
    from threading import Thread

    import waitress

    from steady_tally.core.warm_up import compile_kernels
    from steady_tally.jobs.queue import make_queue
    from steady_tally.store.database import connect, database_address
    from steady_tally.web.app import create_app

    Thread(target=compile_kernels, daemon=True).start()  # loaded before the first map asks for them
    queue = make_queue()
    with queue.open():
        app = create_app(connect(database_address()), queue, port=port)
        waitress.serve(
            app,
            sockets=[socket.socket(fileno=listener)],
            threads=8,
            ident=None,
            max_request_body_size=64 << 30,  # each route has its own limit
        )


@main.command(hidden=True)
@_plain_errors
def worker() -> None:
    """The worker process, started by `serve`."""
    from steady_tally.jobs.queue import run_worker

    run_worker()


@main.command(hidden=True)
def openapi() -> None:
    """Print the description of the interface, from which the front end's types are made."""
    import json

    from sqlalchemy import create_engine

    from steady_tally.jobs.queue import make_queue
    from steady_tally.web.app import create_app

    nowhere = "postgresql://nowhere"
    app = create_app(create_engine("postgresql+psycopg://"), make_queue(nowhere), port=0)
    click.echo(json.dumps(app.api_doc, indent=1))


@main.command(hidden=True)
def warm_up() -> None:
    """Compile the kernels, so that the first user does not wait for them."""
    from steady_tally.core.warm_up import compile_kernels

    compile_kernels()


if __name__ == "__main__":
    main()
