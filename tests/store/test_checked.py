"""What was found of records and read again from the database is what was found, to the bit."""

from dataclasses import fields

import numpy as np
import pytest

from steady_tally.core import chain as module
from steady_tally.core.chain import Chain
from steady_tally.core.gather.judging import Judged, judge
from steady_tally.core.gather.reading import read_records, system_of
from steady_tally.core.plan.gather import Events
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.sources import Sources
from steady_tally.results.studies import _Shelf
from steady_tally.store.checked import load_checked, save_checked
from steady_tally.store.studies import create_study

from ..core.test_chain import DOCUMENT, SUMS, figures, sources, table

RECORDS = table(
    "events",
    x=["10.5", "370", "", "95", "x", "", "10.2"],
    y=["50", "51", "", "10.1", "50", "", "50.5"],
    street=["Quay", "Quay", "Quay St.", "", "High Row", "Nowhere", "Quay"],
    ward=["A", "", "B", "A", "C", "", "A"],
    day=["01.02.21", "02.02.2021", "", "x", "03.02.2021", "04.02.2021 12:30", "05.02.21"],
)
STREETS = table("streets", street=["Quay St.", "High Row"], lon=["10.4", "10.6"], lat=["50.2", "50.3"])
PLAIN = {"coordinates": {"kind": "columns", "x": "x", "y": "y"}}
LOOK_UP = {"source": "streets", "keys": [{"record": "street", "table": "street"}], "x": "lon", "y": "lat"}
TIME = {"column": "day", "order": "day-first"}


@pytest.mark.parametrize(
    "more",
    [
        {},
        {"time": TIME},
        {"look_up": LOOK_UP, "stated": {"column": "ward", "stands_in": True}, "swapped_axes": "swap"},
        {"look_up": LOOK_UP, "time": TIME, "corrections": [{"record": "3", "x": 10.0, "y": 50.0}]},
    ],
)
def test_what_is_read_again_is_what_was_found(engine, more):
    events = Events.model_validate({**PLAIN, **more})
    read = read_records(events, RECORDS)
    judged = judge(events, [read], Sources({"events": RECORDS, "streets": STREETS}))
    save_checked(engine, "a", read.times, judged)
    assert load_checked(engine, "b", judged.crs) is None
    found = load_checked(engine, "a", system_of(events, RECORDS))
    assert found is not None
    times, back = found
    for field in fields(Judged):
        one, other = getattr(judged, field.name), getattr(back, field.name)
        if isinstance(one, np.ndarray):
            assert one.dtype == other.dtype
            assert one.tobytes() == other.tobytes(), field.name
        else:
            assert one == other, field.name
    assert (times is None) == (read.times is None)
    if times is not None and read.times is not None:
        assert times.start.tobytes() == read.times.start.tobytes()
        assert times.resolution.tobytes() == read.times.resolution.tobytes()
        assert times.short_years == read.times.short_years


def test_another_process_finds_what_was_found_and_looks_at_no_record_again(engine, monkeypatch):
    plan = read_plan(DOCUMENT)
    fresh = figures(Chain(plan, sources(), SUMS).outcome())
    study = create_study(engine, "one")
    monkeypatch.setattr(module, "WORTH_A_PLACE", 1)
    assert figures(Chain(plan, sources(), SUMS, shelf=_Shelf(engine, study)).outcome()) == fresh

    def never(*_: object) -> None:
        raise AssertionError("a record was looked at again")

    monkeypatch.setattr(module, "read_records", never)
    assert figures(Chain(plan, sources(), SUMS, shelf=_Shelf(engine, study)).outcome()) == fresh
