"""The type faces of printed pages, as files that can be embedded: made once from those that the page on screen uses.

The npm packages have each face in parts, by script, with its weights in one file. A printed page wants one file a
weight with all letters.
"""

from __future__ import annotations

import hashlib
import os
from functools import cache
from pathlib import Path

from steady_tally.caches import PROJECT, cache_folder
from steady_tally.core.plan.figure import Face

_PACKAGES = PROJECT / "frontend" / "node_modules" / "@fontsource-variable"
_FOLDERS: dict[Face, str] = {"Public Sans": "public-sans", "Newsreader": "newsreader"}
_SCRIPTS = ("latin", "latin-ext", "vietnamese")
_WEIGHTS = {"Regular": 400, "Bold": 700}
_MADE = 3_600_000_000  # seconds since 1904, as type faces count: the same at each time
FALLBACK: Face = "DejaVu Sans"
"""It comes with Matplotlib, and has letters of many scripts."""


@cache
def families(face: Face) -> list[str]:
    """The families that a text is set in, the first that has a letter first; they are known to Matplotlib then."""
    import warnings

    from matplotlib import font_manager

    # Which letters are lacking is said on the page; what they are of has no place in a log.
    warnings.filterwarnings("ignore", message="Glyph .* missing from font")
    if face == FALLBACK:
        return [FALLBACK]
    files = _files(face)
    for file in files:
        font_manager.fontManager.addfont(file)
    return [face, FALLBACK] if files else [FALLBACK]


@cache
def letters(face: Face) -> frozenset[int]:
    """The code points of all letters that a text set in that face can have."""
    from matplotlib.font_manager import FontProperties, findfont, get_font

    files = [findfont(FontProperties(family=[family])) for family in families(face)]
    return frozenset(code for file in files for code in get_font(file).get_charmap())


def _files(face: Face) -> list[Path]:
    """One file a weight; none where the packages are not there."""
    folder = _FOLDERS[face]
    parts = [_PACKAGES / folder / "files" / f"{folder}-{script}-wght-normal.woff2" for script in _SCRIPTS]
    if not all(part.exists() for part in parts):
        return []
    digest = hashlib.sha256(b"".join(part.read_bytes() for part in parts)).hexdigest()[:16]
    kept = cache_folder(Path("faces") / digest)
    found = []
    for style, weight in _WEIGHTS.items():
        file = kept / f"{folder}-{style}.ttf"
        if not file.exists():
            _make(face, style, weight, parts, file)
        found.append(file)
    return found


def _make(face: Face, style: str, weight: int, parts: list[Path], to: Path) -> None:
    import logging

    from fontTools.merge import Merger, Options
    from fontTools.ttLib import TTFont
    from fontTools.varLib import instancer

    logging.getLogger("fontTools").setLevel(logging.ERROR)
    files = []
    for part in parts:
        font = instancer.instantiateVariableFont(TTFont(part), {"wght": weight})
        font.flavor = None
        file = to.with_name(f"{os.getpid()}-{part.stem}-{weight}.ttf")
        font.save(file)
        files.append(file)
    options = Options()
    # What says how letters are joined differs from part to part; plain text does without.
    options.drop_tables = ["GSUB", "GPOS", "GDEF", "STAT", "BASE"]
    whole = Merger(options=options).merge([str(f) for f in files])
    names = whole["name"]
    names.names = [n for n in names.names if n.nameID not in (16, 17, 21, 22, 25)]
    for number, text in {1: face, 2: style, 3: f"{face} {style}", 4: f"{face} {style}"}.items():
        names.setName(text, number, 3, 1, 0x409)
    names.setName(f"{face.replace(' ', '')}-{style}", 6, 3, 1, 0x409)
    whole["head"].created = whole["head"].modified = _MADE
    half = to.with_name(f"{os.getpid()}-{to.name}")
    whole.save(half)
    half.replace(to)  # nobody finds it half written
    for file in files:
        file.unlink()
