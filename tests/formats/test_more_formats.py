"""Files made by other libraries' writers, whole and damaged: each is read, or refused in one sentence."""

import datetime
import gzip
import io
import json
import random
import zipfile

import numpy as np
import openpyxl
import pyarrow as pa
import pyarrow.parquet as pq
import pyogrio
import pytest
import shapely
import xlsxwriter
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from steady_tally.core.errors import SourceError
from steady_tally.core.gather.times import read_times
from steady_tally.core.plan.gather import Reading
from steady_tally.formats.limits import MOST_MEMBERS
from steady_tally.formats.look import look
from steady_tally.formats.read import open_table, read_table, read_zones
from steady_tally.formats.sandbox import asking

POINTS = [shapely.Point(-40.1, 38.1, 12.5), shapely.Point(-40.2, 38.2, 7.0)]
SQUARES = [shapely.box(-40, 38, -39, 39), shapely.box(-39, 38, -38, 39)]


def write_vector(path, shapes, driver, crs="EPSG:4326"):
    kind = shapes[0].geom_type + (" Z" if shapes[0].has_z else "")
    names = np.array(["a “1”", "b/é"], dtype=object)
    wkb = np.array([shapely.to_wkb(g, output_dimension=3) for g in shapes], dtype=object)
    pyogrio.raw.write(str(path), wkb, [names], ["name"], driver=driver, geometry_type=kind, crs=crs)


@pytest.mark.parametrize(
    ("ending", "driver"),
    [(".geojson", "GeoJSON"), (".geojsonl", "GeoJSONSeq"), (".gpkg", "GPKG"), (".fgb", "FlatGeobuf"), (".kml", "KML")],
)
def test_points_with_height_and_polygons_come_out_of_every_format(tmp_path, ending, driver):
    write_vector(tmp_path / f"p{ending}", POINTS, driver)
    points = read_table(tmp_path / f"p{ending}", "p")
    order = np.argsort(-points.points[:, 0])  # one of the formats sorts its features for itself
    assert points.points[order].tolist() == [[-40.1, 38.1], [-40.2, 38.2]]
    assert points.columns.column("height").take(order).to_pylist() == [12.5, 7.0]
    write_vector(tmp_path / f"z{ending}", SQUARES, driver)
    zones = read_zones(tmp_path / f"z{ending}", "z")
    assert sorted(g.area for g in zones.geometry) == pytest.approx([1.0, 1.0])
    name = "Name" if ending == ".kml" else "name"
    assert sorted(zones.columns.column(name).to_pylist()) == ["a “1”", "b/é"]
    seen = look(tmp_path / f"z{ending}", "z", Reading())
    assert (seen.guess.role, seen.shapes, seen.rows) == ("zones", {"polygon": 2}, 2)


def test_topojson_is_read(tmp_path):
    arcs = [[[0, 0], [1, 0], [1, 1], [0, 1], [0, 0]]]
    zone = {"type": "Polygon", "arcs": [[0]], "properties": {"name": "é"}}
    objects = {"zones": {"type": "GeometryCollection", "geometries": [zone]}}
    (tmp_path / "z.topojson").write_text(json.dumps({"type": "Topology", "objects": objects, "arcs": arcs}))
    zones = read_zones(tmp_path / "z.topojson", "z")
    assert (zones.geometry[0].area, zones.columns.column("name").to_pylist()) == (1.0, ["é"])


