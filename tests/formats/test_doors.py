"""A foreign file gives its own content or is refused: it reads no other file, reaches nobody, and takes its time."""

import http.server
import json
import os
import subprocess
import sys
import threading

import pytest
from hypothesis import given
from hypothesis import strategies as st

from steady_tally.core.errors import SourceError
from steady_tally.core.plan.gather import Reading
from steady_tally.formats.drivers import OFFERED, pyogrio
from steady_tally.formats.headers import names_of
from steady_tally.formats.limits import MOST_COLUMNS
from steady_tally.formats.look import look
from steady_tally.formats.read import read_table, read_zones
from steady_tally.formats.vectors import layers_of

SECRET = "the rows of another file"
VIRTUAL = """<OGRVRTDataSource><OGRVRTLayer name="x"><SrcDataSource>{}</SrcDataSource><SrcLayer>{}</SrcLayer>
<GeometryType>wkbNone</GeometryType></OGRVRTLayer></OGRVRTDataSource>"""
WAYS_IN = {
    "read as areas": lambda p: read_zones(p, "z"),
    "read as a table": lambda p: read_table(p, "t"),
    "looked into": lambda p: look(p, "l", Reading()),
    "asked for its tables": layers_of,
}


def fresh(code: str) -> subprocess.CompletedProcess[str]:
    """Run code in a process that has not been told which drivers to leave out."""
    untold = {name: value for name, value in os.environ.items() if name != "GDAL_SKIP"}
    return subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False, env=untold)


def test_a_process_that_reads_files_has_the_drivers_of_the_offered_formats_alone():
    assert set(pyogrio.list_drivers()) <= OFFERED
    for module in ("formats.vectors", "formats.look", "web.gather", "jobs.tasks", "demo.quillhaven"):
        said = fresh(f"import steady_tally.{module}, pyogrio; print(sorted(pyogrio.list_drivers()))").stdout
        assert set(json.loads(said.replace("'", '"'))) == OFFERED, module


def test_a_library_that_was_loaded_before_with_all_its_drivers_is_not_used():
    done = fresh("import pyogrio; assert len(pyogrio.list_drivers()) > 40; import steady_tally.formats.drivers")
    assert "SetUpError: the vector library has drivers that must not be here" in done.stderr


@pytest.mark.parametrize("way", WAYS_IN)
@pytest.mark.parametrize("ending", [".kml", ".geojson", ".json", ".topojson", ".geojsonl", ".gpkg", ".fgb", ".shp"])
def test_a_file_that_names_another_gives_nothing_of_it(tmp_path, way, ending):
    (tmp_path / "secret.csv").write_text(f"a,b\n{SECRET},2\n")
    virtual = VIRTUAL.format(tmp_path / "secret.csv", "secret")
    chain = json.dumps(
        {"type": "gdal_streamed_alg", "command_line": f"gdal vector read {tmp_path / 'secret.csv'} ! write streamed"}
    )
    for text in (virtual, f"<!-- <kml> -->{virtual}", chain, json.dumps({"type": "Topology", "gdal": chain})):
        file = tmp_path / f"liar{ending}"
        file.write_text(text)
        try:
            seen = WAYS_IN[way](file)
            said = str(getattr(seen, "columns", seen))  # a list of features of which none is one
        except SourceError as refused:
            said = refused.sentence
        assert SECRET not in said
        assert str(tmp_path) not in said


@pytest.mark.parametrize("ending", [".kml", ".geojson", ".gpkg"])
def test_a_file_that_names_an_address_asks_nobody(tmp_path, ending):
    asked = []

    class Listener(http.server.BaseHTTPRequestHandler):
        def do_GET(self):
            asked.append(self.path)
            self.send_error(404)

        do_HEAD = do_GET

    server = http.server.HTTPServer(("127.0.0.1", 0), Listener)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    at = f"127.0.0.1:{server.server_port}/x.csv"
    file = tmp_path / f"far{ending}"
    for address in (f"/vsicurl/http://{at}", f"http://{at}", f"/vsicurl?url=http://{at}"):
        for text in (VIRTUAL.format(address, "x"), json.dumps({"type": "gdal_streamed_alg", "command_line": address})):
            file.write_text(text)
            with pytest.raises(SourceError):
                read_zones(file, "z")
    server.shutdown()
    assert asked == []


