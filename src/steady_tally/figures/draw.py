"""The printed page: where its elements stand, and its words, legend, scale and north."""

from __future__ import annotations

import io
import threading
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import IO, TYPE_CHECKING, Any, Literal

import numpy as np
import numpy.typing as npt

from steady_tally.core.errors import PlanError
from steady_tally.core.plan.figure import BoxLook, FigurePlan
from steady_tally.core.plan.show import AreasLayer, Corner, DegreesLayer, OutlinesLayer
from steady_tally.core.show.labelling import LINE
from steady_tally.figures.content import Box, Content
from steady_tally.figures.ground import distortion_of
from steady_tally.figures.layers import MapDrawing
from steady_tally.figures.legend import LegendDrawing
from steady_tally.figures.pen import Pen
from steady_tally.figures.places import (
    POINT,
    Place,
    View,
    any_ink,
    fitted,
    line_between,
    page_size,
    placed,
    round_length,
)

if TYPE_CHECKING:
    from matplotlib.figure import Figure

Format = Literal["svg", "pdf", "png"]

_QUIET: Any = {"text.hinting": "none"}  # letters stand where their widths say
_IN_FILES: Any = {
    "svg.fonttype": "none", "svg.hashsalt": "steady-tally", "pdf.fonttype": 42, "hatch.linewidth": 0.4,
}  # fmt: skip
# Nothing in a file says when or by what it was made.
_NOTHING: dict[Format, dict[str, Any]] = {
    "svg": {"Date": None, "Creator": None},
    "pdf": {"CreationDate": None, "ModDate": None, "Producer": None, "Creator": None},
    "png": {"Software": None},
}
# Its settings are those of the whole process: two requests that drew at once would write each other's.
_ONE_AT_A_TIME = threading.Lock()
_STRIP = 9.0  # for scale bar and north arrow
_GAP = 4.0
_MOST_PIXELS = 120_000_000
_INCH = 25.4
_CAPTION = 5.5  # points
_CORNERS: dict[Corner, tuple[int, int]] = {
    "bottom right": (1, 1), "bottom left": (0, 1), "top right": (1, 0), "top left": (0, 0),
}  # fmt: skip


@dataclass(frozen=True)
class Drawing:
    """A page that is drawn: its elements' places by name, and what could not be drawn as it was asked for."""

    figure: Figure
    places: dict[str, Place]
    said: list[str]


def draw(content: Content, plan: FigurePlan, *, page: str = "") -> Drawing:
    """The page; of a series that which `page` names. What finds no room on it is said."""
    import matplotlib as mpl

    with _ONE_AT_A_TIME, mpl.rc_context(_QUIET):
        return _Drawer(content, plan, page).drawing()


def check_size(plan: FigurePlan, kind: Format, dpi: float) -> None:
    """PlanError where a picture would have too many pixels."""
    width, height = page_size(plan.page, wide=False)
    pixels = width / _INCH * dpi * height / _INCH * dpi
    if kind == "png" and pixels > _MOST_PIXELS:
        raise PlanError(
            f"a picture of that size would have {pixels / 1e6:,.0f} million pixels.",
            where="figure",
            todo=f"Take fewer dots an inch: up to {_MOST_PIXELS / 1e6:,.0f} million are drawn.",
        )


def written(drawing: Drawing, kind: Format, *, dpi: float = 300.0, quick: bool = False) -> bytes:
    """The page as a file: the same bytes at each time. Text stays text in SVG, type faces are embedded in PDF; a
    picture that is to be there `quick` is less tightly packed."""
    import matplotlib as mpl

    to = io.BytesIO()
    settings: Any = {**_QUIET, **_IN_FILES}
    more: Any = {"pil_kwargs": {"compress_level": 1}} if quick and kind == "png" else {}
    with _ONE_AT_A_TIME, mpl.rc_context(settings):
        drawing.figure.savefig(to, format=kind, dpi=dpi, metadata=_NOTHING[kind], **more)
    return to.getvalue()


