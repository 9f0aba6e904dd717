"""Every area that is large enough for a pixel has one, on a page as in the list of studies, in the map or in a box."""

import copy
import io
from dataclasses import replace

import numpy as np
import pyarrow as pa
import pytest
import shapely
from PIL import Image
from pyproj import Transformer

from steady_tally.core.chain import Chain
from steady_tally.core.plan.figure import FigurePlan
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.sources import Features, Sources, Table
from steady_tally.figures.content import Content, content_of
from steady_tally.figures.draw import draw, written
from steady_tally.results.pictures import DPI, LOOK

from ..core.test_chain import DOCUMENT, SOUTH, WEST

_PAGE = FigurePlan.model_validate({"legend": {"shown": False}, "notes": {"shown": False}})
_CIRCLE = 1.5  # pixels: a circle of that radius holds a whole pixel, wherever it lies


def parted(n: int, left: float, bottom: float, size: float, seed: int) -> list[shapely.Geometry]:
    """A square as so many areas."""
    points = np.random.default_rng(seed).uniform(0.0, size, (n, 2)) + [left, bottom]
    frame = shapely.box(left, bottom, left + size, bottom + size)
    cells = shapely.get_parts(shapely.voronoi_polygons(shapely.MultiPoint(points), extend_to=frame))
    return [c for c in shapely.intersection(cells, frame) if c.area > 0]


def around(left: float, bottom: float, size: float) -> dict:
    """A box for what lies there."""
    x = np.array([left - 1e3, left + size + 1e3, left + size + 1e3, left - 1e3])
    y = np.array([bottom - 1e3, bottom - 1e3, bottom + size + 1e3, bottom + size + 1e3])
    lon, lat = Transformer.from_crs("EPSG:32624", "EPSG:4326", always_xy=True).transform(x, y)
    return {"corners": list(zip(lon.tolist(), lat.tolist(), strict=True))}


def planned(areas: dict, insets: list[dict], there: Sources) -> Content:
    plan = copy.deepcopy(DOCUMENT)
    for choice in ("stated", "recorded", "time", "where", "labels"):
        plan["gather"]["events"]["calls"].pop(choice, None)
    plan["place"] = {"areas": areas}
    plan["measure"] = {"m": {"kind": "count", "events": "calls"}}
    plan["class"] = {"m": {"method": "quantile", "count": 3}}
    plan["show"] = {"mapped": "m", "insets": insets, "outlines": {"draw": "none"}}
    return content_of(Chain(read_plan(plan), there), there, [])


def events_at(points: np.ndarray) -> Table:
    texts = {c: [f"{v:.1f}" for v in points[:, k]] for k, c in enumerate("xy")}
    n = len(points)
    return Table(
        "events", pa.table({"id": [str(i) for i in range(n)], **texts}), np.arange(1, n + 1), np.arange(2, n + 2)
    )


def in_zones(groups: list[tuple[int, float, float, float]]) -> Content:
    """The first group is the map, each other one has a box."""
    shapes = [s for k, group in enumerate(groups) for s in parted(*group, seed=k)]
    codes = [str(i) for i in range(len(shapes))]
    areas = Features("areas", pa.table({"code": codes}), np.array(shapes, dtype=object), "EPSG:32624")
    points = np.array([[s.representative_point().x, s.representative_point().y] for s in shapes])
    there = Sources({"events": events_at(points)}, {"areas": areas})
    insets = [{**around(*group[1:]), "own_projection": True} for group in groups[1:]]
    return planned({"kind": "zones", "source": "areas", "identifier": "code"}, insets, there)