def test_parquet_and_geoparquet_are_read_with_their_types(tmp_path):
    plain = pa.table({"id": ["001", "002"], "n": [1, 2], "at": pa.array([datetime.datetime(2024, 5, 1, 12)] * 2)})
    pq.write_table(plain.append_column("kind", pa.array(["a", "b"]).dictionary_encode()), tmp_path / "t.parquet")
    table = read_table(tmp_path / "t.parquet", "t")
    assert table.columns.column("id").to_pylist() == ["001", "002"]
    assert table.columns.column("kind").type == pa.string()
    assert look(tmp_path / "t.parquet", "t", Reading()).guess.times[0].column == "at"
    geo = {"version": "1.1.0", "primary_column": "where", "columns": {"where": {"encoding": "WKB"}}}
    where = pa.array([shapely.to_wkb(g) for g in POINTS], pa.binary())
    pq.write_table(
        plain.append_column("where", where).replace_schema_metadata({"geo": json.dumps(geo)}), tmp_path / "g.parquet"
    )
    points = read_table(tmp_path / "g.parquet", "g")
    assert points.points.tolist() == [[-40.1, 38.1], [-40.2, 38.2]]
    assert points.columns.column_names == ["id", "n", "at"]
    assert read_zones(tmp_path / "g.parquet", "g").crs == "OGC:CRS84"


@pytest.mark.parametrize(
    ("zone", "offset"),
    [("America/Noronha", "-02:00"), ("Europe/Helsinki", "+03:00"), ("+05:30", "+05:30"), ("UTC", "+00:00")],
)
def test_moments_in_a_zone_keep_what_its_clocks_showed_or_are_turned_into_the_studys(tmp_path, zone, offset):
    utc = [datetime.datetime(2024, 7, 1, 23, 30, tzinfo=datetime.UTC), None]
    pq.write_table(pa.table({"at": pa.array(utc, pa.timestamp("us", tz=zone))}), tmp_path / "t.parquet")
    column = read_table(tmp_path / "t.parquet", "t").columns.column("at")
    minutes = (1 if offset[0] == "+" else -1) * (int(offset[1:3]) * 60 + int(offset[4:]))
    local = (utc[0] + datetime.timedelta(minutes=minutes)).replace(tzinfo=None)
    assert column.to_pylist() == [f"{local:%Y-%m-%d %H:%M:%S}{offset}", None]
    for cells in (column, pa.chunked_array([pa.array(utc, pa.timestamp("us", tz=zone))])):
        assert read_times(cells, "year-first").start[0] == np.datetime64(local)
        assert np.isnat(read_times(cells, "year-first").start[1])
        assert read_times(cells, "year-first", zone="Atlantic/Azores").start[0] == np.datetime64("2024-07-01T23:30:00")


def test_a_shapefile_in_a_zip_and_what_it_lacks_is_said(tmp_path):
    write_vector(tmp_path / "zones.shp", SQUARES, "ESRI Shapefile", "EPSG:32624")
    with zipfile.ZipFile(tmp_path / "z.zip", "w") as archive:
        for ending in ("shp", "shx", "dbf"):
            archive.write(tmp_path / f"zones.{ending}", f"folder/zones.{ending}")
        archive.writestr("readme.txt", "hello")
    zones = read_zones(tmp_path / "z.zip", "z", Reading(crs="EPSG:32624"))
    assert (len(zones.geometry), zones.crs) == (2, "EPSG:32624")
    said = " ".join(look(tmp_path / "z.zip", "z", Reading()).said)
    assert ".prj" in said
    assert ".cpg" in said
    assert "does not say which coordinate system" in said
    assert look(tmp_path / "zones.shp", "z", Reading()).said == ()


@pytest.mark.parametrize("ending", ["csv", "tsv"])
@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "utf-16-le", "cp1252"])
def test_packed_text_under_title_lines_in_any_encoding(tmp_path, ending, encoding):
    mark = "," if ending == "csv" else "\t"
    rows = [
        ["Calls of the harbour county"],
        ["made up"],
        ["id", "Straße", "n"],
        ["007", "Kämmerhof", "1"],
        ["8", "Ö", "2"],
    ]
    text = "\r\n".join(mark.join(row) for row in rows)
    (tmp_path / f"c.{ending}.gz").write_bytes(gzip.compress(text.encode(encoding)))
    table = read_table(tmp_path / f"c.{ending}.gz", "c")
    assert table.columns.to_pydict() == {"id": ["007", "8"], "Straße": ["Kämmerhof", "Ö"], "n": ["1", "2"]}
    assert table.line.tolist() == [4, 5]


