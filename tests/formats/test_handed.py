"""What is handed on, read again by other readers and compared value by value."""

import csv
import io
import json
import zipfile

import numpy as np
import openpyxl
import pyarrow as pa
import pyarrow.parquet
import pyogrio
import pytest
import shapely
from pyproj import CRS

from steady_tally.core.report.handed import Handed
from steady_tally.formats.handed import KINDS, archive, short_names

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
    return Handed(table, {name: f"what {name} is" for name in table.column_names})


def unpacked(kinds, wanted=UTM) -> dict[str, bytes]:
    data = archive(handed(), areas(), UTM, wanted, kinds, "study")
    with zipfile.ZipFile(io.BytesIO(data)) as files:
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
    assert rows[0] == ["column", "says", "in the shapefile"]
    by_name = {r[0]: r for r in rows[1:] if r[0]}
    assert list(by_name) == handed().table.column_names
    short = [r[2] for r in by_name.values()]
    assert len(set(short)) == len(short)
    assert max(len(s) for s in short) <= 10
    assert by_name["value"] == ["value", "what value is", "value"]


def test_an_archive_of_tables_is_the_same_at_each_time():
    both = [archive(handed(), areas(), UTM, UTM, ["csv", "parquet", "geojson"], "study") for _ in range(2)]
    assert both[0] == both[1]


@pytest.mark.parametrize(
    "names", [["a" * 30, "a" * 31, "a" * 32], ["Été", "été", "ete"], ["über_alles_hoch", "n", "N"]]
)
def test_short_names_are_short_and_all_different(names):
    short = list(short_names(names).values())
    assert len({s.lower() for s in short}) == len(names)
    assert all(0 < len(s) <= 10 and s.isascii() for s in short)
