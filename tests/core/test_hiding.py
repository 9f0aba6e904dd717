"""What a release rule hides, against a solver that sees all that is handed on and tries to pin a hidden count."""

import itertools
from collections.abc import Callable
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st
from scipy.optimize import Bounds, LinearConstraint, milp

from steady_tally.core.chain import Chain
from steady_tally.core.errors import PlanError
from steady_tally.core.measure.hiding import hide_areas, hide_cells, hide_in_sizes, too_small
from steady_tally.core.outcome import Outcome
from steady_tally.core.plan.figure import Series
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.report.handed import events_to_hand_on, set_aside_to_hand_on
from steady_tally.core.report.series import hiding, sheets_of
from steady_tally.core.report.tables import areas_table, categories_table
from steady_tally.core.sources import Features, Sources, Table
from steady_tally.core.states import State

SLOW = settings(
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.filter_too_much], deadline=None, max_examples=40
)


class Attacker:
    """Counts that nobody has told, and what is known of their sums."""

    def __init__(self, size: int) -> None:
        self.size, self.rows, self.sums = size, list[np.ndarray](), list[float]()

    def knows(self, row: np.ndarray, total: float) -> None:
        self.rows.append(np.asarray(row, dtype=np.float64).ravel())
        self.sums.append(float(total))

    def range_of(self, row: np.ndarray) -> tuple[int, int]:
        """The least and the most that a sum of them can be, in whole counts."""
        row = np.asarray(row, dtype=np.float64).ravel()
        found = []
        for sign in (1.0, -1.0):
            known = LinearConstraint(np.array(self.rows), self.sums, self.sums) if self.rows else ()
            got = milp(sign * row, constraints=known, integrality=np.ones(self.size), bounds=Bounds(0, 10_000))
            assert got.success, got.message
            found.append(round(sign * got.fun))
        return found[0], found[1]


@given(st.lists(st.integers(0, 12), min_size=2, max_size=9), st.integers(2, 6), st.data())
@SLOW
def test_no_hidden_area_follows_from_the_others_and_their_total(whole, least, data):
    part = np.array([data.draw(st.integers(0, n)) for n in whole])
    counts, unfit = np.array(whole), np.array([data.draw(st.integers(0, 9)) == 0 for _ in whole])
    found = hide_areas([counts, part], [(1, 0)], unfit, least)
    shown = ~found.areas
    assert not (too_small(counts, least) | too_small(part, least) | too_small(counts - part, least))[shown].any()
    assert found.areas[unfit].all()
    n = len(counts)
    attacker = Attacker(2 * n)  # the part, and the rest of the whole
    for of, row in ((counts, np.ones((2, 1))), (part, np.array([[1.0], [0.0]]))):
        attacker.knows(np.broadcast_to(row, (2, n)), of.sum())
        for at in np.flatnonzero(shown):
            attacker.knows(row * (np.arange(n) == at), of[at])
    for at in np.flatnonzero(found.areas):
        for of, row in ((counts, np.ones((2, 1))), (part, np.array([[1.0], [0.0]]))):
            low, high = attacker.range_of(row * (np.arange(n) == at))
            assert low <= of[at] <= high
            assert low < high or of[found.areas].sum() == 0
            if of[found.areas].sum() >= least:
                assert (low, high) == (0, of[found.areas].sum()) or of is part or part[found.areas].any()


@st.composite
def tables(draw) -> np.ndarray:
    areas, columns = draw(st.integers(2, 6)), draw(st.integers(2, 5))
    values = st.sampled_from([0, 0, 1, 2, 4, 9, 15, 40])
    return np.array(
        draw(st.lists(st.lists(values, min_size=columns, max_size=columns), min_size=areas, max_size=areas))
    )


