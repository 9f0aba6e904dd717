"""Reading files made by other writers of the formats, good and bad."""

import csv
import io
import json
import tempfile
from pathlib import Path

import numpy as np
import openpyxl
import pyogrio
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.errors import SourceError
from steady_tally.core.plan.gather import Reading
from steady_tally.formats.look import look
from steady_tally.formats.read import read_table, read_zones

CELLS = st.text(st.characters(blacklist_categories=["Cs"], blacklist_characters="\r\0"), max_size=8)


@settings(deadline=None)
@given(st.lists(st.tuples(CELLS, CELLS, CELLS), min_size=1, max_size=12), st.sampled_from(",;\t|"))
def test_delimited_text_by_another_writer_reads_back_with_its_lines(rows, delimiter):
    file = io.StringIO()
    writer = csv.writer(file, delimiter=delimiter, lineterminator="\n", quoting=csv.QUOTE_ALL)
    writer.writerow(["one", "two", "three"])
    lines = []
    for row in rows:
        lines.append(file.getvalue().count("\n") + 1)
        writer.writerow(row)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "cells.csv"
        path.write_text(file.getvalue(), encoding="utf-8", newline="")
        table = read_table(path, "cells", Reading(delimiter=delimiter))
    assert [tuple(r.values()) for r in table.columns.to_pylist()] == rows
    assert table.record.tolist() == list(range(1, len(rows) + 1))
    assert table.line.tolist() == lines


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
def test_encodings_and_delimiters_are_found_by_looking(tmp_path, encoding):
    file = tmp_path / "calls.csv"
    file.write_bytes("id;ort;wert\r\n007;Örla;1,5\r\n008;Señal;2,5\r\n".encode(encoding))
    table = read_table(file, "calls")
    assert table.columns.to_pydict() == {"id": ["007", "008"], "ort": ["Örla", "Señal"], "wert": ["1,5", "2,5"]}


def test_ragged_rows_are_kept_apart_with_their_record_and_line(tmp_path):
    file = tmp_path / "calls.csv"
    file.write_text('id,x,note\n1,2,"two\nlines"\n2,3\n\n3,4,a,b\n4,5,ok\n')
    table = read_table(file, "calls")
    assert table.record.tolist() == [1, 4]
    assert table.line.tolist() == [2, 7]
    assert [(r.record, r.line, r.says) for r in table.ragged] == [
        (2, 4, "2 fields instead of 3"),
        (3, 6, "4 fields instead of 3"),
    ]


def test_a_workbook_with_title_lines_is_read_from_its_header(tmp_path):
    book = openpyxl.Workbook()
    sheet = book.active
    for row in (
        ["Residents 2024"],
        [],
        ["Code", "Name", "Residents", "Residents"],
        [101, "Tarn", 12.5, 3],
        ["Note", None, None, None],
    ):
        sheet.append(row)
    book.create_sheet("Other").append(["a", "b"])
    book.save(tmp_path / "r.xlsx")
    table = read_table(tmp_path / "r.xlsx", "residents")
    assert table.columns.column_names == ["Code", "Name", "Residents", "Residents (2)"]
    assert table.columns.column("Code").to_pylist() == ["101", "Note"]
    assert table.columns.column("Residents").to_pylist() == [12.5, None]
    assert table.line.tolist() == [4, 5]
    other = read_table(tmp_path / "r.xlsx", "residents", Reading(worksheet="Other", header_row=1))
    assert other.columns.column_names == ["a", "b"]
    with pytest.raises(SourceError, match=r"no worksheet “Third”.*“Sheet”, “Other”"):
        read_table(tmp_path / "r.xlsx", "residents", Reading(worksheet="Third"))


def test_what_a_workbook_hides_or_merges_or_has_not_worked_out_is_said(tmp_path):
    book = openpyxl.Workbook()
    hidden, sheet = book.active, book.create_sheet("Residents")
    hidden.title, hidden.sheet_state = "Lists", "hidden"
    hidden.append(["entry"])
    for row in (["Ward", "Sex", "n"], ["Tarn", "f", 10], [None, "m", 12], ["Fen", "f", "=5+6"], [None, "m", 8]):
        sheet.append(row)
    sheet.merge_cells("A2:A3")
    sheet.merge_cells("A4:A5")
    book.save(tmp_path / "m.xlsx")
    table = read_table(tmp_path / "m.xlsx", "residents")
    assert table.columns.column("Ward").to_pylist() == ["Tarn", "Tarn", "Fen", "Fen"]
    assert table.columns.column("n").to_pylist() == [10, 12, None, 8]
    told = " ".join(look(tmp_path / "m.xlsx", "residents", Reading()).said)
    assert "“Lists”, is hidden: “Residents” was read" in told
    assert "2 cells that are merged" in told
    assert "1 cells of the workbook hold formulas whose results are not stored" in told