def test_rows_without_column_names_are_named_by_position(tmp_path):
    (tmp_path / "n.csv").write_text("1,-40.1,38.2\n2,-40.2,38.3\n")
    assert read_table(tmp_path / "n.csv", "n").columns.column_names == ["column 1", "column 2", "column 3"]
    assert read_table(tmp_path / "n.csv", "n", Reading(header_row=1)).row_count == 1


def test_what_can_be_chosen_in_a_workbook_is_shown_and_dates_stay_dates(tmp_path):
    book = openpyxl.Workbook()
    book.active.title = "Notes"
    book.active.append(["only a note"])
    sheet = book.create_sheet("Calls")
    for row in (["When", "Lon", "Lat"], *[[datetime.datetime(2024, 5, 13 + i, 8, i), -40.1, 38.1] for i in range(6)]):
        sheet.append(row)
    book.save(tmp_path / "b.xlsx")
    seen = look(tmp_path / "b.xlsx", "b", Reading(worksheet="Calls"))
    assert seen.choices == ("Notes", "Calls")
    assert (seen.guess.role, seen.guess.times[0].column, seen.guess.times[0].order) == ("events", "When", "year-first")


@pytest.mark.filterwarnings("ignore:'crs' was not provided")
def test_an_open_document_sheet_is_read(tmp_path):
    cells = [np.array(["007", "Örla"], dtype=object), np.array([1.5, 2.0])]
    pyogrio.raw.write(
        str(tmp_path / "s.ods"), None, cells, ["code", "n"], driver="ODS", layer="Sheet", geometry_type=""
    )
    table = read_table(tmp_path / "s.ods", "s")
    assert table.columns.to_pydict() == {"code": ["007", "Örla"], "n": [1.5, 2.0]}
    assert look(tmp_path / "s.ods", "s", Reading()).choices == ("Sheet",)


def far_cell(path):
    book = openpyxl.Workbook()
    book.active["A1"], book.active["XFD1048576"] = "x", 1
    book.save(path)


def swollen(path):
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for i in range(12):
            archive.writestr(f"xl/{i}.xml", bytes(100 << 20))


def many_members(path):
    with zipfile.ZipFile(path, "w") as archive:
        for i in range(MOST_MEMBERS + 1):
            archive.writestr(f"{i}.txt", "x")


def nested(path):
    inner = io.BytesIO()
    with zipfile.ZipFile(inner, "w") as archive:
        archive.writestr("zones.shp", "x")
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("inner.zip", inner.getvalue())


@pytest.mark.parametrize(
    ("name", "make", "says"),
    [
        ("far.xlsx", far_cell, "more cells than can be read"),
        ("swollen.xlsx", swollen, "unpacks to more than 1 GB"),
        ("many.zip", many_members, "members"),
        ("nested.zip", nested, "0 Shapefiles"),
        (
            "link.kml",
            b"<kml><NetworkLink><Link><href>file:///etc</href></Link></NetworkLink></kml>",
            "refers to another",
        ),
        ("entity.kml", b'<!DOCTYPE k [<!ENTITY x SYSTEM "file:///etc/hostname">]><kml>&x;</kml>', "refers to another"),
        ("crs.geojson", b'{"type":"FeatureCollection","crs":{"type":"link","properties":{}}}', "refers to another"),
        ("open.csv", b'a,b\n1,"2\n3,4\n', "never ends"),
        ("binary.csv", bytes(range(256)) * 40, "not text"),
        ("cut.csv.gz", gzip.compress(b"a,b\n" * 50_000)[:-30], "cannot be unpacked"),
        ("liar.parquet", b"PAR1 but no more", "not a Parquet file"),
        ("liar.fgb", b"fgb but no more", "cannot be read"),
    ],
)
def test_hostile_and_broken_files_are_refused_in_one_sentence(tmp_path, name, make, says):
    make(tmp_path / name) if callable(make) else (tmp_path / name).write_bytes(make)
    with pytest.raises(SourceError, match=says) as found:
        asking.look(tmp_path / name, name, Reading())
    assert str(tmp_path) not in found.value.sentence


