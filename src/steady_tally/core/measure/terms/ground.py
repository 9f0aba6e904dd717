"""The ground itself, on the ellipsoid."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

import numpy as np
import numpy.typing as npt
import shapely
from pydantic import Field

from steady_tally.core.areas import Areas
from steady_tally.core.geo.area import shape_areas_m2
from steady_tally.core.geo.overlap import overlaps, planar_areas
from steady_tally.core.geo.shapes import in_plane, rings_of
from steady_tally.core.matching import Progress
from steady_tally.core.measure.kept_back import KeptBack
from steady_tally.core.measure.terms.joined import Dry, Following
from steady_tally.core.measure.terms.kind import Material, Shapes, TermKind
from steady_tally.core.measure.terms.sharing import plane_about
from steady_tally.core.place.counting import Counting, Members
from steady_tally.core.place.cover import NOTHING_INSIDE
from steady_tally.core.place.grid import CellSet
from steady_tally.core.place.zones import zone_set
from steady_tally.core.plan.release import Release
from steady_tally.core.sources import Sources

WHERE = "plan: measure: ground"
KM2_OF_A_SQUARE_MILE = 1.609344**2  # of the international foot, 0.3048 m


class OfGround(TermKind):
    """Square kilometres or miles of each area, as far as it counts, less what lies in the shapes of a source."""

    kind: Literal["ground"] = "ground"
    unit: Literal["km2", "mi2"] = "km2"
    without: str | None = Field(None, description="A source of polygons that are no ground: water.")

    @property
    def reads(self) -> tuple[str, ...]:
        return () if self.without is None else (self.without,)

    @property
    def shapes(self) -> tuple[str, ...]:
        return self.reads

    @property
    def says(self) -> str:
        unit = {"km2": "km²", "mi2": "square miles"}[self.unit]
        return unit if self.without is None else f"{unit} without {self.without}"

    def kept_back(self, rule: Release) -> KeptBack | None:
        return None

    def joined(
        self,
        areas: Areas,
        inside: Shapes,
        members: Members | None,
        sources: Sources,
        following: Following,
        on_progress: Progress | None = None,
    ) -> Dry | None:
        if self.without is None:
            return None
        plane = plane_about(areas)
        shapes = zone_set(sources.zones(self.without, wanted_by=WHERE), identifier=None, name=None, crs=None)
        water = rings_of(np.array([shapely.union_all(in_plane(shapes.geometry, shapes.crs, plane))], dtype=object))
        own = inside if isinstance(areas, CellSet) else in_plane(inside, areas.crs, plane)
        of_areas = rings_of(own)
        common = overlaps(of_areas, water, (len(areas), 1))
        ground = planar_areas(of_areas, len(areas))
        wet = np.zeros(len(areas))
        wet[common.first] = common.area / ground[common.first]
        wet[wet >= 1.0 - NOTHING_INSIDE] = 1.0
        return Dry(1.0 - wet, float((shape_areas_m2(inside, areas.crs) / 1e6 * wet).sum()))

    def amount(self, of: Material, counting: Counting) -> npt.NDArray[np.float64]:
        joined = of.joined(self) if self.without is not None else None
        km2 = counting.counted_km2
        if joined is not None:
            assert isinstance(joined, Dry)
            km2 = km2 * joined.part
        match self.unit:
            case "km2":
                return km2
            case "mi2":
                return km2 / KM2_OF_A_SQUARE_MILE

    def noted(self, of: Material, amount: npt.NDArray[np.float64], areas: npt.NDArray[np.bool_]) -> Iterator[str]:
        joined = of.joined(self) if self.without is not None else None
        if not isinstance(joined, Dry):
            return
        if joined.km2 == 0.0:
            yield f"Nothing of the areas lies in “{self.without}”: it changes no figure."
            return
        yield f"{joined.km2:,.4g} km² of the areas lie in “{self.without}”, and are no ground."
        if partly := int(np.count_nonzero((joined.part < 1.0) & (of.counting.share < of.base().share))):
            yield f"Of {partly:,} areas only a part counts, and as much of it is taken to lie in “{self.without}”."
