"""A release, from the files that left alone: who reads all of them knows no hidden count closer than is promised."""

import csv
import itertools
import json
import re
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
import shapely
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from steady_tally.core.chain import Chain
from steady_tally.core.errors import PlanError
from steady_tally.core.geo.projection import DEGREES, coordinate_system
from steady_tally.core.measure.chance import count_interval
from steady_tally.core.plan.figure import FigurePlan, Series
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.report.handed import (
    areas_to_hand_on,
    events_to_hand_on,
    further_table,
    kinds_to_hand_on,
    set_aside_to_hand_on,
    sets_of_areas,
)
from steady_tally.core.report.labels import label_texts
from steady_tally.core.report.series import hiding, sheets_of
from steady_tally.core.report.style import style_files
from steady_tally.core.sources import Features, Sources, Table
from steady_tally.core.states import State
from steady_tally.figures.content import content_of
from steady_tally.figures.series import Page, write_pages
from steady_tally.formats.handed import Piece, write_files
from steady_tally.formats.outcome import OutcomeFiles
from tests.core.test_disclosure import Attacker, assert_unknown

SLOW = settings(suppress_health_check=list(HealthCheck), deadline=None, max_examples=60)
CODES = ["A", "B", "C", "D", "E", "F"]
KINDS, SEXES, DAYS = ["fall", "heat"], ["f", "m"], ["2021-03-04", "2022-05-06"]
PEOPLE = [900, 40, 700, 800, 600, 500]
SHAPE = (len(CODES), 2, 2, 2)
COUNTS = st.lists(
    st.sampled_from([0, 0, 1, 2, 5, 11, 11, 30]), min_size=int(np.prod(SHAPE)), max_size=int(np.prod(SHAPE))
)
EVERY = slice(None)
WOMEN = {"kind": "events", "where": [{"kind": "values", "column": "sex", "values": ["f"]}]}
TABLES: dict[str, dict[str, Any] | None] = {
    "none": None,
    "kinds": {"over": "words", "column": "kind"},
    "years": {"over": "years"},
    "windows": {"over": "windows"},
}


def study(counts: np.ndarray, rule: dict[str, Any] | None, mapped: str = "all", **more: Any) -> Chain:
    """`counts` (areas, kinds, sexes, days) of events in squares."""
    rows = [
        (f"{500_500 + 1000 * a}", "4200500", KINDS[k], SEXES[s], DAYS[d], f"{n % 7}")
        for a, k, s, d in itertools.product(*map(range, counts.shape))
        for n in range(counts[a, k, s, d])
    ]
    names = ("x", "y", "kind", "sex", "day", "loss")
    columns = {c: pa.array([r[i] for r in rows], pa.string()) for i, c in enumerate(names)}
    number = np.arange(1, len(rows) + 1)
    calls = Table("calls", pa.table(columns), number, number + 1)
    size = len(CODES)
    people = pa.table({"ward": CODES, "n": [str(n) for n in PEOPLE]})
    residents = Table("people", people, np.arange(1, size + 1), np.arange(2, size + 2))
    boxes = [shapely.box(500_000 + 1000 * i, 4_200_000, 501_000 + 1000 * i, 4_201_000) for i in range(size)]
    areas = Features("areas", pa.table({"code": CODES}), np.array(boxes, dtype=object), "EPSG:32624")
    under = {"kind": "table", "source": "people", "keys": [{"table": "ward", "area": "identifier"}], "value": "n"}
    windows = [{"name": f"year {y}", "first_day": f"{y}-01-01", "last_day": f"{y}-12-31"} for y in ("2021", "2022")]
    events = {
        "source": "calls",
        "coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:32624"},
        "time": {"column": "day", "order": "year-first"},
        "recorded": windows,
    }
    plan = {
        "gather": {"events": {"events": events}},
        "place": {"areas": {"kind": "zones", "source": "areas", "identifier": "code"}},
        "measure": {
            "all": {
                "kind": "quotient", "numerator": {"kind": "events"}, "denominator": under, "per": 1000,
                "against": {"kind": "all"}, "sure": {"marks": {"fewer_than": 20}},
            },
            "women": {"kind": "quotient", "numerator": WOMEN, "denominator": {"kind": "events"}, "per": 100},
            "part": {"kind": "quotient", "numerator": WOMEN, "denominator": {"kind": "whole"}, "per": 100},
            "written": {"kind": "formula", "text": "events * 2 + all", "about": "events"},
            **more.pop("measures", {}),
        },
        "release": rule and {"name": "rule", **rule},
        "show": {"mapped": mapped, "labels": [{"text": "{identifier}: {women} % of {events}"}]},
    }  # fmt: skip
    assert not more
    return Chain(read_plan(plan), Sources({"calls": calls, "people": residents}, {"areas": areas}))


