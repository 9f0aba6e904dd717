"""The made-up island: coast, lagoon, blocks, wards, junctions and roads, in metres of UTM zone 24N."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import shapely
from scipy.cluster.hierarchy import fcluster, linkage
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import minimum_spanning_tree
from scipy.spatial import Delaunay, Voronoi, cKDTree

CRS_NAME = "EPSG:32624"
WARDS = 118
CENTRE = np.array([412_000.0, 4_206_000.0])
TOWN = CENTRE + (-10_300.0, 600.0)
_ISLETS = CENTRE + (34_000.0, -31_000.0)
_RADIUS = 14_000.0
_GRID_M = 0.01

Points = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Land:
    """The geometry of the county.

    Attributes
    ----------
    land, lagoon : the dry land without the lagoon, and the lagoon.
    block : (blocks,) polygons that leave no gap and do not overlap.
    block_seed : (blocks, 2) a point in or near each.
    ward_of_block : (blocks,) index of the ward.
    ward : (wards,) polygons, made of whole blocks.
    nobody : the ward without residents.
    """

    land: shapely.Geometry
    lagoon: shapely.Geometry
    block: npt.NDArray[np.object_]
    block_seed: Points
    ward_of_block: npt.NDArray[np.int64]
    ward: npt.NDArray[np.object_]
    nobody: int

    @property
    def islets(self) -> shapely.Geometry:
        """The land that is not the island."""
        parts = shapely.get_parts(self.land)
        return shapely.union_all(parts[~shapely.intersects(parts, shapely.Point(TOWN).buffer(_RADIUS))])


def make_land(rng: np.random.Generator) -> Land:
    """Draw the island: seeds make cells, cells have wiggly borders, blocks join to wards."""
    island = _blob(CENTRE, _RADIUS, 720, rng)
    lagoon = _blob(CENTRE + (3_200.0, -3_800.0), 1_900.0, 160, rng)
    islets = [_blob(_ISLETS + rng.normal(0.0, 2_600.0, 2), rng.uniform(500.0, 1_300.0), 90, rng) for _ in range(7)]
    land = shapely.union_all([island, *islets]).difference(lagoon)
    seeds = _block_seeds(island.difference(lagoon), islets, rng)
    outlines = [shapely.linestrings(p.exterior.coords) for p in (island, lagoon, *islets)]
    lines = [*_wiggly_ridges(seeds, rng), *outlines]
    noded = shapely.unary_union(shapely.multilinestrings(lines), grid_size=_GRID_M)
    faces = shapely.get_parts(shapely.polygonize(shapely.get_parts(noded)))
    inner = shapely.point_on_surface(faces)
    shapely.prepare(land)
    dry = shapely.contains(land, inner)
    faces, inner = faces[dry], inner[dry]
    _, seed_of_face = cKDTree(seeds).query(shapely.get_coordinates(inner))
    used, block_of_face = np.unique(seed_of_face, return_inverse=True)
    block = np.array([shapely.coverage_union_all(faces[block_of_face == b]) for b in range(len(used))])
    block_seed = seeds[used]
    ward_of_block = _wards(block, block_seed)
    ward = np.array([shapely.coverage_union_all(block[ward_of_block == w]) for w in range(WARDS)])
    reach = shapely.distance(shapely.centroid(ward), shapely.points(TOWN))
    nobody = int(np.argmin(np.where(shapely.distance(ward, island.exterior) < 1.0, reach, np.inf)))
    return Land(land, lagoon, block, block_seed, ward_of_block, ward, nobody)


def junctions_of(
    land: Land, residents: npt.NDArray[np.int64], rng: np.random.Generator
) -> tuple[Points, npt.NDArray[np.int64]]:
    """Road junctions, more where more people live: (n, 2) places and (n,) their blocks."""
    wanted = np.maximum(2, residents // 110)
    block = np.repeat(np.arange(len(wanted)), wanted)
    place = np.empty((len(block), 2))
    bounds = shapely.bounds(land.block)
    shapely.prepare(land.block)
    todo = np.arange(len(block))
    while len(todo):
        low, high = bounds[block[todo], :2], bounds[block[todo], 2:]
        place[todo] = np.round(rng.uniform(low, high), 1)
        todo = todo[~shapely.contains_xy(land.block[block[todo]], place[todo, 0], place[todo, 1])]
    return place, block


def roads_of(land: Land, junctions: Points, rng: np.random.Generator) -> tuple[list[shapely.LineString], list[str]]:
    """Roads for reference: main roads that join the wards, streets between near junctions."""
    centres = shapely.get_coordinates(shapely.point_on_surface(land.ward))
    pairs = _delaunay_edges(centres)
    length = np.hypot(*(centres[pairs[:, 0]] - centres[pairs[:, 1]]).T)
    tree = minimum_spanning_tree(coo_matrix((length, pairs.T), shape=(len(centres),) * 2)).tocoo()
    lines = []
    near_land = land.land.buffer(400.0)
    shapely.prepare(near_land)
    for a, b in zip(tree.row, tree.col, strict=True):
        line = shapely.linestrings(np.round(_wiggle(centres[a], centres[b], 4, 0.10, rng), 1))
        if near_land.contains(line):
            lines.append(line)
    main = len(lines)
    pairs = _delaunay_edges(junctions)
    near = np.hypot(*(junctions[pairs[:, 0]] - junctions[pairs[:, 1]]).T) < 260.0
    lines += [shapely.linestrings(junctions[pair]) for pair in pairs[near]]
    return lines, ["main road"] * main + ["street"] * (len(lines) - main)


def _blob(centre: Points, radius: float, vertices: int, rng: np.random.Generator) -> shapely.Polygon:
    """A rounded, ragged outline."""
    angle = np.linspace(0.0, 2.0 * np.pi, vertices, endpoint=False)
    waves = np.arange(2, 60)
    size = 0.30 / waves**1.15 * rng.normal(1.0, 0.4, len(waves))
    turn = rng.uniform(0.0, 2.0 * np.pi, len(waves))
    reach = radius * (1.0 + (size[:, None] * np.cos(waves[:, None] * angle + turn[:, None])).sum(axis=0))
    reach = np.maximum(reach, 0.3 * radius)
    ring = centre + np.column_stack([reach * np.cos(angle), reach * np.sin(angle)])
    return shapely.polygons(np.round(ring, 2))


def _block_seeds(main: shapely.Geometry, islets: list[shapely.Polygon], rng: np.random.Generator) -> Points:
    """About 1,400 points, dense in the towns, none too near to another."""
    villages = CENTRE + np.array([[7_500.0, 5_500.0], [1_500.0, -9_000.0], [-1_000.0, 9_000.0]])
    candidates = np.concatenate(
        [
            TOWN + rng.normal(0.0, 2_300.0, (4_200, 2)),
            *(village + rng.normal(0.0, 900.0, (420, 2)) for village in villages),
            CENTRE + rng.uniform(-1.5, 1.5, (2_600, 2)) * _RADIUS,
        ]
    )
    gap = np.clip(88.0 + 0.053 * np.hypot(*(candidates - TOWN).T), 105.0, 420.0)
    shapely.prepare(main)
    inside = shapely.contains_xy(main, candidates[:, 0], candidates[:, 1])
    kept: list[int] = []
    for i in np.flatnonzero(inside):
        if not kept or np.hypot(*(candidates[kept] - candidates[i]).T).min() > gap[i]:
            kept.append(int(i))
    on_islets = [shapely.get_coordinates(i.centroid)[0] + offset for i in islets for offset in ((-150, 40), (170, -60))]
    return np.concatenate([candidates[kept], np.array(on_islets)])


def _wiggly_ridges(seeds: Points, rng: np.random.Generator) -> list[shapely.LineString]:
    """The borders between the seeds' cells, each drawn once."""
    far = CENTRE + 200_000.0 * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1], [0, -1.4], [0, 1.4], [1.4, 0], [-1.4, 0]])
    diagram = Voronoi(np.concatenate([seeds, far]))
    lines = []
    for (a, b), (p, q) in zip(diagram.ridge_vertices, diagram.ridge_points, strict=True):
        if a < 0 or b < 0 or max(p, q) >= len(seeds):
            continue
        start, end = diagram.vertices[a], diagram.vertices[b]
        length = float(np.hypot(*(end - start)))
        if length > 60_000.0:
            lines.append(shapely.linestrings([start, end]))
            continue
        rural = length > 350.0
        lines.append(shapely.linestrings(_wiggle(start, end, 4 if rural else 2, 0.07 if rural else 0.03, rng)))
    return lines