def test_geojson_in_metres_is_asked_for_its_system_and_not_taken_for_degrees(tmp_path):
    square = {
        "type": "Polygon",
        "coordinates": [[[500_000, 4_200_000], [500_900, 4_200_000], [500_900, 4_200_900], [500_000, 4_200_000]]],
    }
    feature = {"type": "Feature", "properties": {"code": "A"}, "geometry": square}
    file = tmp_path / "z.geojson"
    file.write_text(json.dumps({"type": "FeatureCollection", "features": [feature]}))
    assert read_zones(file, "z").crs is None
    feature["geometry"] = {"type": "Polygon", "coordinates": [[[-40, 38], [-39, 38], [-39, 39], [-40, 38]]]}
    file.write_text(json.dumps({"type": "FeatureCollection", "features": [feature]}))
    assert read_zones(file, "z").crs is not None


DRIVERS = {".geojson": "GeoJSON", ".gpkg": "GPKG", ".shp": "ESRI Shapefile"}
SQUARE = shapely.box(0, 0, 1, 1)


def write(path: Path, geometry: list, codes: list[str], crs: str | None = "EPSG:4326", **options: str) -> None:
    kind = next(g for g in geometry if g is not None).geom_type
    shapes = np.array([shapely.to_wkb(g) for g in geometry], dtype=object)
    columns = [np.array(codes, dtype=object)]
    pyogrio.raw.write(
        str(path), shapes, columns, ["code"], driver=DRIVERS[path.suffix], geometry_type=kind, crs=crs, **options
    )


@pytest.mark.parametrize("ending", DRIVERS)
def test_areas_and_points_come_out_of_every_vector_format(tmp_path, ending):
    crs = "EPSG:4326" if ending == ".geojson" else "EPSG:32624"
    write(tmp_path / f"zones{ending}", [SQUARE, shapely.box(1, 0, 2, 1)], ["007", "Örla"], crs)
    write(tmp_path / f"points{ending}", [shapely.Point(1, 2), None], ["007", "Örla"], crs)
    zones = read_zones(tmp_path / f"zones{ending}", "zones")
    assert zones.columns.to_pydict() == {"code": ["007", "Örla"]}
    assert [g.area for g in zones.geometry] == [1.0, 1.0]
    assert zones.crs is not None
    points = read_table(tmp_path / f"points{ending}", "points")
    assert points.points[0].tolist() == [1.0, 2.0]
    assert np.isnan(points.points[1]).all()
    with pytest.raises(SourceError, match="not a point"):
        read_table(tmp_path / f"zones{ending}", "events")


@pytest.mark.filterwarnings("ignore:'crs' was not provided")
def test_a_shapefile_without_its_system_has_none(tmp_path):
    write(tmp_path / "z.shp", [SQUARE], ["a"], None)
    assert read_zones(tmp_path / "z.shp", "zones").crs is None


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("empty.csv", b"", "it is empty"),
        ("blank.csv", b"\n \n", "it is empty"),
        ("liar.xlsx", b"not a workbook", "not a workbook"),
        ("liar.gpkg", b"SQLite format 3\0 but no more", "cannot be read"),
        ("liar.geojson", b"<OGRVRTDataSource/>", "not a GeoJSON file"),
        ("broken.geojson", b'{"type": "FeatureCollection", "features": [', "cannot be read"),
        ("nothing.docx", b"", "not read here"),
    ],
)
def test_a_file_that_is_not_what_it_says_is_refused_in_one_sentence(tmp_path, name, content, says):
    (tmp_path / name).write_bytes(content)
    with pytest.raises(SourceError, match=says):
        read_table(tmp_path / name, "file")


def test_a_header_alone_is_a_table_without_rows(tmp_path):
    (tmp_path / "h.csv").write_text("a,b\n")
    table = read_table(tmp_path / "h.csv", "h")
    assert (table.columns.column_names, table.row_count) == (["a", "b"], 0)


def test_several_layers_want_one_named(tmp_path):
    for layer in ("one", "two"):
        write(tmp_path / "z.gpkg", [SQUARE], [layer], layer=layer)
    with pytest.raises(SourceError, match=r"2 layers.*“one”, “two”"):
        read_zones(tmp_path / "z.gpkg", "zones")
    assert read_zones(tmp_path / "z.gpkg", "zones", Reading(layer="two")).columns.to_pydict() == {"code": ["two"]}


def test_missing_files_and_folders_are_said(tmp_path):
    with pytest.raises(SourceError, match="no such file"):
        read_table(tmp_path / "none.csv", "none")
    with pytest.raises(SourceError, match="not a file"):
        read_zones(tmp_path, "folder")


def test_geojson_with_null_geometry_and_markup_stays_text(tmp_path):
    feature = {"type": "Feature", "properties": {"name": "<b>“x”</b>"}, "geometry": None}
    (tmp_path / "n.geojson").write_text(json.dumps({"type": "FeatureCollection", "features": [feature]}))
    zones = read_zones(tmp_path / "n.geojson", "zones")
    assert zones.columns.to_pydict() == {"name": ["<b>“x”</b>"]}
    assert zones.geometry.tolist() == [None]
