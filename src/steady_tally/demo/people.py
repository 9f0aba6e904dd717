"""Who lives in Quillhaven, how deprived each block is, and how the risk of heat illness truly runs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt
import shapely
import xlsxwriter
from scipy.spatial import cKDTree

from steady_tally.demo.land import TOWN, Land
from steady_tally.demo.names import abbreviated, turned, without_accents

YEARS = (2021, 2022, 2023, 2024, 2025)
AGE_GROUPS = ("0-14", "15-29", "30-44", "45-59", "60-74", "75-84", "85+")
SEXES = ("female", "male")
_RESIDENTS = 480_000

Counts = npt.NDArray[np.int64]


@dataclass(frozen=True)
class People:
    """residents (wards, years, sexes, age groups); residents_of_block; fifth of deprivation 1 (least) to 5; risk."""

    residents: Counts
    residents_of_block: Counts
    fifth: Counts
    risk_of_block: npt.NDArray[np.float64]


@dataclass(frozen=True)
class Spelling:
    """How the residents' workbook writes a ward: a code (or nothing) and a name."""

    code: int | None
    name: str
    needs_a_word: bool


def make_people(land: Land, rng: np.random.Generator) -> People:
    """Settle the blocks, and set the true risk: higher where it is deprived and built up, lower by the lagoon."""
    centre = shapely.get_coordinates(shapely.point_on_surface(land.block))
    field = _smooth(centre, rng)
    rank = np.argsort(np.argsort(field))
    fifth = 1 + rank * 5 // len(rank)
    weight = rng.lognormal(0.0, 0.45, len(centre)) * (1.0 + 2.0 * np.exp(-np.hypot(*(centre - TOWN).T) / 3_000.0))
    weight[land.ward_of_block == land.nobody] = 0.0
    of_block = np.round(_RESIDENTS * weight / weight.sum()).astype(np.int64)
    built_up = np.exp(-np.hypot(*(centre - TOWN).T) / 4_000.0)
    by_water = np.exp(-shapely.distance(land.lagoon, shapely.points(centre)) / 1_200.0)
    risk = np.exp(0.22 * (fifth - 3) + 0.6 * built_up - 0.5 * by_water)

    wards = len(land.ward)
    of_ward = np.bincount(land.ward_of_block, weights=of_block, minlength=wards)
    growth = 1.0 + np.outer(rng.normal(0.004, 0.008, wards), np.arange(len(YEARS)) - 2)
    shares = rng.dirichlet(120.0 * np.array([0.16, 0.19, 0.20, 0.19, 0.16, 0.07, 0.03]), wards)
    sexes = np.array([0.51, 0.49])
    residents = np.round(
        of_ward[:, None, None, None] * growth[:, :, None, None] * sexes[None, None, :, None] * shares[:, None, None, :]
    ).astype(np.int64)
    return People(residents, of_block, fifth, risk)


def spellings(codes: list[str], names: list[str], rng: np.random.Generator) -> list[Spelling]:
    """Codes have lost their letter and their zeros; where the code is missing, the name is spelt in its own way."""
    kinds = ["exact"] * len(names)
    two_words = [i for i, name in enumerate(names) if " " in name]
    accented = [i for i, name in enumerate(names) if without_accents(name) != name and i not in two_words]
    for i in rng.permutation(accented)[:3]:
        kinds[i] = "accent"
    shuffled = list(rng.permutation(two_words))
    for i in shuffled[:2]:
        kinds[i] = "abbreviated"
    for i in shuffled[2:4]:
        kinds[i] = "turned"
    plain = [i for i in range(len(names)) if kinds[i] == "exact" and " " not in names[i]]
    for i in rng.permutation(plain)[:2]:
        kinds[i] = "bracketed"
    write: dict[str, Callable[[str], str]] = {
        "exact": str,
        "accent": without_accents,
        "abbreviated": abbreviated,
        "turned": turned,
        "bracketed": lambda name: f"{name} (part)",
    }
    return [
        Spelling(int(code[1:]) if kind == "exact" else None, write[kind](name), kind in ("abbreviated", "turned"))
        for code, name, kind in zip(codes, names, kinds, strict=True)
    ]


def write_residents(path: Path, people: People, spelt: list[Spelling]) -> None:
    """A workbook as offices send them: title lines above the table, a row of totals and a remark below."""
    from datetime import datetime

    with xlsxwriter.Workbook(str(path)) as book:
        book.set_properties({"created": datetime(2026, 1, 5), "title": "Residents of Quillhaven (made up)"})
        sheet = book.add_worksheet("Residents")
        sheet.write(0, 0, "County of Quillhaven: residents by ward")
        sheet.write(1, 0, "Estimates for the middle of each year. Made-up figures.")
        sheet.write_row(3, 0, ["Ward code", "Ward", "Year", "Sex", "Age group", "Residents"])
        row = 4
        for ward, spelling in enumerate(spelt):
            for y, year in enumerate(YEARS):
                for s, sex in enumerate(SEXES):
                    for a, group in enumerate(AGE_GROUPS):
                        count = int(people.residents[ward, y, s, a])
                        sheet.write_row(row, 0, [spelling.code, spelling.name, year, sex, group, count])
                        row += 1
        for y, year in enumerate(YEARS):
            sheet.write_row(row, 1, ["All wards", year, "all", "all", int(people.residents[:, y].sum())])
            row += 1
        sheet.write(row + 1, 0, "Wards as of 2021.")
        about = book.add_worksheet("About")
        about.write(0, 0, "Made up for trying out Steady Tally.")


def _smooth(at: npt.NDArray[np.float64], rng: np.random.Generator) -> npt.NDArray[np.float64]:
    """A random value for each place, like its neighbours'."""
    value = rng.normal(0.0, 1.0, len(at))
    _, near = cKDTree(at).query(at, k=25)
    for _ in range(3):
        value = value[near].mean(axis=1)
    return np.asarray(value / value.std() + rng.normal(0.0, 0.3, len(at)))
