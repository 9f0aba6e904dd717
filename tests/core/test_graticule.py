"""Lines of latitude and longitude: each where the projection puts it, as many as can be read, called by degrees."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pyproj import Geod, Transformer

from steady_tally.core.geo.projection import coordinate_system
from steady_tally.core.plan.show import DegreesLayer, Show
from steady_tally.core.show.drawing import Plane, Rings
from steady_tally.core.show.graticule import STEPS, Graticule, figures_at_edges, graticule

_CASES = json.loads((Path(__file__).parents[1] / "shared" / "edge_figures.json").read_text(encoding="utf-8"))


def _plane(system: str, origin: tuple[float, float] = (0.0, 0.0)) -> Plane:
    return Plane(coordinate_system(f"{system} +datum=WGS84", wanted_by="a test"), origin, (0.0, 0.0, 1.0, 1.0))


def _line(found: Graticule, text: str, *, meridian: bool) -> np.ndarray:
    at = next(k for k, t in enumerate(found.texts) if t == text and bool(found.meridian[k]) == meridian)
    pieces = [
        found.rings.xy[found.rings.start[k] : found.rings.start[k + 1]] for k in np.flatnonzero(found.rings.owner == at)
    ]
    return np.concatenate(pieces).astype(np.float64)


@settings(max_examples=40, deadline=None)
@given(
    latitude=st.integers(-80, 80),
    longitude=st.integers(-180, 180),
    size=st.sampled_from([2e3, 5e4, 1e6, 2e6]),
    across=st.floats(0.3, 3.0),
)
def test_every_line_lies_at_its_degrees_and_there_are_some_each_way(latitude, longitude, size, across):
    plane = _plane(f"+proj=laea +lat_0={latitude} +lon_0={longitude}", (1_000.0, -2_000.0))
    seen = (-size * across, -size, size * across, size)
    found = graticule(plane, seen)
    back = Transformer.from_crs(plane.crs, "EPSG:4326", always_xy=True)
    for at, text in enumerate(found.texts):
        line = _line(found, text, meridian=bool(found.meridian[at]))
        lon, lat = back.transform(*(line + plane.origin).T)
        wanted = _read(text)
        own = np.asarray(lon if found.meridian[at] else lat)
        if found.meridian[at]:
            near = np.abs(np.asarray(lat)) < 89.9  # at a pole there is no longitude
            own = (own[near] - wanted + 180.0) % 360.0 - 180.0 + wanted
        # As fine as float32 holds metres of the plane.
        reach = np.abs(line).max() * 1e-6 + 1.0
        a_degree = 111_000.0 * (np.cos(np.radians(lat))[near] if found.meridian[at] else 1.0)
        assert (a_degree * np.abs(own - wanted) <= reach).all(), text
    parallels, meridians = np.count_nonzero(~found.meridian), np.count_nonzero(found.meridian)
    assert 1 <= parallels <= 8
    assert 1 <= meridians <= 13
    assert len(set(zip(found.texts, found.meridian.tolist(), strict=True))) == len(found.texts)


def _read(text: str) -> float:
    figure, _, way = text.partition(" ")
    parts = [float(p) for p in figure.replace("°", " ").replace("′", " ").replace("″", " ").split()]
    return (-1.0 if way in ("S", "W") else 1.0) * sum(p / 60.0**k for k, p in enumerate(parts))


def test_the_figures_of_a_county_on_an_ellipsoid():
    # 20' of latitude about 38 degrees north are 36.999 km, by the length of the meridian on the ellipsoid.
    found = graticule(_plane("+proj=laea +lat_0=38 +lon_0=-40"), (-60e3, -40e3, 60e3, 40e3))
    assert found.texts == [
        "37°40′ N", "37°50′ N", "38° N", "38°10′ N", "38°20′ N",
        "40°40′ W", "40°20′ W", "40° W", "39°40′ W", "39°20′ W",
    ]  # fmt: skip
    south, north = (_line(found, text, meridian=False) for text in ("37°50′ N", "38°10′ N"))
    apart = north[len(north) // 2, 1] - south[len(south) // 2, 1]
    _, _, metres = Geod(ellps="WGS84").inv(-40.0, 37.0 + 50.0 / 60.0, -40.0, 38.0 + 10.0 / 60.0)
    assert apart == pytest.approx(metres, rel=1e-4)
    assert metres == pytest.approx(36_998.8, abs=0.1)


def test_the_world_has_each_meridian_once_and_lines_end_at_its_cut():
    found = graticule(_plane("+proj=eqearth +lon_0=11"), (-2e7, -1e7, 2e7, 1e7))
    meridians = [t for t, m in zip(found.texts, found.meridian, strict=True) if m]
    assert meridians == [
        "150° W", "120° W", "90° W", "60° W", "30° W", "0°", "30° E", "60° E", "90° E", "120° E", "150° E", "180°",
    ]  # fmt: skip
    # No line runs across the whole map because its ends lie on two sides of the cut.
    for ring in range(len(found.rings.owner)):
        piece = found.rings.xy[found.rings.start[ring] : found.rings.start[ring + 1]]
        assert np.abs(np.diff(piece[:, 0])).max() < 5e5
    equator = _line(found, "0°", meridian=False)
    assert equator[:, 0].min() == pytest.approx(-equator[:, 0].max(), rel=1e-3)


def test_about_a_pole_there_are_rings_and_only_four_lines_meet_in_it():
    found = graticule(_plane("+proj=laea +lat_0=90"), (-3e6, -3e6, 3e6, 3e6))
    assert [t for t, m in zip(found.texts, found.meridian, strict=True) if not m] == ["60° N", "70° N", "80° N"]
    reach = {t: np.hypot(*_line(found, t, meridian=True).T).min() for t in ("30° W", "60° E", "90° E", "0°", "180°")}
    assert reach["90° E"] < 1.0
    assert reach["0°"] < 1.0
    assert reach["180°"] < 1.0
    assert reach["30° W"] == pytest.approx(reach["60° E"], rel=1e-3)
    assert reach["30° W"] == pytest.approx(np.hypot(*_line(found, "80° N", meridian=False).T).mean(), rel=1e-3)


def test_across_180_degrees_the_figures_go_on():
    found = graticule(_plane("+proj=laea +lat_0=-17 +lon_0=178"), (-3e5, -3e5, 3e5, 3e5))
    assert [t for t, m in zip(found.texts, found.meridian, strict=True) if m] == [
        "176° E", "177° E", "178° E", "179° E", "180°",
    ]  # fmt: skip


def test_where_no_place_of_the_earth_is_seen_there_are_no_lines():
    found = graticule(_plane("+proj=laea +lat_0=38 +lon_0=-40"), (6e7, 6e7, 7e7, 7e7))
    assert found.texts == []
    assert len(found.rings.owner) == 0


@pytest.mark.parametrize("system", ["+proj=laea +lat_0=38 +lon_0=-40", "+proj=eqearth", "+proj=longlat"])
@pytest.mark.parametrize(
    "seen", [(-1e9, -1e9, 1e9, 1e9), (0.0, 0.0, 1e-9, 1e-9), (9e8, 9e8, 1e9, 1e9), (-1e7, 0.0, 1e7, 1e-6)]
)
def test_whatever_is_asked_for_there_are_few_lines(system, seen):
    with np.errstate(all="ignore"):
        assert len(graticule(_plane(system), seen, most=30).texts) < 100


def test_steps_are_parts_of_one_another_and_of_a_turn():
    assert all((360.0 / step) % 1.0 < 1e-9 or (360.0 / step) % 1.0 > 1.0 - 1e-9 for step in STEPS)
    assert list(STEPS) == sorted(set(STEPS))


def test_of_plans_that_do_not_name_them_they_are_not_drawn():
    stack = Show().stacked(["roads"])
    assert [layer.kind for layer in stack] == ["over", "reference", "events", "degrees", "outlines", "areas"]
    assert [layer.shown for layer in stack if isinstance(layer, DegreesLayer)] == [False]


@pytest.mark.parametrize("case", _CASES, ids=lambda c: c["says"])
def test_figures_stand_at_the_edges_as_the_page_has_them(case):
    """The same cases as the browser's own test of them."""
    start = np.cumsum([0, *(len(line) for line in case["lines"])])
    xy = np.array([corner for line in case["lines"] for corner in line], dtype=np.float64)
    rings = Rings(xy.astype(np.float32), start.astype(np.int32), np.array(case["owner"], dtype=np.int32))
    found = Graticule(rings, case["texts"], np.array(case["meridian"], dtype=np.bool_))
    figures = figures_at_edges(found, xy, tuple(case["frame"]), case["sizes"], [tuple(t) for t in case["taken"]])
    assert [[f.line, round(f.x, 6), round(f.y, 6)] for f in figures] == case["figures"]
