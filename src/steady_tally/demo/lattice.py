"""A gap-free, overlap-free coverage of wiggly squares of any size, for benchmarks and tests."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt


def wiggly_lattice(
    columns: int, rows: int, pieces: int, seed: int, *, size: float = 1000.0
) -> list[npt.NDArray[np.float64]]:
    """Make columns * rows zones, each one closed ring of 4 * pieces edges; neighbours share theirs to the bit.

    Parameters
    ----------
    pieces : edges on one side of a zone.
    size : side of a zone in the unit of the coordinates.

    Returns
    -------
    list of (4 * pieces + 1, 2) rings, row by row.
    """
    rng = np.random.default_rng(seed)
    corner_x, corner_y = np.meshgrid(np.arange(columns + 1.0), np.arange(rows + 1.0))
    corner = np.stack([corner_x, corner_y], axis=-1) + rng.uniform(-0.2, 0.2, (rows + 1, columns + 1, 2))
    t = np.linspace(0.0, 1.0, pieces + 1)[:, None]

    def side(a: npt.NDArray[np.float64], b: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        line = (a + (b - a) * t) * size
        line[1:-1] += rng.uniform(-0.3, 0.3, (pieces - 1, 2)) * size / pieces
        return line

    across = [[side(corner[r, c], corner[r, c + 1]) for c in range(columns)] for r in range(rows + 1)]
    upward = [[side(corner[r, c], corner[r + 1, c]) for c in range(columns + 1)] for r in range(rows)]
    return [
        np.concatenate(
            [across[r][c][:-1], upward[r][c + 1][:-1], across[r + 1][c][::-1][:-1], upward[r][c][::-1]],
        )
        for r in range(rows)
        for c in range(columns)
    ]
