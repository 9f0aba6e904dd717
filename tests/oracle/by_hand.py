"""The whole chain from files to figures once more, slowly: plain Python and fractions, a general geometry library for
shapes and one for projections; none of the application's own arithmetic. Written from docs/plan.md.
"""

from __future__ import annotations

import csv
import json
import math
import re
from collections import Counter, defaultdict
from collections.abc import Callable
from datetime import date
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from pyproj import CRS, Geod, Transformer

Ring = list[tuple[float, float]]
Part = list[Ring]


class Undecided(Exception):
    """Only rounding decides here: the world is no test."""


def decided(a: float, b: float, margin: float) -> bool:
    """Is a at most b? Undecided where they are too near one another."""
    if abs(a - b) <= margin:
        raise Undecided
    return a < b


# --- shapes -----------------------------------------------------------------------------------------------------------


def claims(rings: list[Ring], x: float, y: float) -> bool:
    """Does the area in these rings hold the point moved by next to nothing to the right, and by far less up?"""
    px, py = Fraction(x), Fraction(y)
    odd = False
    for ring in rings:
        for (ax, ay), (bx, by) in zip(ring, ring[1:], strict=False):
            if (ay > y) == (by > y):
                continue
            low, high = ((ax, ay), (bx, by)) if ay < by else ((bx, by), (ax, ay))
            lx, ly, hx, hy = (Fraction(v) for v in (*low, *high))
            odd ^= (hx - lx) * (py - ly) - (hy - ly) * (px - lx) > 0
    return odd


def touches(rings: list[Ring], x: float, y: float) -> bool:
    px, py = Fraction(x), Fraction(y)
    for ring in rings:
        for (ax, ay), (bx, by) in zip(ring, ring[1:], strict=False):
            if min(ax, bx) <= x <= max(ax, bx) and min(ay, by) <= y <= max(ay, by):
                fx, fy, gx, gy = (Fraction(v) for v in (ax, ay, bx, by))
                if (gx - fx) * (py - fy) == (gy - fy) * (px - fx):
                    return True
    return False


def zones_at(shapes: list[list[Part]], x: float, y: float) -> list[int]:
    """The zones that claim the point; and of those on whose border it lies the first, where none of them claims it."""
    rings = [[ring for part in parts for ring in part] for parts in shapes]
    found = [i for i, r in enumerate(rings) if claims(r, x, y)]
    on = [i for i, r in enumerate(rings) if touches(r, x, y)]
    return found if set(found) & set(on) else sorted(found + on[:1])


def polygon(parts: list[Part]) -> shapely.Geometry:
    return shapely.MultiPolygon([shapely.Polygon(p[0], p[1:]) for p in parts])


def moved(shape: shapely.Geometry, source: str, target: CRS) -> shapely.Geometry:
    """A shape in another system, its edges finely divided."""
    fine = shapely.segmentize(shape, 50.0 if CRS(source).is_projected else 0.0005)
    to = Transformer.from_crs(source, target, always_xy=True)
    return shapely.transform(fine, lambda at: np.column_stack(to.transform(at[:, 0], at[:, 1])))


def ground_km2(shape: shapely.Geometry, crs: str | CRS) -> float:
    """The geodesic area of a shape whose edges are straight in its system."""
    if shapely.is_empty(shape):
        return 0.0
    total = 0.0
    for part in shapely.get_parts(moved(shape, crs, CRS("EPSG:4326"))):
        if shapely.get_type_id(part) == 3:
            rings = [abs(Geod(ellps="WGS84").geometry_area_perimeter(ring)[0]) for ring in shapely.get_rings(part)]
            total += rings[0] - sum(rings[1:])
    return total / 1e6


def share(of: shapely.Geometry, inside: shapely.Geometry, crs: str | CRS) -> float:
    """How much of a shape's ground lies in another."""
    common = ground_km2(shapely.intersection(of, inside), crs)
    found = common / ground_km2(of, crs)
    return 0.0 if found < 1e-7 else 1.0 if found > 1 - 1e-7 else found


# --- the first stage --------------------------------------------------------------------------------------------------


def read_number(cell: str) -> float | None:
    return float(cell) if re.fullmatch(r"[+-]?(\d+\.?\d*|\.\d+)", cell.strip()) else None


