"""What a reader does with its file: as it is read elsewhere, in a process that can do nothing else."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Any

from steady_tally.core.errors import SourceError, SteadyTallyError
from steady_tally.core.plan.gather import Reading
from steady_tally.formats import workbooks
from steady_tally.formats.apart.confine import confine
from steady_tally.formats.apart.frames import END, FAULT, ROWS, Sender
from steady_tally.formats.look import look
from steady_tally.formats.read import open_table, read_zones


def answer(request: dict[str, Any], out: int) -> None:
    """Read, and write what comes of it; whatever happens, the process ends."""
    with os.fdopen(out, "wb", buffering=1 << 20) as to:
        sender = Sender(to)
        path, where = Path(request["path"]), f"file “{request['shown']}”"
        try:
            confine()
            workbooks.read_here()
            _read(request, path, sender)
            sender.send(END)
        except MemoryError:
            told = {"what": "it needs more memory than reading a file may take.", "where": where}
            sender.json({**told, "todo": "Divide it, or save it in another format."}, FAULT)
        except SteadyTallyError as error:
            sender.json({"what": error.what, "where": error.where, "todo": error.todo}, FAULT)
        except BrokenPipeError:
            os._exit(0)  # nobody listens any more
        except BaseException as error:  # a reader that panics raises outside Exception
            told = {"what": f"it cannot be read ({type(error).__name__}).", "where": where}
            sender.json({**told, "todo": "Check that it is what its name says."}, FAULT)
    sys.stdout.flush()


def _read(request: dict[str, Any], path: Path, sender: Sender) -> None:
    name, reading = str(request["name"]), Reading.model_validate(request["reading"])
    match request["what"]:
        case "table":
            stream = open_table(
                path, name, reading, on_rows=lambda rows, share: sender.json([int(rows), float(share)], ROWS)
            )
            sender.json({"crs": stream.crs, "said": list(stream.said)})
            sender.arrow(stream.schema.remove_metadata().empty_table())
            for piece in stream.pieces:
                sender.piece(piece)
        case "zones":
            sender.features(read_zones(path, name, reading))
        case "look":
            sender.look(look(path, name, reading))
        case unknown:
            raise SourceError(f"there is no way of reading “{unknown}”.", where=path.name, todo="Report this.")
