"""Plans of earlier versions, brought to the present one on the way in; what is stored stays as it was.

Version 1 had one events source, one measure and one choice of classes, one recorded area for all windows, and a
density as a kind of its own. Version 2 had counts, rates and shares for measures instead of sums of any terms. Of what
it does not know nothing is lost here: the models name what they refuse.
"""

from __future__ import annotations

from typing import Any

Document = dict[str, Any]
_KINDS_OF_2 = ("count", "rate", "share")


def lifted(document: Any) -> Any:
    """The same plan as a document of the present version; anything else as it is."""
    if not isinstance(document, dict):
        return document
    version = document.get("version", _unsaid(document.get("measure")))
    if version == 1:
        document, version = _from_1(document), 2
    return _from_2(document) if version == 2 else document


def _unsaid(measure: Any) -> int:
    """The version of a document that does not say it."""
    if not isinstance(measure, dict):
        return 3
    if isinstance(measure.get("kind"), str):
        return 1
    return 2 if any(isinstance(m, dict) and m.get("kind") in _KINDS_OF_2 for m in measure.values()) else 3


def _from_2(document: Document) -> Document:
    measures = document.get("measure")
    if isinstance(measures, dict):
        measures = {name: _measure_from_2(m) if isinstance(m, dict) else m for name, m in measures.items()}
    return {**document, "version": 3, **({"measure": measures} if "measure" in document else {})}


def _measure_from_2(measure: Document) -> Document:
    rest = dict(measure)
    kind, events = rest.pop("kind", None), {"kind": "events", "events": rest.pop("events", "events")}
    match kind:
        case "count":
            return {"kind": "quotient", "numerator": events, **rest}
        case "rate":
            under = rest.pop("denominator", None)
            # It was said, and not done, where a table could have followed a filter: a figure must not change by itself.
            if isinstance(under, dict) and under.get("kind", "table") == "table":
                under = {"kind": "table", "follow": False, **under}
            return {"kind": "quotient", "numerator": events, "denominator": under, "per": 10_000.0, **rest}
        case "share":
            group = {**events, "where": rest.pop("group", [])}
            return {"kind": "quotient", "numerator": group, "denominator": events, "per": 100.0, **rest}
    return measure


def _from_1(document: Document) -> Document:
    gather, place, show = (_part(document, name) for name in ("gather", "place", "show"))
    classes, measure = _part(document, "class"), _part(document, "measure")
    areas = place.get("areas")
    if isinstance(areas, dict) and "width_m" in areas:  # before grids had several shapes
        areas = dict(areas)
        areas |= {"size": areas.pop("width_m"), "cut": False}
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
        # Before rows were checked all of an area were added up, with a point for the decimal sign; of such a plan every
        # choice is written out, and so what it could not choose yet is not there.
        rows = {} if "add_over" in under else {"rows": "all", "decimal": "."}
        return {**measure, "denominator": {"kind": "table", **rows, **under}}, f"events per {noun}"
    return measure, "events"


def _part(document: Document, name: str) -> Document:
    part = document.get(name)
    return dict(part) if isinstance(part, dict) else {}
