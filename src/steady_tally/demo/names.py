"""Made-up names, and the ways in which people misspell them."""

from __future__ import annotations

import numpy as np

_FIRST = (
    "Quill", "Tarn", "Brack", "Sel", "Mar", "Ost", "Wen", "Hal", "Corl", "Fenn", "Lys", "Dunn",
    "Garr", "Pell", "Rusk", "Thorl", "Ashl", "Eelm", "Gull", "Kess",
)  # fmt: skip
_LAST = ("mere", "holt", "wyke", "combe", "stede", "naze", "forde", "mouthe", "garth", "sound")
_FRONT = ("Upper", "Lower", "Saint", "Outer", "Old", "Little")
_STREET = ("Lane", "Row", "Rise", "Walk", "Quay", "Steps", "Gate", "Parade")


def place_names(count: int, rng: np.random.Generator) -> list[str]:
    """Different names of places; about a third of two words, a tenth with an accent."""
    stems = [first + last for first in _FIRST for last in _LAST]
    names: list[str] = []
    for nth, at in enumerate(rng.permutation(len(stems))[:count]):
        name = stems[at]
        if nth % 10 == 3:
            name = name.replace("e", "é", 1).replace("o", "ó", 1)
        if nth % 3 == 1:
            name = f"{_FRONT[nth // 3 % len(_FRONT)]} {name}"
        names.append(name)
    return names


def street_names(count: int, rng: np.random.Generator) -> list[str]:
    """Names of streets; they may repeat in different wards."""
    first, last, kind = (rng.integers(0, len(words), count) for words in (_FIRST, _LAST, _STREET))
    return [f"{_FIRST[a]}{_LAST[b]} {_STREET[c]}" for a, b, c in zip(first, last, kind, strict=True)]


def without_accents(name: str) -> str:
    return name.replace("é", "e").replace("ó", "o")


def abbreviated(name: str) -> str:
    """As written in haste: the first of two words cut short."""
    front, _, rest = name.partition(" ")
    return f"{front[:2]}. {rest}" if rest else name


def turned(name: str) -> str:
    """As in an index: the last word first."""
    front, _, rest = name.partition(" ")
    return f"{rest}, {front}" if rest else name


def as_typed(name: str, way: int) -> str:
    """One of the ways in which a dispatcher types a name."""
    ways = (name, name.upper(), without_accents(name).lower(), f" {name} ", abbreviated(name), turned(name))
    return ways[way]
