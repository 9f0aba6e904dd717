"""Coordinate systems: naming them, and taking coordinates from one to another (through PROJ)."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import numpy.typing as npt
from pyproj import CRS, Transformer
from pyproj.exceptions import CRSError

from steady_tally.core.errors import PlanError

Floats = npt.NDArray[np.float64]


@lru_cache(maxsize=64)
def coordinate_system(name: str, *, wanted_by: str) -> CRS:
    """The coordinate system of an authority code ("EPSG:4326") or a WKT text; PlanError where PROJ knows none."""
    try:
        crs = CRS.from_user_input(name)
    except CRSError:
        raise PlanError(
            f"there is no coordinate system “{name[:80]}”.",
            where=wanted_by,
            todo="Give an authority code such as EPSG:4326, or a WKT text.",
        ) from None
    return crs.sub_crs_list[0] if crs.is_compound else crs


def project(x: Floats, y: Floats, source: CRS, target: CRS) -> tuple[Floats, Floats]:
    """Take coordinates from one system to another, east before north in both; not finite where it cannot be done."""
    if source.equals(target, ignore_axis_order=True):
        return x, y
    new_x, new_y = _transformer(source, target).transform(x, y)
    return np.asarray(new_x, dtype=np.float64), np.asarray(new_y, dtype=np.float64)


@lru_cache(maxsize=64)
def _transformer(source: CRS, target: CRS) -> Transformer:
    return Transformer.from_crs(source, target, always_xy=True, allow_ballpark=True)
