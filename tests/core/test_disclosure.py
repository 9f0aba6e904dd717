"""Which areas and cells are hidden, against an integer program that knows the rule, what is hidden and all totals."""

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy.optimize import Bounds, LinearConstraint, milp

from steady_tally.core.disclosure.areas import hide_areas, too_small
from steady_tally.core.disclosure.family import parts_of
from steady_tally.core.disclosure.table import hide_cells

SLOW = settings(suppress_health_check=list(HealthCheck), deadline=None, max_examples=40)
NOBODY = np.zeros(0, dtype=np.bool_)


class Attacker:
    """Counts that nobody has told, and what is known of their sums."""

    def __init__(self, *shape: int) -> None:
        self.shape = shape
        self.rows, self.low, self.high = list[np.ndarray](), list[float](), list[float]()

    def knows(self, of: np.ndarray, low: float, high: float | None = None) -> None:
        """That the sum of some counts is `low`, or between two figures."""
        self.rows.append(np.asarray(of, dtype=np.float64).ravel())
        self.low.append(low)
        self.high.append(low if high is None else high)

    def cell(self, *at: object) -> np.ndarray:
        found = np.zeros(self.shape)
        found[tuple(at)] = 1  # type: ignore[index]
        return found

    def range_of(self, of: np.ndarray) -> tuple[int, int]:
        """The least and the most that a sum of them can be, in whole counts."""
        row = np.asarray(of, dtype=np.float64).ravel()
        known = LinearConstraint(np.array(self.rows), self.low, self.high) if self.rows else ()
        found = []
        for sign in (1.0, -1.0):
            got = milp(sign * row, constraints=known, integrality=np.ones(row.size), bounds=Bounds(0, 10_000))
            assert got.success, got.message
            found.append(round(sign * got.fun))
        return found[0], found[1]


def assert_unknown(attacker: Attacker, of: np.ndarray, truth: np.ndarray, least: int, *, zeros: bool) -> None:
    """A hidden count is known no closer than from 1, or 0, to the least count less 1; where zero is shown, that nothing
    is there may be known."""
    true = int((of * truth).sum())
    low, high = attacker.range_of(of)
    assert low <= true <= high
    assert (low <= (0 if zeros else 1) and high >= least - 1) or (true == 0 and not zeros), (
        (true, low, high, least), np.argwhere(of).tolist(), truth.tolist(),
    )  # fmt: skip


@given(st.integers(0, 2**32 - 1), st.integers(2, 7), st.booleans())
@SLOW
def test_hidden_areas_are_known_no_closer_than_is_promised(seed, least, zeros):
    rng = np.random.default_rng(seed)
    parts = rng.poisson(rng.choice([0.4, 2.0, 7.0], size=(int(rng.integers(1, 4)), int(rng.integers(1, 9)))))
    unfit = rng.random(parts.shape[1]) < 0.1
    found = hide_areas(parts, [], unfit, least, zeros=zeros).areas
    assert not too_small(parts, least, zeros=zeros)[:, ~found].any()
    assert found[unfit].all()
    order = rng.permutation(parts.shape[1])
    turned = hide_areas(parts[:, order], [], unfit[order], least, zeros=zeros, order=order).areas
    assert np.array_equal(turned, found[order]), "whatever the order of the areas"
    if found.all():
        return  # nothing is handed on
    attacker = Attacker(*parts.shape)
    attacker.knows(np.ones(parts.shape), parts.sum())
    # With one part that is rare everywhere the totals of the others are not told either: they would tell its own.
    rare = too_small(parts.sum(axis=1), least).any()
    for part in range(len(parts)):
        if not rare:
            attacker.knows(attacker.cell(part), parts[part].sum())
        for area in np.flatnonzero(~found):
            attacker.knows(attacker.cell(part, area), parts[part, area])
    for area in np.flatnonzero(found & ~unfit):
        if not zeros:
            attacker.knows(attacker.cell(slice(None), area), 1, np.inf)
    for area in np.flatnonzero(found):
        for part in (*range(len(parts)), slice(None)):
            if not (zeros and not isinstance(part, slice) and parts[part].sum() < least):
                assert_unknown(attacker, attacker.cell(part, area), parts, least, zeros=zeros)


def test_areas_that_are_all_that_there_is_are_hidden_with_others_or_all_of_them():
    """Five areas with one event each come to five: who knows that knows them all, until a sixth is hidden with them."""
    ones = np.array([[1, 1, 1, 1, 1, 20, 30, 25, 0, 40]])
    assert np.flatnonzero(hide_areas(ones, [], np.zeros(10, np.bool_), 5).areas).tolist() == [0, 1, 2, 3, 4, 5]
    assert hide_areas(np.array([[1, 2, 1]]), [], np.zeros(3, np.bool_), 5).everything
    three_and_four = hide_areas(np.array([[3, 4, 20, 30]]), [], np.zeros(4, np.bool_), 5).areas
    assert np.flatnonzero(three_and_four).tolist() == [0, 1], "3 + 4: each is 1 to 6"
    one_and_two = hide_areas(np.array([[1, 2, 20, 30]]), [], np.zeros(4, np.bool_), 5).areas
    assert np.flatnonzero(one_and_two).tolist() == [0, 1, 2], "1 + 2: each would be 1 or 2"
    persons = hide_areas(np.array([[9, 9, 9]]), [np.array([9, 7, 2])], np.zeros(3, np.bool_), 5).areas
    assert persons.tolist() == [True, False, True]


