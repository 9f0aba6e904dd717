"""What draws on a page: filled paths, and text in its typeface, in millimetres from the left upper corner."""

from __future__ import annotations

from collections.abc import Sequence
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
        self._families = families(plan.face)
        self._widths: dict[tuple[str, bool], float] = {}
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
        from matplotlib.textpath import text_to_path

        if (text, bold) not in self._widths:
            wide, _, _ = text_to_path.get_text_width_height_descent(text, self._properties(100.0, bold), ismath=False)
            self._widths[text, bold] = float(wide) / 100.0
        return self._widths[text, bold] * size * POINT

    def _properties(self, size: float, bold: bool) -> Any:
        from matplotlib.font_manager import FontProperties

        return FontProperties(family=self._families, size=size, weight="bold" if bold else "regular")

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
        self.lacking |= {letter for letter in text if ord(letter) not in self._letters and letter.isprintable()}
        properties = self._properties(size, bold)
        if halo is not None and halo[1] > 0.0:
            self._halo(text, x, y, properties, halo)
        self.axes.text(
            x, y, text, fontproperties=properties, color=colour, ha=side, va="center_baseline", parse_math=False,
            zorder=self.next,
        )  # fmt: skip

    def _halo(self, text: str, x: float, y: float, properties: Any, halo: tuple[str, float]) -> None:
        """The letters' own outlines, drawn thick below them: text itself stays text."""
        from matplotlib.textpath import TextPath
        from matplotlib.transforms import Affine2D

        path = TextPath((0.0, 0.0), text, prop=properties)
        if not len(path.vertices):
            return
        wide = self.wide(text, properties.get_size_in_points(), properties.get_weight() == "bold")
        _, high, descent = _metrics(properties)
        down = y + (high / 2.0 - descent) * POINT
        move = Affine2D().scale(POINT, -POINT).translate(x - wide / 2.0, down)
        self.patch(
            move.transform_path(path), None, facecolor=halo[0], edgecolor=halo[0],
            linewidth=2.0 * halo[1] * 0.75,
        )  # fmt: skip


def _metrics(properties: Any) -> tuple[float, float, float]:
    from matplotlib.textpath import text_to_path

    width, high, descent = text_to_path.get_text_width_height_descent("lp", properties, ismath=False)
    return float(width), float(high), float(descent)
