"""Tables to hand on as files in open formats, with a dictionary of their columns, together in one archive."""

from __future__ import annotations

import csv
import errno
import io
import json
import re
import shutil
import tempfile
import zipfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal, assert_never

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv
import pyarrow.parquet
import shapely
from pyproj import CRS

from steady_tally.core.errors import SourceError
from steady_tally.core.geo.antimeridian import cut_at_antimeridian
from steady_tally.core.geo.projection import full_turn, project, turned_to
from steady_tally.core.report.handed import Handed
from steady_tally.files import whole
from steady_tally.formats.defusing import BITES, defused

Kind = Literal["gpkg", "geojson", "shp", "fgb", "csv", "xlsx", "parquet"]
KINDS: tuple[Kind, ...] = ("gpkg", "geojson", "shp", "fgb", "csv", "xlsx", "parquet")
_TABLES: tuple[Kind, ...] = ("csv", "xlsx", "parquet")
_OF_POINTS: tuple[Kind, ...] = ("gpkg", "geojson", "fgb", *_TABLES)
_DRIVERS = {"gpkg": "GPKG", "geojson": "GeoJSON", "shp": "ESRI Shapefile", "fgb": "FlatGeobuf"}
_DEGREES = CRS.from_epsg(4326)
_KEPT_NAMES = ("fid", "ogc_fid", "rowid", "oid", "geom", "geometry", "shape", "wkb_geometry", "ogr_geometry")
_MOST_BYTES_OF_A_TEXT = 254  # of a column of dBASE, in UTF-8
_MOST_EXACT = 2**53
_MOST_LETTERS_OF_A_CELL = 32_767
_MOST_ROWS_OF_A_SHEET = 1_048_575
_MADE = (1980, 1, 1, 0, 0, 0)  # an archive of the same files is the same at each time
_PACKED = (".parquet", ".gpkg", ".xlsx")  # packing them again gains little
_ONE, _SEVERAL = 3, 6  # polygons, of one part and of several
_POINT = np.dtype([("order", "u1"), ("kind", "<u4"), ("x", "<f8"), ("y", "<f8")])

Tell = Callable[[str, int, int], None]


@dataclass(frozen=True)
class Piece:
    """One table of an archive, what its files are called, and in which formats it is wanted."""

    handed: Handed
    stem: str
    kinds: Sequence[Kind]

    @property
    def fitting(self) -> tuple[Kind, ...]:
        """The wanted formats that can hold it; CSV where none can."""
        able = KINDS if self.handed.polygons is not None else _OF_POINTS if self.handed.points is not None else _TABLES
        return tuple(k for k in dict.fromkeys(self.kinds) if k in able) or ("csv",)

    @property
    def byte_count(self) -> int:
        """About how many bytes its files take, with those that they are packed from."""
        shapes = self.handed.polygons
        corners = 0 if shapes is None else int(shapely.get_num_coordinates(shapes).sum())
        return len(self.fitting) * 2 * (self.handed.table.nbytes + 16 * corners)