def many_written(drawings: Iterable[Drawing], to: IO[bytes]) -> None:
    """Pages as one PDF, each written as it comes."""
    import matplotlib as mpl
    from matplotlib.backends.backend_pdf import PdfPages

    settings: Any = {**_QUIET, **_IN_FILES}
    with _ONE_AT_A_TIME, mpl.rc_context(settings):
        pages = PdfPages(to, metadata=_NOTHING["pdf"])
    for drawing in drawings:
        with _ONE_AT_A_TIME, mpl.rc_context(settings):
            pages.savefig(drawing.figure)  # type: ignore[no-untyped-call]
    with _ONE_AT_A_TIME, mpl.rc_context(settings):
        pages.close()  # type: ignore[no-untyped-call]


class _Drawer:
    def __init__(self, content: Content, plan: FigurePlan, page: str) -> None:
        self.content, self.plan, self.page = content, plan, page
        left, bottom, right, top = content.plane.bounds
        self.width, self.height = page_size(plan.page, right - left > top - bottom)
        self.pen = Pen(plan, self.width, self.height)
        self.map = MapDrawing(content, self.pen)
        self.legend = LegendDrawing(content, plan, self.pen)
        self.places: dict[str, Place] = {}
        self.said: list[str] = list(content.said)
        self.occupied: dict[tuple[View, Place], npt.NDArray[np.bool_]] = {}

    # The page.

    def drawing(self) -> Drawing:
        margin = self.plan.page.margin
        free = Place(margin, margin, self.width - 2 * margin, self.height - 2 * margin)
        if free.width < 20.0 or free.height < 20.0:
            self.said.append("The margins leave no room on the page.")
            return Drawing(self.pen.figure, {}, self.said)
        free = self._words(free)
        legend = self.legend.size()
        map_place, legend_place = self._laid_out(free, legend)
        view = fitted(self.content.plane.bounds, map_place)
        self.places["map"] = map_place
        boxes = self._box_places(map_place, view, legend_place)
        self._map(view, map_place, [b for b, _ in boxes], legend_place)
        for place, box in boxes:
            self.places[f"box {box.number + 1}"] = place
            self._box(place, box, view, map_place)
        if self.plan.neatline:
            self.pen.rectangle(map_place, fill="none", line=self.plan.ink, width=0.3)
        if legend_place is not None:
            self.places["legend"] = legend_place
            self.legend.draw(legend_place)
        self._scale_and_north(map_place, view)
        if self.pen.lacking:
            lacking = " ".join(sorted(self.pen.lacking)[:12])
            self.said.append(f"No typeface here has these letters, which are drawn as empty boxes: {lacking}")
        if self.map.unlabelled:
            self.said.append(f"Labels that find no room, and are left out: {self.map.unlabelled:,}.")
        for name, place in self.places.items():
            if place.right > self.width + 0.1 or place.bottom > self.height + 0.1:
                self.said.append(f"The {name} reaches beyond the page.")
        return Drawing(self.pen.figure, self.places, self.said)

    def _words(self, free: Place) -> Place:
        """Title and subtitle above, notes below; what they leave."""
        top, bottom = free.top, free.bottom
        for name, words, own, bold in (
            ("title", self.plan.title, self.content.title, True),
            ("subtitle", self.plan.subtitle, self.content.subtitle, False),
        ):
            text = own if words.text is None else words.text
            if self.page and name == ("title" if self.plan.title.shown else "subtitle") and text != self.page:
                text = f"{text}: {self.page}" if text.strip() else self.page
            if not words.shown or not text.strip():
                continue
            at = Place(free.left, top, free.width, 0.0) if words.at is None else placed(words.at, free)
            lines = self.pen.wrapped(text, words.size, at.width, bold)
            place = Place(at.left, at.top, at.width, len(lines) * LINE * words.size * POINT)
            self.places[name] = place
            self.pen.lines(lines, place, words.size, bold)
            if words.at is None:
                top = place.bottom + 1.0
        notes = self.plan.notes
        text = self.content.notes if notes.text is None else notes.text
        if notes.shown and text.strip():
            at = Place(free.left, 0.0, free.width, 0.0) if notes.at is None else placed(notes.at, free)
            lines = self.pen.wrapped(text, notes.size, at.width, False)
            high = len(lines) * LINE * notes.size * POINT
            place = Place(at.left, bottom - high if notes.at is None else at.top, at.width, high)
            self.places["notes"] = place
            self.pen.lines(lines, place, notes.size, False)
            if notes.at is None:
                bottom = place.top - 2.0
        return Place(free.left, top + 2.0, free.width, max(bottom - top - 2.0, 10.0))

    def _laid_out(self, free: Place, legend: tuple[float, float] | None) -> tuple[Place, Place | None]:
        """Map and legend: the legend in a corner that the areas leave free, else beside the map, or below it."""
        room = Place(free.left, free.top, free.width, max(free.height - _STRIP, 10.0))
        if self.plan.map_at is not None:
            room = placed(self.plan.map_at, room)
        if legend is None:
            return room, None
        wide, high = legend
        if self.plan.legend.at is not None:
            at = self.plan.legend.at
            return room, Place(at.left, at.top, wide, high)
        if wide > free.width or high > free.height:
            self.said.append("The legend is larger than what the page has room for.")
        if self.plan.map_at is None:
            # Where only a part is seen, areas fill the corners though none of their edges may cross them.
            wanted = {box.at for box in self.content.boxes}
            names = sorted(_CORNERS, key=lambda corner: corner in wanted) if self.content.part is None else []
            view = fitted(self.content.plane.bounds, room)
            ink = self._occupied(view, room)
            for right, below in (_CORNERS[name] for name in names):
                left = room.right - wide if right else room.left
                top = room.bottom - high if below else room.top
                place = Place(left, top, wide, high)
                if not any_ink(ink, room, place):
                    return room, place
            if self.width > self.height:
                beside = Place(room.left, room.top, max(room.width - wide - _GAP, 10.0), room.height)
                return beside, Place(room.right - wide, room.top, wide, high)
            above = Place(room.left, room.top, room.width, max(room.height - high - _GAP, 10.0))
            return above, Place(room.left, above.bottom + _STRIP, wide, high)
        return room, Place(room.right - wide, room.bottom - high, wide, high)

    def _occupied(self, view: View, room: Place) -> npt.NDArray[np.bool_]:
        """Which squares of a place the edges of areas that are not in a box cross."""
        if (view, room) not in self.occupied:
            self.occupied[view, room] = self._crossed(view, room)
        return self.occupied[view, room]

    def _crossed(self, view: View, room: Place, squares: int = 96) -> npt.NDArray[np.bool_]:
        rings, boxed = self.content.rings, self._in_boxes
        ink = np.zeros((squares, squares), dtype=np.bool_)
        ring = np.repeat(np.arange(len(rings.owner)), np.diff(rings.start))
        drawn = ~boxed[rings.owner[ring]] if len(ring) else np.zeros(0, dtype=np.bool_)
        if not drawn.any():
            return ink
        at = (view.page(rings.xy.astype(np.float64)) - [room.left, room.top]) / [room.width, room.height] * squares
        # Along every edge, a point at least in each square that it crosses.
        edge = np.flatnonzero(drawn[:-1] & (ring[:-1] == ring[1:]))
        steps = np.ceil(np.abs(at[edge + 1] - at[edge]).max(axis=1, initial=0.0) * 2.0).astype(int) + 1
        of = np.repeat(edge, steps)
        along = (np.arange(len(of)) - np.repeat(np.cumsum(steps) - steps, steps)) / np.repeat(steps, steps)
        points = at[of] + (at[of + 1] - at[of]) * along[:, None]
        column, row = np.floor(points).astype(int).T
        inside = (column >= 0) & (column < squares) & (row >= 0) & (row < squares)
        ink[row[inside], column[inside]] = True
        return ink

    @property
    def _in_boxes(self) -> npt.NDArray[np.bool_]:
        none = np.zeros(len(self.content.own), dtype=np.bool_)
        return np.logical_or.reduce([none, *(b.members for b in self.content.boxes)])

    def _box_places(self, room: Place, view: View, legend: Place | None) -> list[tuple[Place, Box]]:
        found: list[tuple[Place, Box]] = []
        taken = [p for p in (legend,) if p is not None]
        for box in self.content.boxes:
            left, bottom, right, top = box.bounds
            most = 0.3 * min(room.width, room.height)
            scale = most / max(right - left, top - bottom, 1e-9)
            wide, high = max((right - left) * scale, 12.0) + 3.0, max((top - bottom) * scale, 12.0) + 3.0
            own = self.plan.boxes.get(box.number, BoxLook()).at
            if own is not None:
                place = Place(own.left, own.top, own.width or wide, own.height or high)
            else:
                sizes = ((k * wide, k * high) for k in (1.0, 0.85, 0.7, 0.55, 0.45))
                tried = [self._free_corner(room, view, w, h, box.at, taken) for w, h in sizes]
                place = next((p for p, clear in tried if clear), tried[0][0])
            taken.append(place)
            found.append((place, box))
        return found

    def _free_corner(
        self, room: Place, view: View, wide: float, high: float, wanted: str, taken: Sequence[Place]
    ) -> tuple[Place, bool]:
        """The wanted corner, or the first that neither areas nor other elements lie in; and whether there is such."""
        ink = self._occupied(view, room)
        corners = [wanted, "bottom right", "bottom left", "top right", "top left"]
        places = []
        for corner in corners:
            vertical, horizontal = corner.split(" ")
            left = room.left if horizontal == "left" else room.right - wide
            top = room.top if vertical == "top" else room.bottom - high
            for other in taken:
                if Place(left, top, wide, high).meets(other):
                    top = other.bottom + _GAP if vertical == "top" else other.top - _GAP - high
            places.append(Place(left, top, wide, high))
        clear = [p for p in places if not any_ink(ink, room, p) and not any(p.meets(t) for t in taken)]
        return (clear or places)[0], bool(clear)

    # The map.

    def _map(self, view: View, place: Place, holes: Sequence[Place], legend: Place | None) -> None:
        content = self.content
        clip = self.pen.clip(place)
        members = ~self._in_boxes
        for layer in reversed(content.layers):
            self.map.layer(layer, view, content.rings, members, clip, place)
        if content.part is not None:
            self.map.washed(view, ~content.part, clip)
        self.map.names(view, place, self.map.labels(view, members if content.part is None else content.part, place))
        for hole in holes:
            # Nothing of the map shows under its boxes.
            self.pen.rectangle(hole, fill=self.pen.ground, line="none", width=0.0)
        if any(isinstance(layer, DegreesLayer) and layer.shown for layer in content.layers):
            self.map.degree_figures(view, place, [*holes, *([legend] if legend else [])])

    def _box(self, place: Place, box: Box, of_map: View, map_place: Place) -> None:
        look = self.plan.boxes.get(box.number, BoxLook())
        view = fitted(box.bounds, place)
        if look.times is not None:
            view = fitted(box.bounds, place, scale=look.times * of_map.scale)
        clip = self.pen.clip(place)
        for layer in reversed(self.content.layers):
            if isinstance(layer, DegreesLayer) or (box.own and not isinstance(layer, AreasLayer | OutlinesLayer)):
                continue  # they lie in the map's own projection
            self.map.layer(layer, view, box.rings, box.members, clip, place)
        self.map.labels(view, box.members, place)
        if look.neatline:
            self.pen.rectangle(place, fill="none", line=self.plan.ink, width=0.25)
        times = view.scale / of_map.scale
        if not 0.98 < times < 1.02:
            # Two scales on one page: that is said, as areas look larger or smaller than they are beside the others.
            text = f"{times:.2g} times the map's scale" if times < 100.0 else f"{times:,.0f} times the map's scale"
            if self.pen.wide(text, _CAPTION, False) < place.width:
                halo = (self.pen.ground, 1.5)
                self.pen.text(
                    text, place.left + 1.0, place.bottom - 1.6, _CAPTION, False, self.plan.ink, "left", halo=halo
                )
        if look.locator:
            self._locator(place, box, of_map, map_place)

    def _locator(self, place: Place, box: Box, view: View, room: Place) -> None:
        """A line to where the box's areas lie on the map, or to the map's edge in their direction, with a head."""
        rings = self.content.rings
        corners = rings.xy[np.repeat(box.members[rings.owner], np.diff(rings.start))].astype(np.float64)
        if not len(corners):
            return
        on_page = view.page(np.array([corners.min(axis=0), corners.max(axis=0)]))
        (left, bottom), (right, top) = on_page
        there = np.array([(left + right) / 2.0, (bottom + top) / 2.0])
        line = line_between(place, room, there)
        if line is None:
            self.said.append(f"Box {box.number + 1} lies where its areas do: there is no line to them.")
            return
        start, end, reaches = line
        self.pen.line(np.array([start, end]), self.plan.ink, 0.2)
        if reaches:
            self.pen.rectangle(
                Place(left, top, max(right - left, 1.0), max(bottom - top, 1.0)),
                fill="none", line=self.plan.ink, width=0.2,
            )  # fmt: skip
        else:
            back = (start - end) / max(float(np.hypot(*(start - end))), 1e-9)
            across = np.array([-back[1], back[0]])
            self.pen.line(np.array([end + 2.0 * back + across, end, end + 2.0 * back - across]), self.plan.ink, 0.2)

    # Scale and north.

    def _scale_and_north(self, room: Place, view: View) -> None:
        x, y = room.left, room.bottom + 5.5
        differs, turns = distortion_of(self.content.plane)
        how = self.plan.scale_bar
        if how == "always" or (how == "by itself" and differs < 1.05):
            metres = round_length(0.25 * room.width / view.scale)
            long = metres * view.scale
            self.places["scale bar"] = Place(x, y - 3.5, long, 5.0)
            for k in range(2):
                part = Place(x + k * long / 2.0, y, long / 2.0, 1.0)
                self.pen.rectangle(
                    part, fill=self.plan.ink if k == 0 else self.pen.ground, line=self.plan.ink, width=0.15
                )
            text = f"{metres / 1000:,g} km" if metres >= 1000 else f"{metres:,g} m"
            self.pen.text(text, x + long, y - 1.8, 7.0, False, self.plan.ink, "right")
            self.pen.text("0", x, y - 1.8, 7.0, False, self.plan.ink, "left")
            x += long + 8.0
        elif how == "by itself":
            self.said.append("There is no scale bar: the scale differs by more than 5 % over the map.")
        how = self.plan.north
        if how == "always" or (how == "by itself" and turns.max() - turns.min() < 6.0):
            self._north(x + 2.0, y - 1.0, float(turns.mean()))
            self.places["north arrow"] = Place(x, y - 4.0, 5.0, 6.0)
        elif how == "by itself":
            self.said.append("There is no north arrow: north is not the same way everywhere on the map.")

    def _north(self, x: float, y: float, turn: float) -> None:
        from matplotlib.path import Path
        from matplotlib.transforms import Affine2D

        corners = np.array([[0.0, -3.2], [1.3, 1.6], [0.0, 0.8], [-1.3, 1.6], [0.0, -3.2]])
        path = Path(Affine2D().rotate_deg(turn).translate(x, y).transform(corners), closed=True)
        self.pen.patch(path, None, facecolor=self.plan.ink, edgecolor="none", linewidth=0.0)
        self.pen.text("N", x + 3.2, y, 7.0, True, self.plan.ink, "left")
