"""Reading vector files through GDAL, by drivers named one by one: nothing virtual, nothing remote."""

from __future__ import annotations

import json
import mmap
import re
import shutil
import tempfile
import warnings
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import shapely

from steady_tally.core.errors import SourceError
from steady_tally.core.geo.projection import coordinate_system, full_turn
from steady_tally.core.plan.gather import Reading
from steady_tally.core.sources import Features, Table
from steady_tally.formats.drivers import pyogrio
from steady_tally.formats.headers import refuse_wide
from steady_tally.formats.limits import LARGEST_ARCHIVE, MOST_CORNERS, MOST_MEMBERS, MOST_SHAPES
from steady_tally.formats.sqlite_schema import check_schema
from steady_tally.formats.tables import parquet_schema, plain_columns

# By file ending: the driver, how its files begin, and what names it to GDAL. A file that begins otherwise is refused in
# plain words; which drivers can be guessed at all is settled in `drivers.py`.
DRIVERS: dict[str, tuple[str, bytes, str]] = {
    ".geojson": ("GeoJSON", b"{", ""),
    ".json": ("GeoJSON", b"{", ""),
    ".geojsonl": ("newline-delimited GeoJSON", b"{", "GeoJSONSeq:"),
    ".ndjson": ("newline-delimited GeoJSON", b"{", "GeoJSONSeq:"),
    ".geojsons": ("newline-delimited GeoJSON", b"{", "GeoJSONSeq:"),
    ".topojson": ("TopoJSON", b"{", "TopoJSON:"),
    ".gpkg": ("GeoPackage", b"SQLite format 3\0", ""),
    ".fgb": ("FlatGeobuf", b"fgb", ""),
    ".kml": ("KML", b"<", ""),
    ".shp": ("Shapefile", b"\x00\x00\x27\x0a", ""),
    ".zip": ("zip archive with a Shapefile", b"PK", ""),
}
SHAPEFILE_MEMBERS = (".shp", ".shx", ".dbf", ".prj", ".cpg")
_DEGREES = "EPSG:4326"
# What the KML driver adds to every feature, whether the file says it or not.
_KML_EXTRAS = {
    "id", "timestamp", "begin", "end", "altitudeMode", "tessellate", "extrude", "visibility", "drawOrder", "icon",
}  # fmt: skip


def layers_of(path: Path) -> list[str]:
    """The tables of a file that holds several, those with a geometry first; one entry for a file that holds one."""
    with _readable(path) as (at, where):
        try:
            listed = pyogrio.list_layers(at)
        except (pyogrio.errors.DataSourceError, UnicodeDecodeError):
            raise _unreadable(where) from None
    return [str(n) for n, kind in sorted(listed, key=lambda pair: pair[1] is None)]


_FARTHEST_NORTH = 90.001
_TURNS = 1.5  # longitudes may go on beyond 180, or from 0 to 360


def read_features(path: Path, name: str, reading: Reading) -> Features:
    """Read a file's features with their attributes; text stays text.

    A file that says nothing of its coordinate system has `crs` None; `reading.crs` then stands for it.
    """
    if path.suffix.lower() in (".parquet", ".geoparquet"):
        return _read_geoparquet(path, name, reading)
    with _readable(path) as (at, where):
        try:
            layer = reading.layer or _only_layer(at, where)
            with warnings.catch_warnings():  # what the library warns of is counted and said below
                warnings.simplefilter("ignore", RuntimeWarning)
                meta, _, geometry, fields = pyogrio.raw.read(
                    at, layer=layer, datetime_as_string=True, encoding=reading.encoding
                )
        except (
            pyogrio.errors.DataSourceError, pyogrio.errors.DataLayerError, pyogrio.errors.GeometryError,
            UnicodeDecodeError,
        ):  # fmt: skip
            raise _unreadable(where) from None
    skipped = _KML_EXTRAS if path.suffix.lower() == ".kml" else set()
    refuse_wide(len(meta["fields"]), where)
    kept = {n: _column(f) for n, f in zip(meta["fields"], fields, strict=True) if n not in skipped}
    if geometry is None:
        raise SourceError("its features have no geometry.", where=where, todo="Choose a file of points or polygons.")
    columns = pa.table(kept)
    if columns.num_columns == 0:
        columns = pa.table({"feature": pa.array(np.arange(1, len(geometry) + 1))})
    crs = meta["crs"] or (_DEGREES if path.suffix.lower() == ".topojson" else None)
    try:
        shapes = shapely.from_wkb(geometry, on_invalid="ignore")
        there = np.array([g is not None for g in geometry], dtype=np.bool_)
        open_rings = np.flatnonzero(there & shapely.is_missing(shapes))
        shapes[open_rings] = shapely.from_wkb(geometry[open_rings], on_invalid="fix")
    except shapely.errors.GEOSException:
        raise _unreadable(where) from None
    return Features(name, columns, shapes, None if no_degrees(shapes, crs) else crs, len(open_rings))


