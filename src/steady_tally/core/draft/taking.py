"""What files are taken for when all that came together are looked at.

Which goes with which is measured on values, never on what columns are called: a column whose texts are areas says where
records lie that have no coordinates, and a table whose keys are areas is what these are divided by. Nothing is decided
here: the user sees each with its reason and its doubts.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
from pyproj import Geod

from steady_tally.core.codes import together
from steady_tally.core.columns import coded_text
from steady_tally.core.gather.column_words import COUNT, name_words
from steady_tally.core.gather.guess import Guess
from steady_tally.core.gather.named import Named, likely_named, unique_texts
from steady_tally.core.gather.records import check
from steady_tally.core.gather.systems import Places, some_places
from steady_tally.core.geo.fitting import on_sphere
from steady_tally.core.geo.projection import coordinate_system, to_degrees
from steady_tally.core.measure.offers import is_figure
from steady_tally.core.numbers import numbers
from steady_tally.core.plan.gather import Events
from steady_tally.core.reasons import Reason
from steady_tally.core.sources import Sources, Table

Floats = npt.NDArray[np.float64]

_REPEATED_FROM = 0.2  # of the rows of a list of records repeat what others say in all but their own figures
_ROWS_AN_AREA = 2.0
_MOST_SOUND, _FEW_DIFFER = 0.95, 0.5
_MEET_FROM = 0.05
_SOME = 3
_NEAR = 3.0  # times the distance from one area to the next
_ALONE = 0.02  # of the earth's radius, about an area that has no other beside it


@dataclass(frozen=True)
class Offered:
    """A file that was looked into.

    Attributes
    ----------
    sample : its rows, or some of them spread evenly; of shapes all, each with a point inside.
    rows : how many there are in all.
    vector : it is of shapes.
    """

    name: str
    guess: Guess
    sample: Table
    rows: int
    vector: bool = False


@dataclass(frozen=True)
class Taken:
    """What a file is taken for.

    Attributes
    ----------
    role : as a source has it.
    coordinates : as in the plan, for events; `crs` is None where it must be asked.
    stated : the column that places records which have no coordinates.
    number : the column with how many events a record stands for.
    says : why, in a sentence.
    doubts : what should be looked at before it is brought in, in sentences.
    apart : where records lie and where areas, where these are nowhere near each other.
    """

    role: str
    coordinates: dict[str, Any] | None
    stated: str | None
    number: str | None
    says: str
    doubts: tuple[str, ...] = ()
    apart: Places | None = None


def taken_together(files: Sequence[Offered], there: Mapping[str, Table], has_events: bool) -> list[Taken]:
    """What each of some files is taken for.

    Parameters
    ----------
    there : the zones that the study has already, each with a point inside.
    has_events : it has events already.
    """
    zones = {**there, **{f.name: f.sample for f in files if f.guess.role == "zones"}}
    columns = {name: table.columns for name, table in zones.items()}
    # What has coordinates is placed by them, whatever else it says of its areas.
    named = [[] if f.vector or f.guess.coordinates else likely_named(f.sample, columns) for f in files]
    found = [_taken(f, of) for f, of in zip(files, named, strict=True)]
    if not has_events and not any(t.role in ("events", "counts") for t in found):
        found = _first_places(files, found)
    of_zones = [f for f, t in zip(files, found, strict=True) if t.role == "zones"]
    if len(of_zones) > 1:
        both = " and ".join(f"“{f.name}”" for f in of_zones)
        says = f"{both} are both areas: say which of them to count in, else the likelier is taken."
        found = [replace(t, doubts=(*t.doubts, says)) if t.role == "zones" else t for t in found]
    pairs = zip(files, found, named, strict=True)
    return [_doubted(f, t, of, zones) for f, t, of in pairs]


def _taken(file: Offered, named: Sequence[Named]) -> Taken:
    guess = file.guess
    where = dict(guess.coordinates[0]) if guess.coordinates else None
    number = next((c.name for c in guess.columns if c.kind == "number" and _counts(c.name)), None)
    if guess.role == "zones":
        return Taken("zones", where, None, number, f"{_count(file.rows, 'area')} to count in")
    if guess.role == "reference":
        return Taken("reference", where, None, number, "lines and shapes to lie over the map")
    by = named[0] if named else None
    several = number is not None and _stands_for_several(file, number)
    if where is not None:
        role = "counts" if guess.role == "events" and several else guess.role
        says = "places and their coordinates"
        if role in ("events", "counts"):
            says = f"{_count(file.rows, 'record')} with coordinates"
        if role == "counts":
            says += f", each of which stands for as many events as “{number}” says"
        return Taken(role, where, None, number, says)
    if by is None:
        return Taken(guess.role, None, None, number, _as_it_looks(guess.role, file.rows))
    placed = f"“{by.column}” names areas of “{by.zones}” in {100.0 * by.share:.0f} % of them"
    if _is_list(file, by):
        says = f"{_count(file.rows, 'record')} without coordinates: {placed}"
        return Taken("events", {"kind": "none"}, by.column, number, says)
    return Taken("table", None, None, number, f"{_count(file.rows, 'row')} of figures: {placed}")


def _as_it_looks(role: str, rows: int) -> str:
    return _count(rows, "record") if role == "events" else f"{_count(rows, 'row')} of figures"


def _count(n: int, noun: str) -> str:
    return f"{n:,} {noun}{'' if n == 1 else 's'}"


def _counts(column: str) -> bool:
    words = name_words(column)
    return bool(words) and words <= COUNT


def _stands_for_several(file: Offered, column: str) -> bool:
    """Does a column say how many events each record stands for: whole numbers, more than one in the mean, few of them
    different?"""
    values = numbers(file.sample.columns.column(column))[0]
    known = values[np.isfinite(values)]
    if len(known) < _MOST_SOUND * max(len(values), 1) or (known < 0.0).any() or (known % 1.0 != 0.0).any():
        return False
    return float(known.mean()) > 1.0 and len(np.unique(known)) < _FEW_DIFFER * len(known)


def _is_list(file: Offered, by: Named) -> bool:
    """Are rows single records, rather than one figure for each area and group?

    In a table of figures no two rows say the same in all columns that are no figures; in a list of records many do, or
    each has an identifier or a moment of its own.
    """
    figures = [c for c in file.sample.columns.column_names if c != by.column and is_figure(file.sample, c)]
    keys = [c for c in file.sample.columns.column_names if c not in figures and c != file.guess.identifier]
    distinct = next((c.distinct for c in file.guess.columns if c.name == by.column), 1)
    if file.rows < _ROWS_AN_AREA * distinct:
        return False
    if not figures or file.guess.identifier is not None:
        return True
    times = {t.column for t in file.guess.times if t.order != "period"}
    if times & set(keys):
        return True
    codes = [coded_text(file.sample, c, wanted_by="look")[1].astype(np.int64) for c in keys]
    groups = len(np.unique(together(codes, file.sample.row_count)))
    return groups < (1.0 - _REPEATED_FROM) * file.sample.row_count


def _first_places(files: Sequence[Offered], found: Sequence[Taken]) -> list[Taken]:
    """Where nothing else is of events, the first table of places is."""
    at = next((i for i, t in enumerate(found) if t.role == "look-up" and t.coordinates), None)
    if at is None:
        return list(found)
    says = f"{_count(files[at].rows, 'record')} with coordinates"
    return [replace(t, role="events", says=says) if i == at else t for i, t in enumerate(found)]


# Doubts


def _doubted(file: Offered, taken: Taken, named: Sequence[Named], zones: Mapping[str, Table]) -> Taken:
    found, apart = list(taken.doubts), None
    if file.rows == 0:
        found.append("It has no rows.")
    elif taken.role == "table" and not file.vector and zones and not named:
        found.append(_matches_nothing(file, zones))
    elif taken.role in ("events", "counts") and taken.coordinates is not None:
        at = places_of(file, taken.coordinates)
        if at is not None and len(at[0]):
            lon, lat = at
            if len(lon) > 1 and np.ptp(lon) == 0.0 and np.ptp(lat) == 0.0:
                place = f"longitude {lon[0]:.4f}, latitude {lat[0]:.4f}"
                found.append(f"All of its records are at one place, {place}.")
            away = [one for name, table in zones.items() if (one := _apart(lon, lat, name, table)) is not None]
            found += [says for says, _ in away]
            apart = away[0][1] if away else None
    return replace(taken, doubts=tuple(found), apart=apart)


def _matches_nothing(file: Offered, zones: Mapping[str, Table]) -> str:
    name, areas = next(iter(zones.items()))
    looks = [c for c in file.guess.columns if c.kind in ("text", "category")] or list(file.guess.columns)
    own = f"“{looks[0].name}” holds {_examples(file.sample.columns.column(looks[0].name))}" if looks else ""
    theirs = next((c for c in areas.columns.column_names if unique_texts(areas.columns.column(c))), None)
    called = f"; “{name}” are called {_examples(areas.columns.column(theirs))}" if theirs else ""
    return f"None of its columns names the areas: {own}{called}. It divides nothing as it is."


def _examples(column: pa.ChunkedArray) -> str:
    some = list(dict.fromkeys(str(v) for v in column.slice(0, 200).to_pylist() if v not in (None, "")))[:_SOME]
    return ", ".join(f"“{v[:40]}”" for v in some) or "nothing"


def places_of(file: Offered, coordinates: Mapping[str, Any]) -> tuple[Floats, Floats] | None:
    """Longitudes and latitudes of the usable rows; None while nobody knows their system."""
    if coordinates["kind"] == "none" or (coordinates.get("crs") is None and file.sample.crs is None):
        return None
    events = Events.model_validate({"source": file.name, "coordinates": coordinates, "far_away": "keep"})
    checked = check(events, Sources({file.name: file.sample}, {}))
    usable = checked.reasons == Reason.NONE
    lon, lat = (axis[usable] for axis in checked.degrees)
    known = np.isfinite(lon) & np.isfinite(lat)
    return lon[known], lat[known]


def _apart(lon: Floats, lat: Floats, name: str, areas: Table) -> tuple[str, Places] | None:
    """How far records lie from zones that none of them is near: nearer than zones lie to each other."""
    if areas.points is None or areas.crs is None:
        return None
    middles = to_degrees(areas.points, coordinate_system(areas.crs, wanted_by="look"))
    middles = middles[np.isfinite(middles).all(axis=1)]
    if len(middles) == 0:
        return None
    from scipy.spatial import cKDTree  # takes a moment to load

    tree = cKDTree(on_sphere(*middles.T))
    spacing = tree.query(tree.data, k=2)[0][:, 1] if len(middles) > 1 else np.array([_ALONE])
    away, nearest = tree.query(on_sphere(lon, lat))
    near = away <= max(_NEAR * float(np.quantile(spacing, 0.95)), _ALONE / 100.0)
    if near.mean() >= _MEET_FROM:
        return None
    east, north = float(np.median(lon)), float(np.median(lat))
    to = middles[nearest[int(away.argmin())]]
    at = int(away.argmin())
    _, _, metres = Geod(ellps="WGS84").inv(lon[at], lat[at], to[0], to[1])
    says = (
        f"Its records lie about longitude {east:.2f}, latitude {north:.2f}, and none of them near “{name}”: the "
        f"nearest is {metres / 1_000.0:,.0f} km away."
    )
    return says, Places(some_places(np.column_stack([lon, lat])), some_places(middles))


def events_of(name: str, taken: Taken, guess: Guess) -> Events:
    """Records as they were taken, with the identifier and the time that were found. A time that could be read with the
    day or the month first is left out."""
    time = guess.times[0] if guess.times and guess.times[0].order is not None else None
    born = next((t for t in guess.times if time is not None and t.column == time.born and t.order is not None), None)
    return Events.model_validate(
        {
            "source": name,
            "coordinates": taken.coordinates,
            "stated": {"column": taken.stated, "stands_in": True} if taken.stated else None,
            "number": taken.number if taken.role == "counts" else None,
            "identifier": guess.identifier,
            "time": None
            if time is None
            else {
                "column": time.column,
                "order": time.order,
                "clock": time.clock,
                "until": time.until,
                "born": None if born is None else {"column": born.column, "order": born.order},
            },
        }
    )
