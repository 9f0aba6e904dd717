"""Reading and looking at a file takes as its size does, whatever there is much of in it; and what would unpack to more
than a reader may hold is refused."""

import json
import math
import zipfile

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
import xlsxwriter

from steady_tally.core.errors import SourceError
from steady_tally.core.plan.gather import Reading
from steady_tally.formats import delimited
from steady_tally.formats.look import look
from steady_tally.formats.read import open_table, read_zones
from steady_tally.formats.sandbox import asking
from tests.growth import grows_evenly


def csv_columns(path, n):
    rows = "\n".join(",".join(f"t{i * j % 97}" for i in range(n)) for j in range(60))
    path.write_text(",".join(f"column {i}" for i in range(n)) + "\n" + rows)


def csv_texts(path, n):
    path.write_text("a,b,c\n" + "\n".join(f"n{100 * i},m{700 * i},2024-01-{i % 28 + 1:02d}" for i in range(100 * n)))


def csv_quotes(path, n):
    path.write_text("a,b\n" + ('"' + '""' * 20 + 'x\ny",2\n') * (40 * n))


def parquet_columns(path, n):
    pq.write_table(pa.table({f"c{i}": np.arange(50) * 1.5 for i in range(n)}), path)


def xlsx_columns(path, n):
    with xlsxwriter.Workbook(str(path)) as book:
        sheet = book.add_worksheet()
        sheet.write_row(0, 0, [f"c{i}" for i in range(n)])
        for j in range(1, 50):
            sheet.write_row(j, 0, [i * j for i in range(n)])


def geojson(path, features):
    shapes = [{"type": "Feature", "properties": p, "geometry": g} for p, g in features]
    path.write_text(json.dumps({"type": "FeatureCollection", "features": shapes}))


def ring(x, y, side):
    return [[x, y], [x, y + side], [x + side, y + side], [x + side, y], [x, y]]


def geojson_columns(path, n):
    point = {"type": "Point", "coordinates": [1, 2]}
    geojson(path, [({f"c{j}": j * i for j in range(n)}, point) for i in range(50)])