def holds(row: dict[str, str], c: dict[str, Any]) -> bool:
    if c["kind"] in ("any", "all"):
        found = [holds(row, o) for o in c["of"] if o["on"]]
        return not found or (any(found) if c["kind"] == "any" else all(found))
    cell = row[c["column"]].strip()
    if c["kind"] == "values":
        return (cell in c["values"]) == c.get("keep", True)
    if c["kind"] == "contains":
        return c["text"].lower() in cell.lower()
    number = read_number(cell)
    low, high = c.get("low"), c.get("high")
    return number is not None and (low is None or number >= low) and (high is None or number <= high)


def gathered(plan: dict[str, Any], rows: list[dict[str, str]]) -> tuple[list[dict[str, Any]], Counter[str]]:
    """The events that can be used, each with its place or none and whether it goes on, and why the others do not."""
    events = plan["gather"]["events"]
    reason: list[str] = []
    place: list[tuple[float, float] | None] = []
    for row in rows:
        x, y, why = None, None, ""
        if events["coordinates"]["kind"] == "none":
            why = "no_coordinates"
        else:
            cells = row["x"].strip(), row["y"].strip()
            x, y = (read_number(c) for c in cells)
            if not all(cells):
                why = "no_coordinates"
            elif x is None or y is None:
                why = "unreadable_coordinates"
        if why and (stated := events.get("stated")) and stated.get("stands_in", True) and row["ward"].strip():
            why, x, y = "", None, None
        reason.append(why)
        place.append((x, y) if not why and x is not None and y is not None else None)
    seen: set[str] = set()
    for i, row in enumerate(rows):
        name = row["id"].strip()
        if events["identifier"] and events["repeated_identifier"] == "set_aside" and not reason[i] and name:
            if name in seen:
                reason[i] = "repeated_identifier"
            seen.add(name)
    days: list[date | None] = [
        date.fromisoformat(r["t"]) if events["time"] and r["t"][:4] == "2024" else None for r in rows
    ]
    windows = [
        (date.fromisoformat(w["first_day"]), date.fromisoformat(w["last_day"])) for w in events.get("recorded", [])
    ]
    usable = []
    for i, row in enumerate(rows):
        if not reason[i] and events["time"] and events["time"]["unreadable"] == "set_aside" and days[i] is None:
            reason[i] = "unreadable_time"
        if not reason[i] and events["number"] and not row["n"].isdigit():
            reason[i] = "unreadable_number"
        day = days[i]
        if not reason[i] and day is not None and windows and not any(a <= day <= b for a, b in windows):
            reason[i] = "outside_recorded_windows"
        if not reason[i] and not all(holds(row, c) for c in events["where"] if c["on"]):
            reason[i] = "filtered_out"
        if not reason[i] or reason[i] in ("outside_recorded_windows", "filtered_out"):
            number = int(row["n"]) if events["number"] else 1
            usable.append({"at": place[i], "n": number, "ward": row["ward"].strip(), "goes_on": not reason[i]})
    return usable, Counter(r for r in reason if r)


# --- the second stage -------------------------------------------------------------------------------------------------


class Area(dict[str, Any]):
    """shape, full_km2, share, state, unreliable, n; and for areas made of zones their members."""


def unwrapped(x: float, about: float) -> float:
    return x - 360.0 * round((x - about) / 360.0)