def in_hexagons() -> Content:
    rng = np.random.default_rng(5)
    near = rng.uniform(0.0, 40_000.0, (3_000, 2)) + [WEST, SOUTH]
    far = rng.uniform(0.0, 6_000.0, (200, 2)) + [WEST + 300_000.0, SOUTH - 200_000.0]
    parts = [shapely.box(WEST, SOUTH, WEST + 40e3, SOUTH + 40e3), shapely.box(*far.min(axis=0), *far.max(axis=0))]
    areas = Features("areas", pa.table({"code": ["a", "b"]}), np.array(parts, dtype=object), "EPSG:32624")
    there = Sources({"events": events_at(np.concatenate([near, far]))}, {"areas": areas})
    grid = {"kind": "grid", "shape": "hexagon", "size": 2.0, "unit": "km"}
    return planned(grid, [around(WEST + 295_000.0, SOUTH - 205_000.0, 16_000.0)], there)


@pytest.fixture(scope="module")
def drawn() -> dict[str, Content]:
    return {
        "wards and an islet": in_zones([(118, WEST, SOUTH, 40e3), (3, WEST + 250e3, SOUTH - 90e3, 4e3)]),
        "a country in five parts": in_zones(
            [
                (150, WEST, SOUTH, 300e3),
                (12, WEST + 2_500e3, SOUTH, 40e3),
                (7, WEST - 2_000e3, SOUTH + 900e3, 60e3),
                (9, WEST, SOUTH - 1_900e3, 20e3),
                (4, WEST + 1_500e3, SOUTH + 1_500e3, 10e3),
            ]
        ),
        "hexagons and some far off": in_hexagons(),
    }


def seen_in(content: Content, look: FigurePlan, dpi: float) -> tuple[set[int], np.ndarray]:
    """The areas that have a whole pixel, and how many each has."""
    n = len(content.own)
    code = (np.arange(n) * 2_654_435_761 + 12_345) % 0xF0F0F0 + 0x050505
    each = replace(
        content,
        own=np.arange(n).astype(np.int16),
        colours=[f"#{c:06x}" for c in code.tolist()],
        doubtful=np.zeros(n, dtype=np.bool_),
    )
    png = written(draw(each, look), "png", dpi=dpi)
    rgb = np.asarray(Image.open(io.BytesIO(png)).convert("RGB")).astype(np.int64)
    at = {c: i for i, c in enumerate(code.tolist())}
    found, pixels = np.unique((rgb[..., 0] << 16) + (rgb[..., 1] << 8) + rgb[..., 2], return_counts=True)
    count = np.zeros(n)
    for c, p in zip(found.tolist(), pixels.tolist(), strict=True):
        if c in at:
            count[at[c]] += p
    return {int(i) for i in np.flatnonzero(count)}, count


@pytest.mark.parametrize(("look", "dpi"), [(LOOK, DPI), (_PAGE, 60.0), (_PAGE, 150.0)], ids=["list", "preview", "page"])
@pytest.mark.parametrize("which", ["wards and an islet", "a country in five parts", "hexagons and some far off"])
def test_the_areas_that_are_seen_are_those_that_are_large_enough(drawn, which, look, dpi):
    content = drawn[which]
    seen, count = seen_in(content, look, dpi)
    boxed = np.logical_or.reduce([b.members for b in content.boxes])
    must: set[int] = set()
    # The map and each box by its own scale: pixels over ground, of all areas there together.
    for rings, members in [(content.rings, ~boxed), *((b.rings, b.members) for b in content.boxes)]:
        shapes = {
            int(rings.owner[k]): shapely.Polygon(rings.xy[rings.start[k] : rings.start[k + 1]].astype(float))
            for k in range(len(rings.owner))
            if members[rings.owner[k]]
        }
        scale = np.sqrt(count[members].sum() / sum(s.area for s in shapes.values()))
        assert scale > 0.0, "something is seen of each part"
        for area, shape in shapes.items():
            line = shapely.maximum_inscribed_circle(shape, tolerance=shape.length * 1e-4)
            if shapely.length(line) * scale > _CIRCLE:
                must.add(area)
    assert len(must) > 0.6 * len(content.own), "most are large enough for the picture"
    assert must <= seen, sorted(must - seen)