def test_lines_offered_as_events_need_the_users_word(tmp_path):
    lines = [shapely.LineString([(0, 0), (2, 0)]), shapely.LineString([(0, 1), (2, 1)])]
    write_vector(tmp_path / "l.geojson", lines, "GeoJSON")
    with pytest.raises(SourceError, match="Agree to a point inside each"):
        read_table(tmp_path / "l.geojson", "l")
    agreed = read_table(tmp_path / "l.geojson", "l", Reading(inside=True))
    assert all(line.distance(shapely.Point(p)) < 1e-9 for line, p in zip(lines, agreed.points, strict=True))


@pytest.mark.filterwarnings("ignore:Non closed ring")
def test_rings_that_are_not_closed_are_closed_and_said(tmp_path):
    ring = {"type": "Polygon", "coordinates": [[[0, 0], [1, 0], [1, 1], [0, 1]]]}
    features = [{"type": "Feature", "properties": {"a": 1}, "geometry": g} for g in (ring, None)]
    (tmp_path / "u.geojson").write_text(json.dumps({"type": "FeatureCollection", "features": features}))
    seen = look(tmp_path / "u.geojson", "u", Reading())
    assert seen.shapes == {"polygon": 1, "none": 1}
    assert "1 features had a ring that was not closed; it was closed." in seen.said
    assert read_zones(tmp_path / "u.geojson", "u").geometry[0].area == 1.0


def samples(folder):
    write_vector(folder / "p.geojson", POINTS, "GeoJSON")
    write_vector(folder / "p.gpkg", POINTS, "GPKG")
    write_vector(folder / "p.fgb", POINTS, "FlatGeobuf")
    write_vector(folder / "p.kml", POINTS, "KML")
    pq.write_table(pa.table({"a": ["x", "y"], "b": [1.5, 2.5]}), folder / "t.parquet")
    (folder / "t.csv").write_text('a,b,c\n1,"x ""y""",3\n4,5,6\n')
    (folder / "packed.csv.gz").write_bytes(gzip.compress(b"a,b\n1,2\n" * 500))
    book = xlsxwriter.Workbook(folder / "t.xlsx")
    book.add_worksheet().write_row(0, 0, ["a", "b"])
    book.close()
    return sorted(folder.iterdir())


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(seed=st.integers(0, 2**32))
def test_damaged_files_are_read_or_refused_but_never_break_the_reader(tmp_path, seed):
    folder = tmp_path / "whole"
    if not folder.exists():
        folder.mkdir()
        samples(folder)
    rng = random.Random(seed)
    file = rng.choice([f for f in sorted(folder.iterdir()) if f.suffix != ".xlsx" or rng.random() < 0.2])
    data = bytearray(file.read_bytes())
    for _ in range(rng.randint(1, 12)):
        at = rng.randrange(len(data))
        how = rng.random()
        if how < 0.6:
            data[at] = rng.randrange(256)
        elif how < 0.8:
            del data[at : at + rng.randint(1, 40)]
        else:
            data[at:at] = bytes(rng.randrange(256) for _ in range(rng.randint(1, 8)))
        if not data:
            data = bytearray(b"x")
    damaged = tmp_path / f"damaged{file.suffix}"
    damaged.write_bytes(data)
    try:
        look(damaged, "damaged", Reading())
        for piece in open_table(damaged, "damaged").pieces:
            assert piece.columns.num_rows == len(piece.record) == len(piece.line)
    except SourceError as error:
        refused = error.sentence
        assert str(tmp_path) not in refused
