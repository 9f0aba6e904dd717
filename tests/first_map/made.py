"""Made-up land, people and records, and files of them as offices have them, written by other libraries."""

from __future__ import annotations

import csv
import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
import openpyxl
import pyarrow as pa
import pyarrow.parquet
import pyogrio
import shapely
from pyproj import Transformer

_ONSETS, _NUCLEI = (
    ["B", "D", "F", "G", "H", "K", "L", "M", "N", "P", "R", "S", "T", "V"],
    ["a", "e", "i", "o", "u", "ou", "ea"],
)
_ENDS = ["ling", "mere", "stow", "wick", "by"]


def names(n: int, rng: np.random.Generator) -> list[str]:
    """Different names of places."""
    found: dict[str, None] = {}
    while len(found) < n:
        syllables = [f"{rng.choice(_ONSETS)}{rng.choice(_NUCLEI)}" for _ in range(rng.integers(1, 3))]
        found[("".join(syllables) + str(rng.choice(_ENDS))).capitalize()] = None
    return list(found)


def parted(outline: shapely.Geometry, n: int, rng: np.random.Generator) -> list[shapely.Geometry]:
    """An outline in about n irregular areas: the cells of random places in it."""
    west, south, east, north = outline.bounds
    at: list[Any] = []
    while len(at) < n:
        x, y = rng.uniform(west, east, 4 * n), rng.uniform(south, north, 4 * n)
        at += list(shapely.points(x, y)[shapely.contains_xy(outline, x, y)])
    cells = shapely.get_parts(shapely.voronoi_polygons(shapely.multipoints(at[:n]), extend_to=outline))
    pieces = shapely.intersection(cells, outline)
    return [p for p in pieces if not p.is_empty and p.geom_type in ("Polygon", "MultiPolygon")]


def inside(shapes: Sequence[shapely.Geometry], each: Sequence[int], rng: np.random.Generator) -> np.ndarray:
    """(n, 2) places, so many in each shape."""
    found = []
    for shape, n in zip(shapes, each, strict=True):
        west, south, east, north = shape.bounds
        kept = np.empty((0, 2))
        while len(kept) < n:
            xy = np.column_stack([rng.uniform(west, east, 4 * n + 8), rng.uniform(south, north, 4 * n + 8)])
            kept = np.concatenate([kept, xy[shapely.contains_xy(shape, xy)]])
        found.append(kept[:n])
    return np.concatenate(found) if found else np.empty((0, 2))


def days(n: int, rng: np.random.Generator) -> list[str]:
    start = np.datetime64("2024-01-01")
    return np.datetime_as_string(np.sort(start + rng.integers(0, 366, n))).tolist()


def projected(xy: np.ndarray, code: int) -> np.ndarray:
    transform = Transformer.from_crs(4326, code, always_xy=True)
    return np.column_stack(transform.transform(*xy.T))


# Files


def vector(
    path: Path, shapes: Sequence[shapely.Geometry], columns: dict[str, list], *, crs: str | None = "EPSG:4326"
) -> Path:
    """GeoPackage, Shapefile, FlatGeobuf or GeoJSON, by its ending."""
    geometry = shapely.to_wkb(np.array(shapes, dtype=object))
    kinds = {g.geom_type for g in shapes}
    kind = next(iter(kinds)) if len(kinds) == 1 else "MultiPolygon"
    if kind == "MultiPolygon":
        many = [shapely.multipolygons(shapely.get_parts(g)) for g in shapes]
        geometry = shapely.to_wkb(np.array(many, dtype=object))
    fields = [np.array(v, dtype=object if isinstance(v[0], str) else None) for v in columns.values()]
    pyogrio.raw.write(str(path), geometry, fields, list(columns), geometry_type=kind, crs=crs)
    return path


def topology(path: Path, shapes: Sequence[shapely.Geometry], columns: dict[str, list]) -> Path:
    """TopoJSON, each ring an arc of its own."""
    arcs: list[list[list[float]]] = []
    objects = []
    for i, shape in enumerate(shapes):
        rings = []
        for part in shapely.get_parts(shape):
            arcs.append([list(c) for c in part.exterior.coords])
            rings.append([[len(arcs) - 1]])
        properties = {k: v[i] for k, v in columns.items()}
        objects.append({"type": "MultiPolygon", "arcs": rings, "properties": properties})
    areas = {"type": "GeometryCollection", "geometries": objects}
    whole = {"type": "Topology", "arcs": arcs, "objects": {"areas": areas}}
    path.write_text(json.dumps(whole), encoding="utf-8")
    return path


def text(path: Path, columns: dict[str, list], *, delimiter: str = ",", encoding: str = "utf-8") -> Path:
    with path.open("w", encoding=encoding, newline="") as file:
        writer = csv.writer(file, delimiter=delimiter)
        writer.writerow(columns)
        writer.writerows(zip(*columns.values(), strict=True))
    return path


def workbook(path: Path, columns: dict[str, list], *, title: Sequence[str] = (), last: Sequence[Any] = ()) -> Path:
    """A worksheet with some title lines above the names of the columns, and a last row."""
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.title = "Figures"
    for line in title:
        sheet.append([line])
    sheet.append(list(columns))
    for row in zip(*columns.values(), strict=True):
        sheet.append(row)
    if last:
        sheet.append(list(last))
    book.save(path)
    return path


def parquet(path: Path, columns: dict[str, list]) -> Path:
    pyarrow.parquet.write_table(pa.table(columns), path)
    return path