@given(st.integers(0, 2**32 - 1), st.integers(2, 6), st.booleans())
@SLOW
def test_hidden_cells_are_known_no_closer_than_is_promised(seed, least, zeros):
    rng = np.random.default_rng(seed)
    parts, areas, columns = int(rng.integers(1, 3)), int(rng.integers(2, 9)), int(rng.integers(1, 6))
    mean = rng.choice([2.0, 6.0, 20.0], size=(parts, 1, 1)) * rng.lognormal(0.0, 0.8, size=(1, areas, columns))
    counts = rng.poisson(mean)
    closed = hide_areas(counts.sum(axis=2), [], np.zeros(areas, dtype=np.bool_), least, zeros=zeros)
    found = hide_cells(counts, closed.areas, least, zeros=zeros)
    if found.everything or closed.everything:
        return
    hidden = found.cells
    assert not too_small(counts, least, zeros=zeros).any(axis=0)[~hidden].any()
    rows, order = rng.permutation(areas), rng.permutation(columns)
    turned = hide_cells(
        counts[:, rows][:, :, order], closed.areas[rows], least, zeros=zeros, rows=rows, columns=order
    ).cells
    assert np.array_equal(turned, hidden[rows][:, order]), "whatever the order of rows and columns"
    attacker = Attacker(*counts.shape)
    attacker.knows(np.ones(counts.shape), counts.sum())
    for part in range(parts):
        for area, column in np.argwhere(~hidden):
            attacker.knows(attacker.cell(part, area, column), counts[part, area, column])
        for area in np.flatnonzero(~closed.areas):
            attacker.knows(attacker.cell(part, area), counts[part, area].sum())
        for column in np.flatnonzero(~found.columns):
            attacker.knows(attacker.cell(part, slice(None), column), counts[part, :, column].sum())
    if not zeros:  # what is hidden alone is not empty, or it would be shown
        for area, column in np.argwhere(hidden & ~hidden.all(axis=1, keepdims=True) & ~found.columns):
            attacker.knows(attacker.cell(slice(None), area, column), 1, np.inf)
        for area in np.flatnonzero(closed.areas):
            attacker.knows(attacker.cell(slice(None), area), 1, np.inf)
    for area, column in np.argwhere(hidden):
        for part in (*range(parts), slice(None)):
            assert_unknown(attacker, attacker.cell(part, area, column), counts, least, zeros=zeros)


def test_a_large_table_hides_little_more_than_its_small_cells():
    rng = np.random.default_rng(1)
    kinds, areas = rng.lognormal(0.0, 1.0, size=(1, 1, 40)), rng.lognormal(0.0, 0.6, size=(1, 800, 1))
    counts = rng.poisson(50.0 * kinds / kinds.mean() * areas)
    nothing = np.zeros(800, dtype=np.bool_)
    small = too_small(counts, 5).any(axis=0)
    hidden = hide_cells(counts, nothing, 5).cells
    assert not (small & ~hidden).any()
    assert hidden.sum() < small.sum() + 0.03 * hidden.size


@pytest.mark.parametrize(("mean", "most"), [(20, 0.8), (200, 0.8), (2_000, 0.45)])
def test_a_kind_that_one_part_has_nothing_of_does_not_hide_a_large_table(mean, most):
    """Women and others of 40 kinds, some next to empty, in 600 areas: what is hidden stays near what is small."""
    for seed in range(3):
        rng = np.random.default_rng(seed)
        share = rng.dirichlet(np.full(40, 0.5))
        counts = np.stack([rng.poisson(mean / 2 * rng.gamma(2.0, 0.5, (600, 1)) * share) for _ in range(2)])
        counts[0, :, int(np.argmax(share))] = 0
        areas = hide_areas(counts.sum(axis=2), [], np.zeros(600, np.bool_), 5).areas
        found = hide_cells(counts, areas, 5)
        assert not too_small(counts, 5).any(axis=0)[~found.cells].any()
        assert found.cells[~areas].mean() < most + areas.mean()
        assert not found.everything


@given(st.lists(st.tuples(st.booleans(), st.booleans(), st.booleans()), max_size=30))
def test_records_are_parted_by_what_counts_them(rows):
    flags = np.array(rows, dtype=np.bool_).reshape(len(rows), 3)
    parts = parts_of({"a": flags[:, 0], "b": flags[:, 1], "c": flags[:, 2]}, len(rows))
    for at, key in enumerate("abc"):
        assert np.array_equal(parts.within[key][parts.code], flags[:, at])
    assert parts.count == max(len({*rows}), 1)


@pytest.mark.parametrize("least", [1, 2])
def test_a_rule_that_hides_next_to_nothing_hides_next_to_nothing(least):
    counts = np.array([[0, 1, 2, 3, 9]])
    found = hide_areas(counts, [], np.zeros(5, np.bool_), least).areas
    assert found.tolist() == ([False] * 5 if least == 1 else [False, True, True, False, False])