def _wiggle(a: Points, b: Points, depth: int, amount: float, rng: np.random.Generator) -> Points:
    """A line from a to b, its middles moved aside again and again."""
    line = np.array([a, b])
    for _ in range(depth):
        middle = (line[1:] + line[:-1]) / 2.0
        along = line[1:] - line[:-1]
        middle = middle + np.column_stack([-along[:, 1], along[:, 0]]) * rng.normal(0.0, amount, (len(middle), 1))
        woven = np.empty((2 * len(line) - 1, 2))
        woven[::2], woven[1::2] = line, middle
        line = woven
    return line


def _wards(block: npt.NDArray[np.object_], seed: Points) -> npt.NDArray[np.int64]:
    """Join blocks to wards of like size; the last ward lies wholly within another."""
    label = fcluster(linkage(seed, method="ward"), WARDS - 1, criterion="maxclust") - 1
    for w in np.argsort(np.bincount(label))[::-1]:
        members = np.flatnonzero(label == w)
        border = shapely.boundary(shapely.coverage_union_all(block[members]))
        enclosed = members[shapely.distance(block[members], border) > 0.0]
        if len(enclosed):
            label[enclosed[0]] = WARDS - 1
            break
    for w in np.argsort(np.bincount(label))[WARDS // 2 : WARDS // 2 + 4]:
        # An exclave: a block some way off, out of a ward that can spare one.
        away = shapely.distance(block, shapely.union_all(block[label == w]))
        spare = (np.bincount(label)[label] > 8) & (away > 200.0)
        label[np.argmin(np.where(spare, away, np.inf))] = w
    return label.astype(np.int64)


def _delaunay_edges(points: Points) -> npt.NDArray[np.int64]:
    triangles = Delaunay(points).simplices
    pairs = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    return np.unique(np.sort(pairs, axis=1), axis=0).astype(np.int64)