@given(tables(), st.integers(2, 6))
@SLOW
def test_no_hidden_cell_follows_from_the_shown_ones_and_the_totals_of_rows_and_columns(table, least):
    assume(np.count_nonzero(table.sum(axis=1)) > 1)  # one area alone is what the totals say
    areas = hide_areas([table.sum(axis=1)], [], np.zeros(len(table), dtype=np.bool_), least).areas
    hidden = hide_cells(table, areas, least)
    assert not too_small(table, least)[~hidden].any()
    attacker = Attacker(table.size)
    for cell in np.argwhere(~hidden):
        row = np.zeros(table.shape)
        row[tuple(cell)] = 1
        attacker.knows(row, table[tuple(cell)])
    for column in range(table.shape[1]):
        attacker.knows(np.arange(table.shape[1])[None] == column + np.zeros((len(table), 1)), table[:, column].sum())
    for at in np.flatnonzero(~areas):
        attacker.knows(np.arange(len(table))[:, None] == at + np.zeros((1, table.shape[1])), table[at].sum())
    for cell in np.argwhere(hidden):
        row = np.zeros(table.shape)
        row[tuple(cell)] = 1
        low, high = attacker.range_of(row)
        assert low < high, (table.tolist(), cell.tolist())


def test_a_table_of_kinds_and_periods_is_hidden_as_one_of_their_combinations():
    rng = np.random.default_rng(3)
    counts = rng.poisson(6.0, (12, 4, 3))
    nothing = np.zeros(12, dtype=np.bool_)
    assert np.array_equal(
        hide_cells(counts, nothing, 4).reshape(12, 12), hide_cells(counts.reshape(12, 12), nothing, 4)
    )


# The whole of a release.

CODES = ["A", "B", "C", "D", "E"]
KINDS, SEXES, DAYS = ["fall", "heat"], ["f", "m"], ["2021-03-04", "2022-05-06"]
COUNTS = st.lists(st.sampled_from([0, 0, 1, 2, 5, 11]), min_size=40, max_size=40)


def study(counts: np.ndarray, rule: dict[str, Any] | None, mapped: str = "all") -> Chain:
    """`counts` (areas, kinds, sexes, days) of events in five squares."""
    rows = [
        (f"{500_500 + 1000 * a}", "4200500", KINDS[k], SEXES[s], DAYS[d])
        for a, k, s, d in itertools.product(*map(range, counts.shape))
        for _ in range(counts[a, k, s, d])
    ]
    columns = {c: pa.array([r[i] for r in rows], pa.string()) for i, c in enumerate(("x", "y", "kind", "sex", "day"))}
    number = np.arange(1, len(rows) + 1)
    calls = Table("calls", pa.table(columns), number, number + 1)
    people = pa.table({"ward": CODES, "n": ["900", "40", "700", "800", "600"]})
    residents = Table("people", people, np.arange(1, 6), np.arange(2, 7))
    boxes = [shapely.box(500_000 + 1000 * i, 4_200_000, 501_000 + 1000 * i, 4_201_000) for i in range(5)]
    areas = Features("areas", pa.table({"code": CODES}), np.array(boxes, dtype=object), "EPSG:32624")
    women = {"kind": "events", "where": [{"kind": "values", "column": "sex", "values": ["f"]}]}
    of_people = {"kind": "table", "source": "people", "keys": [{"table": "ward", "area": "identifier"}], "value": "n"}
    plan = {
        "gather": {
            "events": {
                "events": {
                    "source": "calls",
                    "coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"},
                    "time": {"column": "day", "order": "year-first"},
                    "recorded": [
                        {"name": y, "first_day": f"{y}-01-01", "last_day": f"{y}-12-31"} for y in ("2021", "2022")
                    ],
                }
            }
        },
        "place": {"areas": {"kind": "zones", "source": "areas", "identifier": "code"}},
        "measure": {
            "all": {"kind": "quotient", "numerator": {"kind": "events"}, "denominator": of_people, "per": 1000},
            "women": {"kind": "quotient", "numerator": women, "denominator": {"kind": "events"}, "per": 100},
            "kinds": {"kind": "category", "of": {"kind": "commonest", "column": "kind"}},
            "written": {"kind": "formula", "text": "events * 2 + all", "about": "events"},
        },
        "release": rule,
        "show": {"mapped": mapped},
    }
    return Chain(read_plan(plan), Sources({"calls": calls, "people": residents}, {"areas": areas}))


