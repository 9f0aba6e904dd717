"""Tables of areas as files in open formats, with a dictionary of their columns, together in one archive."""

from __future__ import annotations

import csv
import io
import json
import tempfile
import zipfile
from collections.abc import Sequence
from pathlib import Path
from typing import Literal, assert_never

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.csv
import pyarrow.parquet
import shapely
from pyproj import CRS

from steady_tally.core.errors import SourceError
from steady_tally.core.geo.projection import project
from steady_tally.core.report.handed import Handed

Kind = Literal["gpkg", "geojson", "shp", "fgb", "csv", "xlsx", "parquet"]
KINDS: tuple[Kind, ...] = ("gpkg", "geojson", "shp", "fgb", "csv", "xlsx", "parquet")
_DRIVERS = {"gpkg": "GPKG", "geojson": "GeoJSON", "shp": "ESRI Shapefile", "fgb": "FlatGeobuf"}
_DEGREES = CRS.from_epsg(4326)
_BITING = ("=", "+", "-", "@", "\t", "\r")
_MOST_ROWS_OF_A_SHEET = 1_048_575
_MADE = (1980, 1, 1, 0, 0, 0)  # an archive of the same files is the same at each time


def archive(
    handed: Handed, geometry: npt.NDArray[np.object_], crs: CRS, wanted: CRS, kinds: Sequence[Kind], stem: str
) -> bytes:
    """A zip archive with a file of each kind, and `columns.csv`, which says what each column is.

    Parameters
    ----------
    geometry : (areas,) polygons in `crs`.
    wanted : the coordinate system of the files; GeoJSON is in longitude and latitude in any case (RFC 7946).
    """
    said: list[str] = []
    with tempfile.TemporaryDirectory() as folder:
        for kind in dict.fromkeys(kinds):
            _write(Path(folder), handed, geometry, crs, wanted, kind, stem, said)
        (Path(folder) / "columns.csv").write_text(_dictionary(handed, kinds, said), encoding="utf-8")
        to = io.BytesIO()
        with zipfile.ZipFile(to, "w", zipfile.ZIP_DEFLATED) as files:
            for file in sorted(Path(folder).iterdir()):
                files.writestr(zipfile.ZipInfo(file.name, _MADE), file.read_bytes(), zipfile.ZIP_DEFLATED)
        return to.getvalue()


def _write(
    folder: Path,
    handed: Handed,
    geometry: npt.NDArray[np.object_],
    crs: CRS,
    wanted: CRS,
    kind: Kind,
    stem: str,
    said: list[str],
) -> None:
    table, file = handed.table, folder / f"{stem}.{kind}"
    match kind:
        case "csv":
            defused, count = _defused(table)
            if count:
                said.append(
                    f"{count} texts in {file.name} that a spreadsheet would run as formulas have a ' before them."
                )
            pyarrow.csv.write_csv(defused, file)
        case "xlsx":
            _workbook(table, file)
        case "parquet":
            _geoparquet(table, _moved(geometry, crs, wanted), wanted, file)
        case "gpkg" | "geojson" | "shp" | "fgb":
            system = _DEGREES if kind == "geojson" else wanted
            if kind == "shp":
                short = short_names(table.column_names)
                table = table.rename_columns([short[n] for n in table.column_names])
            _vector(table, _moved(geometry, crs, system), system, kind, file)
        case _:
            assert_never(kind)


