"""Events in pieces: the figures, the files and the account are the same to the byte, whatever the pieces are."""

import random
import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from steady_tally.core.chain import Chain
from steady_tally.core.errors import PlanError
from steady_tally.core.fold import fold
from steady_tally.core.gather.judging import repeated
from steady_tally.core.numbers import evidence_of
from steady_tally.core.plan.gather import Reading
from steady_tally.core.plan.whole import Plan, read_plan
from steady_tally.core.sources import RaggedRow, Sources, Table
from steady_tally.core.states import STATES, State
from steady_tally.formats.outcome import OutcomeFiles, record_rows
from steady_tally.formats.read import read_table, read_zones

from ..oracle.world import TABLES, make_world, write_world
from .test_placing import row, table

WORLDS = 60


def pieces_of(table: Table, cuts: list[int]) -> list[Table]:
    """Successive rows; some pieces may have none."""
    found = []
    for start, end in zip([0, *cuts], [*cuts, table.row_count], strict=True):
        own = slice(start, end)
        last = table.record[end - 1] if end < table.row_count else 1 << 60
        first = table.record[start - 1] if start else 0
        ragged = tuple(r for r in table.ragged if first < r.record <= last)
        points = None if table.points is None else table.points[own]
        columns = table.columns.slice(start, end - start)
        piece = replace(table, columns=columns, record=table.record[own], line=table.line[own], points=points, kept={})
        found.append(replace(piece, ragged=() if start == end else ragged))
    return found


def files_of(folder: Path) -> dict[str, bytes]:
    return {p.name: p.read_bytes() for p in folder.iterdir()}


def whole(plan: Plan, sources: Sources, folder: Path) -> dict[str, bytes]:
    outcome = Chain(plan, sources).outcome()
    with OutcomeFiles(folder) as files:
        files.add(record_rows(plan.place, outcome.gathered, outcome.placed))
        files.finish(outcome, {})
    return files_of(folder)


def in_pieces(plan: Plan, sources: Sources, cuts: list[int], folder: Path, held: int) -> dict[str, bytes]:
    counted = plan.events_of(plan.mapped).source
    others = Sources({n: t for n, t in sources.tables.items() if n != counted}, sources.features)
    events = sources.tables[counted]
    with OutcomeFiles(folder) as files:
        figures = fold(
            plan,
            plan.mapped,
            lambda: pieces_of(events, cuts),
            lambda: others,
            make=lambda gathered, placed: record_rows(plan.place, gathered, placed),
            take=files.add,
            held=held,
        )
        files.finish(figures, {})
    return files_of(folder)


def test_a_unit_is_reported_if_any_piece_has_a_row_of_it():
    """A unit's row is in one piece alone: in the others it is not reported, and it is not so on the whole."""
    units = table("events", unit=["A0", "A1", "A0", "A2"], cases=["5", "0", "2", "4"])
    events = {"coordinates": {"kind": "none"}, "stated": {"column": "unit"}, "number": "cases"}
    place = {"areas": {"kind": "zones", "identifier": "code"}}
    document = {"gather": {"events": {"coordinates": {}, **events}}, "place": place, "measure": {"kind": "count"}}
    plan = read_plan(document)
    areas = Sources({}, {"areas": row(4)})
    none = lambda *_: None  # noqa: E731
    found = fold(plan, plan.mapped, lambda: pieces_of(units, [1, 2, 3]), lambda: areas, make=none, take=none)
    values = found.measured.values
    states = [STATES[State(s)] for s in values.state]
    assert states == ["a number", "a number", "a number", "not reported"]
    assert values.value[:3].tolist() == [7.0, 0.0, 4.0]