def told_by(outcome: Outcome, rows: Callable[[int], np.ndarray], attacker: Attacker) -> list[int]:
    """Tell the attacker what the areas' table and the totals say; which areas are suppressed."""
    table = areas_table(outcome).to_pylist()
    for at, row in enumerate(table):
        if row["state"] == "suppressed":
            assert all(row[part] is None for part in ("numerator", "value", "class"))
            continue
        attacker.knows(rows(at), row["numerator"])
    total = outcome.measured.values.terms[0].total
    attacker.knows(np.sum([rows(at) for at in range(5)], axis=0), total)
    return [at for at, row in enumerate(table) if row["state"] == "suppressed"]


@given(COUNTS, st.integers(2, 5))
@SLOW
def test_a_solver_that_sees_all_that_is_handed_on_pins_no_hidden_count(cells, least):
    """Every measure's areas and totals, areas by kinds, and a page for each window: in one release."""
    counts = np.array(cells).reshape(5, 2, 2, 2)
    if not counts.any():
        return
    rule = {"name": "rule", "min_events": least}
    attacker = Attacker(counts.size)

    def cells_of(area: int, kind: Any = slice(None), sex: Any = slice(None), day: Any = slice(None)) -> np.ndarray:
        found = np.zeros(counts.shape)
        found[area, kind, sex, day] = 1
        return found

    targets = []
    for name, sex in (("all", slice(None)), ("women", 0)):
        chain = study(counts, rule, name)
        outcome = chain.outcome()
        targets += [cells_of(at, sex=sex) for at in told_by(outcome, lambda at, s=sex: cells_of(at, sex=s), attacker)]
        assert np.isnan(outcome.events_by_area).tolist() == [
            s == State.SUPPRESSED for s in outcome.measured.values.state
        ]
    by_kind = categories_table(study(counts, rule, "kinds").outcome())
    if by_kind is not None:
        for kind, word in enumerate(KINDS):
            if f"events: {word}" not in by_kind.column_names:
                attacker.knows(np.sum([cells_of(at, kind=kind) for at in range(5)], axis=0), 0)
                continue
            for at, n in enumerate(by_kind.column(f"events: {word}").to_pylist()):
                if n is None:
                    targets.append(cells_of(at, kind=kind))
                else:
                    attacker.knows(cells_of(at, kind=kind), n)
    chain = study(counts, rule)
    pages = sheets_of(Series(over="windows", classes="own"), chain, lambda plan: Chain(plan, chain.sources)).pages
    for day, page in enumerate(pages):
        outcome = hiding(Chain(page.plan, chain.sources), page).outcome()
        of_day = counts[..., day].sum(axis=(1, 2))
        women = counts[:, :, 0, day].sum(axis=1)
        small = too_small(of_day, least) | too_small(women, least)
        assert outcome.hidden is not None
        assert np.array_equal(outcome.hidden.small, outcome.hidden.areas & small)
        targets += [cells_of(at, day=day) for at in told_by(outcome, lambda at, d=day: cells_of(at, day=d), attacker)]
    for target in targets:
        low, high = attacker.range_of(target)
        true = int((target * counts).sum())
        assert low <= true <= high
        # What is hidden though there is nothing of its kind anywhere among the hidden is seen to be nothing.
        assert low < high or true == 0, (cells, least, np.argwhere(target).tolist())


