"""Which colours of a legend are hard to tell apart: for other eyes, and in grey print.

Dichromacy: Machado, Oliveira & Fernandes, "A Physiologically-based Model for Simulation of Color Vision Deficiency",
IEEE Transactions on Visualization and Computer Graphics 15, 2009, table 1, severity 1.0, on linear light.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import combinations

import numpy as np
import numpy.typing as npt

from steady_tally.core.show.colours import linear_light, oklab, rgb_of

Floats = npt.NDArray[np.float64]

_EYES = {
    "with red blindness (protanopia)":
        [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]],
    "with green blindness (deuteranopia)":
        [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]],
    "with blue blindness (tritanopia)":
        [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]],
}  # fmt: skip
_HARD = 0.045  # distance in OKLab below which two areas that do not touch are hard to tell apart


def confused(colours: Sequence[str], *, in_order: bool) -> Iterator[tuple[str, list[tuple[int, int]]]]:
    """For whom or where, and which pairs of colours, lower first.

    Parameters
    ----------
    colours : as "#rrggbb".
    in_order : only neighbours are set against each other, since the others differ more; else all.
    """
    if len(colours) < 2:
        return
    light = linear_light(rgb_of(colours))
    pairs = [(k, k + 1) for k in range(len(colours) - 1)] if in_order else list(combinations(range(len(colours)), 2))
    seen = {"on the screen": light}
    seen |= {says: np.clip(light @ np.array(matrix).T, 0.0, 1.0) for says, matrix in _EYES.items()}
    for says, as_seen in seen.items():
        lab = oklab(as_seen)
        if found := [(a, b) for a, b in pairs if np.linalg.norm(lab[a] - lab[b]) < _HARD]:
            yield says, found
    lightness = oklab(light)[:, 0]
    if found := [(a, b) for a, b in pairs if abs(lightness[a] - lightness[b]) < _HARD]:
        yield "in grey print", found
