"""What every area is to the later stages, whether it is a zone, made of zones, or a cell."""

from __future__ import annotations

from typing import Protocol

import numpy as np
import numpy.typing as npt
import pyarrow as pa
from pyproj import CRS

from steady_tally.core.sources import Table

Floats = npt.NDArray[np.float64]


class Areas(Protocol):
    """A set of areas.

    Attributes
    ----------
    identifiers, names : one for each; identifiers are all different.
    columns : the areas' own attributes, one row an area.
    area_km2 : (areas,) of the whole area, on the ellipsoid.
    middles : (areas, 2) a point inside each, in the areas' own system; NaN for an area without a shape.
    """

    @property
    def identifiers(self) -> tuple[str, ...]: ...
    @property
    def names(self) -> tuple[str, ...]: ...
    @property
    def columns(self) -> pa.Table: ...
    @property
    def crs(self) -> CRS: ...
    @property
    def geometry(self) -> npt.NDArray[np.object_]: ...
    @property
    def area_km2(self) -> Floats: ...
    @property
    def middles(self) -> Floats: ...
    def __len__(self) -> int: ...


def areas_table(areas: Areas) -> Table:
    """The areas' own columns as a table, with their identifiers and names as "area" and "area name"."""
    columns = areas.columns
    for name, values in (("area", areas.identifiers), ("area name", areas.names)):
        if name not in columns.column_names:
            columns = columns.append_column(name, pa.array(values, pa.string()))
    count = len(areas)
    return Table("areas", columns, np.arange(1, count + 1), np.zeros(count, np.int64))
