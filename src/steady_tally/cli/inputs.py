"""The files that a plan is worked out on, as options and as sources."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from steady_tally.cli.group import PATH
from steady_tally.core.errors import SourceError

if TYPE_CHECKING:
    from steady_tally.cli.draft import Drafted
    from steady_tally.core.plan.gather import Events, Reading
    from steady_tally.core.plan.whole import Plan

_OPTIONS = (
    click.option("--events", type=PATH, help="The event records."),
    click.option("--areas", type=PATH, help="The zones to count them in."),
    click.option("--table", type=PATH, help="What to divide by."),
    click.option("--look-up", type=PATH, help="Where records without coordinates find them."),
    click.option("--source", multiple=True, metavar="NAME=FILE", help="Any other source, by the name in the plan."),
    click.option("--measure", help="The measure to work out.  [default: the mapped one]"),
)


def reads_files(command: Callable[..., None]) -> Callable[..., None]:
    """Give a command the options that name files."""
    for option in reversed(_OPTIONS):
        command = option(command)
    return command


def plan_in(path: Path) -> Plan:
    """The plan in a file; SourceError where it cannot be read."""
    from steady_tally.core.plan.whole import parse_plan

    return parse_plan(text_in(path, "plan"))


def is_plan(path: Path) -> bool:
    """Does a file say that it is a plan?"""
    from steady_tally.core.plan.whole import FORMAT

    if not path.is_file():
        return False
    with path.open(encoding="utf-8", errors="replace") as file:
        return FORMAT in file.read(1_000)


def text_in(path: Path, what: str) -> str:
    try:
        return path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise SourceError(f"it cannot be read ({error}).", where=f"{what} “{path}”", todo="Check the path.") from None


@dataclass(frozen=True)
class Inputs:
    """
    Attributes
    ----------
    measure : the one that is worked out.
    counted : the events that it counts, or where it counts none the first of the plan.
    files : the file of each source, by its name in the plan.
    shapes : the names of those that are read as shapes.
    references : those that lie over the map.
    """

    plan: Plan
    measure: str
    counted: Events
    files: dict[str, Path]
    shapes: set[str]
    references: list[str]

    def reading(self, name: str) -> Reading:
        from steady_tally.core.plan.gather import Reading

        return self.plan.gather.reading.get(name, Reading())

    @property
    def whole(self) -> dict[str, Path]:
        """What is read whole: all but the events, unless something else is read from the same file."""
        others = [e.source for e in self.plan.gather.events.values() if e is not self.counted]
        also = {*self.plan.measures[self.measure].sources, *self.plan.lists, *others}
        return {n: f for n, f in self.files.items() if n != self.counted.source or n in also}


def inputs_of(
    path: Path, *, events: Path | None, areas: Path | None, table: Path | None, look_up: Path | None,
    source: tuple[str, ...], measure: str | None,
) -> Inputs:  # fmt: skip
    """What the options name. SourceError where the plan has no such measure."""
    for option, file in (("--events", events), ("--areas", areas)):
        if file is None:
            raise click.UsageError(f"a plan needs {option} FILE.")
    assert events is not None
    assert areas is not None
    from steady_tally.core.plan.show import ReferenceLayer
    from steady_tally.formats.sandbox.asking import has_polygons

    plan = plan_in(path)
    name = measure or plan.mapped
    if name not in plan.measures:
        there = ", ".join(f"“{m}”" for m in plan.measures)
        raise SourceError(f"it has no measure “{name}”.", where=f"plan “{path}”", todo=f"Choose one of these: {there}.")
    counted = plan.events_of(name)
    read = plan.measures[name].sources
    files = {counted.source: events, plan.place.source or "areas": areas}
    if table is not None:
        files[next(iter(read), "table")] = table
    if look_up is not None:
        files[counted.look_up.source if counted.look_up else "look-up"] = look_up
    files |= dict(_named(one) for one in source)
    references = [layer.source for layer in plan.show.layers if isinstance(layer, ReferenceLayer)]
    found = Inputs(plan, name, counted, files, {*plan.shapes, plan.place.source or "areas", *references}, references)
    found.shapes.update(n for n in plan.weights if n in files and has_polygons(files[n], n, found.reading(n)))
    return found


def inputs_of_files(files: Sequence[Path], crs: Sequence[str]) -> tuple[Inputs, Drafted]:
    """Files that no plan came with, and the plan that was drafted for them."""
    from steady_tally.cli.draft import drafted, systems

    found = drafted(files, systems(crs))
    mapped = found.plan.mapped
    references = [name for name, one in found.taken.items() if one.role == "reference"]
    return Inputs(found.plan, mapped, found.plan.events_of(mapped), found.files, found.shapes, references), found


def _named(option: str) -> tuple[str, Path]:
    name, _, file = option.partition("=")
    if not name or not file:
        raise SourceError(f"“{option}” is not NAME=FILE.", where="--source", todo="Give a name and a file.")
    return name, Path(file)


def given(options: dict[str, Any]) -> dict[str, Any]:
    """Those of a command's options that name files."""
    return {name: options[name] for name in ("events", "areas", "table", "look_up", "source", "measure")}
