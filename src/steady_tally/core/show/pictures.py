"""Small pictures of what a survey found: the zones near the place, and what is wrong there."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import shapely
from pyproj import CRS

from steady_tally.core.geo.projection import DEGREES, coordinate_system
from steady_tally.core.geo.shapes import in_plane
from steady_tally.core.geo.working import centre_of, equal_area
from steady_tally.core.place.survey import Finding, Survey, gap_between, gap_lines

Floats = npt.NDArray[np.float64]
_ROOM = 0.35  # how much is seen around what was found, as a share of its size
_LEAST_ROOM_M = 20.0
_CLOSE = 8.0  # a gap is looked at this many widths around


@dataclass(frozen=True)
class Line:
    """`role`: before, after, zone, other, shared or gap. `points` (n, 2) are metres from the picture's middle."""

    role: str
    closed: bool
    points: Floats


@dataclass(frozen=True)
class Picture:
    """`reach` is half the side of the square that is seen; `marks` (n, 2) are places to look at."""

    reach: float
    lines: tuple[Line, ...]
    marks: Floats


def picture_of(survey: Survey, finding: Finding) -> Picture:
    """Draw one finding in an equal-area plane about it."""
    zones, at = survey.zones, list(finding.zones)
    whole = zones.geometry[at]
    fault: npt.NDArray[np.object_] = np.empty(0, dtype=object)
    named: list[tuple[str, npt.NDArray[np.object_]]]
    marks = np.empty((0, 2))
    if finding.kind == "invalid":
        # As lines: a general geometry library repairs invalid polygons unasked when their edges are divided.
        named = [("before", shapely.boundary(survey.original[at])), ("after", whole)]
        found = re.search(r"\[([^]]*)\]", shapely.is_valid_reason(survey.original[at[0]]))
        if found:
            marks = np.array([[float(v) for v in found.group(1).split()[:2]]])
    else:
        roles = ["zone", "other"]
        named = [(roles[i], whole[i : i + 1]) for i in range(len(at))]
        if finding.kind == "overlap":
            fault = np.array([shapely.intersection(whole[0], whole[1])], dtype=object)
            named.append(("shared", fault))
        elif finding.kind == "gap":
            lines_of = gap_lines(zones, survey.gap_width)
            fault = np.array(
                [gap_between(zones, lines_of, a, b, survey.gap_width) for a, b in (at, at[::-1])], dtype=object
            )
            named.append(("gap", fault))
    plane = _plane_about(survey, fault if len(fault) else np.concatenate([g for _, g in named]))
    drawn = [(role, in_plane(shapes, zones.crs, plane)) for role, shapes in named]
    seen = drawn[-1][1] if len(fault) else np.concatenate([shapes for _, shapes in drawn])
    left, bottom, right, top = shapely.total_bounds(seen)
    middle = np.array([(left + right) / 2.0, (bottom + top) / 2.0])
    reach = max((0.5 + _ROOM) * max(right - left, top - bottom), _LEAST_ROOM_M)
    if finding.kind == "gap":
        reach = max(min(reach, _CLOSE * survey.gap_width_m), _LEAST_ROOM_M)
        on_line = shapely.get_coordinates(
            shapely.line_interpolate_point(shapely.line_merge(seen[0]), 0.5, normalized=True)
        )
        middle = on_line[0] if len(on_line) else middle
    window = shapely.box(*(middle - 2.0 * reach), *(middle + 2.0 * reach))
    lines: list[Line] = []
    for role, shapes in drawn:
        for ring, closed in _rings(shapes, window, as_drawn=role == "before"):
            lines.append(Line(role, closed, ring - middle))
    if len(marks):
        marks = shapely.get_coordinates(in_plane(shapely.points(marks), zones.crs, plane)) - middle
    return Picture(float(reach), tuple(lines), marks)


def _plane_about(survey: Survey, shapes: npt.NDArray[np.object_]) -> CRS:
    near = in_plane(shapes, survey.zones.crs, coordinate_system(DEGREES, wanted_by="the picture"))
    corners = shapely.get_coordinates(near)
    if len(corners) == 0:
        corners = survey.zones.degrees
    latitude, longitude = centre_of(*corners.T)
    return equal_area(longitude, latitude)


def _rings(shapes: npt.NDArray[np.object_], window: shapely.Geometry, *, as_drawn: bool) -> list[tuple[Floats, bool]]:
    """The lines of shapes: whole as they are in the file, or what of valid ones lies in the window."""
    if not as_drawn:
        shapes = shapely.intersection(shapes, window)
    parts = shapely.get_parts(shapely.get_parts(shapes))
    found: list[tuple[Floats, bool]] = []
    for part in parts:
        if shapely.get_type_id(part) == 3:
            found += [(shapely.get_coordinates(ring), True) for ring in shapely.get_rings(part)]
        elif shapely.get_type_id(part) == 1:
            found.append((shapely.get_coordinates(part), False))
    return found
