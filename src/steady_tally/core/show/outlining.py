"""Outlines that thin with the size of what they enclose, so that lines drown no small area."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from steady_tally.core.show.drawing import Rings

Floats = npt.NDArray[np.float64]

_SHARE = 0.08
_FINEST = 1.0 / 8.0


def line_widths(rings: Rings, widest: float) -> Floats:
    """(rings,) how wide each may be outlined, in metres; 0 where even an eighth of `widest` would be too wide.

    Half of a line lies inside. It takes at most a twelfth of what its ring encloses: of a square of side s that is a
    line of 0.04 s. Widths are `widest`, or that halved so many times, so that a map has few of them.
    """
    step = np.diff(rings.xy.astype(np.float64), axis=0)
    length = _sums(np.where(_inside(rings), np.hypot(step[:, 0], step[:, 1]), 0.0), rings.start)
    size = ring_sizes(rings)
    with np.errstate(divide="ignore", invalid="ignore"):
        most = np.where(length > 0.0, 2.0 * _SHARE * size / length, 0.0)
        halved = np.ceil(np.log2(np.maximum(widest / most, 1.0)))
    width = widest * 0.5**halved
    return np.where(np.isfinite(halved) & (width >= _FINEST * widest), width, 0.0)


def ring_sizes(rings: Rings) -> Floats:
    """(rings,) what each encloses, in square metres."""
    xy = rings.xy.astype(np.float64)
    cross = np.where(_inside(rings), xy[:-1, 0] * xy[1:, 1] - xy[1:, 0] * xy[:-1, 1], 0.0)
    return np.abs(_sums(cross, rings.start)) / 2.0


def _inside(rings: Rings) -> npt.NDArray[np.bool_]:
    """(vertices - 1,) which steps from a vertex to the next are of a ring, and not from the end of one to another."""
    found = np.ones(max(len(rings.xy) - 1, 0), dtype=np.bool_)
    ends = rings.start[1:-1] - 1
    found[ends[(ends >= 0) & (ends < len(found))]] = False
    return found


def _sums(of_steps: Floats, start: npt.NDArray[np.int32]) -> Floats:
    """(rings,) sums over the steps within each ring."""
    total = np.concatenate([[0.0], np.cumsum(of_steps)])
    return np.asarray(total[np.maximum(start[1:] - 1, start[:-1])] - total[start[:-1]])


def outlined(rings: Rings, width: Floats) -> list[tuple[float, Rings]]:
    """The lines to draw, the widest first: each border once, as wide as the narrower of its two sides may have it.

    Parameters
    ----------
    width : (rings,) of each ring: 0 where it has no outline, and its neighbours have none along it either; infinite
        where it is not drawn at all, and has no say.
    """
    first = np.flatnonzero(_inside(rings))
    ring = np.searchsorted(rings.start, first, side="right") - 1
    a, b = rings.xy[first], rings.xy[first + 1]
    turned = (a[:, 0] > b[:, 0]) | ((a[:, 0] == b[:, 0]) & (a[:, 1] > b[:, 1]))
    ends = np.where(turned[:, None], np.column_stack([b, a]), np.column_stack([a, b]))
    key = np.ascontiguousarray(ends + np.float32(0.0)).view(np.dtype((np.void, 16))).ravel()  # -0.0 is 0.0
    _, at, edge = np.unique(key, return_index=True, return_inverse=True)
    narrowest = np.full(len(at), np.inf)
    np.minimum.at(narrowest, edge, width[ring])
    once = np.zeros(len(first), dtype=np.bool_)
    once[at] = True
    found: list[tuple[float, Rings]] = []
    for wide in np.unique(narrowest[(narrowest > 0.0) & np.isfinite(narrowest)])[::-1]:
        keep = once & (narrowest[edge] == wide)
        found.append((float(wide), _runs(rings, first[keep], ring[keep])))
    return found


def _runs(rings: Rings, first: npt.NDArray[np.int64], ring: npt.NDArray[np.int64]) -> Rings:
    """Steps that follow each other, joined to lines."""
    begins = np.ones(len(first), dtype=np.bool_)
    begins[1:] = (np.diff(first) != 1) | (np.diff(ring) != 0)
    line = np.cumsum(begins) - 1
    steps = np.bincount(line)
    start = np.concatenate([[0], np.cumsum(steps + 1)])
    vertex = np.arange(start[-1])
    of = np.repeat(np.arange(len(steps)), steps + 1)
    at = first[np.flatnonzero(begins)][of] + (vertex - start[of])
    owner = rings.owner[ring[np.flatnonzero(begins)]]
    return Rings(rings.xy[at], start.astype(np.int32), owner.astype(np.int32))
