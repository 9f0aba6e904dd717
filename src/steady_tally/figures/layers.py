"""The map on a page: its layers and its labels, in the colours and words of the screen."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
import numpy.typing as npt

from steady_tally.core.classes.breaks import NO_CLASS, ZERO_CLASS
from steady_tally.core.plan.show import (
    AreasLayer,
    DegreesLayer,
    EventsLayer,
    Layer,
    OutlinesLayer,
    OverLayer,
    ReferenceLayer,
)
from steady_tally.core.show.colours import BEYOND, NO_VALUE, PAPER_LINE
from steady_tally.core.show.drawing import Rings
from steady_tally.core.show.graticule import Graticule, figures_at_edges, graticule
from steady_tally.core.show.labelling import LINE, Taken, place_labels
from steady_tally.core.show.outlining import line_widths, outlined, ring_sizes
from steady_tally.figures.content import Content, Lines
from steady_tally.figures.pen import HATCH, PAPER, Pen, Written
from steady_tally.figures.places import POINT, Place, View

if TYPE_CHECKING:
    from matplotlib.artist import Artist

Floats = npt.NDArray[np.float64]

_PIXEL = 0.2646  # millimetres, as the screen's styles have it
_HAIR = 0.12
_BY_SIZE = (np.inf, 4.0, 0.5, 0.0)  # mm²: areas are drawn in this order
_SHORE = "#5b6b6b"
_ROADS = {"street": (0.12, 0.28), "main road": (0.22, 0.42)}
_LEAST_LABEL = 4.0  # points
_MANY_DOTS = 4_000
_NAME_SIZE = 7.0  # points
_NAME_HALO = (PAPER, 1.5)
_DEGREE_LINE = (0.1, 0.45)  # millimetres, and how much they cover
_DEGREE_SIZE = 6.5  # points
_DEGREE_ROOM = 0.8  # millimetres about a figure


class MapDrawing:
    """Draws the layers and labels of a map or of one of its boxes; `unlabelled` labels have found no room so far."""

    def __init__(self, content: Content, pen: Pen) -> None:
        self.content, self.pen = content, pen
        self.unlabelled = 0
        self._degrees: dict[tuple[View, Place], Graticule] = {}

    def layer(
        self,
        layer: Layer,
        view: View,
        rings: Rings,
        members: npt.NDArray[np.bool_],
        clip: Artist,
        place: Place,
    ) -> None:
        match layer:
            case AreasLayer():
                if layer.shown:
                    self._areas(view, rings, members, clip, layer.opacity)
            case OutlinesLayer():
                self._outlines(view, rings, members, clip)
            case DegreesLayer():
                if layer.shown:
                    width, share = _DEGREE_LINE
                    self._stroke(self.degrees(view, place).rings, None, view, clip, self.pen.plan.ink, width, share)
            case EventsLayer():
                if self.content.dots is not None:
                    self._dots(view, clip, place)
            case OverLayer():
                if self.content.over is not None:
                    self._stroke(self.content.over, None, view, clip, self.pen.plan.ink, 1.8 * _PIXEL)
            case ReferenceLayer():
                if layer.source in self.content.references:
                    self._reference(layer, self.content.references[layer.source], view, clip)

    def degrees(self, view: View, place: Place) -> Graticule:
        """The lines of latitude and longitude in a place."""
        if (view, place) not in self._degrees:
            right, bottom = view.x + place.width / view.scale, view.y - place.height / view.scale
            self._degrees[view, place] = graticule(self.content.plane, (view.x, bottom, right, view.y))
        return self._degrees[view, place]

    def degree_figures(self, view: View, place: Place, taken: Sequence[Place]) -> None:
        """Their degrees at the edges of a place, where nothing else stands."""
        found = self.degrees(view, place)
        high = LINE * _DEGREE_SIZE * POINT
        sizes = [(self.pen.wide(text, _DEGREE_SIZE, False) + 2.0 * _DEGREE_ROOM, high) for text in found.texts]
        frame = (place.left, place.top, place.right, place.bottom)
        others = [(p.left, p.top, p.right, p.bottom) for p in taken]
        at = figures_at_edges(found, view.page(found.rings.xy.astype(np.float64)), frame, sizes, others)
        ink = self.pen.plan.ink
        self.pen.texts(
            [Written(found.texts[f.line], f.x, f.y, _DEGREE_SIZE, False, ink, "center", _NAME_HALO) for f in at]
        )

    def _areas(self, view: View, rings: Rings, members: npt.NDArray[np.bool_], clip: Artist, opacity: float) -> None:
        content = self.content
        drawn = members & ~content.hidden
        colours = dict(enumerate(content.colours))
        colours |= {ZERO_CLASS: content.zero_colour, NO_CLASS: NO_VALUE}
        # Where two meet within a pixel the later one has more of it: the smallest come last.
        size = np.bincount(rings.owner, weights=ring_sizes(rings), minlength=len(drawn)) * view.scale**2
        for below, least in itertools.pairwise(_BY_SIZE):
            alike = drawn & (size >= least) & (size < below)
            codes = np.unique(content.own[alike])
            for code in sorted(codes, key=lambda c: -float(size[alike & (content.own == c)].mean())):
                of = alike & (content.own == code)
                hatch = "/////" if code == NO_CLASS else None
                self._filled(rings, of, view, clip, colours.get(int(code), BEYOND), opacity, hatch)
        if (drawn & content.doubtful).any():
            self._filled(rings, drawn & content.doubtful, view, clip, "none", 1.0, "....")

    def _filled(
        self,
        rings: Rings,
        areas: npt.NDArray[np.bool_],
        view: View,
        clip: Artist,
        colour: str,
        opacity: float = 1.0,
        hatch: str | None = None,
    ) -> None:
        path = _path(rings, areas[rings.owner], view)
        if path is not None:
            self.pen.patch(path, clip, facecolor=colour, edgecolor=HATCH, linewidth=0.0, hatch=hatch, alpha=opacity)

    def _outlines(self, view: View, rings: Rings, members: npt.NDArray[np.bool_], clip: Artist) -> None:
        draw, colour, width = self.content.outlines
        if draw == "none":
            return
        seen = members[rings.owner] & ~self.content.hidden[rings.owner]
        thick = (_HAIR if draw == "hairline" else width * _PIXEL) / view.scale
        ink = self.pen.plan.ink if colour == "ink" else PAPER_LINE
        for wide, lines in outlined(rings, np.where(seen, line_widths(rings, thick), np.inf)):
            self._stroke(lines, None, view, clip, ink, wide * view.scale)

    def _reference(self, layer: ReferenceLayer, lines: Lines, view: View, clip: Artist) -> None:
        if layer.fill:
            path = _path(lines.rings, lines.closed, view)
            if path is not None:
                self.pen.patch(path, clip, facecolor=layer.fill, edgecolor="none", linewidth=0.0)
        if layer.line or layer.width:
            self._stroke(lines.rings, None, view, clip, layer.line or _SHORE, (layer.width or 1.0) * _PIXEL)
            return
        kinds = np.array(lines.kinds, dtype=object)
        for kind, (width, share) in _ROADS.items():
            self._stroke(lines.rings, kinds == kind, view, clip, self.pen.plan.ink, width, share)
        self._stroke(lines.rings, ~np.isin(kinds, list(_ROADS)), view, clip, _SHORE, _PIXEL)

    def _stroke(
        self,
        rings: Rings,
        keep: npt.NDArray[np.bool_] | None,
        view: View,
        clip: Artist,
        colour: str,
        width: float,
        opacity: float = 1.0,
    ) -> None:
        path = _path(rings, np.ones(len(rings.owner), dtype=np.bool_) if keep is None else keep, view, closed=False)
        if path is not None:
            self.pen.patch(path, clip, facecolor="none", edgecolor=colour, linewidth=width / POINT, alpha=opacity)

    def _dots(self, view: View, clip: Artist, place: Place) -> None:
        dots = self.content.dots
        assert dots is not None
        at = view.page(dots.xy.astype(np.float64))
        inside = (at[:, 0] > place.left) & (at[:, 0] < place.right) & (at[:, 1] > place.top) & (at[:, 1] < place.bottom)
        at, kind = at[inside], dots.kind[inside]
        colours = dots.colours or [self.pen.plan.ink]
        if len(at) <= _MANY_DOTS:
            for k, colour in enumerate(colours):
                mine = at[kind == k]
                corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1], [-1, -1]]) * 0.3
                xy = (mine[:, None, :] + corners).reshape(-1, 2)
                each = np.arange(len(mine) + 1, dtype=np.int32)
                rings = Rings(xy.astype(np.float32), 5 * each, each[:-1])
                path = _path(rings, np.ones(len(mine), dtype=np.bool_), View(1.0, 0.0, 0.0, 0.0, 0.0), plain=True)
                if path is not None:
                    self.pen.patch(path, clip, facecolor=colour, edgecolor="none", linewidth=0.0)
            return
        self._density(at, kind, colours, clip, place)

    def _density(
        self, at: Floats, kind: npt.NDArray[np.uint8], colours: Sequence[str], clip: Artist, place: Place
    ) -> None:
        """Every place the darker the more there are, by the logarithm; of several kinds the mean of their colours."""
        from matplotlib.colors import to_rgb

        across, down = max(int(place.width / 0.2), 1), max(int(place.height / 0.2), 1)
        x = np.clip(((at[:, 0] - place.left) / place.width * across).astype(int), 0, across - 1)
        y = np.clip(((at[:, 1] - place.top) / place.height * down).astype(int), 0, down - 1)
        cell = y * across + x
        count = np.bincount(cell, minlength=across * down)
        rgb = np.array([to_rgb(c) for c in colours])[kind]
        image = np.zeros((down * across, 4))
        some = count > 0
        for k in range(3):
            image[some, k] = (np.bincount(cell, weights=rgb[:, k], minlength=across * down)[some]) / count[some]
        image[some, 3] = 0.3 + 0.7 * np.log1p(count[some]) / np.log1p(max(int(count.max()), 2))
        shown = self.pen.axes.imshow(
            image.reshape(down, across, 4),
            extent=(place.left, place.right, place.bottom, place.top),
            aspect="auto",
            interpolation="nearest",
            zorder=self.pen.next,
        )
        shown.set_clip_path(clip)  # type: ignore[arg-type]
        self.pen.scaled()

    def washed(self, view: View, areas: npt.NDArray[np.bool_], clip: Artist) -> None:
        """Some areas under a wash of the page's colour, as they are not what it is about."""
        self._filled(self.content.rings, areas, view, clip, self.pen.ground, 0.6)

    def labels(self, view: View, members: npt.NDArray[np.bool_], within: Place) -> Taken:
        """Write in areas as far as they are seen; what that takes of the page, in units of it from the plane's
        origin."""
        content, taken = self.content, Taken()
        if content.anchors is None or not content.texts:
            return taken
        sizes = [s.size * 0.75 * POINT for s in content.labels]  # a pixel of the screen is 3/4 of a point
        bold = [s.bold for s in content.labels]
        placed, left = place_labels(
            content.anchors,
            np.flatnonzero(members),
            content.texts,
            sizes,
            lambda text, k: self.pen.wide(text, 1.0, bold[k]) / POINT,
            view.scale,
            _LEAST_LABEL * POINT,
        )
        self.unlabelled += left
        texts: list[Written] = []
        for label in placed:
            ((x, y),) = view.page(np.array([[label.x, label.y]]))
            if not all(
                within.holds(x + a * label.width / 2.0, y + b * label.height / 2.0) for a, b in ((-1, -1), (1, 1))
            ):
                continue
            taken.take(label.x * view.scale, -label.y * view.scale, label.width, label.height)
            top = y - label.height / 2.0
            for line in label.lines:
                size = line.size * label.factor / POINT
                look = content.labels[line.set]
                middle = top + LINE * size * POINT / 2.0
                halo = (look.halo, look.halo_width * label.factor)
                texts.append(Written(line.text, x, middle, size, look.bold, look.colour, "center", halo))
                top += LINE * size * POINT
        self.pen.texts(texts)
        return taken

    def names(self, view: View, place: Place, taken: Taken) -> None:
        """The names of references where areas' labels leave room."""
        texts: list[Written] = []
        for xy, names in self.content.names:
            for (x, y), (right, down), name in zip(xy, view.page(xy), names, strict=True):
                if not (name and np.isfinite(x) and place.holds(right, down)):
                    continue
                wide, high = self.pen.wide(name, _NAME_SIZE, False), LINE * _NAME_SIZE * POINT
                if taken.take(x * view.scale, -y * view.scale, wide, high):
                    ink = self.pen.plan.ink
                    texts.append(Written(name, right, down, _NAME_SIZE, False, ink, "center", _NAME_HALO))
                else:
                    self.unlabelled += 1
        self.pen.texts(texts)


def _path(
    rings: Rings, keep: npt.NDArray[np.bool_], view: View, *, closed: bool = True, plain: bool = False
) -> Any | None:
    """Some rings as one path on the page; None where there are none."""
    from matplotlib.path import Path

    size = np.diff(rings.start)
    keep = keep & (size > 1)
    if not keep.any():
        return None
    of = np.repeat(keep, size)
    at = rings.xy[of].astype(np.float64)
    codes = np.full(len(at), Path.LINETO, dtype=np.uint8)
    ends = np.cumsum(size[keep])
    codes[np.concatenate([[0], ends[:-1]])] = Path.MOVETO
    if closed:
        codes[ends - 1] = Path.CLOSEPOLY
    return Path(at if plain else view.page(at), codes)