class Ground:
    """The zones, an outline and the plane that the plan speaks of."""

    def __init__(self, plan: dict[str, Any], features: list[dict[str, Any]], crs: str, listed: list[str]) -> None:
        self.plan, self.crs, self.listed = plan, crs, listed
        self.properties = [f["properties"] for f in features]
        self.parts: list[list[Part]] = [
            [
                [[tuple(p) for p in ring] for ring in part]
                for part in (f["geometry"] or {"coordinates": []})["coordinates"]
            ]
            for f in features
        ]
        self.shapes = [polygon(p) for p in self.parts]
        self.degrees = CRS(crs).is_geographic
        known = [p for parts in self.parts for part in parts for ring in part for p in ring]
        self.middle = (min(p[0] for p in known) + max(p[0] for p in known)) / 2.0
        self.plane = self._plane(known)

    def _plane(self, known: list[tuple[float, float]]) -> CRS:
        if system := self.plan["place"]["projection"].get("system"):
            return CRS(system)
        to = Transformer.from_crs(self.crs, "EPSG:4326", always_xy=True)
        lon, lat = to.transform(*zip(*known, strict=True))
        a, b = round((min(lon) + max(lon)) / 2.0), round((min(lat) + max(lat)) / 2.0)
        return CRS(f"+proj=laea +lat_0={b} +lon_0={a} +datum=WGS84 +units=m")

    def own(self, x: float, y: float) -> tuple[float, float]:
        return (unwrapped(x, self.middle), y) if self.degrees else (x, y)

    def in_outline(self, outline: dict[str, Any], x: float, y: float, source: str | CRS | None = None) -> bool:
        corners = [tuple(c) for c in outline["corners"]]
        lon, lat = Transformer.from_crs(source or self.crs, "EPSG:4326", always_xy=True).transform(x, y)
        middle = (min(c[0] for c in corners) + max(c[0] for c in corners)) / 2.0
        return bool(zones_at([[[[*corners, corners[0]]]]], unwrapped(lon, middle), lat))

    def outline(self, outline: dict[str, Any], target: str | CRS) -> shapely.Geometry:
        corners = [tuple(c) for c in outline["corners"]]
        return moved(shapely.Polygon(corners), "EPSG:4326", CRS(target))

    def recorded_share(self) -> list[float]:
        """The part of each zone where an event could have been recorded."""
        how = self.plan["place"].get("recorded")
        if how is None:
            return [1.0] * len(self.shapes)
        if how["kind"] == "column":
            return [float(p["rec"] in how["values"]) for p in self.properties]
        if how["kind"] == "list":
            column = "prio" if how["area"] == "prio" else "code"
            return [float(p[column] in self.listed) for p in self.properties]
        return [self.share_of(s) for s in self.shapes]

    def share_of(self, shape: shapely.Geometry) -> float:
        """The part of a shape in the outline of what was recorded; 1 where there is no shape."""
        outline = self.outline(self.plan["place"]["recorded"]["outline"], self.plane)
        return 1.0 if shapely.is_empty(shape) else share(moved(shape, self.crs, self.plane), outline, self.plane)

    def metres_to_border(self, zone: int, x: float, y: float) -> float:
        if shapely.is_empty(self.shapes[zone]):
            return math.inf
        latitude, longitude = Transformer.from_crs(self.crs, "EPSG:4326", always_xy=True).transform(x, y)[::-1]
        near = CRS(f"+proj=aeqd +lat_0={latitude} +lon_0={longitude} +datum=WGS84")
        return float(shapely.distance(shapely.boundary(moved(self.shapes[zone], self.crs, near)), shapely.Point(0, 0)))

    def excluded(
        self, names: list[str], shapes: list[Any], columns: list[dict[str, str]], crs: str | CRS
    ) -> list[bool]:
        how = self.plan["place"].get("exclude", {})
        found = []
        for name, shape, column in zip(names, shapes, columns, strict=True):
            gone = name in how.get("areas", [])
            row = {**column, "area": name}
            gone |= any(not holds(row, c) for c in how.get("where", []))
            for outline in how.get("inside", []):
                if not shapely.is_empty(shape):
                    middle = shapely.point_on_surface(shape)
                    gone |= self.in_outline(outline, middle.x, middle.y, crs)
            found.append(gone)
        return found


