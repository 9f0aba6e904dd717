"""What is handed on, read again by other readers and compared value by value."""

import csv
import io
import json
import subprocess
import tempfile
import zipfile
from pathlib import Path

import numpy as np
import openpyxl
import pyarrow as pa
import pyarrow.parquet
import pyogrio
import pytest
import shapely
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pyproj import CRS, Transformer

from steady_tally.core.errors import SourceError
from steady_tally.core.report.handed import Handed
from steady_tally.formats.defusing import defused
from steady_tally.formats.handed import KINDS, Piece, archive, points_as_wkb, short_names, write_files

NAMES = ["Plain", "=1+1", "@cmd", "é “q” שלום", "x" * 200, "comma, \n line"]
UTM, DEGREES = CRS.from_epsg(32624), CRS.from_epsg(4326)


def areas() -> np.ndarray:
    found = [shapely.box(500_000 + 1_000 * k, 4_200_000, 500_900 + 1_000 * k, 4_201_000) for k in range(6)]
    found[2] = found[2].difference(shapely.box(502_200, 4_200_200, 502_400, 4_200_400))
    found[4] = shapely.union_all([found[4], shapely.box(520_000, 4_200_000, 520_100, 4_200_100)])
    return np.array(found, dtype=object)


def handed() -> Handed:
    table = pa.table(
        {
            "identifier": [f"0{k}" for k in range(6)],
            "name": NAMES,
            "value": pa.array([0.0, 1.5, None, 1e-12, 123456789.125, -4.0]),
            "class_colour_of_the_area": ["#aabbcc", None, "#000000", "#ffffff", "#010203", ""],
            "class_colour_of_another": pa.array([1, 2, 3, None, 5, 6], pa.int16()),
            "unreliable": [True, False, False, True, False, True],
        }
    )
    says = {name: f"what {name} is" for name in table.column_names}
    return Handed(table, says, polygons=areas(), crs=UTM)


X = np.array([500_000.0, 501_000.5, np.nan, 499_999.25, 500_000.0, 600_000.0])
Y = np.array([4_200_000.0, 4_200_500.25, np.nan, 4_200_001.0, 4_200_000.0, 4_300_000.0])


def events() -> Handed:
    base = handed()
    return Handed(base.table, base.says, points=(X, Y), crs=UTM, said=("One event has no place.",))


def unpacked(kinds, wanted=UTM, what=None) -> dict[str, bytes]:
    with tempfile.TemporaryDirectory() as folder:
        to = Path(folder) / "study.zip"
        archive(to, [Piece(what or handed(), "study", kinds)], wanted)
        assert [p.name for p in Path(folder).iterdir()] == ["study.zip"]
        with zipfile.ZipFile(to) as files:
            return {n: files.read(n) for n in files.namelist()}


def expected(column: str) -> list:
    return handed().table.column(column).to_pylist()


@pytest.mark.parametrize("kind", ["gpkg", "geojson", "shp", "fgb"])
@pytest.mark.parametrize("wanted", [UTM, DEGREES, CRS.from_epsg(3035)])
def test_vector_files_have_every_value_and_shape(tmp_path, kind, wanted):
    for name, data in unpacked([kind], wanted).items():
        (tmp_path / name).write_bytes(data)
    meta, _, geometry, fields = pyogrio.raw.read(tmp_path / f"study.{kind}")
    short = short_names(handed().table.column_names) if kind == "shp" else {}
    by_name = dict(zip(meta["fields"].tolist(), fields, strict=True))
    order = np.arange(6)
    identifiers = by_name[short.get("identifier", "identifier")].tolist()
    order = np.array([identifiers.index(i) for i in expected("identifier")])
    names = list(np.array(by_name[short.get("name", "name")], dtype=object)[order])
    assert names == NAMES
    values = np.array(by_name[short.get("value", "value")], dtype=float)[order]
    wanted_values = np.array([np.nan if v is None else v for v in expected("value")])
    assert np.allclose(values, wanted_values, rtol=1e-9, atol=1e-13, equal_nan=True)
    colours = np.array(by_name[short.get("class_colour_of_the_area", "class_colour_of_the_area")], dtype=object)[order]
    assert [c or None for c in colours] == [c or None for c in expected("class_colour_of_the_area")]
    system = DEGREES if kind == "geojson" else wanted
    assert CRS.from_user_input(meta["crs"]) == system
    shapes = shapely.from_wkb(geometry)[order]
    to_plane = shapely.transform(shapes, lambda p: p) if system == UTM else None
    if to_plane is not None:
        assert all(a.equals(b) for a, b in zip(to_plane, areas(), strict=True))
    assert [len(shapely.get_parts(s)) for s in shapes] == [1, 1, 1, 1, 2, 1]
    assert [sum(shapely.get_num_interior_rings(shapely.get_parts(s))) for s in shapes] == [0, 0, 1, 0, 0, 0]


