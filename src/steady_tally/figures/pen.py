"""What draws on a page: filled paths, and text in its typeface, in millimetres from the left upper corner."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from steady_tally.core.plan.figure import FigurePlan
from steady_tally.core.show.labelling import LINE
from steady_tally.figures.faces import families, letters
from steady_tally.figures.places import POINT, Place

if TYPE_CHECKING:
    from matplotlib.artist import Artist
    from matplotlib.figure import Figure

HATCH = "#8b8778"
PAPER = "#f6f2e9"
_MM = 25.4


class Pen:
    """
    Attributes
    ----------
    figure : what it draws on: a page `width` by `height` millimetres. What is drawn later lies over what was before.
    lacking : letters that were to be written, and that no typeface here has.
    """

    def __init__(self, plan: FigurePlan, width: float, height: float) -> None:
        from matplotlib.figure import Figure

        self.plan, self.width, self.height = plan, width, height
        self.figure: Figure = Figure(figsize=(width / _MM, height / _MM))
        self.figure.set_facecolor(self.ground)
        self.axes = self.figure.add_axes((0.0, 0.0, 1.0, 1.0))
        self.scaled()
        self.axes.set_axis_off()
        self._families = tuple(families(plan.face))
        self._order = 0.0
        self._letters = letters(plan.face)
        self.lacking: set[str] = set()

    def scaled(self) -> None:
        """One unit of the axes is a millimetre, down from the top."""
        self.axes.set_xlim(0.0, self.width)
        self.axes.set_ylim(self.height, 0.0)

    @property
    def ground(self) -> str:
        """The colour of the page."""
        return PAPER if self.plan.page.ground == "paper" else "#ffffff"

    @property
    def next(self) -> float:
        """The place in the order of what is drawn next."""
        self._order += 1.0
        return self._order

    def clip(self, place: Place) -> Artist:
        """What keeps marks within a place."""
        from matplotlib.patches import Rectangle

        clip = Rectangle((place.left, place.top), place.width, place.height, transform=self.axes.transData)
        return clip

    def patch(self, path: Any, clip: Artist | None, *, hatch: str | None = None, **look: Any) -> None:
        from matplotlib.patches import PathPatch

        patch = PathPatch(path, transform=self.axes.transData, zorder=self.next, hatch=hatch, **look)
        patch.set_joinstyle("round")
        self.axes.add_artist(patch)
        if clip is not None:
            patch.set_clip_path(clip)  # type: ignore[arg-type]

    def rectangle(self, place: Place, *, fill: str, line: str, width: float, hatch: str | None = None) -> None:
        from matplotlib.path import Path

        corners = [
            (place.left, place.top), (place.right, place.top), (place.right, place.bottom),
            (place.left, place.bottom), (place.left, place.top),
        ]  # fmt: skip
        edge = HATCH if hatch else line
        self.patch(
            Path(corners, closed=True), None, facecolor=fill, edgecolor=edge, linewidth=width / POINT, hatch=hatch
        )

    def line(self, points: Any, colour: str, width: float) -> None:
        from matplotlib.path import Path

        self.patch(Path(points), None, facecolor="none", edgecolor=colour, linewidth=width / POINT)

    def wide(self, text: str, size: float, bold: bool) -> float:
        """How wide a text is, in millimetres."""
        return _width(text, self._families, bold) * size * POINT

    def _properties(self, size: float, bold: bool) -> Any:
        return _properties(self._families, size, bold)

    def wrapped(self, text: str, size: float, width: float, bold: bool) -> list[str]:
        """Lines that are no wider than that, broken at blanks, and within a word that is wider itself."""
        lines: list[str] = []
        for part in text.split("\n"):
            line = ""
            for word in part.split():
                tried = f"{line} {word}".strip()
                if self.wide(tried, size, bold) <= width:
                    line = tried
                    continue
                if line:
                    lines.append(line)
                line = word
                while len(line) > 1 and self.wide(line, size, bold) > width:
                    fits = next((k for k in range(len(line) - 1, 0, -1) if self.wide(line[:k], size, bold) <= width), 1)
                    lines.append(line[:fits])
                    line = line[fits:]
            lines.append(line)
        return lines

    def lines(self, lines: Sequence[str], place: Place, size: float, bold: bool) -> None:
        for k, line in enumerate(lines):
            middle = place.top + (k + 0.5) * LINE * size * POINT
            self.text(line, place.left, middle, size, bold, self.plan.ink, "left")

    def text(
        self,
        text: str,
        x: float,
        y: float,
        size: float,
        bold: bool,
        colour: str,
        side: str,
        halo: tuple[str, float] | None = None,
    ) -> None:
        self.texts([Written(text, x, y, size, bold, colour, side, halo)])

    def texts(self, all_of_them: Sequence[Written]) -> None:
        """Several texts, their halos together below them all: none of them may lie over another."""
        from matplotlib.path import Path

        halos: dict[tuple[str, float], list[Any]] = {}
        for one in all_of_them:
            self.lacking |= {c for c in one.text if ord(c) not in self._letters and c.isprintable()}
            if one.halo is not None and one.halo[1] > 0.0 and (path := self._letters_of(one)) is not None:
                halos.setdefault(one.halo, []).append(path)
        for (colour, width), paths in halos.items():
            whole = Path.make_compound_path(*paths)
            self.patch(whole, None, facecolor=colour, edgecolor=colour, linewidth=2.0 * width * 0.75)
        for one in all_of_them:
            look = self._properties(one.size, one.bold)
            self.axes.text(
                one.x, self._baseline(one), one.text, fontproperties=look, color=one.colour,
                ha=one.side, va="baseline", parse_math=False, zorder=self.next,
            )  # fmt: skip

    def _letters_of(self, one: Written) -> Any | None:
        """The letters' own outlines where they stand on the page: drawn thick below them, text itself stays text."""
        from matplotlib.transforms import Affine2D

        path = _outline(one.text, self._families, one.bold)
        if path is None:
            return None
        scale = one.size / _MEASURED
        wide = self.wide(one.text, one.size, one.bold)
        left = {"left": one.x, "center": one.x - wide / 2.0, "right": one.x - wide}[one.side]
        move = Affine2D().scale(scale * POINT, -scale * POINT).translate(left, self._baseline(one))
        return move.transform_path(path)

    def _baseline(self, one: Written) -> float:
        """The line that letters stand on, so that those like l have their middle at `y`."""
        return one.y + _above_line(self._families, one.bold) / 2.0 * one.size * POINT


