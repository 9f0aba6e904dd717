"""Some forty sets of files, and for each what an expert would make of it, written down before anything was run.

Of each: the areas to count in ("grid" for cells), how records are placed ("coordinates", or the column that names their
area), what they are divided by (a source, "ground", or None), the multiplier, the projection's greatest stretch, of a
grid the cells' width in km (within a factor of two), how many boxes there are, and what says for how many events a
record stands.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import shapely
from numpy.random import Generator

from .made import days, inside, names, parquet, parted, projected, text, topology, vector, workbook


@dataclass(frozen=True)
class Expected:
    areas: str
    placed: str | None = "coordinates"
    divided: str | None = None
    per: tuple[float, ...] = (1.0,)  # any of these reads well
    stretch: float = 0.002
    cell_km: float | None = None
    boxes: int = 0
    number: str | None = None  # the column that says for how many events a record stands


Make = Callable[[Path, Generator], list[Path]]
SETS: dict[str, tuple[Make, Expected]] = {}


def expert(**says: object) -> Callable[[Make], Make]:
    def register(make: Make) -> Make:
        SETS[make.__name__] = make, Expected(**says)  # type: ignore[arg-type]
        return make

    return register


def box(west: float, south: float, east: float, north: float) -> shapely.Geometry:
    return shapely.box(west, south, east, north)


def records(xy: np.ndarray, rng: Generator, *, lon: str = "longitude", lat: str = "latitude") -> dict[str, list]:
    n = len(xy)
    return {
        "report": [f"R-{i:06d}" for i in rng.permutation(n)],
        "date": days(n, rng),
        "kind": rng.choice(["theft", "damage", "noise"], n).tolist(),
        lon: [f"{v:.5f}" for v in xy[:, 0]],
        lat: [f"{v:.5f}" for v in xy[:, 1]],
    }


COUNTY = box(9.8, 49.8, 10.6, 50.3)


def county(rng: Generator, n: int = 40) -> tuple[list, dict[str, list]]:
    shapes = parted(COUNTY, n, rng)
    return shapes, {"code": [f"05{i:03d}" for i in range(len(shapes))], "name": names(len(shapes), rng)}


def people(n: int, rng: Generator, middle: float = 5_000.0) -> list[int]:
    return np.round(middle * rng.lognormal(0.0, 0.3, n)).astype(int).tolist()


def twenty(shapes: list, rng: Generator, mean: float = 20.0) -> np.ndarray:
    """Places, some twenty in each area."""
    return inside(shapes, rng.poisson(mean, len(shapes)).tolist(), rng)


# Shapes of land. Some 20 events to 5,000 people are 40 of 10,000.


def archipelago(rng: Generator) -> tuple[list, dict[str, list]]:
    """A mainland of twenty by ten degrees, and two groups of islands on both sides of 180 degrees."""
    mainland = parted(box(-100, 30, -80, 40), 60, rng)
    west = [box(176 + 1.2 * i, 51, 177 + 1.2 * i, 51.8) for i in range(2)]
    east = [box(-178 + 1.2 * i, 51.2, -177 + 1.2 * i, 52) for i in range(3)]
    south = [box(-157, 20, -156, 21), box(-155.6, 19, -154.8, 20)]
    shapes = [*mainland, *west, *east, *south]
    return shapes, {"code": [f"N{i:03d}" for i in range(len(shapes))], "name": names(len(shapes), rng)}


@expert(areas="provinces", divided="census", per=(10_000.0,), stretch=0.02, boxes=2)
def archipelago_with_all(folder: Path, rng: Generator) -> list[Path]:
    shapes, columns = archipelago(rng)
    return [
        vector(folder / "provinces.gpkg", shapes, columns),
        text(folder / "incidents.csv", records(twenty(shapes, rng), rng)),
        workbook(folder / "census.xlsx", {"code": columns["code"], "population": people(len(shapes), rng)}),
    ]


@expert(areas="grid", stretch=0.02, cell_km=100.0)
def archipelago_events_alone(folder: Path, rng: Generator) -> list[Path]:
    shapes, _ = archipelago(rng)
    return [text(folder / "incidents.csv", records(twenty(shapes[:60], rng, 60.0), rng))]


@expert(areas="provinces", placed=None, divided="ground", per=(1.0, 100.0), stretch=0.02, boxes=2)
def archipelago_areas_and_people(folder: Path, rng: Generator) -> list[Path]:
    shapes, columns = archipelago(rng)
    return [
        vector(folder / "provinces.gpkg", shapes, columns),
        text(folder / "census.csv", {"code": columns["code"], "population": people(len(shapes), rng, 4e5)}),
    ]


@expert(areas="regions", divided="inhabitants", per=(10_000.0,), stretch=0.015)
def long_thin_country(folder: Path, rng: Generator) -> list[Path]:
    shapes = parted(box(-73, -54, -69, -18), 50, rng)
    columns = {"id": [f"{i:02d}" for i in range(len(shapes))], "region": names(len(shapes), rng)}
    return [
        vector(folder / "regions.shp", shapes, columns),
        text(folder / "cases.csv", records(twenty(shapes, rng), rng)),
        text(folder / "inhabitants.csv", {"region": columns["region"], "inhabitants": people(len(shapes), rng)}),
    ]


@expert(areas="districts", divided="people", per=(10_000.0,), stretch=0.03)
def wide_country(folder: Path, rng: Generator) -> list[Path]:
    shapes = parted(box(-120, 30, -75, 48), 60, rng)
    columns = {"district": names(len(shapes), rng)}
    xy = twenty(shapes, rng)
    return [
        vector(folder / "districts.fgb", shapes, columns),
        parquet(
            folder / "calls.parquet", {"lon": (xy := twenty(shapes, rng))[:, 0].tolist(), "lat": xy[:, 1].tolist()}
        ),
        text(folder / "people.csv", {"district": columns["district"], "people": people(len(shapes), rng)}),
    ]


@expert(areas="sectors", divided="census", per=(10_000.0,), stretch=0.08)
def a_pole(folder: Path, rng: Generator) -> list[Path]:
    shapes = [box(w, s, w + 30, s + 6) for w in range(-180, 180, 30) for s in (66, 72, 78, 84)]
    columns = {"sector": [f"S{i:02d}" for i in range(len(shapes))]}
    return [
        vector(folder / "sectors.gpkg", shapes, columns),
        text(folder / "sightings.csv", records(twenty(shapes, rng), rng)),
        text(folder / "census.csv", {"sector": columns["sector"], "residents": people(len(shapes), rng)}),
    ]


@expert(areas="cantons", divided="people", per=(10_000.0,), stretch=0.005)
def an_enclave_state(folder: Path, rng: Generator) -> list[Path]:
    hole = box(28.2, -30.2, 29.2, -29.2)
    shapes = [*parted(shapely.difference(box(27, -31, 30.5, -28), hole), 30, rng), hole]
    columns = {"canton": names(len(shapes), rng)}
    return [
        vector(folder / "cantons.geojson", shapes, columns),
        text(folder / "thefts.csv", records(twenty(shapes, rng), rng)),
        parquet(folder / "people.parquet", {"canton": columns["canton"], "population": people(len(shapes), rng)}),
    ]


@expert(areas="blocks", divided="blocks", per=(1_000.0,))
def a_city_of_forty_blocks(folder: Path, rng: Generator) -> list[Path]:
    at = [(500_000 + 200 * i, 5_540_000 + 150 * k) for i in range(8) for k in range(5)]
    shapes = [box(x, y, x + 180, y + 130) for x, y in at]
    xy = inside(shapes, [4] * 40, rng)
    columns = {"block": [f"B{i:02d}" for i in range(40)], "residents": people(40, rng, 150.0)}
    east, north = ([f"{v:.1f}" for v in c] for c in xy.T)
    return [
        vector(folder / "blocks.fgb", shapes, columns, crs="EPSG:32632"),
        text(folder / "calls.csv", {"nr": [str(i) for i in range(len(xy))], "easting": east, "northing": north}),
    ]


@expert(areas="wards", divided="people", per=(10_000.0,), stretch=0.02, boxes=1)
def two_cities_far_apart(folder: Path, rng: Generator) -> list[Path]:
    shapes = [*parted(box(5, 45, 5.3, 45.2), 25, rng), *parted(box(14, 48, 14.3, 48.2), 25, rng)]
    columns = {"ward": names(len(shapes), rng)}
    return [
        vector(folder / "wards.gpkg", shapes, columns),
        text(folder / "calls.csv", records(twenty(shapes, rng), rng)),
        text(folder / "people.csv", {"ward": columns["ward"], "people": people(len(shapes), rng)}),
    ]


@expert(areas="countries", divided="population", per=(1_000_000.0,), stretch=60.0)
def the_world(folder: Path, rng: Generator) -> list[Path]:
    land = [box(-165, -50, -35, 70), box(-15, -35, 55, 68), box(60, -10, 178, 72)]
    shapes = [s for part in land for s in parted(part, 50, rng)]
    columns = {"iso": [f"X{i:03d}" for i in range(len(shapes))], "country": names(len(shapes), rng)}
    return [
        vector(folder / "countries.gpkg", shapes, columns),
        text(folder / "outbreaks.csv", records(twenty(shapes, rng, 200.0), rng)),
        workbook(folder / "population.xlsx", {"iso": columns["iso"], "population": people(len(shapes), rng, 1e7)}),
    ]


@expert(areas="grid", stretch=60.0, cell_km=500.0)
def the_world_in_cells(folder: Path, rng: Generator) -> list[Path]:
    xy = np.column_stack([rng.uniform(-180, 180, 20_000), np.degrees(np.arcsin(rng.uniform(-0.9, 0.95, 20_000)))])
    return [text(folder / "strikes.csv", records(xy, rng))]


# Tables


def with_table(folder: Path, rng: Generator, table: Callable[[list, dict[str, list]], Path]) -> list[Path]:
    shapes, columns = county(rng)
    return [
        vector(folder / "wards.gpkg", shapes, columns),
        text(folder / "calls.csv", records(twenty(shapes, rng), rng)),
        table(shapes, columns),
    ]


PER_PEOPLE = {"areas": "wards", "divided": "people", "per": (10_000.0,)}


@expert(**PER_PEOPLE)
def keys_without_zeros(folder: Path, rng: Generator) -> list[Path]:
    return with_table(folder, rng, lambda s, c: text(
        folder / "people.csv", {"nr": [str(int(k)) for k in c["code"]], "residents": people(len(s), rng)}))  # fmt: skip


@expert(**PER_PEOPLE)
def names_with_affixes(folder: Path, rng: Generator) -> list[Path]:
    return with_table(folder, rng, lambda s, c: workbook(
        folder / "people.xlsx", {"Ward": [f"{n} (ward)" for n in c["name"]], "Residents": people(len(s), rng)},
        title=["Residents of the county", "", "Source: made up"]))  # fmt: skip


@expert(**PER_PEOPLE)
def a_total_row(folder: Path, rng: Generator) -> list[Path]:
    def table(shapes: list, columns: dict[str, list]) -> Path:
        counts = people(len(shapes), rng)
        rows = {"ward": [*columns["name"], "Total"], "residents": [*counts, sum(counts)]}
        return text(folder / "people.csv", rows, delimiter=";")

    return with_table(folder, rng, table)


@expert(**PER_PEOPLE)
def years_side_by_side(folder: Path, rng: Generator) -> list[Path]:
    return with_table(folder, rng, lambda s, c: text(
        folder / "people.csv",
        {"code": c["code"], **{f"residents {y}": people(len(s), rng) for y in range(2020, 2025)}}))  # fmt: skip


@expert(**PER_PEOPLE)
def years_below_each_other(folder: Path, rng: Generator) -> list[Path]:
    def table(shapes: list, columns: dict[str, list]) -> Path:
        n, years = len(shapes), range(2021, 2025)
        rows = {
            "year": [y for y in years for _ in range(n)],
            "ward": columns["name"] * len(years),
            "population": [p for _ in years for p in people(n, rng)],
        }
        return text(folder / "people.csv", rows)

    return with_table(folder, rng, table)


@expert(**PER_PEOPLE)
def by_sex_and_age(folder: Path, rng: Generator) -> list[Path]:
    def table(shapes: list, columns: dict[str, list]) -> Path:
        groups = [(w, s, a) for w in columns["name"] for s in ("f", "m") for a in ("0-17", "18-64", "65 and over")]
        counts = people(len(groups), rng, 5_000 / 6)
        rows = {"ward": [g[0] for g in groups], "sex": [g[1] for g in groups], "age": [g[2] for g in groups]}
        return text(folder / "people.csv", {**rows, "persons": counts, "residents": counts})

    return with_table(folder, rng, table)


@expert(**PER_PEOPLE)
def a_table_in_another_encoding(folder: Path, rng: Generator) -> list[Path]:
    def table(shapes: list, columns: dict[str, list]) -> Path:
        rows = {
            "Gemeinde": columns["name"],
            "Einwohner": [f"{p:,}".replace(",", ".") for p in people(len(shapes), rng)],
        }
        return text(folder / "people.csv", rows, delimiter=";", encoding="cp1252")

    return with_table(folder, rng, table)


@expert(**PER_PEOPLE)
def residents_beside_other_figures(folder: Path, rng: Generator) -> list[Path]:
    return with_table(folder, rng, lambda s, c: text(folder / "people.csv", {
        "code": c["code"], "median income": people(len(s), rng, 30_000),
        "share of pupils": rng.uniform(0, 1, len(s)).tolist(), "inhabitants": people(len(s), rng)}))  # fmt: skip


@expert(areas="wards", divided="wards", per=(10_000.0,))
def residents_in_the_areas_themselves(folder: Path, rng: Generator) -> list[Path]:
    shapes, columns = county(rng)
    return [
        vector(folder / "wards.gpkg", shapes, {**columns, "residents": people(len(shapes), rng)}),
        text(folder / "calls.csv", records(twenty(shapes, rng), rng)),
    ]


@expert(areas="wards", divided="people", per=(10_000.0,))
def two_tables_of_the_same_areas(folder: Path, rng: Generator) -> list[Path]:
    files = with_table(folder, rng, lambda s, c: text(
        folder / "people.csv", {"code": c["code"], "residents": people(len(s), rng)}))  # fmt: skip
    codes = [f"05{i:03d}" for i in range(40)]
    return [*files, text(folder / "schools.csv", {"code": codes, "pupils per class": rng.uniform(15, 30, 40).tolist()})]


@expert(areas="wards", divided="ground", per=(1.0, 100.0))
def a_table_that_matches_nothing(folder: Path, rng: Generator) -> list[Path]:
    towns = {"town": names(30, np.random.default_rng(99)), "residents": people(30, rng)}
    return with_table(folder, rng, lambda _s, _c: text(folder / "people.csv", towns))


# Records


@expert(**{**PER_PEOPLE, "placed": "ward"})
def codes_only(folder: Path, rng: Generator) -> list[Path]:
    shapes, columns = county(rng)
    of = rng.choice(len(shapes), 800)
    rows = {
        "id": [f"{i:05d}" for i in range(800)], "date": days(800, rng), "ward": [columns["code"][i] for i in of],
        "age": rng.integers(0, 95, 800).tolist(),
    }  # fmt: skip
    return [
        vector(folder / "wards.gpkg", shapes, columns),
        text(folder / "cases.csv", rows),
        text(folder / "people.csv", {"code": columns["code"], "residents": people(len(shapes), rng)}),
    ]


@expert(**{**PER_PEOPLE, "placed": "where"})
def names_only_as_they_were_typed(folder: Path, rng: Generator) -> list[Path]:
    shapes, columns = county(rng)
    typed = [n.upper() if rng.random() < 0.3 else f" {n}" if rng.random() < 0.3 else n for n in columns["name"]]
    of = rng.choice(len(shapes), 800)
    rows = {"nr": list(range(800)), "where": [typed[i] for i in of], "kind": rng.choice(["a", "b"], 800).tolist()}
    return [
        vector(folder / "wards.gpkg", shapes, columns),
        workbook(folder / "cases.xlsx", rows),
        text(folder / "people.csv", {"name": columns["name"], "residents": people(len(shapes), rng)}),
    ]


@expert(**PER_PEOPLE)
def the_national_grid(folder: Path, rng: Generator) -> list[Path]:
    shapes, columns = county(rng)
    at = np.round(projected(twenty(shapes, rng), 32632)).astype(int)
    rows = {"Fall": [f"F{i}" for i in range(len(at))], "Rechtswert": at[:, 0].tolist(), "Hochwert": at[:, 1].tolist()}
    return [
        vector(folder / "wards.gpkg", shapes, columns),
        text(folder / "calls.csv", rows, delimiter=";"),
        text(folder / "people.csv", {"code": columns["code"], "residents": people(len(shapes), rng)}),
    ]


@expert(**PER_PEOPLE)
def degrees_and_minutes(folder: Path, rng: Generator) -> list[Path]:
    shapes, columns = county(rng)

    def written(value: float, letter: str) -> str:
        return f"{int(value)}° {(value - int(value)) * 60:.3f}' {letter}"

    xy = twenty(shapes, rng)
    rows = {
        "nr": list(range(len(xy))), "lat": [written(v, "N") for v in xy[:, 1]],
        "lon": [written(v, "E") for v in xy[:, 0]],
    }  # fmt: skip
    return [
        vector(folder / "wards.gpkg", shapes, columns),
        text(folder / "calls.csv", rows),
        text(folder / "people.csv", {"code": columns["code"], "residents": people(len(shapes), rng)}),
    ]


@expert(**PER_PEOPLE)
def a_quarter_outside(folder: Path, rng: Generator) -> list[Path]:
    shapes, columns = county(rng)
    outside = np.column_stack([rng.uniform(10.7, 11.5, 260), rng.uniform(49.8, 50.3, 260)])
    return [
        vector(folder / "wards.gpkg", shapes, columns),
        text(folder / "calls.csv", records(np.concatenate([twenty(shapes, rng), outside]), rng)),
        text(folder / "people.csv", {"code": columns["code"], "residents": people(len(shapes), rng)}),
    ]


@expert(**PER_PEOPLE)
def events_as_points(folder: Path, rng: Generator) -> list[Path]:
    shapes, columns = county(rng)
    xy = twenty(shapes, rng)
    of = {"nr": [f"E{i}" for i in range(len(xy))], "when": days(len(xy), rng)}
    return [
        vector(folder / "wards.gpkg", shapes, columns),
        vector(folder / "calls.gpkg", list(shapely.points(xy)), of),
        text(folder / "people.csv", {"code": columns["code"], "residents": people(len(shapes), rng)}),
    ]


@expert(**PER_PEOPLE)
def with_roads_and_water(folder: Path, rng: Generator) -> list[Path]:
    files = with_table(folder, rng, lambda s, c: text(
        folder / "people.csv", {"code": c["code"], "residents": people(len(s), rng)}))  # fmt: skip
    roads = [shapely.linestrings(rng.uniform((9.8, 49.8), (10.6, 50.3), (4, 2))) for _ in range(30)]
    return [*files, vector(folder / "roads.gpkg", roads, {"kind": ["road"] * 30})]


@expert(**PER_PEOPLE, number="cases")
def rows_that_stand_for_several_events(folder: Path, rng: Generator) -> list[Path]:
    shapes, columns = county(rng)
    xy = twenty(shapes, rng, 5.0)
    rows = {
        "lon": xy[:, 0].round(5).tolist(),
        "lat": xy[:, 1].round(5).tolist(),
        "cases": rng.integers(1, 8, len(xy)).tolist(),
    }
    return [
        vector(folder / "wards.gpkg", shapes, columns),
        text(folder / "cases.csv", rows),
        text(folder / "people.csv", {"code": columns["code"], "residents": people(len(shapes), rng)}),
    ]


# Areas


@expert(areas="zones", divided="people", per=(10_000.0,))
def degrees_that_no_file_names(folder: Path, rng: Generator) -> list[Path]:
    shapes, columns = county(rng)
    return [
        topology(folder / "zones.topojson", shapes, columns),
        text(folder / "calls.csv", records(twenty(shapes, rng), rng)),
        text(folder / "people.csv", {"code": columns["code"], "residents": people(len(shapes), rng)}),
    ]


@expert(areas="zones", divided="people", per=(10_000.0,))
def an_identifier_that_repeats(folder: Path, rng: Generator) -> list[Path]:
    shapes, columns = county(rng)
    repeated = [-99 if i % 9 == 0 else i for i in range(len(shapes))]
    return [
        vector(folder / "zones.gpkg", shapes, {"id": repeated, **columns}),
        text(folder / "calls.csv", records(twenty(shapes, rng), rng)),
        text(folder / "people.csv", {"name": columns["name"], "residents": people(len(shapes), rng)}),
    ]


@expert(areas="tracts", divided="people", per=(10_000.0,))
def two_files_of_areas_and_people_of_the_finer(folder: Path, rng: Generator) -> list[Path]:
    shapes, columns = county(rng, 60)
    coarse = [box(9.8, 49.8, 10.2, 50.3), box(10.2, 49.8, 10.6, 50.3)]
    return [
        vector(folder / "tracts.gpkg", shapes, columns),
        vector(folder / "halves.gpkg", coarse, {"half": ["West", "East"]}),
        text(folder / "calls.csv", records(twenty(shapes, rng), rng)),
        text(folder / "people.csv", {"code": columns["code"], "residents": people(len(shapes), rng)}),
    ]


@expert(areas="wards", divided="people", per=(10_000.0,))
def two_files_of_areas_and_people_of_the_coarser(folder: Path, rng: Generator) -> list[Path]:
    shapes, columns = county(rng)
    fine = parted(COUNTY, 400, rng)
    return [
        vector(folder / "wards.gpkg", shapes, columns),
        vector(folder / "cells.gpkg", fine, {"cell": [f"K-{i:04d}/{i % 7}" for i in range(len(fine))]}),
        text(folder / "calls.csv", records(twenty(shapes, rng), rng)),
        text(folder / "people.csv", {"ward": columns["name"], "residents": people(len(shapes), rng)}),
    ]


@expert(areas="squares")
def areas_alike_in_size_without_people(folder: Path, rng: Generator) -> list[Path]:
    shapes = [box(10 + i / 20, 50 + k / 30, 10.05 + i / 20, 50 + (k + 1) / 30) for i in range(7) for k in range(7)]
    return [
        vector(folder / "squares.gpkg", shapes, {"square": [f"{'ABCDEFG'[i // 7]}{i % 7}" for i in range(49)]}),
        text(folder / "calls.csv", records(twenty(shapes, rng), rng)),
    ]


@expert(areas="parishes", divided="ground", per=(1.0, 100.0))
def areas_of_many_sizes_without_people(folder: Path, rng: Generator) -> list[Path]:
    town = box(10.1, 50.0, 10.2, 50.07)
    shapes = [*parted(town, 25, rng), *parted(shapely.difference(COUNTY, town), 25, rng)]
    return [
        vector(folder / "parishes.shp", shapes, {"parish": names(len(shapes), rng)}),
        text(folder / "calls.csv", records(twenty(shapes, rng), rng)),
    ]


@expert(areas="grid", cell_km=10.0)
def areas_of_another_country(folder: Path, rng: Generator) -> list[Path]:
    shapes = parted(box(30, 0, 31, 1), 30, rng)
    return [
        vector(folder / "wards.gpkg", shapes, {"ward": names(len(shapes), rng)}),
        text(folder / "calls.csv", records(inside([COUNTY], [900], rng), rng)),
    ]


@expert(areas="wards", placed=None, divided=None)
def areas_with_a_rate(folder: Path, rng: Generator) -> list[Path]:
    shapes, columns = county(rng)
    rates = rng.uniform(5, 60, len(shapes)).round(2).tolist()
    return [
        vector(folder / "wards.gpkg", shapes, columns),
        text(folder / "illness.csv", {"ward": columns["name"], "rate": rates}),
    ]


@expert(areas="wards", placed=None, divided=None)
def areas_alone(folder: Path, rng: Generator) -> list[Path]:
    shapes, columns = county(rng)
    return [vector(folder / "wards.gpkg", shapes, columns)]


# Grids


@expert(areas="grid", cell_km=0.2)
def a_dense_city(folder: Path, rng: Generator) -> list[Path]:
    return [text(folder / "thefts.csv", records(rng.normal((10, 50), (0.05, 0.03), (40_000, 2)), rng))]


@expert(areas="grid", cell_km=10.0)
def few_events_in_a_county(folder: Path, rng: Generator) -> list[Path]:
    return [text(folder / "crashes.csv", records(inside([COUNTY], [250], rng), rng))]


@expert(areas="grid", cell_km=2.0)
def strays_all_over_the_world(folder: Path, rng: Generator) -> list[Path]:
    near, far = inside([COUNTY], [9_000], rng), rng.uniform((-170, -60), (170, 70), (25, 2))
    return [text(folder / "calls.csv", records(np.concatenate([near, far]), rng))]