def test_tables_have_every_value_and_bite_nobody(tmp_path):
    files = unpacked(["csv", "xlsx", "parquet"])
    rows = list(csv.DictReader(io.StringIO(files["study.csv"].decode())))
    assert [r["name"] for r in rows] == ["Plain", "'=1+1", "'@cmd", *NAMES[3:]]
    assert [float(r["value"]) if r["value"] else None for r in rows] == expected("value")
    assert "2 texts in study.csv that a spreadsheet would run as formulas" in files["columns.csv"].decode()
    sheet = openpyxl.load_workbook(io.BytesIO(files["study.xlsx"])).active
    head, *body = list(sheet.iter_rows())
    assert [c.value for c in head] == handed().table.column_names
    assert [r[1].value for r in body] == NAMES
    assert {r[1].data_type for r in body} == {"s"}, "none of them is a formula"
    assert [r[2].value for r in body] == pytest.approx(expected("value"))
    assert [r[5].value for r in body] == expected("unreliable")
    table = pyarrow.parquet.read_table(io.BytesIO(files["study.parquet"]))
    assert table.drop_columns(["geometry"]).to_pydict() == handed().table.to_pydict()
    geo = json.loads(table.schema.metadata[b"geo"])
    assert (geo["primary_column"], geo["columns"]["geometry"]["encoding"]) == ("geometry", "WKB")
    assert CRS.from_json_dict(geo["columns"]["geometry"]["crs"]) == UTM
    shapes = shapely.from_wkb(np.array(table.column("geometry").to_pylist(), dtype=object))
    assert all(a.equals(b) for a, b in zip(shapes, areas(), strict=True))


def test_a_dictionary_goes_along_and_says_what_shapefiles_call_each_column():
    rows = list(csv.reader(io.StringIO(unpacked(list(KINDS))["columns.csv"].decode())))
    assert rows[0] == ["table", "column", "says", "in the shapefile"]
    by_name = {r[1]: r for r in rows[1:] if r[1]}
    assert list(by_name) == handed().table.column_names
    short = [r[3] for r in by_name.values()]
    assert len(set(short)) == len(short)
    assert max(len(s) for s in short) <= 10
    assert by_name["value"] == ["study", "value", "what value is", "value"]