def _moved(geometry: npt.NDArray[np.object_], crs: CRS, wanted: CRS) -> npt.NDArray[np.object_]:
    if crs == wanted:
        return np.asarray(shapely.orient_polygons(geometry))
    places = 9 if wanted.is_geographic else 4

    def move(points: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        moved: npt.NDArray[np.float64] = np.column_stack(project(points[:, 0], points[:, 1], crs, wanted))
        return moved.round(places)

    return np.asarray(shapely.orient_polygons(shapely.transform(geometry, move)))


def _vector(table: pa.Table, geometry: npt.NDArray[np.object_], crs: CRS, kind: str, file: Path) -> None:
    import pyogrio

    many = bool((shapely.get_type_id(geometry) == 6).any())
    shapes = np.array([shapely.MultiPolygon([g]) if g.geom_type == "Polygon" else g for g in geometry], dtype=object)
    written = shapes if many else geometry
    whole = _plain(table).append_column("geometry", pa.array(shapely.to_wkb(written).tolist(), pa.binary()))
    options = {"RFC7946": "YES"} if kind == "geojson" else {}
    try:
        pyogrio.raw.write_arrow(
            whole,
            file,
            layer=file.stem,
            driver=_DRIVERS[kind],
            geometry_name="geometry",
            geometry_type="MultiPolygon" if many else "Polygon",
            crs=(crs.to_authority() and ":".join(crs.to_authority())) or crs.to_wkt(),
            encoding="UTF-8" if kind == "shp" else None,
            layer_options=options,
        )
    except Exception as error:  # whatever the writer meets: its words are no sentence for a user
        raise SourceError(
            f"it cannot be written ({type(error).__name__}).",
            where=f"file “{file.name}”",
            todo="Choose another format or coordinate system.",
        ) from error


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


def _geoparquet(table: pa.Table, geometry: npt.NDArray[np.object_], crs: CRS, file: Path) -> None:
    """GeoParquet 1.1: WKB, with its coordinate system as PROJJSON."""
    whole = table.append_column("geometry", pa.array(shapely.to_wkb(geometry).tolist(), pa.binary()))
    kinds = sorted({g.geom_type for g in geometry})
    column = {"encoding": "WKB", "geometry_types": kinds, "crs": crs.to_json_dict()}
    meta = {"version": "1.1.0", "primary_column": "geometry", "columns": {"geometry": column}}
    pyarrow.parquet.write_table(whole.replace_schema_metadata({"geo": json.dumps(meta)}), file, compression="zstd")


def _workbook(table: pa.Table, file: Path) -> None:
    """One sheet; texts are texts, whatever they begin with."""
    import xlsxwriter

    if table.num_rows > _MOST_ROWS_OF_A_SHEET:
        raise SourceError(
            f"a sheet holds {_MOST_ROWS_OF_A_SHEET:,} rows, and there are {table.num_rows:,} areas.",
            where=f"file “{file.name}”",
            todo="Take another format.",
        )
    with xlsxwriter.Workbook(str(file), {"strings_to_formulas": False, "constant_memory": False}) as book:
        sheet = book.add_worksheet("areas")
        head = book.add_format({"bold": True})
        for at, name in enumerate(table.column_names):
            sheet.write_string(0, at, name, head)
            for row, value in enumerate(table.column(at).to_pylist(), start=1):
                if isinstance(value, bool):
                    sheet.write_boolean(row, at, value)
                elif isinstance(value, int | float):
                    sheet.write_number(row, at, value)
                elif value is not None:
                    sheet.write_string(row, at, str(value)[:32_767])
        sheet.freeze_panes(1, 0)


def _defused(table: pa.Table) -> tuple[pa.Table, int]:
    """Texts that a spreadsheet would take for formulas, with a sign before them that makes them text; and how many."""
    count = 0
    for at, field in enumerate(table.schema):
        if not pa.types.is_string(field.type):
            continue
        texts = table.column(at).to_pylist()
        biting = [bool(t) and t.startswith(_BITING) for t in texts]
        if any(biting):
            count += sum(biting)
            column = pa.array([f"'{t}" if b else t for t, b in zip(texts, biting, strict=True)], pa.string())
            table = table.set_column(at, field.name, column)
    return table, count


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
        while short.lower() in {s.lower() for s in found.values()}:
            tail = str(number)
            short, number = plain[: 10 - len(tail)] + tail, number + 1
        found[name] = short
    return found


def _dictionary(handed: Handed, kinds: Sequence[Kind], said: Sequence[str]) -> str:
    to = io.StringIO()
    writer = csv.writer(to)
    writer.writerow(["column", "says", *(["in the shapefile"] if "shp" in kinds else [])])
    short = short_names(list(handed.says))
    for name, says in handed.says.items():
        row = [name, says, *([short[name]] if "shp" in kinds else [])]
        writer.writerow([f"'{text}" if text.startswith(_BITING) else text for text in row])
    writer.writerows(["", says] for says in said)
    return to.getvalue()