def geojson_rings(path, n):
    count, side = 10 * n, math.isqrt(10 * n)
    step = 10 / (side + 1)
    holes = [ring((i % side + 0.5) * step, (i // side + 0.5) * step, step / 4) for i in range(count)]
    geojson(path, [({"code": "A"}, {"type": "Polygon", "coordinates": [ring(0, 0, 12), *holes]})])


def geojson_zones(path, n):
    boxes = [{"type": "Polygon", "coordinates": [ring(i * 1e-3, 0, 1e-3)]} for i in range(10 * n)]
    geojson(path, [({"code": f"A{i}"}, box) for i, box in enumerate(boxes)])


MADE = [
    csv_columns, csv_texts, csv_quotes, parquet_columns, xlsx_columns, geojson_columns, geojson_rings, geojson_zones,
]  # fmt: skip


@pytest.mark.parametrize("make", MADE)
def test_a_file_is_looked_at_and_read_in_a_time_as_its_size_is(tmp_path, make):
    def of(n):
        path = tmp_path / f"{n}.{make.__name__.split('_')[0]}"
        make(path, n)

        def work():
            look(path, "x", Reading())
            if make in (geojson_rings, geojson_zones):
                read_zones(path, "x")
            else:
                for _ in open_table(path, "x", Reading()).pieces:
                    pass

        return work

    assert grows_evenly(of, (125, 250, 500))


ROOT = '<?xml version="1.0"?><{} xmlns="http://schemas.openxmlformats.org/{}" {}>'
OF = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"


def related(kind, target):
    head = ROOT.format("Relationships", "package/2006/relationships", "")
    return f'{head}<Relationship Id="a" Type="{OF}/{kind}" Target="{target}"/></Relationships>'


def sheet(path, cells, place="worksheets/s.xml"):
    """A workbook of one worksheet with as many cells, of nothing but what is needed (ECMA-376)."""
    main = "spreadsheetml/2006/main"
    types = ROOT.format("Types", "package/2006/content-types", "")
    book = ROOT.format("workbook", main, f'xmlns:r="{OF}"') + '<sheets><sheet name="s" sheetId="1" r:id="a"/></sheets>'
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr(
            "[Content_Types].xml", f'{types}<Default Extension="xml" ContentType="application/xml"/></Types>'
        )
        packed.writestr("_rels/.rels", related("officeDocument", "xl/workbook.xml"))
        packed.writestr("xl/_rels/workbook.xml.rels", related("worksheet", place))
        packed.writestr("xl/workbook.xml", f"{book}</workbook>")
        with packed.open(f"xl/{place}", "w") as stream:
            stream.write((ROOT.format("worksheet", main, "") + "<sheetData>").encode())
            for _ in range(cells // 100_000):
                stream.write((b"<row>" + b"<c><v>1</v></c>" * 100 + b"</row>") * 1_000)
            stream.write(b"</sheetData></worksheet>")


@pytest.mark.parametrize("of", [asking.look, lambda path, name, reading: asking.open_table(path, name, reading)])
@pytest.mark.parametrize("place", ["worksheets/s.xml", "elsewhere/s.bin"])
def test_a_worksheet_of_ten_million_cells_is_refused_before_a_cell_is_read(tmp_path, of, place):
    sheet(tmp_path / "small.xlsx", 100_000)
    assert look(tmp_path / "small.xlsx", "x", Reading()).rows == 999
    sheet(tmp_path / "large.xlsx", 10_000_000, place)
    assert (tmp_path / "large.xlsx").stat().st_size < 1_000_000
    with pytest.raises(SourceError, match=r"cells or more, and 5,000,000 can be read. Save it as CSV"):
        of(tmp_path / "large.xlsx", "x", Reading())


def test_a_dictionary_in_parquet_that_unpacks_to_much_is_refused(tmp_path):
    long = "x" * 100_000
    words = pa.DictionaryArray.from_arrays(pa.array(np.zeros(2_000_000, np.int32)), pa.array([long]))
    pq.write_table(pa.table({"t": words, "n": np.zeros(2_000_000)}), tmp_path / "t.parquet")
    assert (tmp_path / "t.parquet").stat().st_size < 100_000
    with pytest.raises(SourceError):
        for _ in asking.open_table(tmp_path / "t.parquet", "x").pieces:
            pass


def topology(path, arcs, geometries):
    path.write_text(json.dumps({"type": "Topology", "arcs": arcs, "objects": {"a": {
        "type": "GeometryCollection", "geometries": geometries,
    }}}))  # fmt: skip


SQUARE = [[[0, 0], [0, 1], [1, 1], [1, 0], [0, 0]]]


@pytest.mark.parametrize(
    ("arcs", "geometries", "says"),
    [
        ([[[0, 0]] + [[1, 1]] * 20_000], [{"type": "LineString", "arcs": [0] * 2_000}], "more than 20,000,000 corners"),
        ([[[0, 0]] + [[1, 1]] * 20_000], [{"type": "LineString", "arcs": [~0] * 90}] * 90, "more than 20,000,000"),
        (SQUARE, [{"type": "Polygon", "arcs": [[0]], "properties": {f"k{i}": 1}} for i in range(2_001)], "columns"),
        (SQUARE, [{"type": "Polygon", "arcs": [[7]]}], "not a TopoJSON"),
        ([3], [{"type": "Polygon", "arcs": [[0]]}], "not a TopoJSON"),
    ],
)
def test_a_topology_that_unfolds_to_much_is_refused_before_it_is_unfolded(tmp_path, arcs, geometries, says):
    topology(tmp_path / "t.topojson", arcs, geometries)
    with pytest.raises(SourceError, match=says):
        asking.look(tmp_path / "t.topojson", "t", Reading())
    topology(tmp_path / "s.topojson", SQUARE, [{"type": "Polygon", "arcs": [[0]], "properties": {"n": 3}}])
    assert asking.look(tmp_path / "s.topojson", "s", Reading()).rows == 1


def test_an_encoding_is_guessed_from_a_bounded_part_and_what_is_not_in_it_is_said(tmp_path, monkeypatch):
    monkeypatch.setattr(delimited, "MOST_GUESSED", 1 << 20)
    plain = b"a,b\n" + b"1,2\n" * 400_000
    (tmp_path / "t.csv").write_bytes(plain + "3,é\n".encode("latin-1"))
    dialect = delimited.dialect_of(tmp_path / "t.csv", Reading())
    assert dialect.encoding == "utf-8"
    with pytest.raises(SourceError, match=r"not all of its text is UTF-8. Name its encoding"):
        list(delimited.read_pieces(tmp_path / "t.csv", dialect))
    (tmp_path / "u.csv").write_bytes("b\né\n".encode("latin-1") + plain)
    assert delimited.dialect_of(tmp_path / "u.csv", Reading()).encoding == "cp1252"
