"""The process that reads one foreign file: `python -m steady_tally.formats.sandbox.reader [warm]`, in its enclosure.

On its standard input comes what it is confined by, a line of JSON and the filter's bytes, then the request, a line of
JSON; on its standard output goes the answer. `warm` says that the request may come later, so that what it will need is
loaded before.
"""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import sys
from pathlib import Path
from typing import IO, Any

from steady_tally.core.errors import SourceError, SteadyTallyError
from steady_tally.formats.sandbox.confine import bound, restrict_calls, restrict_files
from steady_tally.formats.sandbox.enclosure import KERNELS


def main(coming: IO[bytes], going: IO[bytes], *, warm: bool) -> None:
    """Be confined, read what is asked for, and answer."""
    program = take_rules(coming)
    _take_kernels()
    if warm:
        _warm()
    line = coming.readline()
    if line:
        answer(json.loads(line), program, going)


def take_rules(coming: IO[bytes]) -> bytes:
    """Bound the files by what comes, and return the filter of system calls, which comes into force later."""
    rules = json.loads(coming.readline())
    program = coming.read(int(rules["filter"]))
    if rules["readable"]:
        restrict_files(rules["readable"], rules["writable"])
    return program


def _take_kernels() -> None:
    own = Path(os.environ["TMPDIR"]) / "kernels"
    there = os.environ.get(KERNELS)
    if there and Path(there).is_dir():
        with contextlib.suppress(shutil.Error):  # what may not be read is compiled anew
            shutil.copytree(there, own, dirs_exist_ok=True)
    os.environ["NUMBA_CACHE_DIR"] = str(own)
    own.mkdir(exist_ok=True)


def _warm() -> None:
    """Load what a look needs, by looking."""
    from steady_tally.core.plan.gather import Reading
    from steady_tally.formats import vectors  # noqa: F401  which a look at a text does not load
    from steady_tally.formats.look import look

    file = Path(os.environ["TMPDIR"]) / "warm.csv"
    file.write_text("id,x,y,when\n1,2.5,3.5,2024-01-01\n2,3.5,4.5,2024-01-02\n")
    look(file, "warm", Reading())
    file.unlink()


def answer(request: dict[str, Any], program: bytes, to: IO[bytes]) -> None:
    """Read, and write what comes of it; whatever happens, the process ends."""
    from steady_tally.formats.sandbox.frames import END, FAULT, Sender

    sender = Sender(to)
    path, where = Path(request["path"]), f"file “{request['shown']}”"
    try:
        bound()
        restrict_calls(program)
        _read(request, path, sender)
        sender.send(END)
    except MemoryError:
        told = {"what": "it needs more memory than reading a file may take.", "where": where}
        sender.json({**told, "todo": "Divide it, or save it in another format."}, FAULT)
    except SteadyTallyError as error:
        sender.json({"what": error.what, "where": error.where, "todo": error.todo}, FAULT)
    except BrokenPipeError:
        os._exit(0)  # nobody listens any more
    except BaseException:  # a reader that panics raises outside Exception
        told = {"what": "it cannot be read: it is damaged, or not what its name says.", "where": where}
        sender.json({**told, "todo": "Open it in the program that it comes from, and save it anew."}, FAULT)


def _read(request: dict[str, Any], path: Path, sender: Any) -> None:
    from steady_tally.core.plan.gather import Reading
    from steady_tally.formats.sandbox.frames import ROWS

    name, reading = str(request["name"]), Reading.model_validate(request["reading"])
    match request["what"]:
        case "table":
            from steady_tally.formats.read import open_table

            stream = open_table(
                path, name, reading, on_rows=lambda rows, share: sender.json([int(rows), float(share)], ROWS)
            )
            sender.json({"crs": stream.crs, "said": list(stream.said)})
            sender.arrow(stream.schema.remove_metadata().empty_table())
            for piece in stream.pieces:
                sender.piece(piece)
        case "zones":
            from steady_tally.formats.read import read_zones

            sender.features(read_zones(path, name, reading))
        case "look":
            from steady_tally.formats.look import look

            sender.look(look(path, name, reading, most=request["most"]))
        case unknown:
            raise SourceError(f"there is no way of reading “{unknown}”.", where=path.name, todo="Report this.")


if __name__ == "__main__":
    main(sys.stdin.buffer, sys.stdout.buffer, warm=sys.argv[1:] == ["warm"])
    sys.stdout.buffer.flush()
    os._exit(0)  # nothing is left to be tidied that does not go with the sandbox
