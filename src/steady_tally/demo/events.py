"""The made-up call-outs and thefts, with planted defects that are known row by row."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.csv
import shapely
from pyproj import Transformer
from scipy.spatial import cKDTree

from steady_tally.demo.land import CENTRE, CRS_NAME, Land
from steady_tally.demo.names import as_typed
from steady_tally.demo.people import YEARS, People

TO_DEGREES = Transformer.from_crs(CRS_NAME, "EPSG:4326", always_xy=True)
# Planted share of the call-outs. The names are the reasons that the ledger gives.
_DEFECTS: dict[str, float] = {
    "no_coordinates": 0.009,
    "unreadable_coordinates": 0.0006,
    "out_of_range": 0.0005,
    "zero_coordinates": 0.0025,
    "swapped_axes": 0.003,
    "repeated_identifier": 0.002,
    "outside_recorded_windows": 0.0005,
    "sea": 0.0025,
    "unreadable time": 0.0005,
    "blank time": 0.003,
}
_RAGGED = 7
_KINDS = ("heat exhaustion", "collapse", "dehydration", "heat stroke", "not stated")
FIRST_DAY, DAYS = "06-01", 92  # 1 June to 31 August

Strings = npt.NDArray[np.str_]


@dataclass(frozen=True)
class Truth:
    """What is known of each row of the call-outs' file.

    Attributes
    ----------
    reason : (rows,) why the row is to be set aside, or "".
    ward : (rows,) index of the ward at the written coordinates, -1 where it is to be set aside.
    """

    reason: Strings
    ward: npt.NDArray[np.int64]


def write_call_outs(
    path: Path,
    land: Land,
    people: People,
    junctions: npt.NDArray[np.float64],
    junction_block: npt.NDArray[np.int64],
    names: list[str],
    unrecorded: npt.NDArray[np.int64],
    events: int,
    rng: np.random.Generator,
) -> Truth:
    """Write the call-outs and return the truth about each row. `unrecorded` are the wards without a first year."""
    defect = _plant(events, rng)
    block = _blocks(land, people, events, rng)
    place, ward = _places(land, junctions, junction_block, block, rng)
    at_sea = defect == "sea"
    place[at_sea] = _in_the_sea(land, int(at_sea.sum()), rng)
    ward[at_sea] = -1
    year = rng.integers(0, len(YEARS), events)
    year[np.isin(ward, unrecorded) & (year == 0)] = 1 + rng.integers(0, 4)
    time = _times(year, defect, rng)
    order = np.argsort(time, kind="stable")
    defect, block, place, ward, time = defect[order], block[order], place[order], ward[order], time[order]

    # A record sent twice: the copy takes another's place further down, identifier and all.
    row = np.arange(events)
    sound = np.flatnonzero(defect == "")
    for copy in np.flatnonzero(defect == "repeated_identifier"):
        before = sound[sound < copy]
        if len(before):
            row[copy] = before[rng.integers(max(len(before) - 400, 0), len(before))]
        else:
            defect[copy] = ""
    lon, lat = _coordinate_texts(place, defect, rng)
    said = _stated_wards(land, block, names, rng)
    when = _time_texts(time, defect)
    age = np.clip(rng.gamma(4.2, 13.0, events), 0, 103).astype(np.int64)
    columns = {
        "call_id": np.char.add("Q", np.char.zfill((100_000 + 7 * row).astype(str), 7)),
        "called_at": when[row],
        "age": np.where(rng.random(events) < 0.01, "", age.astype(str))[row],
        "sex": rng.choice(np.array(["female", "male", "not stated"]), events, p=[0.47, 0.51, 0.02])[row],
        "kind": rng.choice(np.array(_KINDS), events, p=[0.44, 0.21, 0.19, 0.09, 0.07])[row],
        "severity": rng.integers(1, 4, events).astype(str)[row],
        "ward": said[row],
        "lon": lon[row],
        "lat": lat[row],
    }
    pyarrow.csv.write_csv(
        pa.table({n: pa.array(c, pa.string()) for n, c in columns.items()}),
        path,
        pyarrow.csv.WriteOptions(quoting_style="needed"),
    )
    reason = np.where(np.isin(defect, ["blank time", "unreadable time"]), "", defect).astype("<U32")
    ward = np.where(reason == "", ward, -1)
    reason[(reason == "sea") | ((reason == "") & (ward < 0))] = "outside_every_area"
    ragged = np.sort(rng.choice(np.flatnonzero(reason == ""), _RAGGED, replace=False))
    # A record that others repeat must stay whole, or its copy would be the first.
    ragged = ragged[~np.isin(ragged, row[defect == "repeated_identifier"])]
    _break_rows(path, ragged)
    reason[ragged], ward[ragged] = "ragged_row", -1
    return Truth(reason, ward)


def write_thefts(path: Path, land: Land, people: People, rng: np.random.Generator, thefts: int = 9_000) -> None:
    """Bicycle thefts in metres of the projected system, with the span of time in which each happened."""
    weight = people.residents_of_block + 40.0
    block = rng.choice(len(weight), thefts, p=weight / weight.sum())
    place = land.block_seed[block] + rng.normal(0.0, 60.0, (thefts, 2))
    start = np.datetime64("2024-01-01T00:00") + rng.integers(0, 730 * 24 * 60, thefts).astype("timedelta64[m]")
    until = start + np.round(rng.lognormal(5.5, 1.2, thefts)).astype("timedelta64[m]")
    blank = rng.random(thefts) < 0.015
    columns = {
        "report": np.char.add("BT-", np.char.zfill(np.arange(1, thefts + 1).astype(str), 5)),
        "from": np.char.replace(start.astype(str), "T", " "),
        "to": np.char.replace(until.astype(str), "T", " "),
        "loss": np.char.mod("%.2f", np.round(rng.lognormal(5.7, 0.7, thefts), -1)),
        "bicycle": rng.choice(np.array(["town", "touring", "children's", "electric", "cargo"]), thefts),
        "easting": np.where(blank, "", np.char.mod("%.1f", place[:, 0])),
        "northing": np.where(blank, "", np.char.mod("%.1f", place[:, 1])),
    }
    pyarrow.csv.write_csv(pa.table({n: pa.array(c, pa.string()) for n, c in columns.items()}), path)


def _plant(events: int, rng: np.random.Generator) -> Strings:
    """(events,) which defect each record has; at most one."""
    defect = np.full(events, "", dtype="<U32")
    free = rng.permutation(events)
    for name, share in _DEFECTS.items():
        count = max(2, round(share * events))
        defect[free[:count]] = name
        free = free[count:]
    return defect


def _blocks(land: Land, people: People, events: int, rng: np.random.Generator) -> npt.NDArray[np.int64]:
    weight = people.residents_of_block * people.risk_of_block
    there = land.ward_of_block == land.nobody
    weight[there] = 0.0006 * weight.sum() / there.sum()  # visitors fall ill there too
    return rng.choice(len(weight), events, p=weight / weight.sum())


def _places(
    land: Land,
    junctions: npt.NDArray[np.float64],
    junction_block: npt.NDArray[np.int64],
    block: npt.NDArray[np.int64],
    rng: np.random.Generator,
) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.int64]]:
    """Where each call-out is written down, and the ward there: mostly the nearest junction, else a door near one."""
    start = np.searchsorted(junction_block, np.arange(len(land.block) + 1))
    size = np.diff(start)[block]
    near = junctions[start[block] + (rng.random(len(block)) * size).astype(np.int64)]
    true = near + rng.normal(0.0, 55.0, near.shape)
    _, nearest = cKDTree(junctions).query(true)
    place = np.where((rng.random(len(block)) < 0.85)[:, None], junctions[nearest], true)
    written = np.round(np.column_stack(TO_DEGREES.transform(place[:, 0], place[:, 1])), 6)
    there = np.column_stack(TO_DEGREES.transform(written[:, 0], written[:, 1], direction="INVERSE"))
    ward = np.full(len(block), -1, dtype=np.int64)
    # An opinion of its own on which ward that is: each point against the wards near it, by a general geometry library.
    at, zone = shapely.STRtree(land.ward).query(shapely.points(there), predicate="within")
    ward[at] = zone
    return written, ward


def _in_the_sea(land: Land, count: int, rng: np.random.Generator) -> npt.NDArray[np.float64]:
    found = np.empty((0, 2))
    while len(found) < count:
        tried = CENTRE + rng.uniform(-1.0, 1.0, (4 * count + 50, 2)) * 24_000.0
        off = shapely.distance(land.land, shapely.points(tried)) > 250.0
        off &= shapely.distance(land.lagoon, shapely.points(tried)) > 0.0
        found = np.concatenate([found, tried[off]])
    return np.round(np.column_stack(TO_DEGREES.transform(found[:count, 0], found[:count, 1])), 6)


def _times(year: npt.NDArray[np.int64], defect: Strings, rng: np.random.Generator) -> npt.NDArray[np.datetime64]:
    """When each call-out was: hot afternoons above all, and a spike at midnight where no time was noted."""
    n = len(year)
    first = np.array([f"{y}-{FIRST_DAY}" for y in YEARS], dtype="datetime64[D]")[year]
    day = np.minimum((rng.beta(2.2, 2.0, n) * DAYS).astype(np.int64), DAYS - 1)
    day[defect == "outside_recorded_windows"] = DAYS + 20
    minute = (np.clip(rng.normal(15.0, 4.5, n), 0.0, 23.9) * 60).astype(np.int64)
    minute[rng.random(n) < 0.06] = 0
    return np.asarray((first + day).astype("datetime64[m]") + minute, dtype="datetime64[m]")


def _time_texts(time: npt.NDArray[np.datetime64], defect: Strings) -> Strings:
    """Day before month, as the dispatch system writes it."""
    iso = time.astype(str)
    years, rest = np.char.partition(iso, "-")[:, 0], np.char.partition(iso, "-")[:, 2]
    months, days, clock = (
        rest.astype("<U11").view("<U1").reshape(len(rest), 11)[:, a:b] for a, b in ((0, 2), (3, 5), (6, 11))
    )

    def joined(letters: npt.NDArray[np.str_]) -> Strings:
        return np.ascontiguousarray(letters).view(f"<U{letters.shape[1]}").ravel()

    text = np.char.add(np.char.add(np.char.add(joined(days), "/"), np.char.add(joined(months), "/")), years)
    text = np.char.add(np.char.add(text, " "), joined(clock)).astype("<U20")
    text[defect == "blank time"] = ""
    text[defect == "unreadable time"] = "31/06/2023 25:10"
    return text


def _coordinate_texts(
    place: npt.NDArray[np.float64], defect: Strings, rng: np.random.Generator
) -> tuple[Strings, Strings]:
    lon, lat = (np.char.mod("%.6f", place[:, axis]).astype("<U16") for axis in (0, 1))
    swapped = defect == "swapped_axes"
    lon[swapped], lat[swapped] = lat[swapped], lon[swapped].copy()
    lon[defect == "zero_coordinates"] = lat[defect == "zero_coordinates"] = "0"
    blank = np.flatnonzero(defect == "no_coordinates")
    lon[blank], lat[blank] = "", ""
    lon[blank[::9]] = "-39.99"  # now and then one of the two was typed
    unreadable = np.flatnonzero(defect == "unreadable_coordinates")
    lat[unreadable] = rng.choice(np.array(["n/k", "38.0.12", "see notes", "38°"]), len(unreadable))
    out = defect == "out_of_range"
    lat[out] = np.char.add("3", lat[out])  # a figure typed twice
    return lon, lat


def _stated_wards(land: Land, block: npt.NDArray[np.int64], names: list[str], rng: np.random.Generator) -> Strings:
    """The ward as the dispatcher typed it: often in another way, sometimes a neighbour, sometimes nothing."""
    spelt = np.array([[as_typed(name, way) for way in range(6)] for name in names])
    ward = land.ward_of_block[block].copy()
    wrong = rng.random(len(block)) < 0.02
    _, near = cKDTree(shapely.get_coordinates(shapely.centroid(land.ward))).query(
        shapely.get_coordinates(shapely.centroid(land.ward)), k=2
    )
    ward[wrong] = near[ward[wrong], 1]
    way = rng.choice(6, len(block), p=[0.70, 0.08, 0.08, 0.05, 0.05, 0.04])
    said = spelt[ward, way]
    return np.where(rng.random(len(block)) < 0.01, "", said)


def _break_rows(path: Path, rows: npt.NDArray[np.int64]) -> None:
    """Give rows a field too many, as a comma in a remark would."""
    lines = path.read_bytes().split(b"\n")
    for i in rows:
        lines[i + 1] += b",by phone"
    path.write_bytes(b"\n".join(lines))