@pytest.mark.parametrize("kind", ["gpkg", "geojson", "fgb", "parquet", "csv"])
@pytest.mark.parametrize("wanted", [UTM, DEGREES])
def test_events_keep_their_place_and_those_without_one_stay(tmp_path, kind, wanted):
    (tmp_path / f"study.{kind}").write_bytes(unpacked([kind], wanted, events())[f"study.{kind}"])
    system = DEGREES if kind == "geojson" else wanted
    x, y = np.array(Transformer.from_crs(UTM, system, always_xy=True).transform(X, Y))
    known = np.isfinite(X)
    if kind == "csv":
        rows = list(csv.DictReader((tmp_path / "study.csv").open(newline="")))
        names = ("longitude", "latitude") if system == DEGREES else ("x", "y")
        found = np.array([[float(r[n]) if r[n] else np.nan for n in names] for r in rows])
        identifiers = [r["identifier"] for r in rows]
    elif kind == "parquet":
        table = pyarrow.parquet.read_table(tmp_path / "study.parquet")
        shapes = shapely.from_wkb(np.array(table.column("geometry").to_pylist(), dtype=object))
        found = np.column_stack([shapely.get_x(shapes), shapely.get_y(shapes)])
        identifiers = table.column("identifier").to_pylist()
    else:
        meta, _, geometry, fields = pyogrio.raw.read(tmp_path / f"study.{kind}")
        shapes = shapely.from_wkb(geometry)
        found = np.column_stack([shapely.get_x(shapes), shapely.get_y(shapes)])
        identifiers = dict(zip(meta["fields"].tolist(), fields, strict=True))["identifier"].tolist()
    order = [identifiers.index(i) for i in expected("identifier")]
    step = 1e-6 if system == DEGREES else 1e-3
    np.testing.assert_allclose(found[order][known], np.column_stack([x, y])[known], atol=step)
    assert np.isnan(found[order][~known]).all()


@pytest.mark.parametrize("kind", ["gpkg", "geojson", "shp", "fgb", "parquet"])
def test_areas_without_a_shape_keep_their_row(tmp_path, kind):
    shapes = areas()
    shapes[1] = None
    what = Handed(handed().table, handed().says, polygons=shapes, crs=UTM)
    for name, data in unpacked([kind], DEGREES, what).items():
        (tmp_path / name).write_bytes(data)
    if kind == "parquet":
        assert pyarrow.parquet.read_table(tmp_path / "study.parquet").column("geometry").null_count == 1
        return
    meta, _, geometry, fields = pyogrio.raw.read(tmp_path / f"study.{kind}")
    by_name = dict(zip([n.lower() for n in meta["fields"]], fields, strict=True))
    names = by_name["identifier" if "identifier" in by_name else "idntfr"].tolist()
    assert sorted(names) == expected("identifier")
    assert [n for n, g in zip(names, geometry, strict=True) if g is None] == ["01"]


def test_texts_that_are_numbers_bite_nobody():
    texts = ["-39.95", "+1", "-1e-5", "1,234.5", "-1 234,5", "-1-1", "=1", "+A1", "-", "@x", "", None, "e1"]
    safe, count = defused(pa.table({"a": texts}))
    bitten = [t for t, s in zip(texts, safe.column("a").to_pylist(), strict=True) if t != s]
    assert (bitten, count) == (["-1-1", "=1", "+A1", "-", "@x"], 5)


def test_points_are_the_bytes_that_a_geometry_library_writes():
    wanted = shapely.to_wkb(shapely.points(X[np.isfinite(X)], Y[np.isfinite(Y)])).tolist()
    assert [b for b in points_as_wkb(X, Y).to_pylist() if b is not None] == wanted
    assert points_as_wkb(X, Y).null_count == 1


def test_a_table_without_a_place_comes_in_formats_that_hold_it_and_that_is_said():
    bare = Handed(handed().table, handed().says)
    files = unpacked(["gpkg", "xlsx"], what=bare)
    assert set(files) == {"study.xlsx", "columns.csv"}
    assert "It is in xlsx, not in gpkg." in files["columns.csv"].decode()
    assert set(unpacked(["gpkg"], what=bare)) == {"study.csv", "columns.csv"}
    assert set(unpacked(["shp"], what=events())) == {"study.csv", "columns.csv"}
    assert "One event has no place." in unpacked(["csv"], what=events())["columns.csv"].decode()


def small_disk(tmp_path: Path, size: str) -> Path:
    """A file system of that size, or skip where none can be made."""
    folder = tmp_path / "small"
    folder.mkdir()
    made = subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={size}", "tmpfs", str(folder)], capture_output=True)
    if made.returncode:
        pytest.skip("no small file system can be made here")
    return folder


