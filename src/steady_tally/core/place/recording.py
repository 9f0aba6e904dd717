"""Where, and in which windows of time, could an event have been recorded at all?"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import shapely
from pyproj import CRS

from steady_tally.core.areas import areas_table
from steady_tally.core.errors import PlanError
from steady_tally.core.gather.times import ReadTimes, within_windows
from steady_tally.core.geo.shapes import in_plane, united
from steady_tally.core.matching import match_names, quoted
from steady_tally.core.place.cover import share_inside
from steady_tally.core.place.zones import ZoneSet, outline_zones, zones_from
from steady_tally.core.plan.gather import (
    RecordedColumn,
    RecordedList,
    RecordedOutline,
    RecordedWhere,
    RecordedWindow,
)
from steady_tally.core.sources import Sources, texts

_WHERE = "plan: gather.events.recorded"
Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Recorded:
    """Where an event could have been recorded.

    Attributes
    ----------
    everywhere : nothing limits it.
    share : (zones,) the part of each zone; of a zone without a shape nothing else is known, so that it is 1.
    outline : where an outline says so.
    unknown : entries of a list that are none of the zones.
    """

    everywhere: bool
    share: Floats
    outline: ZoneSet | None = None
    unknown: tuple[str, ...] = ()


@dataclass(frozen=True)
class Recording:
    """The recorded windows of one events source, and the grounds where they hold.

    Attributes
    ----------
    windows : as in the plan; none where it names none, and then there is one ground.
    grounds : the different grounds.
    of_window : (windows,) the ground of each.
    zones : those in which events are looked for, where there are any.
    crs : the working projection.
    """

    windows: tuple[RecordedWindow, ...]
    grounds: tuple[Recorded, ...]
    of_window: tuple[int, ...]
    zones: ZoneSet | None
    crs: CRS
    kept: dict[frozenset[int], Recorded] = field(default_factory=dict, repr=False, compare=False)

    def grounds_of(self, windows: Collection[int]) -> frozenset[int]:
        """The grounds of some of the windows; the one that there is where the plan names no windows at all."""
        return frozenset(self.of_window[w] for w in windows) if self.windows else frozenset([0])

    def over(self, grounds: frozenset[int]) -> Recorded:
        """Where an event could have been recorded on at least one of those grounds."""
        if grounds not in self.kept:
            self.kept[grounds] = _together([self.grounds[g] for g in sorted(grounds)], self.zones, self.crs)
        return self.kept[grounds]

    def in_time(self, times: ReadTimes | None, records: int) -> npt.NDArray[np.bool_]:
        """(grounds, records) whether a record may be of a window that holds on that ground. One without a readable
        time may be of any."""
        found = np.zeros((len(self.grounds), records), dtype=np.bool_)
        if times is None or not self.windows:
            return ~found
        for ground in range(len(self.grounds)):
            spans = [w.span for w, g in zip(self.windows, self.of_window, strict=True) if g == ground]
            found[ground] = within_windows(times, spans)
        return found | np.isnat(times.start)

    def window_of(self, times: ReadTimes | None, records: int) -> Ints:
        """(records,) the first window that each record is in, -1 where that is not known."""
        found = np.full(records, -1, dtype=np.int64)
        if times is not None:
            for at in reversed(range(len(self.windows))):
                found[within_windows(times, [self.windows[at].span])] = at
        return found

    @property
    def unknown(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(u for ground in self.grounds for u in ground.unknown))


def recording(
    windows: Sequence[RecordedWindow], zones: ZoneSet | None, crs: CRS, sources: Sources, *, named: bool
) -> Recording:
    """Find the grounds of the windows. PlanError where two windows would count the same ground and days twice.

    Parameters
    ----------
    zones : those in which events are looked for.
    crs : the working projection, in which parts of zones are taken.
    named : the plan says which columns are the zones' identifiers and names; of what a grid covers nobody has.
    """
    different: list[RecordedWhere | None] = []
    of_window = []
    for window in windows:
        if window.where not in different:
            different.append(window.where)
        of_window.append(different.index(window.where))
    grounds = tuple(_recorded(where, zones, crs, sources, named) for where in different or [None])
    found = Recording(tuple(windows), grounds, tuple(of_window), zones, crs)
    _refuse_twice(found)
    return found


def _refuse_twice(found: Recording) -> None:
    for i, one in enumerate(found.windows):
        for j, other in enumerate(found.windows[:i]):
            a, b = found.grounds[found.of_window[i]], found.grounds[found.of_window[j]]
            first, last = max(one.span[0], other.span[0]), min(one.span[1], other.span[1])
            if first <= last and _share_ground(a, b):
                raise PlanError(
                    f"two recorded windows hold in the same areas on {_spoken(first)}.",
                    where=_WHERE,
                    todo="Let one of them end before, or hold in other areas.",
                )


def _share_ground(a: Recorded, b: Recorded) -> bool:
    if a.outline is not None and b.outline is not None:
        there = in_plane(b.outline.geometry, b.outline.crs, a.outline.crs)
        both = shapely.intersection(united(a.outline.geometry), united(there))
        return bool(shapely.area(both) > 1e-9 * min(shapely.area(a.outline.geometry).sum(), shapely.area(there).sum()))
    return bool(((a.share > 0.0) & (b.share > 0.0)).any())


def _spoken(day: date) -> str:
    return "all days" if day == date.min else str(day)


def _together(grounds: Sequence[Recorded], zones: ZoneSet | None, crs: CRS) -> Recorded:
    """What is recorded on at least one of several grounds, what they have in common once; nothing on none."""
    if len(grounds) == 1:
        return grounds[0]
    if not grounds:
        return Recorded(False, np.zeros(0 if zones is None else len(zones)))
    if any(g.everywhere for g in grounds):
        return next(g for g in grounds if g.everywhere)
    outlines = [g.outline for g in grounds if g.outline is not None]
    if not outlines:
        return Recorded(False, np.max([g.share for g in grounds], axis=0))
    if len(outlines) < len(grounds):
        raise PlanError(
            "some recorded windows hold in an outline, others in listed areas.",
            where=_WHERE,
            todo="Say all of them by outlines, or all by lists or columns.",
        )
    own = outlines[0].crs
    shapes = np.concatenate([in_plane(o.geometry, o.crs, own) if o.crs != own else o.geometry for o in outlines])
    names = [str(i) for i in range(len(shapes))]
    outline = zones_from(shapes, names, names, pa.table({"outline": names}), own)
    share = grounds[0].share if zones is None else share_recorded(zones, outline, crs)
    return Recorded(False, share, outline)


def _recorded(how: RecordedWhere | None, zones: ZoneSet | None, crs: CRS, sources: Sources, named: bool) -> Recorded:
    """The part of each zone where an event could have been recorded."""
    if how is None:
        return Recorded(True, np.ones(len(zones) if zones else 0))
    if isinstance(how, RecordedOutline):
        outline = outline_zones(how.outline, sources, wanted_by=_WHERE)
        return Recorded(False, share_recorded(zones, outline, crs) if zones else np.ones(0), outline)
    if zones is None:
        raise PlanError(
            "a grid over the events' extent has no zones of which some could be the recorded ones.",
            where=_WHERE,
            todo="Say the recorded area by an outline, or let the grid cover zones.",
        )
    if isinstance(how, RecordedColumn):
        values = texts(areas_table(zones).column(how.column, wanted_by=_WHERE))
        missing = tuple(v for v in how.values if v not in set(values))
        return Recorded(False, np.isin(values, how.values).astype(np.float64), unknown=missing)
    if not named and how.area in (None, "identifier", "name"):
        raise PlanError(
            f"“{how.source}” lists zones by identifier or name, and of the zones that a grid covers nobody has said "
            "which columns these are.",
            where=_WHERE,
            todo="Name the column of the zones that has what the list has: recorded.where.area.",
        )
    return _listed(how, zones, sources)


def _listed(how: RecordedList, zones: ZoneSet, sources: Sources) -> Recorded:
    """The zones of a list. Its entries are identifiers, or names, or of the column that the plan names: all the same.

    Where the plan does not say which, it is what more of them are, identifiers first. An identifier or a name stands
    for one zone and may be spelt a little otherwise; a value of another column stands for every zone that has it.
    """
    entries = texts(sources.table(how.source, wanted_by=_WHERE).column(how.column, wanted_by=_WHERE))
    listed = list(dict.fromkeys(e for e in entries if e))
    there = np.zeros(len(zones))
    if how.area not in (None, "identifier", "name"):
        values = texts(areas_table(zones).column(how.area, wanted_by=_WHERE + ".area"))
        there[np.isin(values, listed)] = 1.0
        unknown = [e for e in listed if e not in set(values)]
    else:
        kinds = {"identifier": zones.identifiers, "name": zones.names}
        tried = [match_names(listed, kinds[kind]) for kind in ([how.area] if how.area else kinds)]
        best = max(tried, key=lambda m: len(m.joined))
        there[[position for position, _ in best.joined.values()]] = 1.0
        unknown = list(best.left_over)
    if not there.any():
        raise PlanError(
            f"no area has what “{how.source}” lists in “{how.column}” as its {how.area or 'identifier or name'}.",
            where=_WHERE,
            todo="Choose the column with the areas' identifiers or names.",
        )
    return Recorded(False, there, unknown=tuple(unknown))


def share_recorded(areas: ZoneSet, outline: ZoneSet, crs: CRS) -> Floats:
    """(areas,) the part of each that lies in an outline; 1 for an area without a shape, of which that is not known."""
    share = share_inside(in_plane(areas.geometry, areas.crs, crs), _whole(outline, crs), crs)
    share[shapely.is_empty(areas.geometry)] = 1.0
    return share


def recorded_ground(recorded: Recorded, zones: ZoneSet | None, crs: CRS) -> shapely.Geometry:
    """Where an event could have been recorded, as one shape in another system."""
    if recorded.outline is not None:
        return _whole(recorded.outline, crs)
    assert zones is not None
    return united(in_plane(zones.geometry[recorded.share > 0.0], zones.crs, crs))


def _whole(zones: ZoneSet, crs: CRS) -> shapely.Geometry:
    """All zones as one shape in another system."""
    return united(in_plane(zones.geometry, zones.crs, crs))


def says_unknown(found: Recording) -> Iterator[str]:
    """What the windows name that is none of the areas."""
    if found.unknown:
        yield f"The recorded area names what is none of the areas: {quoted(found.unknown)}."
