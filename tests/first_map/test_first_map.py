"""What some forty sets of files are made into, beside what an expert would have made of them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from steady_tally.cli.draft import Drafted, drafted
from steady_tally.core.chain import Chain
from steady_tally.core.geo.parts import framing, weights
from steady_tally.core.geo.projection import distortion
from steady_tally.core.plan.place import METRES, Grid
from steady_tally.core.show.drawing import plane_of
from steady_tally.core.show.framing import area_boxes

from .sets import SETS, Expected

MOST_OTHERWISE = 2  # of forty, in each part


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Drafted]:
    found = {}
    for number, (name, (make, _)) in enumerate(SETS.items()):
        folder = tmp_path_factory.mktemp(name)
        found[name] = drafted(make(folder, np.random.default_rng([29, number])), {})
    return found


def measure(of: Drafted) -> dict:
    return of.plan.as_document()["measure"][of.plan.mapped]


def areas(of: Drafted, expected: Expected) -> tuple[object, object]:
    place = of.plan.place.areas
    return ("grid" if isinstance(place, Grid) else place.source), expected.areas


def placed(of: Drafted, expected: Expected) -> tuple[object, object]:
    events = of.plan.gather.events.get(of.plan.events_name(of.plan.mapped))
    if events is None:
        return None, expected.placed
    by = events.stated.column if events.coordinates.kind == "none" and events.stated else "coordinates"
    return (by, events.number), (expected.placed, expected.number)


def divided(of: Drafted, expected: Expected) -> tuple[object, object]:
    under = measure(of)["denominator"]
    return (under and under.get("source", under["kind"])), expected.divided


def multiplier(of: Drafted, expected: Expected) -> tuple[object, object]:
    return measure(of)["per"] in expected.per or measure(of)["per"], True


def stretch(of: Drafted, expected: Expected) -> tuple[object, object]:
    """On the ellipsoid, over the corners of what the first view frames."""
    chain = Chain(of.plan, of.sources)
    found = chain.placed(of.plan.events_name(of.plan.mapped))
    crs = found.placement.crs
    if isinstance(of.plan.place.areas, Grid):
        return True, True  # cells keep to the projection that was fitted to their events, which the fit is tested for
    boxes = area_boxes(found.areas, plane_of(found.areas, crs))
    main = framing(boxes, weights(found.areas.area_km2, np.zeros(len(boxes)))).main
    corners = found.areas.degrees[np.repeat(main[found.areas.ring_zone], np.diff(found.areas.ring_start))]
    worst = distortion(crs, corners[:, 0], np.clip(corners[:, 1], -89.0, 89.0)).stretch
    return worst <= expected.stretch or worst, True


def cells(of: Drafted, expected: Expected) -> tuple[object, object]:
    grid = of.plan.place.areas
    if not isinstance(grid, Grid) or expected.cell_km is None:
        return isinstance(grid, Grid), expected.cell_km is not None
    km = grid.size * METRES[grid.unit] / 1_000.0
    return expected.cell_km / 2.0 <= km <= expected.cell_km * 2.0 or km, True


def boxes(of: Drafted, expected: Expected) -> tuple[object, object]:
    return len(of.plan.show.insets), expected.boxes


@pytest.mark.parametrize("part", [areas, placed, divided, multiplier, stretch, cells, boxes])
def test_first_maps_are_as_an_expert_would_have_them(made, part: Callable):
    assert len(SETS) >= 40
    otherwise = {}
    for name, (_, expected) in SETS.items():
        found, wanted = part(made[name], expected)
        if found != wanted:
            otherwise[name] = found, wanted
    assert len(otherwise) <= MOST_OTHERWISE, otherwise


def test_every_first_map_can_be_worked_out_and_places_what_came(made):
    for name, found in made.items():
        outcome = Chain(found.plan, found.sources).outcome()
        assert np.isfinite(outcome.measured.values.value).any(), name
        if found.plan.gather.events:
            assert outcome.placed.balance.records_out > 0, name
        for other in found.first.others:
            Chain(other.plan, found.sources).outcome()


def test_a_first_map_says_what_was_decided(made: dict[str, Drafted], tmp_path: Path):
    for name, found in made.items():
        assert found.first.says, name
        assert all(s.endswith(".") for s in found.first.says), name