@pytest.mark.parametrize("kind", ["csv", "gpkg", "parquet"])
def test_a_disk_that_fills_is_said_and_leaves_nothing(tmp_path, kind):
    rng = np.random.default_rng(1)
    table = pa.table({f"c{k}": rng.random(200_000) for k in range(4)})
    x, y = rng.random((2, table.num_rows)) * 1e5
    large = Handed(table, dict.fromkeys(table.column_names, ""), points=(x, y), crs=UTM)
    folder = small_disk(tmp_path, "3m")
    try:
        with pytest.raises(SourceError, match="no room left"):
            archive(folder / "study.zip", [Piece(large, "study", [kind])], UTM)
        assert list(folder.iterdir()) == []
    finally:
        subprocess.run(["umount", "-l", str(folder)], check=True)


def test_work_that_is_stopped_half_way_leaves_nothing(tmp_path):
    class Stopped(Exception):
        pass

    told = []

    def tell(says, done, total):
        told.append((says, done, total))
        if done == 1:
            raise Stopped

    with pytest.raises(Stopped):
        archive(tmp_path / "study.zip", [Piece(handed(), "study", ["csv", "gpkg", "xlsx"])], UTM, tell=tell)
    assert told == [("writing study.csv", 0, 4), ("writing study.gpkg", 1, 4)]
    assert list(tmp_path.iterdir()) == []


def test_an_archive_of_tables_is_the_same_at_each_time():
    first, second = (unpacked(["csv", "parquet", "geojson"]) for _ in range(2))
    assert first == second


ANY_NAME = st.one_of(
    st.sampled_from(["fid", "FID", "ogc_fid", "geom", "Geometry", "shape", "rowid", "id", "Code", "code", "ß", "x y"]),
    st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc")), min_size=1, max_size=20),
)
ANY_CELLS = (
    st.lists(st.none() | st.integers(-(2**62), 2**62), min_size=3, max_size=3),
    st.lists(st.none() | st.floats(), min_size=3, max_size=3),
    st.lists(st.none() | st.text(st.characters(codec="utf-8", exclude_characters="\x00"), max_size=300), min_size=3,
             max_size=3),
)  # fmt: skip


@given(st.lists(ANY_NAME, min_size=1, max_size=6, unique=True), st.data())
@settings(max_examples=30, deadline=None, suppress_health_check=list(HealthCheck))
def test_columns_of_any_name_and_any_figures_are_written_in_every_format(tmp_path_factory, names, data):
    """What a format cannot hold is made different or left out there, and said; no row is lost."""
    folder = tmp_path_factory.mktemp("any")
    kinds = (pa.int64(), pa.float64(), pa.string())
    columns = {}
    for name in names:
        which = data.draw(st.integers(0, 2))
        columns[name] = pa.array(data.draw(ANY_CELLS[which]), kinds[which])
    table = pa.table(columns)
    shapes = np.array([shapely.box(0, 0, 1, 1), shapely.Polygon(), shapely.box(2, 0, 3, 1)], dtype=object)
    handed = Handed(table, dict.fromkeys(names, ""), polygons=shapes, crs=CRS.from_epsg(32624))
    write_files(folder, [Piece(handed, "any", KINDS)], CRS.from_epsg(32624))
    for kind in ("gpkg", "geojson", "shp", "fgb"):
        meta, _, geometry, fields = pyogrio.raw.read(folder / f"any.{kind}")
        assert len(geometry) == 3, kind
        assert len(meta["fields"]) == len(names), (kind, names, list(meta["fields"]))
    head = next(iter(openpyxl.load_workbook(folder / "any.xlsx").active.values))
    assert len(head) == len(names)
    assert pyarrow.parquet.read_table(folder / "any.parquet").num_rows == 3
