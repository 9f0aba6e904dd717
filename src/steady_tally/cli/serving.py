"""The application, its processes, and what is made ready for them."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from steady_tally.cli.group import PATH, main, plain_errors
from steady_tally.core.errors import SetUpError


@main.command()
@click.option("--out", required=True, type=PATH, help="The folder to write to.")
@click.option("--events", default=60_000, show_default=True, type=click.IntRange(500), help="How many call-outs.")
@click.option("--seed", default=1, show_default=True, type=int)
@plain_errors
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
@click.option("--data", type=PATH, required=True, help="The folder that holds everything.")
@click.option("--port", type=click.IntRange(1, 65_535), help="The loopback port.  [default: 8460 or the next free one]")
@click.option("--no-demo", is_flag=True, help="Do not make up the demo study.")
@click.option("--print-key", is_flag=True, help="Print the address of the running one with a fresh key.")
@click.option("--end-sessions", is_flag=True, help="End all sessions: every browser needs a key again.")
@plain_errors
def serve(data: Path, port: int | None, no_demo: bool, print_key: bool, end_sessions: bool) -> None:
    """Start the application and keep it running until Ctrl-C."""
    if end_sessions:
        from steady_tally.serve.folder import check_marked
        from steady_tally.store.keys import end_sessions as end

        check_marked(data)
        click.echo(f"Sessions ended: {end(data):,}. ./start.sh --print-key prints an address with a fresh key.")
        return
    from steady_tally.serve.supervisor import serve as run_supervisor

    run_supervisor(data, port, demo=not no_demo, print_key=print_key)


@main.command(hidden=True)
@plain_errors
def faces() -> None:
    """Make the typefaces of printed pages, so that the first page does not wait for them."""
    from typing import get_args

    from steady_tally.core.plan.figure import Face
    from steady_tally.figures.faces import families

    for face in get_args(Face):
        families(face)


_SWITCH_S = 0.0005
"""How long a thread of the web process works before another's turn, seconds: an answer waits for its turn at each of
its questions to the database, and ten times as long with Python's own choice."""


@main.command(hidden=True)
@click.option("--listener", type=int, required=True)
@click.option("--port", type=int, required=True)
@plain_errors
def web(listener: int, port: int) -> None:
    """The web server, started by `serve`, on a socket that it inherits."""
    import socket
    import tempfile
    from threading import Thread

    from steady_tally.core.warm_up import compile_kernels
    from steady_tally.formats.sandbox.asking import begin
    from steady_tally.jobs.queue import make_queue
    from steady_tally.serve.listening import make_server
    from steady_tally.store.database import connect, data_folder, database_address
    from steady_tally.web.app import create_app
    from steady_tally.web.aside import Helpers
    from steady_tally.web.gather import largest_upload

    Thread(target=compile_kernels, daemon=True).start()  # loaded before the first map asks for them
    sys.setswitchinterval(_SWITCH_S)
    queue = make_queue()
    with queue.open():
        app = create_app(connect(database_address()), queue, port=port)
        incoming = data_folder() / "incoming"
        incoming.mkdir(mode=0o700, exist_ok=True)
        tempfile.tempdir = str(incoming)  # bodies on their way in lie where the others' eyes do not reach
        begin(data_folder())
        Helpers(port).serve(app)
        make_server(app, socket.socket(fileno=listener), port, data_folder(), largest_upload).run()


@main.command(hidden=True)
@click.option("--channel", type=int, required=True)
@click.option("--port", type=int, required=True)
@plain_errors
def helper(channel: int, port: int) -> None:
    """A helper of the web server, started by it."""
    from steady_tally.jobs.queue import make_queue
    from steady_tally.store.database import connect, database_address
    from steady_tally.web.app import create_app
    from steady_tally.web.aside import help_with

    help_with(create_app(connect(database_address()), make_queue(), port=port), channel)


@main.command(hidden=True)
@plain_errors
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
    from steady_tally.web.description import described

    nowhere = "postgresql://nowhere"
    app = create_app(create_engine("postgresql+psycopg://"), make_queue(nowhere), port=0)
    click.echo(json.dumps(described(app.api_doc), indent=1))


@main.command(hidden=True)
def warm_up() -> None:
    """Compile the kernels, so that the first user does not wait for them."""
    from steady_tally.core.warm_up import compile_kernels

    compile_kernels()
