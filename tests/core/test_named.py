"""Which columns name areas, and what a file of shapes looks like before it is brought in."""

import numpy as np
import pyarrow as pa
import pytest
import shapely

from steady_tally.core.gather.named import share_named, unique_texts
from steady_tally.core.show.thumbnail import thumbnail
from steady_tally.core.sources import Table


def table(**columns: list) -> Table:
    n = len(next(iter(columns.values())))
    return Table("t", pa.table(columns), np.arange(1, n + 1), np.arange(2, n + 2))


AREAS = ("0101", "0102", "0201", "0202")


def test_a_column_names_areas_as_far_as_its_filled_rows_do_however_they_are_spelt():
    names = ("Upper Thorn", "Lower Thorn", "Quay")
    found = table(ward=["upper thorn", "LOWER  THORN", "", "Quay", "Nowhere"], remark=["a", "b", "c", "d", "e"])
    assert share_named(found, "ward", names) == pytest.approx(3 / 4)
    assert share_named(found, "remark", names) == 0.0


def test_plain_numbers_must_all_be_areas_to_be_taken_for_their_codes():
    assert share_named(table(code=["101", "102", "201", "202"]), "code", AREAS) == 1.0
    assert share_named(table(age=["101", "20", "33", "202"]), "age", AREAS) == 0.0


def test_only_a_column_that_tells_every_area_apart_is_of_names():
    column = pa.chunked_array([["a", "b", "c"]])
    assert unique_texts(column) == ("a", "b", "c")
    assert unique_texts(pa.chunked_array([["a", "b", "a"]])) == unique_texts(pa.chunked_array([["a", "", "c"]])) == ()
    assert unique_texts(pa.chunked_array([[1.5, 2.5]])) == ()


def test_a_picture_of_shapes_fits_its_box_and_stays_small():
    rng = np.random.default_rng(3)
    x, y = rng.uniform(-40, -39, 20_000), rng.uniform(37, 38, 20_000)
    many = thumbnail(shapely.buffer(shapely.points(x, y), 0.002), in_degrees=True)
    one = thumbnail(np.array([shapely.box(0, 0, 4_000, 1_000), None], dtype=object), in_degrees=False)
    assert one.width == pytest.approx(4.0)
    assert len(one.lines) == 1
    points = np.concatenate([np.array(line).reshape(-1, 2) for line in many.lines])
    assert len(points) < 40_000
    assert points.min() >= -1e-9
    assert points[:, 0].max() <= many.width + 1e-3
    assert many.width == pytest.approx(np.cos(np.radians(37.5)), rel=0.01)
    assert points[:, 1].max() <= 1.0 + 1e-3
    assert thumbnail(np.array([None, shapely.Point(1, 1)], dtype=object), in_degrees=True) is None