def placed_in_zones(g: Ground, events: list[dict[str, Any]]) -> tuple[dict[str, Area], Counter[str]]:
    plan, place = g.plan, g.plan["place"]
    how, recorded = place["areas"], g.recorded_share()
    codes = [p["code"] for p in g.properties]
    names = [p["name"] if how["name"] else p["code"] for p in g.properties]
    excluded = g.excluded(codes, g.shapes, g.properties, g.crs)
    rolled, combined = how.get("roll_up"), how.get("overlaps") == "combinations"
    outline = (place.get("recorded") or {}).get("outline")
    aside: Counter[str] = Counter()
    in_sets: defaultdict[tuple[int, ...], list[int]] = defaultdict(list)
    reported: set[tuple[int, ...]] = set()
    for event in events:
        found, why = _zones_of(g, event, codes, names)
        if found and not why:
            kept = [z for z in found if not excluded[z]]
            why = "" if kept else "in_excluded_area"
            if kept and outline and event["way"] == "location" and not g.in_outline(outline, *g.own(*event["at"])):
                why = "outside_recorded_area"
            if not why and not combined:
                kept = [z for z in kept if recorded[z] > 0.0]
                why = "" if kept else "outside_recorded_area"
            found = kept
        if not event["goes_on"]:  # a unit has reported, whatever is then filtered out
            reported |= set() if why else {tuple(found)}
        elif why:
            aside[why] += 1
        else:
            in_sets[tuple(found)].append(event["n"])
    every = {*in_sets, *reported}
    if combined:
        areas = _combinations(g, codes, excluded, recorded, list(every))
        to = {areas[a]["members"]: [a] for a in areas}
    elif rolled:
        areas = _rolled(g, excluded, recorded)
        to = {s: sorted({g.properties[z]["grp"] for z in s}) for s in every}
    else:
        areas = {}
        for i, code in enumerate(codes):
            state = "excluded" if excluded[i] else "not recorded" if recorded[i] == 0.0 else "a number"
            areas[code] = Area(shape=g.shapes[i], share=recorded[i] or 1.0, state=state, members=(i,))
        to = {s: [codes[z] for z in s] for s in every}
    reporting = {a for s in reported for a in to[s]}
    for s, numbers in in_sets.items():
        also = [a for a in to[s] if a in place.get("exclude", {}).get("areas", [])]
        left = [a for a in to[s] if a not in also and areas[a]["state"] != "not recorded"]
        why = "in_excluded_area" if also else "outside_recorded_area"
        for n in numbers:
            if not left:
                aside[why] += 1
            for a in left:
                areas[a]["n"] = areas[a].get("n", 0) + n
                areas[a]["rows"] = areas[a].get("rows", 0) + 1
    for name, area in areas.items():
        if name in place.get("exclude", {}).get("areas", []):
            area["state"] = "excluded"
        area["full_km2"] = ground_km2(area["shape"], g.crs)
        area["unreliable"] = area["state"] == "a number" and area["share"] < 1.0
        counted = plan["gather"]["events"]["number"] and plan["gather"]["events"]["coordinates"]["kind"] == "none"
        if counted and area["state"] == "a number" and not area.get("rows") and name not in reporting:
            area["state"] = "not reported"
    return areas, aside


def _zones_of(g: Ground, event: dict[str, Any], codes: list[str], names: list[str]) -> tuple[list[int], str]:
    place = g.plan["place"]
    stated = None
    if g.plan["gather"]["events"].get("stated") and event["ward"]:
        for key in place["stated"]["keys"]:
            known = codes if key == "identifier" else names
            if stated is None and event["ward"] in known:
                stated = known.index(event["ward"])
    event["way"] = "location"
    if event["at"] is None:
        event["way"] = "stated"
        return ([stated], "") if stated is not None else ([], "unknown_stated_area")
    x, y = g.own(*event["at"])
    found = zones_at(g.parts, x, y)
    within = place["stated"]["trust_within_m"]
    if within and stated is not None and stated not in found:
        metres = g.metres_to_border(stated, x, y)
        if decided(metres, within, 0.5):
            event["way"] = "near"
            return [stated], ""
    if not found and place["tolerance_m"]:
        metres = [g.metres_to_border(z, x, y) for z in range(len(codes))]
        order = sorted(range(len(codes)), key=lambda z: metres[z])
        if len(order) > 1 and metres[order[0]] < math.inf and abs(metres[order[0]] - metres[order[1]]) < 0.5:
            raise Undecided
        if metres[order[0]] < math.inf and decided(metres[order[0]], place["tolerance_m"], 0.5):
            event["way"] = "drawn in"
            return [order[0]], ""
    return (found, "") if found else ([], "outside_every_area")


def _combinations(
    g: Ground, codes: list[str], excluded: list[bool], recorded: list[float], located: list[tuple[int, ...]]
) -> dict[str, Area]:
    kept = [z for z in range(len(codes)) if not excluded[z]]
    overlap = {z for z in kept for o in kept if o != z and shapely.intersection(g.shapes[z], g.shapes[o]).area > 1e-15}
    sets: dict[tuple[int, ...], Any] = {(z,): g.shapes[z] for z in kept if z not in overlap}
    for mask in range(1, 1 << len(kept)):
        members = tuple(z for k, z in enumerate(kept) if mask >> k & 1)
        if not set(members) <= overlap:
            continue
        piece = shapely.intersection_all([g.shapes[z] for z in members])
        for z in kept:
            if z not in members:
                piece = shapely.difference(piece, g.shapes[z])
        piece = shapely.MultiPolygon([p for p in shapely.get_parts(piece) if shapely.get_type_id(p) == 3])
        if piece.area > 1e-12:
            sets[members] = piece
    for members in located:
        sets.setdefault(members, shapely.MultiPolygon())
    areas = {}
    for members, shape in sets.items():
        part = 1.0 if any(recorded[z] > 0.0 for z in members) else 0.0
        if "outline" in (g.plan["place"].get("recorded") or {}):
            part = g.share_of(shape)
        said = " + ".join(codes[z] for z in members)
        name = f"{said} only" if len(members) == 1 and members[0] in overlap else said
        state = "a number" if part > 0.0 else "not recorded"
        areas[name] = Area(shape=shape, share=part or 1.0, state=state, members=members)
    return areas