@given(st.lists(st.sampled_from(["a", "a (2)", "a (3)", "", "column 2", " a ", "b"]), max_size=40))
def test_names_of_columns_are_all_different_and_the_first_keeps_its_own(cells):
    names = names_of(cells, "file")
    assert len(set(names)) == len(names) == len(cells)
    for i, (cell, name) in enumerate(zip(cells, names, strict=True)):
        wanted = cell.strip() or f"column {i + 1}"
        assert name == wanted or (name.startswith(wanted) and wanted in names[:i])


def test_naming_the_columns_takes_steps_in_proportion_to_their_number():
    class Counted(str):
        hashed = 0

        def split(self, *_):
            Counted.hashed += 1
            return [self]

    many = [Counted("a")] * MOST_COLUMNS
    assert names_of(many, "file")[-1] == f"a ({MOST_COLUMNS})"
    assert Counted.hashed == MOST_COLUMNS


@pytest.mark.parametrize("name", ["wide.csv", "wide.xlsx", "wide.parquet", "wide.geojson"])
def test_a_file_of_too_many_columns_is_refused(tmp_path, name):
    import pyarrow as pa
    import pyarrow.parquet
    import xlsxwriter

    names = [f"c{i}" for i in range(MOST_COLUMNS + 1)]
    file = tmp_path / name
    if name.endswith(".csv"):
        file.write_text(",".join("a" * len(names)) + "\n" + "," * (len(names) - 1) + "\n")
    elif name.endswith(".xlsx"):
        with xlsxwriter.Workbook(str(file)) as book:
            sheet = book.add_worksheet()
            sheet.write_row(0, 0, names)
            sheet.write_row(1, 0, [1] * len(names))
    elif name.endswith(".parquet"):
        pyarrow.parquet.write_table(pa.table({n: [1] for n in names}), file)
    else:
        feature = {"type": "Feature", "properties": dict.fromkeys(names, 1), "geometry": None}
        file.write_text(json.dumps({"type": "FeatureCollection", "features": [feature]}))
    with pytest.raises(SourceError, match="2,001 columns; at most 2,000"):
        read_table(file, "wide")


@pytest.mark.parametrize(
    ("encoding", "text"),
    [
        ("cp1250", "Příbram, Žďár nad Sázavou, České Budějovice"),
        ("cp1250", "Łódź, Gdańsk, Częstochowa, Świętokrzyskie"),
        ("cp1250", "Győr, Székesfehérvár, Hódmezővásárhely"),
        ("cp1250", "Bucureşti, Iaşi, Constanţa, Târgu Mureş"),
        ("cp1250", "Čakovec, Šibenik, Đakovo"),
        ("iso8859_2", "Ząbki, Świętokrzyskie, Łódź"),
        ("cp1252", "Saint-Étienne, Besançon, Nîmes, L’Haÿ-les-Roses"),
        ("cp1252", "München, Düsseldorf, Gießen"),
        ("cp1252", "Århus, Tønder, Göteborg"),
        ("cp1252", "São Paulo, Conceição, Camões"),
        ("cp1252", "Reykjavík, Þórshöfn, Ísafjörður"),
        ("cp1252", "café"),
        ("cp1251", "Москва, Санкт-Петербург"),
        ("cp1253", "Αθήνα, Θεσσαλονίκη"),
        ("cp1254", "İstanbul, Şanlıurfa, Çorum, Iğdır"),
    ],
)
def test_an_eight_bit_encoding_is_guessed_by_letters_that_make_sense_and_said(tmp_path, encoding, text):
    names = text.split(", ")
    file = tmp_path / "places.csv"
    file.write_bytes(("id,place\n" + "".join(f"{i},{n}\n" for i, n in enumerate(names))).encode(encoding))
    found = read_table(file, "places")
    assert found.columns.column("place").to_pylist() == names
    (said,) = found.said
    assert f"({encoding})" in said
    seen = look(file, "places", Reading())
    assert seen.reading.encoding == encoding
    assert said in seen.said
    chosen = look(file, "places", Reading(encoding="cp437"))
    assert chosen.first.column("place").to_pylist() != names, "the user's word holds"
    assert not any("letters" in s for s in chosen.said)