def read(path: Path) -> list[dict[str, str]]:
    with path.open(newline="") as file:
        return list(csv.DictReader(file))


def hand_on(chain: Chain, folder: Path, over: str) -> None:
    """Everything that can leave: the run's files, all columns as CSV, the table of kinds, pages and the look."""
    outcome = chain.outcome()
    with OutcomeFiles(folder / "out") as files:
        files.finish(outcome, {})
    wanted = coordinate_system(DEGREES, wanted_by="tests")
    tables = {"areas": areas_to_hand_on(chain, outcome), "kinds": kinds_to_hand_on(outcome)}
    tables["further"] = further_table(chain, outcome)
    pieces = [Piece(handed, name, ("csv",)) for name, handed in tables.items() if handed is not None]
    (folder / "all").mkdir()
    write_files(folder / "all", pieces, wanted, also=style_files(outcome, "areas", None))
    if over != "none":
        how = Series(over=over if over != "kinds" else "words", column="kind" if over == "kinds" else None)
        again = [(s, hiding(Chain(s.plan, chain.sources), s)) for s in pages_of(how, chain)]
        drawn = [Page(s.name, content_of(c, c.sources, [])) for s, c in again]
        write_pages(folder / "pages.zip", FigurePlan(), iter(drawn), "svg", dpi=72.0, together=False)


def pages_of(how: Series, chain: Chain) -> list[Any]:
    table = chain.table
    assert table is not None
    if not any(table.is_told(name) and not table.of(name).all() for name in table.names):
        return []
    return sheets_of(how, chain, lambda plan: Chain(plan, chain.sources)).pages


def labels_in(svg: str) -> dict[str, tuple[str, str]]:
    """By area what a page writes in it: the share of women, and how many events."""
    found = [re.fullmatch(r"([A-F]): (\S+) % of (\S+)", t.strip()) for t in re.findall(r">([^<>]+)<", svg)]
    return {m[1]: (m[2], m[3]) for m in found if m}


