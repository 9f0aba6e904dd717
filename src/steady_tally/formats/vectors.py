"""Reading vector files through GDAL, by drivers named one by one."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyogrio
import pyogrio.errors
import shapely

from steady_tally.core.errors import SourceError
from steady_tally.core.plan import Reading
from steady_tally.core.sources import Features, Table

# By file ending: the driver, and how its files begin. A file that begins otherwise is never handed to GDAL, which
# would guess another driver, perhaps one that follows references to other files.
DRIVERS: dict[str, tuple[str, bytes]] = {
    ".geojson": ("GeoJSON", b"{"),
    ".json": ("GeoJSON", b"{"),
    ".gpkg": ("GeoPackage", b"SQLite format 3\0"),
    ".shp": ("Shapefile", b"\x00\x00\x27\x0a"),
}


def read_features(path: Path, name: str, reading: Reading) -> Features:
    """Read a file's features with their attributes; text stays text."""
    where = f"file “{path.name}”"
    kind, beginning = DRIVERS[path.suffix.lower()]
    with path.open("rb") as file:
        head = file.read(64)
    if not head.removeprefix(b"\xef\xbb\xbf").lstrip(b" \t\r\n").startswith(beginning.lstrip()):
        raise SourceError(f"it is not a {kind} file.", where=where, todo="Check that it is what its name says.")
    try:
        layer = reading.layer or _only_layer(path, where)
        meta, _, geometry, fields = pyogrio.raw.read(
            str(path.resolve()), layer=layer, datetime_as_string=True, encoding=reading.encoding
        )
    except (pyogrio.errors.DataSourceError, pyogrio.errors.DataLayerError, UnicodeDecodeError) as error:
        raise SourceError(
            f"it cannot be read ({error}).", where=where, todo="Check that it is what its name says."
        ) from None
    if geometry is None:
        raise SourceError("its features have no geometry.", where=where, todo="Choose a file of points or polygons.")
    columns = pa.table({n: _column(f) for n, f in zip(meta["fields"], fields, strict=True)})
    if columns.num_columns == 0:
        columns = pa.table({"feature": pa.array(np.arange(1, len(geometry) + 1))})
    return Features(name, columns, shapely.from_wkb(geometry, on_invalid="ignore"), meta["crs"])


def points_table(features: Features) -> Table:
    """Take point features as records: one record a feature."""
    geometry = features.geometry
    kinds = shapely.get_type_id(geometry)
    wrong = np.flatnonzero((kinds > 0) & ~shapely.is_empty(geometry))
    if len(wrong):
        kind = geometry[wrong[0]].geom_type.lower()
        raise SourceError(
            f"feature {wrong[0] + 1} is a {kind}, not a point ({len(wrong)} such in all).",
            where=f"file “{features.name}”",
            todo="Choose a file of points for the events.",
        )
    n = len(geometry)
    is_point = kinds == 0
    points = np.full((n, 2), np.nan)
    points[is_point, 0] = shapely.get_x(geometry[is_point])
    points[is_point, 1] = shapely.get_y(geometry[is_point])
    record = np.arange(1, n + 1)
    return Table(features.name, features.columns, record, np.zeros(n, np.int64), (), points, features.crs)


def _only_layer(path: Path, where: str) -> str:
    layers = [str(n) for n, kind in pyogrio.list_layers(str(path.resolve())) if kind is not None]
    if len(layers) != 1:
        there = ", ".join(f"“{n}”" for n in layers) or "none"
        raise SourceError(
            f"it holds {len(layers)} layers with geometry: {there}.", where=where, todo="Name one in gather.reading."
        )
    return layers[0]


def _column(values: np.ndarray[Any, Any]) -> pa.Array:
    if values.dtype != object:
        return pa.array(values)
    return pa.array([None if v is None else str(v) for v in values], pa.string())
