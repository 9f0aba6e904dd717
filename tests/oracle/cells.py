"""Where each event falls in a grid, by hand: every cell is a polygon, every centre is tried."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable
from typing import Any

import shapely
from pyproj import Transformer

from .shapes import Refused, Undecided, decided, ground_km2, moved, share, zones_at
from .zones import Area, Ground

Cell = tuple[int, int]


class Lattice:
    def __init__(self, how: dict[str, Any]) -> None:
        self.how, self.hexagon = how, how["shape"] == "hexagon"
        size = float(how["size"])
        self.wide = size * math.sqrt(3.0) if self.hexagon and how["measured"] == "side" else size
        self.high = self.wide * math.sqrt(0.75) if self.hexagon else float(how.get("height", size))
        self.turn = math.radians(how["turn"])
        self.side_up = self.hexagon and how["top"] == "side"

    def local(self, x: float, y: float) -> tuple[float, float]:
        x, y = x - self.how["origin"][0], y - self.how["origin"][1]
        c, s = math.cos(self.turn), math.sin(self.turn)
        u, v = (x * c + y * s, y * c - x * s) if self.turn else (x, y)
        return (v, u) if self.side_up else (u, v)

    def plane(self, u: float, v: float) -> tuple[float, float]:
        u, v = (v, u) if self.side_up else (u, v)
        c, s = (math.cos(self.turn), math.sin(self.turn)) if self.turn else (1.0, 0.0)
        return u * c - v * s + self.how["origin"][0], u * s + v * c + self.how["origin"][1]

    def centre(self, cell: Cell) -> tuple[float, float]:
        if self.hexagon:
            return (cell[0] + 0.5 * (cell[1] % 2)) * self.wide, cell[1] * self.high
        return (cell[0] + 0.5) * self.wide, (cell[1] + 0.5) * self.high

    def shape(self, cell: Cell) -> shapely.Geometry:
        u, v = self.centre(cell)
        if self.hexagon:
            r = self.wide / math.sqrt(3.0)
            corners = [
                (u + r * math.cos(math.radians(a)), v + r * math.sin(math.radians(a))) for a in range(30, 390, 60)
            ]
        else:
            w, h = self.wide / 2.0, self.high / 2.0
            corners = [(u + w, v + h), (u - w, v + h), (u - w, v - h), (u + w, v - h)]
        return shapely.Polygon([self.plane(*c) for c in corners])

    def cell(self, x: float, y: float) -> Cell:
        u, v = self.local(x, y)
        if not self.hexagon:
            for value, size in ((u, self.wide), (v, self.high)):
                off = abs(value / size - round(value / size)) * size
                if 0.0 < off < 1e-6:
                    raise Undecided("an event beside a side of a cell")
            return math.floor(u / self.wide), math.floor(v / self.high)
        row, column = round(v / self.high), round(u / self.wide)
        near = [(c, r) for r in range(row - 2, row + 3) for c in range(column - 2, column + 3)]
        away = sorted((math.hypot(u - self.centre(c)[0], v - self.centre(c)[1]), c[1], c[0]) for c in near)
        if away[1][0] - away[0][0] < 1e-6:
            raise Undecided("an event beside a side of a cell")
        return away[0][2], away[0][1]

    def cells_about(self, shape: shapely.Geometry) -> list[Cell]:
        """Every cell that may touch the shape."""
        at = [self.local(*p) for p in shapely.get_coordinates(shape)]
        columns = [u / self.wide for u, _ in at]
        rows = [v / self.high for _, v in at]
        return [
            (c, r)
            for r in range(math.floor(min(rows)) - 2, math.ceil(max(rows)) + 3)
            for c in range(math.floor(min(columns)) - 2, math.ceil(max(columns)) + 3)
        ]

    def in_extent(self, cell: Cell, ground: shapely.Geometry) -> bool:
        """Does a cell touch the box around the ground, as the lattice lies?"""
        at = [self.local(*p) for p in shapely.get_coordinates(ground)]
        box = shapely.box(min(u for u, _ in at), min(v for _, v in at), max(u for u, _ in at), max(v for _, v in at))
        own = shapely.Polygon([self.local(*p) for p in shapely.get_coordinates(self.shape(cell))])
        return bool(shapely.intersection(box, own).area > 1.0)

    def beside(self, cell: Cell) -> list[Cell]:
        if not self.hexagon:
            return [(cell[0] + a, cell[1] + b) for a, b in ((1, 0), (-1, 0), (0, 1), (0, -1))]
        here = self.centre(cell)
        near = [(cell[0] + a, cell[1] + b) for a in (-1, 0, 1) for b in (-1, 0, 1) if (a, b) != (0, 0)]
        return [n for n in near if math.dist(here, self.centre(n)) < 1.01 * self.wide]


def placed_in_cells(g: Ground, events: list[dict[str, Any]]) -> tuple[dict[Cell, Area], Counter[str]]:
    how = g.plan["place"]["areas"]
    lattice, recorded = Lattice(how), g.plan["place"].get("recorded")
    to_plane = Transformer.from_crs(g.crs, g.plane, always_xy=True)
    cover = how["cover"]
    drawn = cover and "corners" in cover
    if cover is None:
        ground = None
    elif drawn:
        ground = g.outline(cover, g.plane)
    else:
        ground = shapely.union_all([moved(s, g.crs, g.plane) for s in g.shapes])
    there = _recorded_ground(g, recorded) if recorded else None

    def covered(event: dict[str, Any]) -> bool:
        if cover is None:
            return True
        x, y = g.own(*event["at"])
        return g.in_outline(cover, x, y) if drawn else bool(zones_at(g.parts, x, y))

    somewhere = any(e["at"] for e in events)
    events = [e for e in events if e["goes_on"]]
    tolerance = g.plan["place"].get("tolerance_m", 0.0) if how["cut"] and cover else 0.0
    for event in events:
        event["drawn_in"] = None
        if tolerance and event["at"] and not covered(event):
            metres, foot = g.nearest_border(*g.own(*event["at"]), cover if drawn else None)
            event["drawn_in"] = foot if decided(metres, tolerance, 0.5) else None
    in_plane = [to_plane.transform(*(e["drawn_in"] or g.own(*e["at"]))) if e["at"] else None for e in events]
    if ground is None:
        if not somewhere:
            raise Refused("nothing to lay a grid over")
        known = [p for p in in_plane if p]  # those that a filter leaves out are in its extent too
        cells = sorted({lattice.cell(*p) for p in known})  # the others are only checked to be empty
    else:
        cells = [c for c in lattice.cells_about(ground) if how["keep"] == "all" or _kept(g, lattice, c, ground)]
    areas: dict[Cell, Area] = {}
    if not cells and ground is not None:
        raise Refused("no cell is kept")
    for cell in cells:
        shape = lattice.shape(cell)
        part = 1.0 if ground is None or not how["cut"] else share(shape, ground, g.plane)
        missed = part == 0.0 and how["keep"] == "all"
        if there is not None:
            if part == 0.0:
                missed |= share(shape, there, g.plane) == 0.0
            else:
                counts = shapely.intersection(there, ground) if ground is not None and how["cut"] else there
                part = share(shape, counts, g.plane)
                missed |= part == 0.0
        state = "not recorded" if missed else "a number"
        areas[cell] = Area(shape=shape, share=1.0 if missed else part, state=state, full_km2=ground_km2(shape, g.plane))
        areas[cell]["counted_km2"] = areas[cell]["full_km2"] * areas[cell]["share"]
        # How far beyond the ground the extent goes is no matter, nor a cell that has but a line in it.
        areas[cell]["may_lack"] = ground is not None and share(shape, ground, g.plane) == 0.0
        areas[cell]["doubtful"] = areas[cell]["may_lack"] and not (
            how["keep"] == "all" and lattice.in_extent(cell, ground)
        )
    gone = g.excluded(
        [""] * len(areas),
        [shapely.Point(*lattice.plane(*lattice.centre(c))) for c in areas],
        [{}] * len(areas),
        g.plane,
    )
    excluded = dict(zip(areas, gone, strict=True))
    into = _merged(lattice, areas, excluded, how)
    aside: Counter[str] = Counter()
    for event, at in zip(events, in_plane, strict=True):
        why, cell = _why_not(g, event, at, lattice, areas, into, excluded, covered)
        if why:
            aside[why] += 1
        else:
            areas[cell]["n"] = areas[cell].get("n", 0) + event["n"]
            areas[cell].setdefault("rows_of", []).append(event["row"])
    for cell, host in into.items():
        if cell != host:
            areas[host]["counted_km2"] += areas[cell]["counted_km2"]
    for cell in [c for c, host in into.items() if c != host]:
        del areas[cell]
    for cell, area in areas.items():
        if excluded[cell]:
            area["state"] = "excluded"
        area["unreliable"] = how["least_inside"] > 0 and area["share"] < how["least_inside"]
    return areas, aside


def _why_not(
    g: Ground,
    event: dict[str, Any],
    at: tuple[float, float] | None,
    lattice: Lattice,
    areas: dict[Cell, Area],
    into: dict[Cell, Cell],
    excluded: dict[Cell, bool],
    covered: Callable[[dict[str, Any]], bool],
) -> tuple[str, Cell]:
    how, recorded = g.plan["place"]["areas"], g.plan["place"].get("recorded")
    nowhere = (0, 0)
    if at is None:
        return "needs_coordinates", nowhere
    inside = bool(event["drawn_in"]) or covered(event)
    if how["cut"] and not inside:
        return "outside_every_area", nowhere
    cell = lattice.cell(*at)
    if event["drawn_in"] and any(lattice.cell(at[0] + a, at[1] + b) != cell for a in (-0.5, 0.5) for b in (-0.5, 0.5)):
        raise Undecided("drawn in beside a side of a cell")
    if cell in areas and areas[cell]["doubtful"] and not inside:
        raise Undecided("an event beyond the ground, in a cell that may be kept or not")
    if cell not in areas:
        return ("in_no_kept_cell" if how["cut"] or inside else "outside_every_area"), nowhere
    cell = into[cell]
    if excluded[cell]:
        return "in_excluded_area", cell
    if areas[cell]["state"] == "not recorded" or (recorded and not _was_recorded(g, event, recorded)):
        return "outside_recorded_area", cell
    return "", cell


def _was_recorded(g: Ground, event: dict[str, Any], recorded: dict[str, Any]) -> bool:
    if event["drawn_in"]:
        return True  # it is asked where it was counted, not where it is written
    x, y = g.own(*event["at"])
    if "outline" in recorded:
        return g.in_outline(recorded["outline"], x, y)
    shares = g.recorded_share()
    return any(shares[z] > 0.0 for z in zones_at(g.parts, x, y))


def _recorded_ground(g: Ground, recorded: dict[str, Any]) -> shapely.Geometry:
    if "outline" in recorded:
        return g.outline(recorded["outline"], g.plane)
    shapes = [s for s, part in zip(g.shapes, g.recorded_share(), strict=True) if part > 0.0]
    return shapely.union_all([moved(s, g.crs, g.plane) for s in shapes])


def _kept(g: Ground, lattice: Lattice, cell: Cell, ground: shapely.Geometry) -> bool:
    how = g.plan["place"]["areas"]
    if how["keep"] == "touching":
        shape = lattice.shape(cell)
        away = shapely.distance(shape, ground)
        if 0.0 < away < 1e-6 or (away == 0.0 and 0.0 < shapely.intersection(shape, ground).area < 1e-3):
            raise Undecided("a cell that all but touches the ground")
        return bool(away == 0.0)
    x, y = lattice.plane(*lattice.centre(cell))
    if shapely.distance(shapely.boundary(ground), shapely.Point(x, y)) < 1e-3:
        raise Undecided("a middle of a cell on the border")
    return bool(shapely.contains(ground, shapely.Point(x, y)))


def _merged(
    lattice: Lattice, areas: dict[Cell, Area], excluded: dict[Cell, bool], how: dict[str, Any]
) -> dict[Cell, Cell]:
    into = {cell: cell for cell in areas}
    if how["thin"] != "merge" or not how["least_inside"]:
        return into
    counting = {c: a["share"] for c, a in areas.items() if a["state"] == "a number" and not excluded[c]}
    for cell, part in counting.items():
        if not decided(part, how["least_inside"], 1e-5):
            continue
        near = [n for n in lattice.beside(cell) if n in counting and counting[n] >= how["least_inside"]]
        if near:
            best = max(counting[n] for n in near)
            likely = [n for n in near if counting[n] > best - 1e-5]
            if any(counting[n] != best for n in likely):
                raise Undecided("thin cells with neighbours that have as much inside")
            into[cell] = min(likely, key=lambda n: (n[1], n[0]))
            if areas[cell]["doubtful"] or areas[into[cell]]["doubtful"]:
                raise Undecided("a thin cell beyond the ground, that may be kept or not")
    return into