class Reader:
    """Somebody who reads the files, and knows how a plan with such a rule counts."""

    def __init__(self, folder: Path, *, zeros: bool) -> None:
        self.attacker, self.zeros = Attacker(*SHAPE), zeros
        self.hidden = list[np.ndarray]()
        self._read_areas(folder)
        self._read_ledger(folder)
        for table in ("kinds", "further"):
            if (folder / "all" / f"{table}.csv").exists():
                self._read_table(folder / "all" / f"{table}.csv")
        if (folder / "pages.zip").exists():
            self._read_pages(folder)

    def cell(self, area: int, kind: Any = EVERY, sex: Any = EVERY, day: Any = EVERY) -> np.ndarray:
        return self.attacker.cell(area, kind, sex, day)

    def _read_areas(self, folder: Path) -> None:
        documents = json.loads((folder / "out" / "areas.geojson").read_text())["features"]
        drawn = {f["id"]: f["properties"] for f in documents}
        rows = {r["identifier"]: r for r in read(folder / "all" / "areas.csv")}
        for at, row in enumerate(read(folder / "out" / "areas.csv")):
            more = rows[row["identifier"]]
            if more["events"] == "":
                assert row["state"] == "suppressed"
                told = {k: v for k, v in {**row, **more, **drawn[row["identifier"]]}.items() if v not in ("", None)}
                assert set(told) <= {
                    "identifier", "name", "area_km2", "full_km2", "state", "unreliable", "per", "denominator", "time",
                    "only_partly", "class_colour", "code", "label_1",
                }, told  # fmt: skip
                assert (told["unreliable"], told.get("label_1", "–").count("–") > 0) == (False, True)
                self.hidden += [self.cell(at), self.cell(at, sex=0), self.cell(at, sex=1)]
                if not self.zeros:
                    self.attacker.knows(self.cell(at), 1, np.inf)
                continue
            events = float(more["events"])
            self.attacker.knows(self.cell(at), events)
            if more["women"]:
                self.attacker.knows(self.cell(at, sex=0), round(float(more["women"]) / 100.0 * events))

    def _read_ledger(self, folder: Path) -> None:
        ledger = json.loads((folder / "out" / "ledger.json").read_text())
        assert ledger["stages"][1]["records_out"] == ledger["placements"]
        self.attacker.knows(np.ones(SHAPE), ledger["placements"])
        (says,) = (n for n in ledger["notes"] if "The release rule “rule” hides" in n)
        assert len(re.findall(r"\d+", says)) <= 3, "how many are hidden, of how many, and the least count"

    def _read_table(self, file: Path) -> None:
        rows = read(file)
        columns = {f"events: {word}": (kind, EVERY) for kind, word in enumerate(KINDS)}
        if not any(column in rows[0] for column in columns):
            columns = {
                f"events: {of}{year}": (EVERY, d) for d, year in enumerate(("2021", "2022")) for of in ("", "year ")
            }
        else:
            for column, (kind, _) in columns.items():
                if column not in rows[0]:
                    self.attacker.knows(self.cell(EVERY, kind), 0)
        whole = [all(v == "" for k, v in row.items() if k.startswith("events: ")) for row in rows]
        for at, row in enumerate(rows):
            for column, (kind, day) in columns.items():
                if (count := row.get(column)) is not None:
                    self._cell(count, self.cell(at, kind, EVERY, day), whole[at])

    def _read_pages(self, folder: Path) -> None:
        with zipfile.ZipFile(folder / "pages.zip") as files:
            pages = {name: files.read(name).decode() for name in files.namelist()}
        read = {name: labels_in(svg) for name, svg in pages.items()}
        for name, labels in read.items():
            day = next((d for d, y in enumerate(("2021", "2022")) if y in name), EVERY)
            kind = next((k for k, w in enumerate(KINDS) if w in name), EVERY)
            for at, code in enumerate(CODES):
                share, count = labels.get(code, ("–", "–"))
                whole = all(of.get(code, ("–", "–"))[1] == "–" for of in read.values())
                self._cell("" if count == "–" else count, self.cell(at, kind, EVERY, day), whole)
                if share != "–":
                    number = round(float(share) / 100.0 * float(count))
                    self.attacker.knows(self.cell(at, kind, 0, day), number)

    def _cell(self, count: str, of: np.ndarray, whole_row: bool) -> None:
        if count != "":
            self.attacker.knows(of, float(count))
            return
        self.hidden.append(of)
        if not self.zeros and not whole_row:
            self.attacker.knows(of, 1, np.inf)


@given(COUNTS, st.integers(2, 5), st.sampled_from(sorted(TABLES)), st.booleans(), st.sampled_from([0, 100]))
@SLOW
def test_who_reads_all_that_left_knows_no_hidden_count(tmp_path_factory, cells, least, over, zeros, residents):
    counts = np.array(cells).reshape(SHAPE)
    rule = {"min_events": least, "zeros": "hidden" if zeros else "shown", "table": TABLES[over]}
    kinds = {"kinds": {"kind": "category", "of": {"kind": "commonest", "column": "kind"}}} if over == "kinds" else {}
    chain = study(counts, {**rule, "min_residents": residents}, "kinds" if kinds else "all", measures=kinds)
    hidden = chain.hidden("events")
    assert hidden is not None
    folder = tmp_path_factory.mktemp("left")
    if hidden.everything:
        with pytest.raises(PlanError, match="nothing can be handed on"):
            content_of(chain, chain.sources, [])
        return
    table = chain.table
    if table is not None and table.hidden.everything:
        over = "none"
    hand_on(chain, folder, over)
    known = Reader(folder, zeros=zeros or residents > 0)
    for of in known.hidden:
        assert_unknown(known.attacker, of, counts, least, zeros=zeros)