@dataclass(frozen=True)
class Written:
    """A text on the page: its middle line is at `y`, and it stands on that `side` of `x`."""

    text: str
    x: float
    y: float
    size: float
    bold: bool
    colour: str
    side: str
    halo: tuple[str, float] | None = None


# A page is drawn again at each change, and most of its texts are the same.
_MEASURED = 100.0  # points


@lru_cache(maxsize=1_000)
def _properties(families: tuple[str, ...], size: float, bold: bool) -> Any:
    from matplotlib.font_manager import FontProperties

    return FontProperties(family=families, size=size, weight="bold" if bold else "regular")


def _width(text: str, families: tuple[str, ...], bold: bool) -> float:
    """In parts of the size."""
    return _metrics(text, families, bold)[0]


def _above_line(families: tuple[str, ...], bold: bool) -> float:
    """How far an l reaches above the line that it stands on, in parts of the size."""
    _, high, below = _metrics("l", families, bold)
    return high - below


@lru_cache(maxsize=50_000)
def _metrics(text: str, families: tuple[str, ...], bold: bool) -> tuple[float, float, float]:
    """Width, height and what of it is below the line, in parts of the size."""
    from matplotlib.textpath import text_to_path

    properties = _properties(families, _MEASURED, bold)
    wide, high, below = text_to_path.get_text_width_height_descent(text, properties, ismath=False)
    return float(wide) / _MEASURED, float(high) / _MEASURED, float(below) / _MEASURED


@lru_cache(maxsize=10_000)
def _outline(text: str, families: tuple[str, ...], bold: bool) -> Any | None:
    """The outlines of the letters; None where nothing of them is seen."""
    from matplotlib.textpath import TextPath

    path = TextPath((0.0, 0.0), text, prop=_properties(families, _MEASURED, bold))
    return path if len(path.vertices) else None
