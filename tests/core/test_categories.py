"""Which kind is each area of, and how mixed are its events, against plain Python over the same records."""

from collections import Counter
from fractions import Fraction
from itertools import combinations

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from steady_tally.core.chain import run
from steady_tally.core.errors import PlanError
from steady_tally.core.geo.bins import OUTSIDE
from steady_tally.core.geo.locate import Located
from steady_tally.core.measure.expression import WHYS
from steady_tally.core.measure.tally import Categories, count_categories, spread
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.report.tables import areas_table, categories_table
from steady_tally.core.sources import Sources
from steady_tally.core.states import State
from tests.core.test_terms import CODES, EVENTS, GROUPS, document, in_areas, table, world, zones


def kinds_by_hand(records: list, where: list, areas: set[str], overlap: bool) -> Counter:
    mine = [r for r in records if in_areas(r, overlap) & areas]
    for condition in where:
        mine = [r for r in mine if r["sex"] in condition["values"]]
    return Counter(r["who"] for r in mine if r["who"])


def winner(kinds: Counter) -> str | None:
    best = kinds.most_common(2)
    return best[0][0] if best and (len(best) == 1 or best[0][1] > best[1][1]) else None


def chance_of_two_kinds(kinds: Counter) -> Fraction | None:
    pairs = list(combinations(kinds.elements(), 2))
    return Fraction(sum(a != b for a, b in pairs), len(pairs)) if pairs else None


@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(EVENTS, GROUPS, st.booleans(), st.integers(1, 3))
def test_the_commonest_kind_and_the_diversity_are_those_worked_out_by_hand(calls, where, overlap, told_apart):
    term = {"kind": "commonest", "events": "calls", "column": "who", "where": where}
    plan = document({"kind": "category", "of": term})
    plan["class"] = {"m": {"count": told_apart}}
    outcome = run(read_plan(plan), world(calls, [], overlap))
    values, classed = outcome.measured.values, outcome.classed
    by_hand = {w: kinds_by_hand(calls, where, {w}, overlap) for w in CODES}
    rows = areas_table(outcome).to_pylist()
    for at, ward in enumerate(CODES):
        best = winner(by_hand[ward])
        assert rows[at]["value"] == best
        assert rows[at]["numerator"] == sum(by_hand[ward].values())
        if best is None:
            assert values.state[at] == State.NOT_COMPUTABLE
            assert classed.area_class[at] == -1
            assert WHYS[values.why[at]] == (
                "several kinds are equally common" if by_hand[ward] else "no event is of a kind"
            )
        else:
            word = classed.words[classed.area_class[at]]
            together = classed.others > 1 and values.value[at] >= told_apart
            assert word == (f"{classed.others} others" if together else best)
    of_all = kinds_by_hand(calls, where, set(CODES), overlap)
    assert (None if values.total is None else values.words[int(values.total)]) == winner(of_all)
    found = categories_table(outcome)
    assert found is not None
    assert set(found.column_names[2:]) == {f"events: {who}" for who in of_all}
    for row, ward in zip(found.to_pylist(), CODES, strict=True):
        assert {n.removeprefix("events: "): v for n, v in list(row.items())[2:] if v} == dict(by_hand[ward])
    shown = [w for w in classed.words if w in {winner(k) for k in by_hand.values()}]
    areas_of = Counter(winner(k) for k in by_hand.values())
    assert [areas_of[w] for w in shown] == sorted((areas_of[w] for w in shown), reverse=True)

    mixed = document({"kind": "quotient", "numerator": {**term, "kind": "diversity"}})
    values = run(read_plan(mixed), world(calls, [], overlap)).measured.values
    for at, ward in enumerate(CODES):
        expected = chance_of_two_kinds(by_hand[ward])
        if expected is None:
            assert values.state[at] == State.NOT_COMPUTABLE
            assert WHYS[values.why[at]] == "fewer than two events"
        else:
            assert values.value[at] == pytest.approx(float(expected))
    there = {w for w in CODES if sum(by_hand[w].values()) > 1}
    expected = chance_of_two_kinds(kinds_by_hand(calls, where, there, overlap)) if there else None
    assert values.total == (None if expected is None else pytest.approx(float(expected)))