@given(COUNTS, st.integers(1, 4), st.sampled_from([1, 3, 5]))
@SLOW
def test_every_figure_is_worked_out_from_rounded_counts_and_a_formula_tells_of_no_hidden_area(cells, least, base):
    counts = np.array(cells).reshape(5, 2, 2, 2)
    rule = {"name": "rule", "min_events": least, "round_to": base}
    by_area = counts.sum(axis=(1, 2, 3))
    rounded = (2 * by_area + base) // (2 * base) * base
    people = np.array([900, 40, 700, 800, 600])
    outcome = study(counts, rule).outcome()
    shown = outcome.measured.values.state == State.NUMBER
    assert outcome.measured.values.value[shown] == pytest.approx(1000.0 * rounded[shown] / people[shown])
    low, high = outcome.measured.values.interval()
    assert np.isnan(low[~shown]).all()
    assert np.isnan(high[~shown]).all()
    written = study(counts, rule, "written").outcome().measured.values
    assert np.array_equal(written.state == State.NUMBER, shown)
    assert all(np.isnan(n.figures[~shown]).all() for n in written.named)
    assert (outcome.classed.area_class[~shown] < 0).all()


def test_residents_and_cells_that_are_too_few_or_small_are_hidden_and_a_rule_that_hides_all_says_what_would_do():
    counts = np.full((5, 2, 2, 2), 5)
    few = study(counts, {"name": "people", "min_residents": 100}).outcome()
    assert np.flatnonzero(few.measured.values.state == State.SUPPRESSED).tolist() == [0, 1]  # and one beside it
    assert any("1 with too few residents" in n.says and "1 so that nothing follows" in n.says for n in few.notes)
    everything = study(counts, {"name": "all", "min_events": 1000}).outcome()
    assert (everything.measured.values.state == State.SUPPRESSED).all()
    assert any("hides every area" in n.says and "Larger areas" in n.says for n in everything.notes)


def test_single_events_are_let_out_by_the_rule_alone():
    counts = np.full((5, 2, 2, 2), 2)
    kept = study(counts, {"name": "rule", "min_events": 1}).outcome()
    for hand_on in (events_to_hand_on, set_aside_to_hand_on):
        with pytest.raises(PlanError, match="lets no single events"):
            hand_on(kept)
        hand_on(study(counts, {"name": "rule", "min_events": 1, "event_points": True}).outcome())
        hand_on(study(counts, None).outcome())


PLACES = st.lists(st.tuples(st.integers(0, 5), st.integers(0, 5), st.booleans()), min_size=1, max_size=30)


