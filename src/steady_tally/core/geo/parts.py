"""What lies together, and what far off.

Boxes belong together when they lie near one another on the ground, as in single-linkage clustering: the extent is laid
out in small squares, those with a box grow by half of a gap, and what then touches is one part. The gap is the widest
at which the heaviest part stands so much alone that it can be seen larger; that part is then looked at in the same way.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from steady_tally.core.plan.show import MOST_INSETS

Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]

_SQUARES = 256  # along the longer side of the extent
_GAPS = (0.3, 0.2, 0.12, 0.07, 0.04)  # of the longer side
_LARGER = 1.3  # what is left out must at least make the rest so much larger
_LARGER_STILL = 2.0  # what lies less far off than others do
MOST = 0.6  # and the rest be so much of the weight
_SPECKS = 8.0  # where all would be specks in one view, what makes the rest so much larger
LEAST = 0.3  # may leave as little


@dataclass(frozen=True)
class Framing:
    """
    Attributes
    ----------
    main : (boxes,) those that the first view frames.
    apart : of each far-off part its boxes, the heaviest first; none where all lie together.
    """

    main: Flags
    apart: list[Flags]


def framing(boxes: Floats, weight: Floats, *, most: float = MOST, least: float = LEAST) -> Framing:
    """Which boxes lie together, and which far off.

    Parameters
    ----------
    boxes : (n, 4) left, bottom, right, top in a plane; NaN for what has no shape.
    weight : (n,) the share of each in the whole, see `weights`.
    most : what lies together must be so much of the whole.
    least : or only so much, where all parts would be specks in one view.
    """
    there = np.asarray(np.isfinite(boxes).all(axis=1))
    if np.count_nonzero(there) < 2:
        return Framing(there, [])
    main, apart = there, list[Flags]()
    # What is left once the farthest are apart may have far-off parts of its own.
    larger = _LARGER
    while (found := _parted(boxes, weight, main, larger, most, least)) is not None:
        main, parts = found
        apart += parts
        larger = _LARGER_STILL
    return Framing(main, sorted(_joined(apart, boxes), key=lambda part: -float(weight[part].sum())))


def weights(ground: Floats, events: Floats) -> Floats:
    """(n,) how much of the whole each is: the mean of its share of the ground and of the events, where there are any.

    Parameters
    ----------
    ground : (n,) areas in any unit, 0 for what has no shape.
    """
    shares = [part / part.sum() for part in (ground, events) if part.sum() > 0.0]
    return np.asarray(np.mean(shares, axis=0)) if shares else np.full(len(ground), 1.0 / max(len(ground), 1))


def _parted(
    boxes: Floats, weight: Floats, among: Flags, larger: float, most: float, least: float
) -> tuple[Flags, list[Flags]] | None:
    """The part of some areas that stands alone, and the others; None where all lie together."""
    from scipy import ndimage

    low, high = boxes[among, :2].min(axis=0), boxes[among, 2:].max(axis=0)
    side = float((high - low).max())
    if side <= 0.0:
        return None
    first = np.clip(((boxes[among, :2] - low) / side * _SQUARES).astype(np.int64), 0, _SQUARES - 1)
    last = np.clip(((boxes[among, 2:] - low) / side * _SQUARES).astype(np.int64), 0, _SQUARES - 1)
    taken = _covered(first, last)
    for gap in _GAPS:
        reach = max(round(gap * _SQUARES / 2.0), 1)
        grown = ndimage.maximum_filter(np.pad(taken, reach), size=2 * reach + 1)
        parts, count = ndimage.label(grown, structure=np.ones((3, 3)))
        if count < 2:
            continue
        of = np.zeros(len(boxes), dtype=np.int64)
        of[among] = parts[first[:, 0] + reach, first[:, 1] + reach]
        heavy = np.bincount(of, weights=weight, minlength=count + 1)
        main = of == int(heavy[1:].argmax()) + 1
        times = side / max(_side(boxes[main]), 1e-9 * side)
        if heavy[1:].max() < (most if times < _SPECKS else least) or times < larger:
            continue
        return main, [of == k for k in range(1, count + 1) if not main[of == k].any() and (of == k).any()]
    return None


def _covered(first: npt.NDArray[np.int64], last: npt.NDArray[np.int64]) -> npt.NDArray[np.uint8]:
    """The squares that any box touches: each box's corners add and take away, and running sums say where it is."""
    steps = np.zeros((_SQUARES + 1, _SQUARES + 1))
    np.add.at(steps, (first[:, 0], first[:, 1]), 1.0)
    np.add.at(steps, (last[:, 0] + 1, last[:, 1] + 1), 1.0)
    np.add.at(steps, (first[:, 0], last[:, 1] + 1), -1.0)
    np.add.at(steps, (last[:, 0] + 1, first[:, 1]), -1.0)
    return (steps.cumsum(axis=0).cumsum(axis=1)[:_SQUARES, :_SQUARES] > 0.5).astype(np.uint8)


def _side(boxes: Floats) -> float:
    return float((boxes[:, 2:].max(axis=0) - boxes[:, :2].min(axis=0)).max())


def _joined(parts: list[Flags], boxes: Floats) -> list[Flags]:
    """At most as many parts as a map can have boxes: of more, the nearest two are one."""
    parts = list(parts)
    while len(parts) > MOST_INSETS:
        low = np.array([boxes[p, :2].min(axis=0) for p in parts])
        high = np.array([boxes[p, 2:].max(axis=0) for p in parts])
        gap = np.maximum(low[:, None] - high[None], low[None] - high[:, None]).clip(0.0)
        away = np.hypot(gap[..., 0], gap[..., 1])
        np.fill_diagonal(away, np.inf)
        a, b = np.unravel_index(int(away.argmin()), away.shape)
        together = parts[a] | parts[b]
        parts = [p for k, p in enumerate(parts) if k not in (a, b)] + [together]
    return parts
