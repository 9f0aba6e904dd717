"""Compile every kernel once, by calling its public function on next to nothing; the results are kept on disk."""

from importlib import import_module

import numpy as np
import pyarrow as pa
import shapely

from steady_tally.core.classes.natural_breaks import natural_breaks
from steady_tally.core.gather.judging import repeated
from steady_tally.core.gather.rows import rows_of
from steady_tally.core.gather.times import read_times
from steady_tally.core.geo.anchors import anchors
from steady_tally.core.geo.bins import edges_of
from steady_tally.core.geo.locate import locate
from steady_tally.core.geo.overlap import overlaps
from steady_tally.core.geo.shapes import rings_of
from steady_tally.core.geo.working import equal_area
from steady_tally.core.measure.bootstrap import draw
from steady_tally.core.measure.smoothing import drawn
from steady_tally.core.place.derived import sets_of
from steady_tally.core.place.grid import CellSet, lattice_of
from steady_tally.core.place.nearest import Borders
from steady_tally.core.place.neighbours import neighbours
from steady_tally.core.place.zones import zones_from
from steady_tally.core.plan.neighbours import Neighbours
from steady_tally.core.plan.place import Grid


def compile_kernels() -> None:
    """Call each kernel with the types that it is used with."""
    square = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0], [0.0, 0.0]])
    edges = edges_of(square, np.array([0, 5]), np.zeros(1, np.int32))
    locate(edges, np.array([0.5]), np.array([0.5]))
    rings = rings_of(shapely.box(np.zeros(1), 0.0, 1.0, 1.0))
    overlaps(rings, rings, (1, 1))
    lattice = lattice_of(Grid(size=1.0), equal_area(0.0, 0.0), "laea 0 0")
    lattice.cells_of(np.array([0.5]), np.array([0.5]))
    square = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 0.0]])
    lattice.crossed(np.column_stack([square[:-1], square[1:]]), lattice.box(square))
    squares = shapely.box(np.array([0.0, 0.5]), 0.0, np.array([1.0, 1.5]), 1.0)
    zones = zones_from(squares, ["a", "b"], ["a", "b"], pa.table({"n": [1, 2]}), lattice.crs)
    x, y = np.array([0.75, 9.0]), np.array([0.5, 0.5])
    sets_of(locate(zones.edges, x, y), len(zones))
    repeated(pa.chunked_array([["a", "a"]]), np.array([True, True]))
    borders = Borders(zones)
    borders.nearest(x, y, zones.crs)
    borders.to_border(x, y, zones.crs, np.array([0, 1]), 1.0)
    read_times(pa.chunked_array([["2000-01-01"]]), "year-first")
    rows_of(np.frombuffer(b"a,b\n", np.uint8), delimiter=",")
    natural_breaks(np.array([1.0, 2.0, 4.0, 8.0]), 2)
    anchors(square, np.array([0, 4]), np.array([0]), 1)
    beside = neighbours(zones, Neighbours())
    neighbours(CellSet(lattice, np.array([0, 1]), np.array([0, 0]), np.empty((0, 3), np.int64)), Neighbours())
    for share in (False, True):
        drawn(np.ones(2), np.full(2, 2.0), beside, share=share)
    draw(np.array([1.0, 2.0]), np.array([0, 2]), "mean", np.array([0.5]), 2, 1)
    import_module("scipy.special")  # the first who asks how sure a class is would wait for it
