"""The demo study: a made-up harbour county on an island in mid-ocean, written as the files that an analyst is given.

The same seed and size give the same bytes. `truth/` holds what is known about the data, for tests.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.csv
import shapely

from steady_tally.core.errors import SourceError
from steady_tally.demo.events import TO_DEGREES, write_call_outs, write_thefts
from steady_tally.demo.land import CRS_NAME, TOWN, Land, junctions_of, make_land, roads_of
from steady_tally.demo.names import place_names, street_names
from steady_tally.demo.people import YEARS, Spelling, make_people, spellings, write_residents
from steady_tally.formats.drivers import pyogrio

DEFAULT_EVENTS = 60_000
PLAN = "plan.json"
_CONTENTS = "contents.json"
CALL_OUTS, WARDS_FILE, RESIDENTS = "call-outs.csv", "wards.gpkg", "residents.xlsx"
RECORDED = "recorded in 2021"  # the source of that name


def write_quillhaven(folder: Path, *, events: int = DEFAULT_EVENTS, seed: int = 1) -> None:
    """Write all files of the demo study into `folder`, or, where that fails, none."""
    folder.parent.mkdir(parents=True, exist_ok=True)
    partial = Path(tempfile.mkdtemp(prefix=".partial-", dir=folder.parent))
    try:
        _write(partial, events, seed)
        contents = {str(f.relative_to(partial)): _sha256(f) for f in sorted(partial.rglob("*")) if f.is_file()}
        (partial / _CONTENTS).write_text(json.dumps(contents, indent=2) + "\n", encoding="utf-8")
        if folder.exists():
            shutil.rmtree(folder)
        os.chmod(partial, 0o755)
        partial.rename(folder)
    finally:
        shutil.rmtree(partial, ignore_errors=True)


def check_quillhaven(folder: Path) -> None:
    """SourceError unless every file of the folder is there and as it was made."""
    todo = "Delete the folder and load the demo again."
    try:
        contents = json.loads((folder / _CONTENTS).read_text(encoding="utf-8"))
    except (OSError, ValueError):
        raise SourceError("this is no whole demo folder.", where=f"folder “{folder}”", todo=todo) from None
    for name, digest in contents.items():
        if not (folder / name).is_file() or _sha256(folder / name) != digest:
            raise SourceError(f"“{name}” is missing or has been changed.", where=f"folder “{folder}”", todo=todo)


def _sha256(file: Path) -> str:
    return hashlib.sha256(file.read_bytes()).hexdigest()


def _write(folder: Path, events: int, seed: int) -> None:
    (folder / "truth").mkdir()
    for_land, for_people, for_names, for_roads, for_calls, for_thefts = (
        np.random.default_rng([seed, part]) for part in range(6)
    )
    land = make_land(for_land)
    people = make_people(land, for_people)
    wards = len(land.ward)
    names = place_names(wards, for_names)
    numbers = _ward_numbers(land)
    codes = [f"Q{district:02d}{nth:02d}" for district, nth in numbers]
    spelt = spellings(codes, names, for_names)
    junctions, junction_block = junctions_of(land, people.residents_of_block, for_roads)
    unrecorded = np.sort(for_names.choice(wards, 11, replace=False))

    ward_columns = {"code": codes, "name": names, "district": [f"District {district}" for district, _ in numbers]}
    _write_layers(folder / WARDS_FILE, {"wards": (land.ward, ward_columns)}, "MultiPolygon")
    block_codes = [f"{codes[w]}-{i:04d}" for i, w in enumerate(land.ward_of_block)]
    block_columns = {
        "block": block_codes,
        "ward_code": [codes[w] for w in land.ward_of_block],
        "deprivation_fifth": people.fifth,
        "residents": people.residents_of_block,
    }
    _write_layers(folder / "blocks.gpkg", {"blocks": (land.block, block_columns)}, "MultiPolygon")
    _write_layers(folder / "catchments.gpkg", {"catchments": _catchments(land)}, "MultiPolygon")
    roads, road_kinds = roads_of(land, junctions, for_roads)
    _write_layers(folder / "roads.gpkg", {"roads": (np.array(roads), {"kind": road_kinds})}, "LineString")
    _write_layers(folder / "coast.gpkg", {"coast": ([land.land], {"name": ["Quillhaven"]})}, "MultiPolygon")
    _write_layers(folder / "lagoon.gpkg", {"lagoon": ([land.lagoon], {"name": ["The Lagoon"]})}, "MultiPolygon")
    write_residents(folder / RESIDENTS, people, spelt)
    truth = write_call_outs(
        folder / CALL_OUTS, land, people, junctions, junction_block, names, unrecorded, events, for_calls
    )
    write_thefts(folder / "bicycle-thefts.csv", land, people, for_thefts)
    _write_streets(folder / "street-look-up.csv", junctions, for_roads)
    recorded = [c for w, c in enumerate(codes) if w not in unrecorded]
    _write_csv(folder / "recorded-in-2021.csv", {"ward_code": recorded})
    _write_csv(
        folder / "truth" / "call-outs.csv",
        {
            "record": np.arange(1, events + 1),
            "reason": truth.reason,
            "ward_code": np.array([*codes, ""])[truth.ward],
        },
    )
    residents = np.bincount(land.ward_of_block, weights=people.residents_of_block, minlength=wards)
    at_risk = np.bincount(land.ward_of_block, weights=people.residents_of_block * people.risk_of_block, minlength=wards)
    relative = np.divide(at_risk, residents, out=np.ones(wards), where=residents > 0)
    _write_csv(
        folder / "truth" / "wards.csv",
        {
            "ward_code": codes,
            "relative_risk": relative,
            "residents": people.residents.sum(axis=(2, 3)).mean(axis=1),
            **{f"residents {year}": people.residents[:, y].sum(axis=(1, 2)) for y, year in enumerate(YEARS)},
            "spelt": [s.name for s in spelt],
        },
    )
    _write_csv(folder / "truth" / "blocks.csv", {"block": block_codes, "relative_risk": people.risk_of_block})
    document = json.dumps(_plan(spelt, codes, _around(land.islets)), ensure_ascii=False, indent=2)
    (folder / PLAN).write_text(document + "\n", encoding="utf-8")


def _ward_numbers(land: Land) -> list[tuple[int, int]]:
    """A district and a number within it for each ward: nine districts as rings round the town."""
    reach = shapely.distance(shapely.centroid(land.ward), shapely.points(TOWN))
    order = np.argsort(reach, kind="stable")
    numbers = [(0, 0)] * len(order)
    for place, ward in enumerate(order):
        numbers[ward] = (place // 14 + 1, place % 14 + 1)
    return numbers


def _catchments(land: Land) -> tuple[npt.NDArray[np.object_], dict[str, list[str]]]:
    """Four overlapping areas, each what an ambulance station serves."""
    offsets = {
        "Harbour": (0, 0),
        "North Road": (6_000, 7_500),
        "Lagoon": (9_500, -6_000),
        "Skerries": (40_000, -33_500),
    }
    reach = {"Harbour": 9_000.0, "North Road": 11_000.0, "Lagoon": 12_500.0, "Skerries": 14_000.0}
    shapes = [
        land.land.intersection(shapely.points(TOWN + offset).buffer(reach[name], quad_segs=24))
        for name, offset in offsets.items()
    ]
    return np.array(shapes), {"station": list(offsets)}


def _write_layers(path: Path, layers: dict[str, Any], kind: str) -> None:
    """Write a GeoPackage whose bytes depend on its content alone."""
    options = pyogrio.get_gdal_config_option("OGR_CURRENT_DATE")
    pyogrio.set_gdal_config_options({"OGR_CURRENT_DATE": "2026-01-05T00:00:00.000Z"})
    try:
        for name, (geometry, columns) in layers.items():
            shapes = np.array(geometry, dtype=object)
            if kind == "MultiPolygon":
                shapes = np.array([shapely.multipolygons(shapely.get_parts(g)) for g in shapes])
            pyogrio.raw.write(
                str(path),
                shapely.to_wkb(shapes),
                field_data=[
                    np.array(c) if not isinstance(c[0], str) else np.array(c, dtype=object) for c in columns.values()
                ],
                fields=list(columns),
                layer=name,
                driver="GPKG",
                geometry_type=kind,
                crs=CRS_NAME,
            )
    finally:
        pyogrio.set_gdal_config_options({"OGR_CURRENT_DATE": options})


def _write_streets(path: Path, junctions: npt.NDArray[np.float64], rng: np.random.Generator) -> None:
    """A look-up from street and number to coordinates."""
    names = street_names(len(junctions) // 2, rng)
    at = np.repeat(np.arange(len(names)), 2)
    lon, lat = TO_DEGREES.transform(*junctions[: len(at)].T)
    _write_csv(
        path,
        {
            "street": np.array(names)[at],
            "number": np.tile([1, 40], len(names)) + 2 * rng.integers(0, 12, len(at)),
            "lon": np.round(lon, 6),
            "lat": np.round(lat, 6),
        },
    )


def _write_csv(path: Path, columns: dict[str, Any]) -> None:
    pyarrow.csv.write_csv(pa.table({n: pa.array(c) for n, c in columns.items()}), path)


def _around(shape: shapely.Geometry) -> list[list[float]]:
    """The corners of a box about a shape, in longitude and latitude."""
    west, south, east, north = shapely.bounds(shapely.buffer(shape, 500.0))
    lon, lat = TO_DEGREES.transform([west, east, east, west], [south, south, north, north])
    return np.round(np.column_stack([lon, lat]), 5).tolist()


def _plan(spelt: list[Spelling], codes: list[str], islets: list[list[float]]) -> dict[str, Any]:
    """The plan that the demo study opens with: call-outs per 10,000 residents and summer, by ward; the islets, whose
    corners are given, stand in a box."""
    windows = [{"name": f"summer {y}", "first_day": f"{y}-06-01", "last_day": f"{y}-08-31"} for y in YEARS]
    listed = {"kind": "list", "source": RECORDED, "column": "ward_code", "area": "code"}
    rate = "call-outs per 10,000 residents and summer"
    return {
        "format": "steady-tally-plan",
        "version": 3,
        "gather": {
            "events": {
                "call-outs": {
                    "source": "call-outs",
                    "coordinates": {"kind": "columns", "x": "lon", "y": "lat", "crs": "EPSG:4326"},
                    "identifier": "call_id",
                    "time": {"column": "called_at", "order": "day-first"},
                    "recorded": [{**windows[0], "where": listed}, *windows[1:]],
                },
                "bicycle thefts": {
                    "source": "bicycle thefts",
                    "coordinates": {"kind": "columns", "x": "easting", "y": "northing", "crs": CRS_NAME},
                    "identifier": "report",
                    "time": {"column": "from"},
                },
            }
        },
        "place": {"areas": {"kind": "zones", "source": "wards", "identifier": "code", "name": "name"}},
        "measure": {
            rate: {
                "kind": "quotient",
                "numerator": {"kind": "events", "events": "call-outs"},
                "denominator": {
                    "kind": "table",
                    "source": "residents",
                    "keys": [{"table": "Ward code", "area": "identifier"}, {"table": "Ward", "area": "name"}],
                    "value": "Residents",
                    "add_over": ["Sex", "Age group"],
                    "years": {"kind": "column", "column": "Year"},
                    "accepted": {s.name: code for s, code in zip(spelt, codes, strict=True) if s.needs_a_word},
                },
                "per": 10000,
                "time": "window",
            },
            "bicycle thefts per km²": {
                "kind": "quotient",
                "numerator": {"kind": "events", "events": "bicycle thefts"},
                "denominator": {"kind": "ground"},
            },
        },
        "class": {rate: {"method": "quantile", "count": 5}},
        "show": {
            "title": "Heat-illness call-outs in Quillhaven",
            "mapped": rate,
            "insets": [{"corners": islets, "at": "bottom right"}],
        },
    }