@given(PLACES, st.integers(2, 5), st.sampled_from([(1, 2), (1, 3), (2, 3)]))
@settings(SLOW, max_examples=60)
def test_cells_of_several_sizes_do_not_tell_of_one_another(places, least, widths):
    """Squares that nest and squares that do not, with a part of the events counted too; all of it in one release."""
    x, y, kind = (np.array(column) for column in zip(*places, strict=True))
    cells = [(y // w) * 6 + x // w for w in widths]
    kinds = [np.ones(len(x), dtype=np.bool_), kind.astype(np.bool_)]
    hidden = []
    for own in cells:
        counts = [np.bincount(own[k], minlength=36) for k in kinds]
        hidden.append(hide_areas(counts, [(1, 0)], np.zeros(36, dtype=np.bool_), least).areas)
    hide_in_sizes(cells, kinds, hidden)
    # The solver thinks of every place that a cell of both sizes has in common, not only of those with events.
    corners = itertools.product(range(6), range(6), (0, 1))
    grid = np.unique([(*(r // w * 6 + c // w for w in widths), k) for r, c, k in corners], axis=0)
    attacker = Attacker(len(grid))
    rows = {}
    for size, own in enumerate(cells):
        for which, of in enumerate(kinds):
            counts = np.bincount(own[of], minlength=36)
            of_kind = np.ones(len(grid)) if which == 0 else grid[:, 2] * 1.0
            attacker.knows(of_kind, counts.sum())
            for at in np.unique(grid[:, size]).tolist():
                row = (grid[:, size] == at) * of_kind
                if hidden[size][at]:
                    rows[size, which, at] = row, counts[at]
                else:
                    assert not too_small(counts[at : at + 1], least)[0]
                    attacker.knows(row, counts[at])
    for (size, which, at), (row, true) in rows.items():
        low, high = attacker.range_of(row)
        assert low <= true <= high
        assert low < high or true == 0, (places, least, widths, size, which, at)


@given(st.lists(st.tuples(st.integers(0, 5), st.integers(0, 5)), min_size=8, max_size=40), st.integers(2, 4))
@settings(SLOW, max_examples=25)
def test_further_sizes_of_cells_are_handed_on_with_what_is_hidden_in_all_of_them(places, least):
    rows = [(str(500_500 + 1000 * x), str(4_200_500 + 1000 * y)) for x, y in places]
    columns = {c: pa.array([r[i] for r in rows], pa.string()) for i, c in enumerate(("x", "y"))}
    number = np.arange(1, len(rows) + 1)
    calls = Table("calls", pa.table(columns), number, number + 1)
    square = shapely.box(500_000, 4_200_000, 506_000, 4_206_000)
    ground = Features("areas", pa.table({"code": ["all"]}), np.array([square], dtype=object), "EPSG:32624")
    coordinates = {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"}
    grid = {"kind": "grid", "shape": "square", "size": 1000.0, "origin": [500_000.0, 4_200_000.0]}
    plan = {
        "gather": {"events": {"events": {"source": "calls", "coordinates": coordinates}}},
        "place": {"areas": grid, "projection": {"system": "EPSG:32624"}},
        "measure": {"count": {"kind": "quotient", "numerator": {"kind": "events"}}},
        "release": {"name": "rule", "min_events": least, "sizes": [2000.0, 3000.0]},
    }
    chain = Chain(read_plan(plan), Sources({"calls": calls}, {"areas": ground}))
    maps = [(1, chain.outcome()), *((round(s / 1000), other.outcome()) for s, other in chain.other_sizes())]
    attacker = Attacker(36)
    targets = []
    for width, outcome in maps:
        for row, column, line in zip(
            areas_table(outcome).to_pylist(), outcome.areas.column.tolist(), outcome.areas.row.tolist(), strict=True
        ):
            of = np.zeros((6, 6))
            of[line * width : (line + 1) * width, column * width : (column + 1) * width] = 1
            if row["state"] == "suppressed":
                assert row["numerator"] is None
                targets.append(of)
            else:
                attacker.knows(of, row["numerator"])
                assert row["numerator"] == 0 or row["numerator"] >= least
    attacker.knows(np.ones((6, 6)), len(places))
    true = np.zeros((6, 6))
    for x, y in places:
        true[y, x] += 1
    for of in targets:
        low, high = attacker.range_of(of)
        assert low <= (of * true).sum() <= high
        assert low < high or (of * true).sum() == 0


def test_a_measure_that_cannot_be_worked_out_hides_nothing_and_breaks_nothing():
    counts = np.full((5, 2, 2, 2), 5)
    chain = study(counts, {"name": "rule", "min_events": 5})
    document = chain.plan.as_document()
    document["measure"]["broken"] = {
        "kind": "quotient", "numerator": {"kind": "persons", "events": "events", "column": "no such column"},
    }  # fmt: skip
    outcome = Chain(read_plan(document), chain.sources).outcome("all")
    assert (outcome.measured.values.state == State.NUMBER).all()


def test_a_break_kept_from_before_must_not_be_the_figure_of_a_hidden_area():
    counts = np.full((5, 2, 2, 2), 5)
    counts[0] = 0
    counts[0, 0, 0, 0] = 3
    before = study(counts, None)
    low = float(np.nanmin(before.outcome().measured.values.value))
    document = before.plan.as_document()
    document["class"]["all"] = {"method": "by_hand", "inner": [low, 2 * low]}
    assert len(Chain(read_plan(document), before.sources).outcome().classed.breaks)
    document["release"] = {"name": "rule", "min_events": 5}
    kept = Chain(read_plan(document), before.sources)
    with pytest.raises(PlanError, match="is the figure of an area that the release rule “rule” hides"):
        kept.outcome()
    assert any("grouped by quantile" in n.says for n in kept.outcome(strict=False).notes)
    document["class"]["all"]["inner"] = [1.01 * low, 2 * low]
    Chain(read_plan(document), before.sources).outcome()