@given(
    st.lists(st.tuples(st.integers(-1, 3), st.integers(-1, 3), st.integers(0, 4), st.integers(1, 3)), max_size=30),
    st.integers(0, 30),
    st.lists(st.booleans(), min_size=4, max_size=4),
)
def test_kinds_of_pieces_add_up_to_those_of_the_whole(events, cut, chosen):
    def tally(part) -> Categories:
        first = np.array([a if a >= 0 else OUTSIDE for a, _, _, _ in part], dtype=np.int64)
        twice = [(i, b) for i, (a, b, _, _) in enumerate(part) if 0 <= a != b >= 0]
        event, other = np.array(twice, dtype=np.int64).reshape(-1, 2).T
        number = np.array([n for *_, n in part], dtype=np.int64)
        laid = spread(Located(first, event, other), number, np.full(len(part), -1), 0, 4, None)
        labels = sorted({f"kind {k}" for _, _, k, _ in part})
        codes = np.array([labels.index(f"kind {k}") for _, _, k, _ in part], dtype=np.int32)
        return count_categories(laid, labels, codes, column="kind")

    whole, pieces = tally(events), tally(events[:cut]) + tally(events[cut:])
    assert whole.labels == pieces.labels
    assert (whole.counts == pieces.counts).all()
    areas = np.array(chosen)
    by_hand = Counter()
    for a, b, kind, number in events:
        if a >= 0 and (chosen[a] or (b >= 0 and chosen[b])):
            by_hand[f"kind {kind}"] += number
    for one in (whole, pieces):
        assert {w: int(n) for w, n in zip(one.labels, one.together(areas), strict=True) if n} == dict(by_hand)


def of_text(rows: list[dict[str, str]], **more) -> tuple[dict, Sources]:
    keys = [{"table": "ward", "area": "identifier"}]
    of = {"kind": "text", "source": "kinds", "column": "kind", "keys": keys, **more}
    plan = document({"kind": "category", "of": of})
    sources = world([], [], False)
    return plan, Sources({**sources.tables, "kinds": table("kinds", rows, ["ward", "kind", "year"])}, sources.features)


def test_areas_have_the_word_that_a_table_says_and_none_where_it_says_two():
    rows = [
        {"ward": "A", "kind": "quay", "year": "1"},
        {"ward": "A", "kind": "quay", "year": "2"},
        {"ward": "B", "kind": "moor", "year": "1"},
        {"ward": "B", "kind": "fen", "year": "2"},
        {"ward": "Z", "kind": "fen", "year": "2"},
    ]
    plan, sources = of_text(rows)
    outcome = run(read_plan(plan), sources)
    assert areas_table(outcome).column("value").to_pylist() == ["quay", None, None]
    assert outcome.measured.values.state.tolist() == [State.NUMBER, State.NOT_COMPUTABLE, State.NOT_REPORTED]
    assert WHYS[outcome.measured.values.why[1]] == "its rows say different things"
    said = " ".join(note.says for note in outcome.notes)
    assert "match no area (1): “Z”" in said
    assert "No row in the table, and so no word: “C”." in said
    plan, sources = of_text(rows, where=[{"column": "year", "values": ["2"]}], accepted={"Z": "C"})
    assert areas_table(run(read_plan(plan), sources)).column("value").to_pylist() == ["quay", "fen", "fen"]


def test_rolled_up_areas_have_a_word_where_all_their_zones_say_the_same():
    plan, sources = of_text(
        [{"ward": w, "kind": k, "year": ""} for w, k in zip(CODES, ("fen", "fen", "quay"), strict=True)]
    )
    areas = zones(False)
    columns = pa.table({"code": CODES, "half": ["west", "west", "east"], "other": ["west", "east", "east"]})
    sources.features["areas"] = type(areas)("areas", columns, areas.geometry, areas.crs)
    found = {}
    for column in ("half", "other"):
        plan["place"]["areas"]["roll_up"] = column
        table_ = areas_table(run(read_plan(plan), sources))
        found[column] = dict(
            zip(table_.column("identifier").to_pylist(), table_.column("value").to_pylist(), strict=True)
        )
    assert found["half"] == {"west": "fen", "east": "quay"}
    assert found["other"] == {"west": "fen", "east": None}


def test_a_word_is_no_figure_that_a_formula_could_use():
    plan, sources = of_text([{"ward": "A", "kind": "quay", "year": ""}])
    plan["measure"] = {"kind of ward": plan["measure"]["m"], "m": {"kind": "formula", "text": "kind_of_ward * 2"}}
    plan["show"] = {"mapped": "m"}
    with pytest.raises(PlanError, match="kind_of_ward"):
        run(read_plan(plan), sources)