@given(COUNTS, st.sampled_from([3, 5, 10]), st.booleans())
@SLOW
def test_rounded_counts_are_all_that_any_figure_tells(cells, base, by_kind):
    """Each figure is that of a study whose smallest released cells are rounded, and no other total is told."""
    counts = np.array(cells).reshape(SHAPE)
    table = TABLES["kinds"] if by_kind else None
    rule = {"min_events": 1, "round_to": base, "table": table}

    def rounded(of: np.ndarray) -> np.ndarray:
        return (2 * of + base) // (2 * base) * base

    by_sex = counts.sum(axis=3)  # areas, kinds, sexes: what is released
    known = rounded(by_sex) if by_kind else rounded(by_sex.sum(axis=1, keepdims=True))
    events, women = known.sum(axis=(1, 2)), known[:, :, 0].sum(axis=1)
    chain = study(counts, rule)
    outcome = chain.outcome()
    values = outcome.measured.values
    assert np.array_equal(outcome.events_by_area, events)
    assert values.value == pytest.approx(1000.0 * events / np.array(PEOPLE))
    assert values.terms[0].total == events.sum()
    share = study(counts, rule, "women").outcome().measured.values
    there = share.state == State.NUMBER
    assert share.value[there] == pytest.approx(100.0 * women[there] / events[there])
    low, high = values.interval()
    true_low, true_high = count_interval(counts.sum(axis=(1, 2, 3)))
    each = 1000.0 / np.array(PEOPLE)
    assert (low <= true_low * each + 1e-9).all(), "an interval holds that of any count that it may have been"
    assert (high >= true_high * each - 1e-9).all()


def test_a_rule_that_rounds_tells_no_total_of_records(tmp_path):
    chain = study(np.full(SHAPE, 3), {"min_events": 1, "round_to": 5})
    with OutcomeFiles(tmp_path / "out") as files:
        files.finish(chain.outcome(), {})
    ledger = json.loads((tmp_path / "out" / "ledger.json").read_text())
    assert (ledger["stages"], ledger["placements"]) == ([], None)
    assert any("How many records there are at each stage is left out" in n for n in ledger["notes"])
    assert any("up to 2 less or 2 more" in n for n in ledger["notes"])
    assert "records counted" not in content_of(chain, chain.sources, []).notes


def measured(of: dict[str, Any], **rule: Any) -> Any:
    chain = study(np.full(SHAPE, 6), {"min_events": 5, **rule}, "asked", measures={"asked": of})
    return chain.outcome().measured.values


NUMBERS = {"kind": "figure", "column": "loss"}


@pytest.mark.parametrize(
    ("of", "rule", "says"),
    [
        ({"kind": "quotient", "numerator": {"kind": "diversity", "column": "kind"}}, {"table": TABLES["kinds"]},
         "tells how many of each kind it has. Release the table of areas by “kind”"),
        ({"kind": "quotient", "numerator": {**NUMBERS, "take": "median"}}, {}, "that of one of them. Take their mean"),
        ({"kind": "quotient", "numerator": {**NUMBERS, "take": "greatest"}}, {}, "is that of one of them"),
        ({"kind": "quotient", "numerator": {**NUMBERS, "take": "mean"}}, {"round_to": 5}, "beside rounded counts"),
        ({"kind": "category", "of": {"kind": "commonest", "column": "kind"}}, {},
         "not what is released. Release the table of areas by “kind”"),
        ({"kind": "category", "of": {"kind": "commonest", "column": "sex"}}, {"table": TABLES["kinds"]}, "by “sex”"),
        ({"kind": "quotient", "numerator": {"kind": "persons", "column": "loss"}, "denominator": {"kind": "whole"}}, {},
         "tells who has events in several"),
        ({"kind": "quotient", "numerator": {"kind": "events"}, "smoothed": "all", "denominator": {"kind": "ground"}},
         {"round_to": 5}, "drawn towards others"),
    ],
)  # fmt: skip
def test_what_is_not_released_is_refused_with_the_way_to_put_it_in(of, rule, says):
    with pytest.raises(PlanError, match=re.escape(says)):
        measured(of, **rule)


