"""Areas of all sizes have as much of the picture as they have of the ground, on a page as in the list of studies."""

import copy
import io
from dataclasses import replace

import numpy as np
import pyarrow as pa
import pytest
import shapely
from PIL import Image

from steady_tally.core.chain import Chain
from steady_tally.core.plan.figure import FigurePlan
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.sources import Features, Sources
from steady_tally.figures.content import content_of
from steady_tally.figures.draw import draw, written
from steady_tally.results.pictures import DPI, LOOK

from ..core.test_chain import DOCUMENT, SOUTH, WEST, sources

CLASSES = 5
_PAGE = {"legend": {"shown": False}, "notes": {"shown": False}, "scale_bar": "never", "north": "never"}


def towns_and_land(rng) -> list[shapely.Polygon]:
    """1,400 areas of a square of 60 km: most crowd about three towns, as blocks do."""
    towns = rng.uniform(15, 45, (3, 2))
    near = towns[rng.integers(0, 3, 1100)] + rng.normal(0, 2.2, (1100, 2))
    points = np.concatenate([near, rng.uniform(0, 60, (300, 2))]) * 1000 + [WEST, SOUTH]
    frame = shapely.box(WEST, SOUTH, WEST + 60_000, SOUTH + 60_000)
    cells = shapely.get_parts(shapely.voronoi_polygons(shapely.MultiPoint(points), extend_to=frame))
    found = shapely.intersection(cells, frame)
    return [c for c in found if c.area > 0]


@pytest.fixture(scope="module")
def crowded():
    """What a page shows of them, each fifth of the areas by size a class; and each class's part of the ground."""
    zones = towns_and_land(np.random.default_rng(28))
    codes = [str(i) for i in range(len(zones))]
    areas = Features("areas", pa.table({"code": codes, "name": codes}), np.array(zones, dtype=object), "EPSG:32624")
    plan = copy.deepcopy(DOCUMENT)
    for choice in ("stated", "recorded"):
        del plan["gather"]["events"]["calls"][choice]
    plan["measure"] = {"m": {"kind": "count", "events": "calls"}}
    plan["class"] = {"m": {"method": "quantile", "count": 3}}
    plan["show"] = {"mapped": "m"}
    there = Sources(sources().tables, {"areas": areas})
    found = content_of(Chain(read_plan(plan), there), there, [])
    ground = np.array([z.area for z in zones])
    own = np.searchsorted(np.quantile(ground, [0.2, 0.4, 0.6, 0.8]), ground).astype(np.int16)
    content = replace(found, own=own, doubtful=np.zeros(len(own), dtype=np.bool_))
    return content, np.bincount(own, weights=ground) / ground.sum()


def part_of_picture(content, k: int, look: FigurePlan, dpi: float) -> float:
    """Which part of the coloured picture has class k.

    It is red and all else blue, so that each pixel says how much of it either has, however they are mixed: paper and
    ink have as much red and blue as green.
    """
    colours = ["#ff0000" if c == k else "#0000ff" for c in range(CLASSES)]
    png = written(draw(replace(content, colours=colours), look), "png", dpi=dpi)
    pixels = np.asarray(Image.open(io.BytesIO(png)).convert("RGB")).astype(float)
    red, blue = (np.maximum(pixels[..., at] - pixels[..., 1], 0.0) for at in (0, 2))
    red, blue = np.where(red > 20, red, 0.0).sum(), np.where(blue > 20, blue, 0.0).sum()
    return red / (red + blue)


@pytest.mark.parametrize(
    "lines", [("hairline", "paper", 1), ("line", "paper", 4), ("line", "ink", 2), ("none", "ink", 1)], ids=str
)
@pytest.mark.parametrize(
    ("look", "dpi"),
    [(LOOK, DPI), (FigurePlan.model_validate(_PAGE), 60.0), (FigurePlan.model_validate(_PAGE), 200.0)],
    ids=["list", "preview", "page"],
)
def test_each_class_has_of_the_picture_what_its_areas_have_of_the_ground(crowded, lines, look, dpi):
    content, ground = crowded
    lined = replace(content, outlines=lines)
    parts = np.array([part_of_picture(lined, k, look, dpi) for k in range(CLASSES)])
    assert ground[0] < 0.01, "some areas are small"
    assert parts == pytest.approx(ground, rel=0.1), [f"{p / g:.2f}" for p, g in zip(parts, ground, strict=True)]


def test_small_areas_of_every_class_have_their_part(crowded):
    """The smallest fifth of the areas, whatever their classes are: half of them in the first that is drawn."""
    content, ground = crowded
    small = content.own == 0
    for mixed in (np.where(small, 0, 1), np.where(small, 1, 0)):
        one = replace(content, own=mixed.astype(np.int16))
        k = int(mixed[np.flatnonzero(small)[0]])
        assert part_of_picture(one, k, LOOK, DPI) == pytest.approx(ground[0], rel=0.1)