def archive(
    to: Path,
    pieces: Sequence[Piece],
    wanted: CRS,
    *,
    also: Mapping[str, bytes] | None = None,
    said: Sequence[tuple[str, str]] = (),
    tell: Tell | None = None,
) -> None:
    """Write a zip archive with a file of each piece in each of its formats, and `columns.csv`, which says what each
    column is. SourceError where the disk is full or a writer fails; then nothing of it stays.

    Parameters
    ----------
    wanted : the coordinate system of the files; GeoJSON is in longitude and latitude in any case (RFC 7946).
    also : further files, by their names.
    said : what else `columns.csv` says, of which table.
    tell : is told what is being written, and how many of how many files are done; what it raises stops the work.
    """
    sentences = list(said)
    total, done = sum(len(p.fitting) for p in pieces) + 1, 0
    with (
        plain_faults(to.name),
        tempfile.TemporaryDirectory(dir=to.parent, prefix=".making-") as folder,
        whole(to) as half,
        zipfile.ZipFile(half, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as files,
    ):
        for piece in pieces:
            for kind in piece.fitting:
                if tell is not None:
                    tell(f"writing {piece.stem}.{kind}", done, total)
                _write(Path(folder), piece, kind, wanted, sentences)
                _pack(Path(folder), files)
                done += 1
        for name, data in (also or {}).items():
            (Path(folder) / name).write_bytes(data)
        (Path(folder) / "columns.csv").write_text(_dictionary(pieces, sentences), encoding="utf-8")
        if tell is not None:
            tell("writing columns.csv", done, total)
        _pack(Path(folder), files)


def write_files(folder: Path, pieces: Sequence[Piece], wanted: CRS, *, also: Mapping[str, bytes] | None = None) -> None:
    """The same as files in a folder."""
    said: list[tuple[str, str]] = []
    for piece in pieces:
        for kind in piece.fitting:
            _write(folder, piece, kind, wanted, said)
    for name, data in {**(also or {}), "columns.csv": _dictionary(pieces, said).encode()}.items():
        (folder / name).write_bytes(data)


@contextmanager
def plain_faults(name: str) -> Iterator[None]:
    """What the file system refuses, as a sentence."""
    try:
        yield
    except OSError as error:
        full = error.errno in (errno.ENOSPC, errno.EDQUOT)
        raise SourceError(
            "there is no room left for it on the disk." if full else f"it cannot be written ({error.strerror}).",
            where=f"file “{name}”",
            todo="Make room, or hand on less at once." if full else "Try again.",
        ) from None


def _pack(folder: Path, into: zipfile.ZipFile) -> None:
    """Move what has been written into the archive."""
    for file in sorted(folder.iterdir()):
        entry = zipfile.ZipInfo(file.name, _MADE)
        entry.external_attr = 0o644 << 16
        entry.file_size = file.stat().st_size
        entry.compress_type = zipfile.ZIP_STORED if file.suffix in _PACKED else zipfile.ZIP_DEFLATED
        with file.open("rb") as source, into.open(entry, "w") as target:
            while block := source.read(1 << 20):
                target.write(block)
        file.unlink()


def _write(folder: Path, piece: Piece, kind: Kind, wanted: CRS, said: list[tuple[str, str]]) -> None:
    handed, file = piece.handed, folder / f"{piece.stem}.{kind}"
    match kind:
        case "csv":
            safe, count = defused(_with_place(handed, wanted))
            if count:
                says = f"{count:,} texts in {file.name} that a spreadsheet would run as formulas have a ' before them."
                said.append((piece.stem, says))
            pyarrow.csv.write_csv(safe, file)
        case "xlsx":
            said += [(piece.stem, says) for says in _workbook(_with_place(handed, wanted), file)]
        case "parquet":
            _parquet(handed, wanted, file)
        case "gpkg" | "geojson" | "shp" | "fgb":
            system = _DEGREES if kind == "geojson" else wanted
            table, lost = fitted(handed.table, kind, file.name)
            said += [(piece.stem, says) for says in lost]
            _vector(table, handed, system, kind, file)
        case _:
            assert_never(kind)


def fitted(table: pa.Table, kind: str, file: str) -> tuple[pa.Table, list[str]]:
    """The table as a format of shapes can hold it, and what it lost, in whole sentences."""
    said = []
    if kind == "shp":
        short = short_names(table.column_names)
        table = table.rename_columns([short[n] for n in table.column_names])
    else:
        free = free_names(table.column_names)
        said += [f"In {file} “{a}” is called “{b}”, a name that is free there." for a, b in free.items() if a != b]
        table = table.rename_columns([free[n] for n in table.column_names])
    for at, name in enumerate(table.column_names):
        column = table.column(at)
        if pa.types.is_floating(column.type) and kind in ("shp", "geojson"):
            endless = pc.fill_null(pc.is_inf(column), False)
            if count := int(pc.sum(endless).as_py() or 0):
                said.append(f"In {file} “{name}” has nothing for {count:,} numbers without end, which it cannot hold.")
                table = table.set_column(at, name, pc.if_else(endless, None, column))
        elif kind == "shp" and pa.types.is_string(column.type):
            long = pc.fill_null(pc.greater(pc.binary_length(column), _MOST_BYTES_OF_A_TEXT), False)
            if count := int(pc.sum(long).as_py() or 0):
                cut = pa.array([None if t is None else _cut(t) for t in column.to_pylist()], pa.string())
                alike = len(cut.unique()) < len(column.unique())
                more = "; some that differ are the same there" if alike else ""
                said.append(f"In {file} {count:,} texts in “{name}” are cut to {_MOST_BYTES_OF_A_TEXT} bytes{more}.")
                table = table.set_column(at, name, cut)
    return table, said


def free_names(names: Sequence[str]) -> dict[str, str]:
    """Names that formats of shapes can have: none that they keep for the number or the shape of a row, and none that
    differs from another in its case alone.

    >>> free_names(["fid", "Code", "code"])
    {'fid': 'fid 2', 'Code': 'Code', 'code': 'code 2'}
    """
    taken = set(_KEPT_NAMES)
    own = {n.casefold() for n in names}
    found: dict[str, str] = {}
    for name in names:
        free, number = name or "column", 2
        while free.casefold() in taken or (free != name and free.casefold() in own):
            free, number = f"{name or 'column'} {number}", number + 1
        taken.add(free.casefold())
        found[name] = free
    return found


def _cut(text: str) -> str:
    return text.encode()[:_MOST_BYTES_OF_A_TEXT].decode(errors="ignore")


def _with_place(handed: Handed, wanted: CRS) -> pa.Table:
    """The table, and of points their coordinates."""
    if handed.points is None:
        return handed.table
    x, y = _moved_points(handed, wanted)
    names = ("longitude", "latitude") if wanted.is_geographic else ("x", "y")
    table = handed.table
    for name, values in zip(names, (x, y), strict=True):
        free = name if name not in table.column_names else f"area {name}"
        table = table.append_column(free, pa.array(values, from_pandas=True))
    return table


def _moved_points(handed: Handed, wanted: CRS) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    assert handed.points is not None
    assert handed.crs is not None
    x, y = handed.points
    if handed.crs != wanted:
        x, y = (v.round(9 if wanted.is_geographic else 4) for v in project(x, y, handed.crs, wanted))
    turn = full_turn(wanted)
    return (x if turn is None else turned_to(x, 0.0, turn)), y


def _moved(geometry: npt.NDArray[np.object_], crs: CRS, wanted: CRS) -> npt.NDArray[np.object_]:
    """Polygons in another system, shells counterclockwise; in degrees cut where longitudes begin anew."""
    turn = full_turn(wanted)
    if crs == wanted:
        return np.asarray(shapely.orient_polygons(geometry if turn is None else cut_at_antimeridian(geometry, turn)))
    places = 9 if wanted.is_geographic else 4

    def move(points: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        moved: npt.NDArray[np.float64] = np.column_stack(project(points[:, 0], points[:, 1], crs, wanted))
        return moved.round(places)

    moved = np.asarray(shapely.transform(geometry, move))
    return np.asarray(shapely.orient_polygons(moved if turn is None else cut_at_antimeridian(moved, turn)))


def _shapes(handed: Handed, wanted: CRS, *, one_kind: bool) -> tuple[pa.Array, list[str]]:
    """(rows,) the shapes as WKB, and of which kinds they are; with `one_kind` polygons are all of several parts where
    one is."""
    if handed.points is not None:
        return points_as_wkb(*_moved_points(handed, wanted)), ["Point"]
    assert handed.polygons is not None
    assert handed.crs is not None
    shapes = _moved(handed.polygons, handed.crs, wanted)
    shapes[shapely.is_empty(shapes)] = None  # some formats know no shape without extent
    kinds = shapely.get_type_id(shapes)
    if one_kind and (kinds == _SEVERAL).any():
        for at in np.flatnonzero(kinds == _ONE):
            shapes[at] = shapely.MultiPolygon([shapes[at]])
        kinds = np.where(kinds == _ONE, _SEVERAL, kinds)
    says = [name for code, name in ((_ONE, "Polygon"), (_SEVERAL, "MultiPolygon")) if (kinds == code).any()]
    return pa.array(shapely.to_wkb(shapes).tolist(), pa.binary()), says


def points_as_wkb(x: npt.NDArray[np.float64], y: npt.NDArray[np.float64]) -> pa.Array:
    """(n,) points as WKB (OGC 06-103r4, 8.2); nothing where there is none."""
    found = np.zeros(len(x), dtype=_POINT)
    found["order"], found["kind"], found["x"], found["y"] = 1, 1, x, y
    there = np.isfinite(x) & np.isfinite(y)
    offsets = np.arange(len(x) + 1, dtype=np.int32) * _POINT.itemsize
    known = pa.array(there).buffers()[1] if not there.all() else None
    return pa.Array.from_buffers(pa.binary(), len(x), [known, pa.py_buffer(offsets), pa.py_buffer(found)])


def _vector(table: pa.Table, handed: Handed, crs: CRS, kind: str, file: Path) -> None:
    import pyogrio

    shapes, kinds = _shapes(handed, crs, one_kind=True)
    options = {"RFC7946": "YES"} if kind == "geojson" else {}
    if kind == "fgb" and shapes.null_count:
        options = {"SPATIAL_INDEX": "NO"}  # which could not hold what has no place
    try:
        pyogrio.raw.write_arrow(
            _plain(table).append_column("geometry", shapes),
            file,
            layer=file.stem,
            driver=_DRIVERS[kind],
            geometry_name="geometry",
            geometry_type=kinds[0] if kinds else "Polygon",
            crs=(crs.to_authority() and ":".join(crs.to_authority())) or crs.to_wkt(),
            encoding="UTF-8" if kind == "shp" else None,
            layer_options=options,
        )
    except Exception as error:  # whatever the writer meets: its words are no sentence for a user
        if _no_room(file.parent, table):
            raise OSError(errno.ENOSPC, "") from error
        raise SourceError(
            f"it cannot be written ({type(error).__name__}).",
            where=f"file “{file.name}”",
            todo="Choose another format or coordinate system.",
        ) from error


def _no_room(folder: Path, table: pa.Table) -> bool:
    """The writer does not say why it failed: is there less room than what it was to write?"""
    return shutil.disk_usage(folder).free < max(table.nbytes, 1 << 20)


def _plain(table: pa.Table) -> pa.Table:
    """With columns that every writer knows: flags as 0 and 1, whole numbers of 64 bits, else numbers or text."""
    for at, field in enumerate(table.schema):
        kind = field.type
        if pa.types.is_boolean(kind):
            column = table.column(at).cast(pa.int32())
        elif pa.types.is_integer(kind):
            column = table.column(at).cast(pa.int64())
        elif pa.types.is_floating(kind):
            column = table.column(at).cast(pa.float64())
        else:
            column = table.column(at).cast(pa.string())
        table = table.set_column(at, field.name, column)
    return table.combine_chunks()


def _parquet(handed: Handed, crs: CRS, file: Path) -> None:
    """Parquet; of what has a place GeoParquet 1.1: WKB, with its coordinate system as PROJJSON."""
    whole = handed.table
    if handed.polygons is not None or handed.points is not None:
        shapes, kinds = _shapes(handed, crs, one_kind=False)
        name = "geometry" if "geometry" not in whole.column_names else "shape of the row"
        whole = whole.append_column(name, shapes)
        column = {"encoding": "WKB", "geometry_types": kinds, "crs": crs.to_json_dict()}
        meta = {"version": "1.1.0", "primary_column": name, "columns": {name: column}}
        whole = whole.replace_schema_metadata({"geo": json.dumps(meta)})
    pyarrow.parquet.write_table(whole, file, compression="zstd")


def _workbook(table: pa.Table, file: Path) -> list[str]:
    """One sheet; texts are texts, whatever they begin with. What it cannot hold as it is, in whole sentences."""
    import xlsxwriter

    if table.num_rows > _MOST_ROWS_OF_A_SHEET:
        raise SourceError(
            f"a sheet holds {_MOST_ROWS_OF_A_SHEET:,} rows, and there are {table.num_rows:,}.",
            where=f"file “{file.name}”",
            todo="Take another format.",
        )
    settings = {"strings_to_formulas": False, "constant_memory": True, "tmpdir": str(file.parent)}
    with xlsxwriter.Workbook(str(file), settings) as book:
        sheet = book.add_worksheet(file.stem[:31])
        sheet.freeze_panes(1, 0)
        head = book.add_format({"bold": True})
        for at, name in enumerate(table.column_names):
            sheet.write_string(0, at, name, head)
        row, lost = 1, dict[str, int]()
        for batch in table.to_batches(max_chunksize=10_000):
            for values in zip(*(c.to_pylist() for c in batch.columns), strict=True):
                for at, value in enumerate(values):
                    if (why := _cell(sheet, row, at, value)) is not None:
                        lost[why] = lost.get(why, 0) + 1
                row += 1
    return [f"In {file.name} {count:,} {why}." for why, count in lost.items()]


def _cell(sheet: Any, row: int, at: int, value: object) -> str | None:
    """Write a cell; what it could not hold, where that is so."""
    if isinstance(value, bool):
        sheet.write_boolean(row, at, value)
    elif isinstance(value, int) and abs(value) > _MOST_EXACT:
        sheet.write_string(row, at, str(value))
        return "whole numbers of more than 15 figures stand as text, since it cannot hold them as numbers"
    elif isinstance(value, float) and not np.isfinite(value):
        if not np.isnan(value):
            sheet.write_string(row, at, "without end" if value > 0.0 else "without end, below zero")
            return "numbers without end stand as text, since it cannot hold them as numbers"
    elif isinstance(value, int | float):
        sheet.write_number(row, at, value)
    elif value is not None:
        text = str(value)
        sheet.write_string(row, at, text[:_MOST_LETTERS_OF_A_CELL])
        if len(text) > _MOST_LETTERS_OF_A_CELL:
            return f"texts are cut to {_MOST_LETTERS_OF_A_CELL:,} letters"
    return None


def short_names(names: Sequence[str]) -> dict[str, str]:
    """Names of at most ten letters, all different: without vowels after the first letter where they are too long, then
    cut, then numbered.

    >>> short_names(["value", "class_colour", "class_column"])
    {'value': 'value', 'class_colour': 'clss_clr', 'class_column': 'clss_clmn'}
    """
    found: dict[str, str] = {}
    for name in names:
        plain = name.encode("ascii", "ignore").decode() or "column"
        if len(plain) > 10:
            plain = plain[0] + "".join(c for c in plain[1:] if c not in "aeiouAEIOU")
        short, number = plain[:10], 2
        while short.lower() in _KEPT_NAMES or short.lower() in {s.lower() for s in found.values()}:
            tail = str(number)
            short, number = plain[: 10 - len(tail)] + tail, number + 1
        found[name] = short
    return found


def _dictionary(pieces: Sequence[Piece], said: Sequence[tuple[str, str]]) -> str:
    to = io.StringIO()
    writer = csv.writer(to)
    shortened = any("shp" in p.fitting for p in pieces)
    writer.writerow(["table", "column", "says", *(["in the shapefile"] if shortened else [])])
    for piece in pieces:
        short = short_names(list(piece.handed.says))
        for name, says in piece.handed.says.items():
            row = [piece.stem, name, says, *([short[name] if "shp" in piece.fitting else ""] if shortened else [])]
            writer.writerow([f"'{text}" if re.match(BITES, text) else text for text in row])
        writer.writerows([piece.stem, "", says] for says in piece.handed.said)
        lost = [k for k in piece.kinds if k not in piece.fitting]
        if lost:
            writer.writerow([piece.stem, "", f"It is in {', '.join(piece.fitting)}, not in {', '.join(lost)}."])
    writer.writerows([stem, "", says] for stem, says in said)
    return to.getvalue()