@pytest.mark.parametrize(
    "of",
    [
        {"kind": "quotient", "numerator": {**NUMBERS, "take": "mean"}},
        {"kind": "quotient", "numerator": {"kind": "persons", "column": "loss"}},
        {"kind": "quotient", "numerator": {"kind": "events"}, "denominator": {"kind": "ground"}, "smoothed": "all"},
    ],
)
def test_what_is_worked_out_from_released_counts_is_released(of):
    assert (measured(of).state == State.NUMBER).all()


def test_pages_are_drawn_of_the_released_table_alone():
    counts = np.full(SHAPE, 12)
    chain = study(counts, {"min_events": 5, "table": TABLES["years"]})
    again = lambda plan: Chain(plan, chain.sources)  # noqa: E731
    assert [p.name for p in sheets_of(Series(over="years"), chain, again).pages] == ["2021", "2022"]
    for other in (Series(over="months"), Series(over="words", column="sex"), Series(over="windows")):
        with pytest.raises(PlanError, match="are not the table that is released"):
            sheets_of(other, chain, again)
    assert len(sheets_of(Series(over="measures"), chain, again).pages) == 4
    assert len(sheets_of(Series(over="areas"), chain, again).pages) == len(CODES)


def test_a_commonest_kind_is_told_where_it_follows_from_the_kinds_that_are_shown():
    counts = np.zeros(SHAPE, dtype=int)
    counts[:, :, 0, 0] = [[9, 1], [4, 3], [30, 20], [0, 40], [20, 20], [25, 30]]
    of = {"kind": "category", "of": {"kind": "commonest", "column": "kind"}}
    rule = {"min_events": 5, "table": TABLES["kinds"]}
    values = study(counts, rule, "asked", measures={"asked": of}).outcome().measured.values
    pairs = zip(values.value, values.state, strict=True)
    words = [values.words[int(v)] if np.isfinite(v) else State(s).name for v, s in pairs]
    breakdown = values.breakdown
    assert breakdown is not None
    assert breakdown.hidden is not None
    shown = dict(zip(breakdown.words, np.where(breakdown.hidden, -1, breakdown.counts).tolist(), strict=True))
    assert words[0] == words[1] == "SUPPRESSED", "both of their kinds are hidden, a tie as any other"
    for at, word in enumerate(words):
        if word in ("fall", "heat"):
            other = "heat" if word == "fall" else "fall"
            assert shown[word][at] > shown[other][at]
            assert shown[other][at] >= 0 or counts[at].sum() - shown[word][at] < shown[word][at]


def test_expected_events_of_a_group_of_few_are_refused():
    """Of expected events those of each group follow: there must be enough of each."""
    counts = np.full(SHAPE, 6)
    counts[:, :, 0] = 0
    counts[0, 0, 0, 0] = 2  # two women in all
    people = pa.table({"ward": CODES * 2, "sex": ["f"] * 6 + ["m"] * 6, "n": ["100"] * 12})

    def outcome(of: np.ndarray) -> Any:
        chain = study(of, {"min_events": 5})
        document = chain.plan.as_document()
        under = {**document["measure"]["all"]["denominator"], "add_over": ["sex"]}
        document["measure"] = {
            "all": {
                "kind": "quotient", "numerator": {"kind": "events"}, "denominator": under,
                "comparable": {"kind": "indirect", "by": [{"people": "sex", "events": "sex"}]},
            }
        }  # fmt: skip
        document |= {"class": {}, "show": {}}
        rows = Table("people", people, np.arange(1, 13), np.arange(2, 14))
        return Chain(read_plan(document), Sources({**chain.sources.tables, "people": rows}, chain.sources.features))

    with pytest.raises(PlanError, match="so few events are of “f” that how many would follow"):
        outcome(counts).outcome()
    assert outcome(np.full(SHAPE, 6)).outcome().measured.values.state.tolist() == [State.NUMBER] * 6