def _rolled(g: Ground, excluded: list[bool], recorded: list[float]) -> dict[str, Area]:
    areas = {}
    for name in sorted({p["grp"] for p in g.properties}):
        every = [z for z, p in enumerate(g.properties) if p["grp"] == name]
        members = [z for z in every if not excluded[z]] or every
        whole = shapely.union_all([g.shapes[z] for z in members])
        there = [z for z in members if recorded[z] > 0.0]
        state = "a number" if there else "not recorded"
        if all(excluded[z] for z in every):
            state = "excluded"
        part = 1.0
        if "outline" in (g.plan["place"].get("recorded") or {}):
            part = g.share_of(whole)
        elif 0 < len(there) < len(members):
            full = ground_km2(whole, g.crs)
            part = ground_km2(shapely.union_all([g.shapes[z] for z in there]), g.crs) / full if full else 1.0
            part = 1.0 if part > 1 - 1e-7 else part
        counting = {z: recorded[z] for z in there}
        areas[name] = Area(shape=whole, share=part or 1.0, state=state, members=tuple(members), counting=counting)
    return areas


# --- grids ------------------------------------------------------------------------------------------------------------

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
                    raise Undecided
            return math.floor(u / self.wide), math.floor(v / self.high)
        row, column = round(v / self.high), round(u / self.wide)
        near = [(c, r) for r in range(row - 2, row + 3) for c in range(column - 2, column + 3)]
        away = sorted((math.hypot(u - self.centre(c)[0], v - self.centre(c)[1]), c[1], c[0]) for c in near)
        if away[1][0] - away[0][0] < 1e-6:
            raise Undecided
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

    events = [e for e in events if e["goes_on"]]
    in_plane = [to_plane.transform(*g.own(*e["at"])) if e["at"] else None for e in events]
    if ground is None:
        known = [p for p in in_plane if p]
        if not known:
            raise Undecided  # there is nothing to lay a grid over, which is refused
        cells = lattice.cells_about(shapely.MultiPoint(known))
        cells = [c for c in cells if c in {lattice.cell(*p) for p in known}]  # the others are only checked to be empty
    else:
        cells = [c for c in lattice.cells_about(ground) if how["keep"] == "all" or _kept(g, lattice, c, ground)]
    areas: dict[Cell, Area] = {}
    if not cells:
        raise Undecided  # no cell is kept, which is refused
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
    inside = covered(event)
    if how["cut"] and not inside:
        return "outside_every_area", nowhere
    cell = lattice.cell(*at)
    if cell in areas and areas[cell]["doubtful"] and not inside:
        raise Undecided  # beyond the ground, in a cell that may be kept or not
    if cell not in areas:
        return ("in_no_kept_cell" if how["cut"] or inside else "outside_every_area"), nowhere
    cell = into[cell]
    if excluded[cell]:
        return "in_excluded_area", cell
    if areas[cell]["state"] == "not recorded" or (recorded and not _was_recorded(g, event, recorded)):
        return "outside_recorded_area", cell
    return "", cell


def _was_recorded(g: Ground, event: dict[str, Any], recorded: dict[str, Any]) -> bool:
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
            raise Undecided
        return bool(away == 0.0)
    x, y = lattice.plane(*lattice.centre(cell))
    if shapely.distance(shapely.boundary(ground), shapely.Point(x, y)) < 1e-3:
        raise Undecided
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
                raise Undecided
            into[cell] = min(likely, key=lambda n: (n[1], n[0]))
    return into


# --- the third and fourth stage ---------------------------------------------------------------------------------------


