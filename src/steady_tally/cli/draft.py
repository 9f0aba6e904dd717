"""`steady-tally draft`: the plan of a first map of any files, what was decided in it, and why."""

from __future__ import annotations

import json
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from steady_tally.cli.group import PATH, main, plain_errors
from steady_tally.core.errors import SourceError

if TYPE_CHECKING:
    from steady_tally.core.draft.first import First
    from steady_tally.core.draft.taking import Taken
    from steady_tally.core.plan.whole import Plan
    from steady_tally.core.sources import Features, Sources, Table
    from steady_tally.formats.look import Look

_SHAPES = ("zones", "reference")


@dataclass(frozen=True)
class Drafted:
    """
    Attributes
    ----------
    files : the file of each source, by the name that it has in the plan.
    taken : what each was taken for.
    first : the plan, with how each file is read, and the likeliest others.
    """

    files: dict[str, Path]
    taken: dict[str, Taken]
    first: First
    sources: Sources

    @property
    def plan(self) -> Plan:
        return self.first.plan

    @property
    def shapes(self) -> set[str]:
        return {name for name, one in self.taken.items() if one.role in _SHAPES}


@main.command()
@click.argument("files", metavar="FILE...", type=PATH, nargs=-1, required=True)
@click.option("--out", type=PATH, help="The file to write the plan to.")
@click.option("--crs", multiple=True, metavar="FILE=CODE", help="The coordinate system of a file that names none.")
@click.option("--json", "as_json", is_flag=True, help="Say all of it as JSON, the plans of the others too.")
@plain_errors
def draft(files: tuple[Path, ...], out: Path | None, crs: tuple[str, ...], as_json: bool) -> None:
    """Look at all FILEs together and plan their first map: say what was decided, why, and what else it could be."""
    found = drafted(files, systems(crs))
    if out is not None:
        from steady_tally.files import whole

        with whole(out) as half:
            half.write_text(json.dumps(found.plan.as_document(), ensure_ascii=False, indent=2) + "\n", encoding="utf-8")
    if as_json:
        click.echo(json.dumps(told(found), ensure_ascii=False, indent=2))
        return
    for line in said(found):
        click.echo(line)
    if out is not None:
        click.echo(f"Written to {out}")


def systems(options: Sequence[str]) -> dict[str, str]:
    """The coordinate systems that are given for files, by the file's name."""
    found = {}
    for option in options:
        name, _, code = option.rpartition("=")
        if not name or not code:
            raise SourceError(f"“{option}” is not FILE=CODE.", where="--crs", todo="Give a file and a system's code.")
        found[Path(name).name] = code
    return found


def said(found: Drafted) -> list[str]:
    """What each file was taken for, what was decided, and the likeliest others, a line each."""
    lines = []
    for name, one in found.taken.items():
        lines.append(f"{found.files[name].name}: {one.role}, {one.says}")
        lines += [f"  doubt: {doubt}" for doubt in one.doubts]
    lines += found.first.says
    lines += [f"rather: {other.says}" for other in found.first.others]
    return lines


def told(found: Drafted) -> dict[str, Any]:
    """The same as a document."""
    return {
        "files": [
            {"file": found.files[n].name, "source": n, "role": t.role, "says": t.says, "doubts": list(t.doubts)}
            for n, t in found.taken.items()
        ],
        "says": list(found.first.says),
        "plan": found.plan.as_document(),
        "others": [{"says": o.says, "plan": o.plan.as_document()} for o in found.first.others],
    }


