"""Plans of earlier versions, brought to the present one on the way in; what is stored stays as it was.

Version 1 had one events source, one measure and one choice of classes, one recorded area for all windows, and a
density as a kind of its own. Of what it does not know nothing is lost here: the models name what they refuse.
"""

from __future__ import annotations

from typing import Any

Document = dict[str, Any]


def lifted(document: Any) -> Any:
    """The same plan as a document of the present version; anything else as it is."""
    if not isinstance(document, dict):
        return document
    measure = document.get("measure")
    unsaid = isinstance(measure, dict) and isinstance(measure.get("kind"), str)
    return _from_1(document) if document.get("version", 1 if unsaid else 2) == 1 else document


def _from_1(document: Document) -> Document:
    gather, place, show = (_part(document, name) for name in ("gather", "place", "show"))
    classes, measure = _part(document, "class"), _part(document, "measure")
    areas = place.get("areas")
    if isinstance(areas, dict) and "width_m" in areas:  # before grids had several shapes
        areas = dict(areas)
        areas["size"] = areas.pop("width_m")
        centre = areas.pop("centre", None)
        place |= {"areas": areas, **({"projection": {"centre": centre}} if centre else {})}
    events = _part(gather, "events")
    where = place.pop("recorded", None)
    if where is not None:
        windows = events.get("recorded") or [{}]
        events["recorded"] = [{**w, "where": where} if isinstance(w, dict) else w for w in windows]
    source = str(events.get("source", "events"))
    measure, name = _measure_from_1(measure)
    hide = {"hide_empty": classes.pop("hide_empty")} if "hide_empty" in classes else {}
    ramp = {"colours": {name: {"ramp": show.pop("ramp")}}} if "ramp" in show else {}
    return {
        **document,
        "version": 2,
        "gather": {**gather, **({"events": {source: events}} if "events" in gather else {})},
        **({"place": place} if "place" in document else {}),
        "measure": {name: {**measure, "events": source}},
        "class": {name: classes},
        "show": {**show, "mapped": name, **hide, **ramp},
    }


def _measure_from_1(measure: Document) -> tuple[Document, str]:
    kind, under = measure.get("kind"), measure.get("denominator")
    if kind == "density":
        return {"per": 1.0, **measure, "kind": "rate", "denominator": {"kind": "ground"}}, "events per km²"
    if kind == "rate" and isinstance(under, dict):
        noun = under.get("noun", "residents")
        return {**measure, "denominator": {"kind": "table", **under}}, f"events per {noun}"
    return measure, "events"


def _part(document: Document, name: str) -> Document:
    part = document.get(name)
    return dict(part) if isinstance(part, dict) else {}
