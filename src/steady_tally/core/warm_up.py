"""Compile every kernel once, by calling its public function on next to nothing; the results are kept on disk."""

import numpy as np

from steady_tally.core.classes.natural_breaks import natural_breaks
from steady_tally.core.gather.rows import rows_of
from steady_tally.core.place.bins import edges_of
from steady_tally.core.place.grid import cells_of
from steady_tally.core.place.locate import locate


def compile_kernels() -> None:
    """Call each kernel with the types that it is used with."""
    square = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0], [0.0, 0.0]])
    edges = edges_of(square, np.array([0, 5]), np.zeros(1, np.int32))
    locate(edges, np.array([0.5]), np.array([0.5]))
    cells_of(np.array([0.5]), np.array([0.5]), 1.0)
    rows_of(np.frombuffer(b"a,b\n", np.uint8), delimiter=",")
    natural_breaks(np.array([1.0, 2.0, 4.0, 8.0]), 2)