@pytest.mark.parametrize("batch", range(0, WORLDS, 20))
def test_whatever_the_pieces_are_all_files_are_the_same_to_the_byte(batch, tmp_path):
    tried = 0
    for seed in range(batch, batch + 20):
        rng, folder = random.Random(seed), tmp_path / str(seed)
        folder.mkdir()
        world = make_world(seed)
        files = write_world(world, folder)
        tables = {n: read_table(files[n], n, Reading(delimiter=";")) for n in TABLES}
        events = tables["events"]
        tables["events"] = replace(events, ragged=(RaggedRow(events.row_count + 7, 1, "2 fields instead of 3"),))
        sources = Sources(tables, {"areas": read_zones(files["areas"], "areas")})
        plan = read_plan(world.plan)
        try:
            expected = whole(plan, sources, folder / "whole")
        except PlanError as error:
            with pytest.raises(PlanError, match=re.escape(error.sentence)):
                in_pieces(plan, sources, [events.row_count // 2], folder / "none", 0)
            continue
        for number in range(2):
            cuts = sorted(rng.randrange(events.row_count + 1) for _ in range(rng.choice((1, 2, 7))))
            held = rng.choice((0, 1 << 30))
            assert in_pieces(plan, sources, cuts, folder / str(number), held) == expected, (seed, cuts)
            tried += 1
    assert tried > 20


@pytest.mark.parametrize(("last", "unreadable"), [("1.005", 0), ("1.5", 59)])  # thousands, or places after a point
def test_how_numbers_are_written_is_decided_over_all_pieces(last, unreadable, tmp_path):
    n = 60
    columns = {"x": [str(500_000 + i) for i in range(n)], "y": ["4200050"] * n}
    columns["x"][3] = "500'003.5"
    columns["x"][5] = columns["x"][6] = "500 003"
    columns["cost"] = [*(f"1.{100 + i}" for i in range(n - 1)), last]
    plan = read_plan(
        {
            "gather": {
                "events": {
                    "coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"},
                    "number": "cost",
                    "where": [{"kind": "range", "column": "x", "low": 0}],
                }
            },
            "place": {"areas": {"kind": "zones", "identifier": "code"}},
            "measure": {"kind": "count"},
        }
    )
    count = np.arange(1, n + 1)
    sources = Sources({"events": Table("events", pa.table(columns), count, count)}, {"areas": row(2)})
    expected = whole(plan, sources, tmp_path / "whole")
    assert in_pieces(plan, sources, [20, 59], tmp_path / "pieces", 0) == expected
    assert expected["set-aside.csv"].count(b"unreadable_number") == unreadable
    assert expected["set-aside.csv"].count(b"unreadable_coordinates") == 1, "one is grouped otherwise than most"


@settings(max_examples=200)
@given(
    st.lists(st.sampled_from(["a", "b", "", "ab", "ba", "c", "aa"]), max_size=12),
    st.lists(st.booleans(), min_size=12, max_size=12),
    st.integers(0, 12),
)
def test_an_identifier_is_repeated_where_an_earlier_usable_record_has_it(words, flags, cut):
    usable = np.array(flags[: len(words)], dtype=np.bool_)
    texts = pa.chunked_array([pa.array(words[:cut], pa.string()), pa.array(words[cut:], pa.string())])
    seen: set[str] = set()
    expected = []
    for word, use in zip(words, usable, strict=True):
        expected.append(bool(use and word and word in seen))
        if use:
            seen.add(word)
    assert repeated(texts, usable).tolist() == expected


CELLS = st.sampled_from(["1,234", "1.234", "1'234", "1 234", "12,5", "12.5", "7", "", "1,234.5", "1.234,5", "-", "0,5"])


@settings(max_examples=300)
@given(st.lists(CELLS, max_size=10), st.lists(st.integers(0, 10), min_size=2, max_size=2))
def test_the_evidence_of_a_columns_parts_adds_up(cells, cuts):
    column = pa.chunked_array([pa.array(cells, pa.string())])
    first, second = sorted(cuts)
    parts = [column.slice(0, first), column.slice(first, second - first), column.slice(second)]
    added = evidence_of(parts[0]) + evidence_of(parts[1]) + evidence_of(parts[2])
    assert added.writing() == evidence_of(column).writing()
    assert added.whole_with() == evidence_of(column).whole_with()


def test_a_piece_of_no_rows_alone_is_an_empty_map(tmp_path):
    nothing = np.empty(0, np.int64)
    sources = Sources({"events": Table("events", pa.table({"x": pa.array([], pa.string()), "y": pa.array([], pa.string())}), nothing, nothing)}, {"areas": row(2)})  # fmt: skip  # noqa: E501
    plan = read_plan(
        {
            "gather": {"events": {"coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"}}},
            "place": {"areas": {"kind": "zones", "identifier": "code"}},
            "measure": {"kind": "count"},
        }
    )
    expected = whole(plan, sources, tmp_path / "whole")
    assert in_pieces(plan, sources, [], tmp_path / "pieces", 0) == expected