def test_single_events_are_let_out_by_the_rule_alone():
    counts = np.full(SHAPE, 2)
    kept = study(counts, {"min_events": 1}).outcome()
    for let_out in (events_to_hand_on, set_aside_to_hand_on):
        with pytest.raises(PlanError, match="lets no single events"):
            let_out(kept)
        let_out(study(counts, {"min_events": 1, "event_points": True}).outcome())
        let_out(study(counts, None).outcome())
    with pytest.raises(PlanError, match="lets no counts of sets of areas out"):
        sets_of_areas(kept)


def test_areas_with_few_residents_are_hidden_and_a_rule_that_hides_all_says_what_would_do():
    counts = np.full(SHAPE, 5)
    few = study(counts, {"min_events": 5, "min_residents": 100}).outcome()
    assert np.flatnonzero(few.measured.values.state == State.SUPPRESSED).tolist() == [0, 1]  # and one beside it
    assert any("hides 2 of 6 areas" in n.says for n in few.notes)
    everything = study(counts, {"min_events": 1000}).outcome()
    assert (everything.measured.values.state == State.SUPPRESSED).all()
    assert any("hides every area" in n.says and "Larger areas" in n.says for n in everything.notes)


def test_events_that_lie_in_several_areas_or_stand_in_two_sources_are_not_released():
    chain = study(np.full(SHAPE, 6), {"min_events": 5})
    document = chain.plan.as_document()
    document["gather"]["events"]["again"] = document["gather"]["events"]["events"]
    counted = {"kind": "quotient", "numerator": {"kind": "events", "events": "again"}}
    document["measure"]["twice"] = counted
    twice = Chain(read_plan(document), chain.sources)
    assert any("“events” and “again” hold the same records" in n.says for n in twice.outcome().notes)
    with pytest.raises(PlanError, match="nothing can be handed on: “events” and “again” hold the same records"):
        content_of(twice, twice.sources, [])
    shapes = chain.sources.features["areas"]
    larger = np.append(shapes.geometry, shapely.box(500_000, 4_200_000, 506_000, 4_201_000))
    levels = Features("areas", pa.table({"code": [*CODES, "all"]}), larger, "EPSG:32624")
    nested = Chain(chain.plan, Sources(chain.sources.tables, {"areas": levels}))
    assert any("events lie in several areas at once" in n.says for n in nested.outcome().notes)
    assert (nested.outcome().measured.values.state == State.SUPPRESSED).all()


def test_a_measure_that_cannot_be_worked_out_hides_nothing_and_breaks_nothing():
    chain = study(np.full(SHAPE, 5), {"min_events": 5})
    document = chain.plan.as_document()
    document["measure"]["broken"] = {
        "kind": "quotient", "numerator": {"kind": "persons", "events": "events", "column": "no such column"},
    }  # fmt: skip
    outcome = Chain(read_plan(document), chain.sources).outcome("all")
    assert (outcome.measured.values.state == State.NUMBER).all()


def test_a_break_kept_from_before_must_not_be_the_figure_of_a_hidden_area():
    counts = np.full(SHAPE, 5)
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


def test_labels_of_hidden_areas_say_nothing_of_them():
    counts = np.full(SHAPE, 5)
    counts[2] = 0
    counts[2, 0, 0, 0] = 2
    chain = study(counts, {"min_events": 5})
    assert label_texts(chain, chain.outcome())[0][2] == "C: – % of –"