def drafted(files: Sequence[Path], crs: dict[str, str]) -> Drafted:
    """Look at files together, read them, and plan their first map."""
    from pydantic import TypeAdapter

    from steady_tally.core.chain import Chain
    from steady_tally.core.draft.first import Came, First, Other, first_plan
    from steady_tally.core.draft.taking import Offered, events_of, taken_together
    from steady_tally.core.plan.conditions import Condition
    from steady_tally.core.plan.gather import Reading
    from steady_tally.core.sources import Sources
    from steady_tally.formats.sandbox.asking import look, read_table, read_zones

    named = _names(files)
    with ThreadPoolExecutor() as pool:
        reading = {n: Reading(crs=crs.get(f.name)) for n, f in named.items()}
        looks: dict[str, Look] = dict(zip(named, pool.map(lambda n: look(named[n], n, reading[n]), named), strict=True))
        offered = [Offered(n, one.guess, one.sample, one.rows, one.kind == "vector") for n, one in looks.items()]
        taken = dict(zip(looks, taken_together(offered, {}, False), strict=True))
        features: dict[str, Features] = dict(
            zip(
                [n for n, t in taken.items() if t.role in _SHAPES],
                pool.map(
                    lambda n: read_zones(named[n], n, looks[n].reading),
                    [n for n, t in taken.items() if t.role in _SHAPES],
                ),
                strict=True,
            )
        )
        rows = [n for n in taken if n not in features]
        tables: dict[str, Table] = dict(
            zip(rows, pool.map(lambda n: read_table(named[n], n, looks[n].reading), rows), strict=True)
        )
    zones = {n: f for n, f in features.items() if taken[n].role == "zones"}
    if not zones and not any(t.role in ("events", "counts") for t in taken.values()):
        are = "; ".join(f"“{named[n].name}” is taken for {t.role}, {t.says}" for n, t in taken.items())
        raise SourceError(f"none of these has events or areas: {are}.", where="draft", todo="Name a file that has.")
    events = {}
    for name, one in taken.items():
        if one.role in ("events", "counts"):
            placed = _placed(named[name], looks[name], one, zones, crs)
            events[name] = events_of(name, placed, looks[name].guess)
    conditions = TypeAdapter(list[Condition])
    totals = {n: conditions.validate_python(list(looks[n].guess.totals)) for n in tables if n not in events}
    sources = Sources(tables, features)
    first = first_plan(Came(sources, events, list(zones), totals), lambda plan: Chain(plan, sources))
    readings = {n: looks[n].reading for n in named if looks[n].reading != Reading()}

    def reads(plan: Plan) -> Plan:
        gather = plan.gather.model_copy(update={"reading": readings})
        return plan.model_copy(update={"gather": gather})

    others = tuple(Other(o.says, reads(o.plan)) for o in first.others)
    return Drafted(named, taken, First(reads(first.plan), first.says, others), sources)


def _names(files: Sequence[Path]) -> dict[str, Path]:
    """Files by the names of their sources: what they are called without their ending, numbered where that repeats."""
    found: dict[str, Path] = {}
    for file in files:
        bare = file.name.split(".")[0] or file.name
        name, number = bare, 2
        while name in found:
            name, number = f"{bare} {number}", number + 1
        found[name] = file
    return found


def _placed(file: Path, seen: Look, taken: Taken, zones: dict[str, Features], crs: dict[str, str]) -> Taken:
    """With the coordinate system that the file was given, or else that in which most records lie in zones."""
    from dataclasses import replace

    from steady_tally.core.gather.systems import likely_systems
    from steady_tally.core.place.zones import zone_set

    at = taken.coordinates
    if at is None:
        raise SourceError(
            "its records have no coordinates, and no areas came with it that they name.",
            where=f"file “{file.name}”",
            todo="Give the areas with it whose names or codes its records have.",
        )
    if at["kind"] == "none" or at.get("crs") or (at["kind"] == "geometry" and seen.reading.crs):
        return taken
    code = crs.get(file.name)
    if code is None and at["kind"] != "geometry":
        for one in zones.values():
            likely = likely_systems(seen.sample, at, zone_set(one, identifier=None, name=None, crs=None))
            code = code or (likely[0].code if likely else None)
    if code is None:
        raise SourceError(
            "nothing says which coordinate system its places are in.",
            where=f"file “{file.name}”",
            todo=f"Say it: --crs {file.name}=CODE.",
        )
    return replace(taken, coordinates={**at, "crs": code})