def denominators(g: Ground, areas: dict[str, Area], table: list[dict[str, Any]]) -> dict[str, float | None]:
    """What each area is divided by; None where nothing is known."""
    how = g.plan["measure"]["denominator"]
    rows = [r for r in table if all(holds({k: str(v) for k, v in r.items()}, c) for c in how.get("where", []))]

    def of(keys: list[str]) -> tuple[int, dict[str, float]]:
        found: dict[str, float] = {}
        for key in keys:
            mine = [r for r in rows if r["ward"] == key and not (r["sex"] == "all" and how["add_over"])]
            if mine:
                years = len({r["year"] for r in mine}) if how["mean_over"] else 1
                found[key] = sum(r["residents"] for r in mine) / years
        return sum(r["ward"] in keys for r in rows), found

    own, by_area = of(list(areas))
    if not g.plan["place"]["areas"].get("roll_up"):
        return {a: v * areas[a]["share"] if (v := by_area.get(a)) is not None else None for a in areas}
    codes = [p["code"] for p in g.properties]
    parts, by_code = of(codes)
    if own >= parts:
        return {a: v * areas[a]["share"] if (v := by_area.get(a)) is not None else None for a in areas}
    result: dict[str, float | None] = {}
    for name, area in areas.items():
        counting = {codes[z]: part for z, part in area["counting"].items()}
        known = counting and all(c in by_code for c in counting)
        result[name] = sum(by_code[c] * part for c, part in counting.items()) if known else None
    return result


def quantile_classes(values: list[float], count: int) -> dict[float, int]:
    """The class of each different value: breaks after the run of equal values that ends nearest to the wanted share."""
    ordered = sorted(values)
    different = sorted(set(values))
    ends = [sum(v <= d for v in ordered) for d in different]
    breaks = set()
    for k in range(1, count):
        wanted = Fraction(k * len(ordered), count)
        breaks.add(min(range(len(ends)), key=lambda i: (abs(wanted - ends[i]), ends[i])))
    breaks.discard(len(different) - 1)
    return {d: 1 + sum(b < i for b in breaks) for i, d in enumerate(different)}


def best_fit(values: list[float], count: int) -> float:
    """The goodness of variance fit of the best classes, by trying all."""
    from itertools import combinations

    different = sorted(set(values))
    exact = [Fraction(v) for v in values]

    def spread(group: list[Fraction]) -> Fraction:
        mean = sum(group, Fraction(0)) / len(group)
        return sum(((v - mean) ** 2 for v in group), Fraction(0))

    total = spread(exact)
    if total == 0:
        return 1.0
    count = min(count, len(different))
    least = total
    for cuts in combinations(range(1, len(different)), count - 1):
        edges = [0, *cuts, len(different)]
        groups = [set(different[a:b]) for a, b in zip(edges, edges[1:], strict=False)]
        least = min(least, sum((spread([v for v in exact if float(v) in group]) for group in groups), Fraction(0)))
    return float(1 - least / total)


def periods(plan: dict[str, Any]) -> float:
    windows, unit = plan["gather"]["events"].get("recorded", []), plan["measure"].get("time", "none")
    if unit == "none":
        return 1.0
    if unit == "window":
        return float(len(windows))
    days = sum((date.fromisoformat(w["last_day"]) - date.fromisoformat(w["first_day"])).days + 1 for w in windows)
    return days / 365.25


def figures(
    plan: dict[str, Any], files: dict[str, Path], table: list[dict[str, Any]]
) -> tuple[dict[Any, Area], Counter[str]]:
    """All areas with what is known of them, and the records set aside by reason."""
    with files["events"].open(encoding="utf-8", newline="") as file:
        rows = list(csv.DictReader(file, delimiter=";"))
    with files["list"].open(encoding="utf-8", newline="") as file:
        listed = [r["entry"] for r in csv.DictReader(file, delimiter=";")]
    collection = json.loads(files["areas"].read_text())
    crs = "EPSG:32624" if "crs" in collection else "EPSG:4326"
    events, aside = gathered(plan, rows)
    g = Ground(plan, collection["features"], crs, listed)
    cells = plan["place"]["areas"]["kind"] == "grid"
    areas, more = (placed_in_cells if cells else placed_in_zones)(g, events)
    measure = plan["measure"]
    under = denominators(g, areas, table) if measure["kind"] == "rate" else {}
    for name, area in areas.items():
        area.setdefault("n", 0)
        area.setdefault("counted_km2", area["full_km2"] * area["share"])
        area["under"] = {"count": None, "density": area["counted_km2"], "rate": under.get(name)}[measure["kind"]]
        if area["full_km2"] == 0.0:
            area["state"] = "cannot be worked out"
        if measure["kind"] != "count" and area["state"] == "a number" and not (area["under"] or 0.0) > 0.0:
            area["state"] = "no denominator"
        area["value"] = None
        if area["state"] == "a number":
            area["value"] = float(area["n"])
            if measure["kind"] != "count":
                area["value"] = area["n"] / area["under"] / periods(plan) * measure["per"]
    return areas, aside + more
