"""GeoPackages that hold other files, or ask for ever, are refused before the vector library opens them."""

import sqlite3
from contextlib import closing

import numpy as np
import pyogrio
import pytest
import shapely

from steady_tally.core.errors import SourceError
from steady_tally.core.plan.gather import Reading
from steady_tally.formats.sandbox import asking
from steady_tally.formats.sqlite_schema import check_schema
from steady_tally.formats.vectors import layers_of, read_features


@pytest.fixture
def package(tmp_path):
    """A GeoPackage as another program's library writes it, with a spatial index."""
    path = tmp_path / "zones.gpkg"
    boxes = np.array([shapely.box(i, 0, i + 1, 1) for i in range(4)], dtype=object)
    pyogrio.raw.write(
        path, shapely.to_wkb(boxes), [np.array(list("ABCD"))], ["code"], layer="zones", geometry_type="Polygon",
        crs="EPSG:4326", driver="GPKG",
    )  # fmt: skip
    return path


def altered(package, *statements, schema=()):
    """The package after some statements, and with entries of its schema written by hand, as no honest program does."""
    with closing(sqlite3.connect(package)) as file:
        file.create_function("ST_IsEmpty", 1, lambda _: 0)
        for statement in statements:
            file.execute(statement)
        if schema:
            file.execute("PRAGMA writable_schema = ON")
            for kind, name, sql in schema:
                file.execute("INSERT INTO sqlite_master VALUES (?, ?, ?, 0, ?)", (kind, name, name, sql))
        file.commit()
    return package


def layer(name):
    return f"INSERT INTO gpkg_contents (table_name, data_type, identifier) VALUES ('{name}', 'attributes', '{name}')"


def test_what_programs_write_is_read_with_its_index_and_its_views(package):
    view = "CREATE VIEW western AS SELECT fid, geom, upper(code) AS code FROM zones WHERE code < 'C' ORDER BY code"
    altered(package, view, layer("western"), "CREATE VIEW again AS SELECT w.code, count(*) AS n FROM western w JOIN zones z GROUP BY 1")  # fmt: skip  # noqa: E501
    check_schema(package, "file")
    assert set(layers_of(package)) >= {"zones", "western"}
    assert read_features(package, "zones", Reading(layer="zones")).columns["code"].to_pylist() == list("ABCD")


SECRET = "root:x:0:0"
VIRTUAL = [
    "CREATE VIRTUAL TABLE t USING VirtualText('{file}', 'UTF-8', 0, POINT, NONE, ':')",
    "create virtual table t using virtualtext('{file}', 'UTF-8', 0, POINT, NONE, ':')",
    "CREATE VIRTUAL TABLE t USING VirtualShape('{file}', 'UTF-8', 4326)",
    "CREATE VIRTUAL TABLE t USING VirtualDbf('{file}', 'UTF-8')",
    "CREATE VIRTUAL TABLE t USING VirtualGeoJSON('{file}')",
    "CREATE VIRTUAL TABLE t USING VirtualXL('{file}')",
    "CREATE VIRTUAL TABLE t USING VirtualXPath('zones', 'code')",
    "CREATE VIRTUAL TABLE t USING VirtualOGR('{file}')",
    "CREATE VIRTUAL TABLE t USING fts5(code)",
    "CREATE VIRTUAL TABLE t USING dbstat",
    "CREATE VIRTUAL TABLE t USING rtree(id, x0, x1); CREATE VIRTUAL TABLE u USING VirtualText('{file}')",
    "CREATE/**/VIRTUAL/**/TABLE t USING VirtualText('{file}', 'UTF-8', 0, POINT, NONE, ':')",
]


@pytest.mark.parametrize("sql", VIRTUAL)
def test_a_table_that_is_another_file_is_refused_before_anything_asks_it(package, tmp_path, sql):
    secret = tmp_path / "passwd"
    secret.write_text(f"{SECRET}:root:/root:/bin/sh\n")
    sql = sql.replace("{file}", str(secret))
    altered(package, layer("t"), schema=[("table", "t", sql)])
    with pytest.raises(SourceError) as refusal:
        check_schema(package, "file “zones.gpkg”")
    assert "t" in refusal.value.what
    for ask in (
        lambda: read_features(package, "zones", Reading(layer="t")),
        lambda: asking.look(package, "zones", Reading(layer="t")),
        lambda: asking.read_zones(package, "zones", Reading(layer="zones")),
    ):
        with pytest.raises(SourceError) as said:
            ask()
        assert SECRET not in said.value.sentence


@pytest.mark.parametrize(
    ("statements", "says"),
    [
        (["CREATE VIEW v AS WITH RECURSIVE n(i) AS (SELECT 1 UNION SELECT i + 1 FROM n) SELECT i FROM n"], "and again"),
        (["CREATE VIEW v AS SELECT * FROM w", "CREATE VIEW w AS SELECT * FROM v"], "or for itself"),
        (["CREATE VIEW v AS SELECT * FROM pragma_database_list"], "beyond the tables|not in the file"),
        (["CREATE VIEW v AS SELECT * FROM json_each('[1]')"], "beyond the tables|not in the file"),
        (["CREATE VIEW v AS SELECT sql FROM sqlite_master"], "beyond the tables"),
        (["CREATE VIEW v AS SELECT load_extension('x') FROM zones"], "load_extension"),
        (["CREATE VIEW v AS SELECT randomblob(1000000000) FROM zones"], "randomblob"),
        (["CREATE VIEW v AS SELECT BlobFromFile('/etc/hostname') FROM zones"], "BlobFromFile"),
        (["CREATE TABLE g (a, b GENERATED ALWAYS AS (a || a) VIRTUAL)"], "worked out when they are read"),
        ([f"CREATE VIEW v{n} AS SELECT * FROM zones" for n in range(101)], "more than 100 views"),
        ([f"CREATE TABLE t{n} (a)" for n in range(4_001)], "more than 4,000 tables"),
    ],
)  # fmt: skip
def test_views_that_reach_elsewhere_or_never_end_are_refused_with_their_reason(package, statements, says):
    altered(package, *statements)
    with pytest.raises(SourceError, match=says):
        check_schema(package, "file")


def test_a_torn_file_is_refused_in_our_words(package):
    data = bytearray(package.read_bytes())
    data[100:2_000] = bytes(1_900)
    package.write_bytes(data)
    with pytest.raises(SourceError, match="cannot be read"):
        check_schema(package, "file")