def no_degrees(shapes: npt.NDArray[np.object_], crs: str | None) -> bool:
    """Is a file taken to be in degrees, as GeoJSON is that names no system, whose coordinates cannot be?"""
    if crs is None or not coordinate_system(crs, wanted_by="file").is_geographic:
        return False
    x, y = np.abs(shapely.get_coordinates(shapes)).T
    turn = full_turn(coordinate_system(crs, wanted_by="file")) or 360.0
    return bool((y > _FARTHEST_NORTH * turn / 360.0).any() or (x > _TURNS * turn).any())


def points_table(features: Features, *, inside: bool = False) -> Table:
    """Take features as records, one a feature; height and measure of points become columns.

    Parameters
    ----------
    inside : the user agrees that lines, polygons and groups of points are taken as a point inside each.
    """
    geometry = features.geometry.copy()
    kinds = shapely.get_type_id(geometry)
    other = np.flatnonzero((kinds > 0) & ~shapely.is_empty(geometry))
    if len(other) and not inside:
        kind = geometry[other[0]].geom_type.lower()
        raise SourceError(
            f"feature {other[0] + 1} is a {kind}, not a point ({len(other)} such in all).",
            where=f"file “{features.name}”",
            todo="Agree to a point inside each, or choose a file of points for the events.",
        )
    geometry[other] = shapely.point_on_surface(geometry[other])
    n = len(geometry)
    is_point = (shapely.get_type_id(geometry) == 0) & ~shapely.is_empty(geometry)
    points = np.full((n, 2), np.nan)
    points[is_point, 0] = shapely.get_x(geometry[is_point])
    points[is_point, 1] = shapely.get_y(geometry[is_point])
    columns = features.columns
    for extra, has, get in (("height", shapely.has_z, shapely.get_z), ("measure", shapely.has_m, shapely.get_m)):
        carried = is_point & has(geometry)
        if carried.any():
            values = np.full(n, np.nan)
            values[carried] = get(geometry[carried])
            label = extra if extra not in columns.column_names else f"{extra} (of the point)"
            columns = columns.append_column(label, pa.array(values, from_pandas=True))
    record = np.arange(1, n + 1)
    return Table(features.name, columns, record, np.zeros(n, np.int64), (), points, features.crs)


def missing_members(path: Path) -> list[str]:
    """What a Shapefile lacks, in whole sentences: without them it is read, but by guesses that the user must know."""
    if path.suffix.lower() not in (".shp", ".zip"):
        return []
    with _readable(path) as (at, _):
        there = {p.suffix.lower() for p in Path(at).parent.iterdir() if p.stem == Path(at).stem}
    said = []
    if ".prj" not in there:
        said.append("The Shapefile has no .prj file, so that it does not say which coordinate system it is in.")
    if ".cpg" not in there:
        said.append("The Shapefile has no .cpg file, so that the encoding of its text is a guess.")
    return said


@contextmanager
def _readable(path: Path) -> Iterator[tuple[str, str]]:
    """What to hand to GDAL for a file that is what its name says: members of an archive are unpacked and taken away."""
    where = f"file “{path.name}”"
    kind, beginning, prefix = DRIVERS[path.suffix.lower()]
    with path.open("rb") as file:
        head = file.read(64)
    if not head.removeprefix(b"\xef\xbb\xbf").lstrip(b" \t\r\n\x1e").startswith(beginning.lstrip()):
        raise SourceError(f"it is not a {kind} file.", where=where, todo="Check that it is what its name says.")
    if path.suffix.lower() == ".shp" and not any(p.suffix.lower() == ".shx" for p in _of_stem(path)):
        raise SourceError(
            "its .shx is missing, which belongs to it.",
            where=where,
            todo="Choose all members together: .shp, .shx, .dbf, .prj and .cpg.",
        )
    if beginning in (b"{", b"<"):
        _refuse_references(path, where)
    if path.suffix.lower() == ".topojson":
        _check_topology(path, where)
    if path.suffix.lower() == ".zip":
        with tempfile.TemporaryDirectory() as folder:
            yield str(_unpack(path, Path(folder), where)), where
    else:
        if path.suffix.lower() == ".gpkg":
            check_schema(path, where)
        yield prefix + str(path.resolve()), where


def _of_stem(path: Path) -> list[Path]:
    return [p for p in path.parent.iterdir() if p.stem == path.stem]


def _refuse_references(path: Path, where: str) -> None:
    """Some formats can name further files or addresses to be read. Such a file is refused."""
    with path.open("rb") as file:
        try:
            text = mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)
        except ValueError:
            return
        with text:
            if path.suffix.lower() == ".kml":
                found = re.search(rb"<(!DOCTYPE|!ENTITY|NetworkLink|([a-z]+:)?include)", text)
            else:
                found = re.search(rb'"crs"\s*:\s*\{[^{}]{0,200}"(link|url)"', text)
    if found:
        raise SourceError("it refers to another file or address.", where=where, todo="Save it without the reference.")


