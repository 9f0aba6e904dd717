"""The zones that each usable record lies in: the long part of placing, which depends on zones and records alone."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt
from pyproj import CRS

from steady_tally.core.errors import PlanError
from steady_tally.core.gather.judging import Together
from steady_tally.core.gather.records import Checked
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.locate import Located, locate
from steady_tally.core.geo.projection import project
from steady_tally.core.geo.working import working_system
from steady_tally.core.place.cover import Ground, ground_of
from steady_tally.core.place.grid import Lattice, lattice_of
from steady_tally.core.place.nearest import Borders
from steady_tally.core.place.stated import BLANK, Spoken, spoken
from steady_tally.core.place.zones import ZoneSet, outline_zones, zone_set
from steady_tally.core.plan.gather import Events
from steady_tally.core.plan.place import Grid, Place, Zones
from steady_tally.core.reasons import Reason
from steady_tally.core.sources import Sources

_WHERE = "plan: place"
Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]
Progress = Callable[[int, int], None]  # so many of so many are done


@dataclass(frozen=True)
class Looked:
    """The zones that each usable record lies in.

    Attributes
    ----------
    checked : the records.
    zones : those of the plan, or those that its grid covers; None where a grid covers the events' own extent.
    record : (events,) positions in the table of the records that can be used.
    x, y : (events,) in the zones' own system, `crs`; NaN for a record without coordinates.
    located : (events,).
    projected : (events,) False where the place cannot be expressed in the zones' system.
    spoken : what the records state themselves, where the plan names the column.
    stated : (events,) the position of the zone stated, UNKNOWN, or BLANK where nothing is stated.
    kept : what has been worked out from all this, for the next who asks.
    """

    checked: Checked
    zones: ZoneSet | None
    record: Ints
    x: Floats
    y: Floats
    crs: CRS
    located: Located
    projected: Flags
    spoken: Spoken | None
    stated: Ints
    kept: dict[str, Any] = field(default_factory=dict, repr=False, compare=False)

    @property
    def has_place(self) -> Flags:
        """(events,) which records have coordinates that the zones' system can express."""
        return np.isfinite(self.x) & np.isfinite(self.y)

    @property
    def borders(self) -> Borders:
        """The zones' borders."""
        assert self.zones is not None
        if "borders" not in self.zones.kept:
            self.zones.kept["borders"] = Borders(self.zones)
        found: Borders = self.zones.kept["borders"]
        return found

    def nearest(self) -> tuple[Ints, Ints, Floats, Floats]:
        """The events outside all zones: which, the nearest zone, metres to it, and where in the borders' plane."""
        if "nearest" not in self.kept:
            at = np.flatnonzero((self.located.first == OUTSIDE) & self.has_place)
            if self.zones is None:
                self.kept["nearest"] = at, at * 0 - 1, np.full(len(at), np.inf), np.empty((len(at), 2))
            else:
                self.kept["nearest"] = at, *self.borders.nearest(self.x[at], self.y[at], self.zones.crs)
        found: tuple[Ints, Ints, Floats, Floats] = self.kept["nearest"]
        return found

    def working(self, crs: CRS, system: str) -> tuple[Floats, Floats]:
        """(events,) in the working projection."""
        key = f"working {system}"
        if key not in self.kept:
            self.kept[key] = self._from_records(crs)
        found: tuple[Floats, Floats] = self.kept[key]
        return found

    def _from_records(self, crs: CRS) -> tuple[Floats, Floats]:
        return project(self.checked.x[self.record], self.checked.y[self.record], self.checked.crs, crs)


def look(
    events: Events,
    checked: Checked,
    zones: ZoneSet | None,
    words: Spoken | None,
    *,
    known: Located | None = None,
    on_progress: Progress | None = None,
) -> Looked:
    """Where does each usable record fall? Events are taken to the zones' own system, where their edges are straight.

    `zones` are those of `zones_of`, `words` what `words_of` gives, and `known` is what the same records and zones gave
    before, where it was kept.
    """
    record = np.flatnonzero(checked.reasons == Reason.NONE)
    stated = np.full(len(record), BLANK, dtype=np.int64)
    if events.stated and words is not None:
        stated = words.zones(events.stated, checked.table)[record]
    has_place = np.isfinite(checked.x[record]) & np.isfinite(checked.y[record])
    if zones is None:
        first = np.where(has_place, 0, OUTSIDE).astype(np.int32)
        everywhere = Located(first, np.empty(0, np.int64), np.empty(0, np.int32))
        x, y = checked.x[record], checked.y[record]
        return Looked(checked, None, record, x, y, checked.crs, everywhere, has_place | True, words, stated)
    x, y = zones.own(checked.x[record], checked.y[record], checked.crs)

    def tell(done: int) -> None:
        if on_progress:
            on_progress(done, len(record))

    located = known or locate(zones.edges, x, y, index=zones.index, on_progress=tell)
    projected = ~has_place | (np.isfinite(x) & np.isfinite(y))
    return Looked(checked, zones, record, x, y, zones.crs, located, projected, words, stated)


def zones_of(plan: Place, sources: Sources) -> ZoneSet | None:
    """The zones that events are looked for in: the plan's, or those that its grid covers; None for the events' own
    extent."""
    areas = plan.areas
    if isinstance(areas, Zones):
        source = sources.zones(areas.source, wanted_by=_WHERE + ".areas")
        zones = zone_set(source, identifier=areas.identifier, name=areas.name, crs=areas.crs)
        if not len(zones.coordinates):
            raise PlanError(
                "none of them has a shape that events could lie in.",
                where=f"areas “{source.name}”",
                todo="Choose another file of areas.",
            )
        return zones
    return outline_zones(areas.cover, sources, wanted_by=_WHERE + ".areas.cover") if areas.cover else None


def words_of(plan: Place, events: Events, together: Together, zones: ZoneSet | None) -> Spoken | None:
    """What the records state themselves, matched to the zones; None where the plan does not ask for it."""
    if events.stated is None or zones is None or not isinstance(plan.areas, Zones):
        return None
    return spoken(plan.stated, together.labels, zones)


def working_lattice(plan: Place, how: Grid, zones: ZoneSet | None, looked: Sequence[Looked]) -> Lattice:
    """The plan's lattice in the working projection of what it covers: zones, or else the events looked at."""
    return lattice_of(how, *working_system(plan.projection, *extent_of(zones, looked)))


def extent_of(zones: ZoneSet | None, looked: Sequence[Looked]) -> tuple[Floats, Floats]:
    """Longitudes and latitudes of the zones, or without any of all usable records."""
    if zones is not None:
        lon, lat = zones.degrees.T
    else:
        lon, lat = (np.concatenate([one.checked.degrees[i][one.record] for one in looked]) for i in (0, 1))
    sound = np.isfinite(lon) & np.isfinite(lat)
    if not sound.any():
        raise PlanError(
            "no record has a usable place, so that there is nothing to lay a grid over.",
            where=_WHERE + ".areas",
            todo="Look at the records set aside in Gather.",
        )
    return lon[sound], lat[sound]


def grid_ground(zones: ZoneSet | None, lattice: Lattice) -> Ground | None:
    """What the grid covers, in its projection; None for the events' own extent."""
    if zones is None:
        return None
    key = f"ground {lattice.system}"
    if key not in zones.kept:
        zones.kept[key] = ground_of(zones, lattice)
    found: Ground = zones.kept[key]
    return found
