"""Where each event falls among zones, and what is made of them, by hand."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from typing import Any

import numpy as np
import shapely
from pyproj import CRS, Transformer

from .records import holds
from .shapes import Part, Undecided, decided, ground_km2, moved, polygon, share, zones_at


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

    def nearest_border(self, x: float, y: float, drawn: Any) -> tuple[float, tuple[float, float]]:
        """Metres to the nearest border of any zone, or of a drawn outline, and where that is in the zones' system."""
        longitude, latitude = Transformer.from_crs(self.crs, "EPSG:4326", always_xy=True).transform(x, y)
        near = CRS(f"+proj=aeqd +lat_0={latitude} +lon_0={longitude} +datum=WGS84")
        found = []
        shapes = [self.outline(drawn, near)] if drawn else [moved(shape, self.crs, near) for shape in self.shapes]
        for shape in shapes:
            for line in shapely.get_parts(shapely.boundary(shape)):
                at = shapely.get_coordinates(line)
                edges = shapely.linestrings(np.stack([at[:-1], at[1:]], axis=1))
                lines = shapely.shortest_line(shapely.Point(0, 0), edges)
                feet = shapely.get_coordinates(lines)[1::2].tolist()
                found += [(math.hypot(*foot), tuple(foot)) for foot in feet]
        metres, best = min(found)
        if any(m < metres + 0.5 and math.dist(foot, best) > 15.0 for m, foot in found):
            raise Undecided("drawn in, to two borders alike")  # nearer than that are bits of one edge
        to = Transformer.from_crs(near, self.crs, always_xy=True)
        return metres, to.transform(*best)

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
    in_sets: defaultdict[tuple[int, ...], list[dict[str, Any]]] = defaultdict(list)
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
            in_sets[tuple(found)].append(event)
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
    for s, inside in in_sets.items():
        also = [a for a in to[s] if a in place.get("exclude", {}).get("areas", [])]
        left = [a for a in to[s] if a not in also and areas[a]["state"] != "not recorded"]
        why = "in_excluded_area" if also else "outside_recorded_area"
        for event in inside:
            if not left:
                aside[why] += 1
            for a in left:
                areas[a]["n"] = areas[a].get("n", 0) + event["n"]
                areas[a].setdefault("rows_of", []).append(event["row"])
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
            raise Undecided("drawn in, to two zones alike")
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
