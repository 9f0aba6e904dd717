"""The look of the areas as a style of the OGC: Styled Layer Descriptor 1.1.0 with Symbology Encoding 1.1.0.

Source: Open Geospatial Consortium, OGC 05-078r4 (SLD) and OGC 05-077r4 (SE), with filters of OGC 04-095.
"""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
from collections.abc import Mapping

import numpy as np

from steady_tally.core.classes.breaks import ABOVE_ALL, BELOW_ALL, NO_CLASS, ZERO_CLASS
from steady_tally.core.plan.show import LabelSet, Outlines
from steady_tally.core.released import Released
from steady_tally.core.show.colours import BEYOND, NO_VALUE, PAPER_LINE
from steady_tally.core.show.legend import legend_of

_SLD = "http://www.opengis.net/sld"
_SE = "http://www.opengis.net/se"
_OGC = "http://www.opengis.net/ogc"
_INK = "#1f2933"
_NO_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")


def style_document(outcome: Released, layer: str, names: Mapping[str, str]) -> bytes:
    """The style of a layer of areas that were handed on.

    Parameters
    ----------
    names : what the columns are called there, where it is not what they are called here.
    """
    for prefix, space in (("", _SLD), ("se", _SE), ("ogc", _OGC)):
        ET.register_namespace(prefix, space)
    legend, show = legend_of(outcome), outcome.plan.show
    own = outcome.classed.area_class
    root = ET.Element(f"{{{_SLD}}}StyledLayerDescriptor", version="1.1.0")
    named = _sub(root, _SLD, "NamedLayer")
    _sub(named, _SE, "Name", layer)
    style = _sub(_sub(named, _SLD, "UserStyle"), _SE, "FeatureTypeStyle")
    number = names.get("class_number", "class_number")
    for k, entry in enumerate(legend.entries, start=1):
        _rule(style, f"class {k}", entry.text, number, str(k), entry.colour, show.outlines)
    others = (
        (ZERO_CLASS, "zero", legend.zero.text, "0", legend.zero.colour),
        (BELOW_ALL, "below", "below all classes", "-1", BEYOND),
        (ABOVE_ALL, "above", "above all classes", str(outcome.classed.classes + 1), BEYOND),
        (NO_CLASS, "nothing", "no value", None, NO_VALUE),
    )
    for code, name, says, value, colour in others:
        if np.any(own == code):
            _rule(style, name, says, number, value, colour, show.outlines)
    shown = [s for s in show.labels if s.shown]
    for k, look in enumerate(shown, start=1):
        _label(style, look, names.get(f"label_{k}", f"label_{k}"), k - (len(shown) - 1) / 2.0 - 1.0)
    ET.indent(root)
    return ET.tostring(root, encoding="utf-8", xml_declaration=True)


def style_files(outcome: Released, layer: str, short: Mapping[str, str] | None) -> dict[str, bytes]:
    """The style of a layer by the names of its files: one, and another where a Shapefile has `short` names."""
    found = {f"{layer}.sld": style_document(outcome, layer, {})}
    if short is not None:
        found[f"{layer}-shapefile.sld"] = style_document(outcome, layer, short)
    return found


def _rule(
    style: ET.Element, name: str, title: str, column: str, value: str | None, colour: str, lines: Outlines
) -> None:
    rule = _sub(style, _SE, "Rule")
    _sub(rule, _SE, "Name", name)
    _sub(_sub(rule, _SE, "Description"), _SE, "Title", title)
    condition = _sub(rule, _OGC, "Filter")
    test = _sub(condition, _OGC, "PropertyIsNull" if value is None else "PropertyIsEqualTo")
    _sub(test, _OGC, "PropertyName", column)
    if value is not None:
        _sub(test, _OGC, "Literal", value)
    symbol = _sub(rule, _SE, "PolygonSymbolizer")
    _parameters(_sub(symbol, _SE, "Fill"), {"fill": colour})
    if lines.draw != "none":
        width = "0.5" if lines.draw == "hairline" else str(lines.width)
        ink = _INK if lines.colour == "ink" else PAPER_LINE
        _parameters(_sub(symbol, _SE, "Stroke"), {"stroke": ink, "stroke-width": width, "stroke-linejoin": "round"})


def _label(style: ET.Element, look: LabelSet, column: str, below: float) -> None:
    """The texts of one label set; several stand below one another."""
    rule = _sub(style, _SE, "Rule")
    symbol = _sub(rule, _SE, "TextSymbolizer")
    _sub(_sub(symbol, _SE, "Label"), _OGC, "PropertyName", column)
    weight = "bold" if look.bold else "normal"
    _parameters(_sub(symbol, _SE, "Font"), {"font-size": f"{look.size:g}", "font-weight": weight})
    point = _sub(_sub(symbol, _SE, "LabelPlacement"), _SE, "PointPlacement")
    anchor = _sub(point, _SE, "AnchorPoint")
    _sub(anchor, _SE, "AnchorPointX", "0.5")
    _sub(anchor, _SE, "AnchorPointY", "0.5")
    if below:
        moved = _sub(point, _SE, "Displacement")
        _sub(moved, _SE, "DisplacementX", "0")
        _sub(moved, _SE, "DisplacementY", f"{-1.25 * look.size * below:g}")
    if look.halo_width:
        halo = _sub(symbol, _SE, "Halo")
        _sub(halo, _SE, "Radius", f"{look.halo_width:g}")
        _parameters(_sub(halo, _SE, "Fill"), {"fill": look.halo})
    _parameters(_sub(symbol, _SE, "Fill"), {"fill": look.colour})


def _sub(parent: ET.Element, space: str, name: str, text: str | None = None) -> ET.Element:
    found = ET.SubElement(parent, f"{{{space}}}{name}")
    found.text = _NO_XML.sub(" ", text) if text is not None else None
    return found


def _parameters(parent: ET.Element, values: Mapping[str, str]) -> None:
    for name, value in values.items():
        ET.SubElement(parent, f"{{{_SE}}}SvgParameter", name=name).text = value
