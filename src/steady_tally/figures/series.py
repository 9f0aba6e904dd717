"""Many pages: one PDF, or an archive of numbered files."""

from __future__ import annotations

import zipfile
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from steady_tally.core.names import file_stem
from steady_tally.core.plan.figure import FigurePlan
from steady_tally.figures.content import Content
from steady_tally.figures.draw import Drawing, Format, draw, many_written, written
from steady_tally.files import whole

_MADE = (1980, 1, 1, 0, 0, 0)  # an archive of the same files is the same at each time


@dataclass(frozen=True)
class Page:
    name: str
    content: Content


def write_pages(
    to: Path, plan: FigurePlan, pages: Iterable[Page], kind: Format, *, dpi: float, together: bool
) -> list[str]:
    """Write the pages as they come, each drawn alike; what could not be drawn as it was asked for, page by page.

    Parameters
    ----------
    together : in one PDF; else each in a file of its own, in an archive.
    """
    said: list[str] = []

    def drawn() -> Iterable[tuple[str, Drawing]]:
        for page in pages:
            drawing = draw(page.content, plan, page=page.name)
            said.extend(f"{page.name}: {says}" for says in dict.fromkeys(drawing.said))
            yield page.name, drawing

    with whole(to) as half:
        if together:
            with half.open("wb") as file:
                many_written((drawing for _, drawing in drawn()), file)
        else:
            with zipfile.ZipFile(half, "w", zipfile.ZIP_STORED) as files:
                for number, (name, drawing) in enumerate(drawn(), start=1):
                    entry = zipfile.ZipInfo(f"{number:03d}-{file_stem(name)}.{kind}", _MADE)
                    entry.external_attr = 0o644 << 16
                    packed = zipfile.ZIP_DEFLATED if kind == "svg" else zipfile.ZIP_STORED
                    files.writestr(entry, written(drawing, kind, dpi=dpi), packed)
    return said