def _check_topology(path: Path, where: str) -> None:
    """A topology may use one arc any number of times, and each shape may have names of its own (the TopoJSON format's
    specification, 2.1 and 2.2): SourceError where it would become too large, before it is unfolded."""
    try:
        document = json.loads(path.read_bytes())
        lengths = [len(arc) for arc in document["arcs"]]
        left: list[Any] = list(document["objects"].values())
        corners, names = 0, set[str]()
        while left:
            one = left.pop()
            if isinstance(one, int):
                corners += lengths[one if one >= 0 else ~one]
            elif isinstance(one, list):
                left += one
            elif isinstance(one, dict):
                names.update(one.get("properties") or ())
                left += [one.get("geometries") or [], one.get("arcs") or []]
            if corners > MOST_CORNERS:
                raise SourceError(
                    f"its shapes have more than {MOST_CORNERS:,} corners.", where=where, todo="Save it as a GeoPackage."
                )
            refuse_wide(len(names), where)
    except (ValueError, KeyError, TypeError, AttributeError, IndexError, RecursionError):
        raise SourceError(
            "it is not a TopoJSON that can be read.", where=where, todo="Check that it is what its name says."
        ) from None


def _unpack(path: Path, folder: Path, where: str) -> Path:
    """The one Shapefile of an archive, its members alone, whatever folders they lay in."""
    try:
        with zipfile.ZipFile(path) as archive:
            members = [m for m in archive.infolist() if not m.is_dir()]
            if len(members) > MOST_MEMBERS:
                raise SourceError(
                    f"it has {len(members):,} members.", where=where, todo="Pack the Shapefile's members alone."
                )
            shapes = [m for m in members if m.filename.lower().endswith(".shp") and "__MACOSX" not in m.filename]
            if len(shapes) != 1:
                raise SourceError(
                    f"it holds {len(shapes)} Shapefiles.", where=where, todo="Pack one Shapefile with its members."
                )
            stem = shapes[0].filename[:-4]
            wanted = [m for m in members if m.filename[:-4] == stem and m.filename[-4:].lower() in SHAPEFILE_MEMBERS]
            left = LARGEST_ARCHIVE
            for member in wanted:
                to = folder / ("shape" + member.filename[-4:].lower())
                with archive.open(member) as packed, to.open("wb") as file:
                    while block := packed.read(1 << 20):
                        left -= len(block)
                        if left < 0:
                            raise SourceError("it unpacks to more than 1 GB.", where=where, todo="Use a GeoPackage.")
                        file.write(block)
    except (zipfile.BadZipFile, zipfile.LargeZipFile, NotImplementedError, RuntimeError, OSError):
        shutil.rmtree(folder, ignore_errors=True)
        raise SourceError(
            "it cannot be unpacked: it is damaged, or no zip archive.", where=where, todo="Pack it anew."
        ) from None
    return folder / "shape.shp"


def _read_geoparquet(path: Path, name: str, reading: Reading) -> Features:
    where = f"file “{path.name}”"
    schema, geometry, crs = parquet_schema(path)
    if geometry is None:
        raise SourceError("it has no geometry.", where=where, todo="Choose a file of points or polygons.")
    rows = pa.parquet.read_metadata(path).num_rows
    if rows > MOST_SHAPES:
        raise SourceError(
            f"it has {rows:,} rows with a shape; up to {MOST_SHAPES:,} are read.", where=where, todo="Divide it."
        )
    table = pa.parquet.read_table(path)
    try:
        shapes = shapely.from_wkb(table.column(geometry).to_numpy(zero_copy_only=False))
    except (shapely.errors.GEOSException, TypeError):
        raise _unreadable(where) from None
    columns = plain_columns(table.drop_columns([geometry]).replace_schema_metadata(None))
    if columns.num_columns == 0:
        columns = pa.table({"feature": pa.array(np.arange(1, len(shapes) + 1))})
    return Features(name, columns, shapes, crs)


def _only_layer(at: str, where: str) -> str:
    layers = [str(n) for n, kind in pyogrio.list_layers(at) if kind is not None]
    if len(layers) != 1:
        there = ", ".join(f"“{n}”" for n in layers) or "none"
        raise SourceError(
            f"it holds {len(layers)} layers with geometry: {there}.", where=where, todo="Choose one of its tables."
        )
    return layers[0]


def _unreadable(where: str) -> SourceError:
    return SourceError(
        "it cannot be read: it is damaged, or not what its name says.",
        where=where,
        todo="Open it in the program that it comes from, and save it anew.",
    )


def _column(values: np.ndarray[Any, Any]) -> pa.Array:
    if values.dtype.kind == "M":
        return pa.array([None if v == "NaT" else v for v in values.astype(str)], pa.string())
    if values.dtype != object:
        return pa.array(values, from_pandas=values.dtype.kind == "f")
    return pa.array([None if v is None else str(v) for v in values], pa.string())
