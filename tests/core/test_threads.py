"""No figure depends on how many threads there are, down to the last bit."""

import hashlib
import os
import subprocess
import sys

import numpy as np
import pytest
import shapely

from steady_tally.core.geo.bins import edges_of
from steady_tally.core.geo.locate import locate
from steady_tally.core.geo.overlap import overlaps
from steady_tally.core.geo.projection import coordinate_system, project
from steady_tally.core.geo.shapes import rings_of
from steady_tally.core.geo.working import equal_area
from steady_tally.core.measure.bootstrap import draw
from steady_tally.core.place.grid import lattice_of
from steady_tally.core.plan.place import Grid
from steady_tally.core.threads import wanted_threads


def digest() -> str:
    """Of what all kernels that share their work come to."""
    rng = np.random.default_rng(11)
    points = shapely.MultiPoint(rng.uniform(0.0, 9_000.0, (300, 2)))
    cells = shapely.get_parts(shapely.voronoi_polygons(points))
    # Areas of several parts, some with a hole: sums over rings.
    many = np.array([shapely.union_all(cells[k::40]) for k in range(40)], dtype=object)
    other = shapely.transform(many, lambda xy: xy * [0.93, 1.04] + [311.0, -207.0])
    one, two = rings_of(many), rings_of(other)
    found = overlaps(one, two, (len(many), len(other)))
    edges = edges_of(one.coordinates, one.start, one.owner.astype(np.int32))
    x, y = rng.uniform(-500.0, 9_500.0, (2, 300_000))
    placed = locate(edges, x, y)
    degrees = coordinate_system("EPSG:4326", wanted_by="test")
    moved = project(x / 1e3, y / 2e3, degrees, equal_area(4.0, 2.0))
    cells_of = lattice_of(Grid(size=70.0), equal_area(0.0, 0.0), "laea 0 0").cells_of(x, y)
    start = np.concatenate([[0], np.sort(rng.integers(0, 2_000, 60)), [2_000]])
    drawn = draw(rng.gamma(2.0, size=2_000), start, "mean", np.array([0.025, 0.975]), 200, 5)
    arrays = [*vars(found).values(), *vars(placed).values(), *moved, *cells_of, *drawn]
    hashed = hashlib.sha256()
    for array in arrays:
        if isinstance(array, np.ndarray):
            hashed.update(np.ascontiguousarray(array).tobytes())
    return hashed.hexdigest()


@pytest.mark.parametrize("threads", [1, 2, 3, 7])
def test_every_figure_is_the_same_with_any_number_of_threads(threads):
    code = "from tests.core.test_threads import digest; print(digest())"
    told = {**os.environ, "STEADY_TALLY_THREADS": str(threads)}
    said = subprocess.run([sys.executable, "-c", code], env=told, capture_output=True, text=True, check=True).stdout
    assert said.strip() == digest()


@pytest.mark.parametrize(("said", "threads"), [("3", 3), ("0", 1), ("", None), ("many", None), ("-2", None)])
def test_the_setting_says_how_many_or_else_the_cores_that_may_be_used(monkeypatch, said, threads):
    monkeypatch.setenv("STEADY_TALLY_THREADS", said)
    assert wanted_threads() == (threads or len(os.sched_getaffinity(0)))
