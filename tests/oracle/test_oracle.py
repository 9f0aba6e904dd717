"""The application's figures against those worked out by hand, on random plans over random small worlds.

`pytest tests/oracle --worlds 5000` tries more of them, `--first-world N` others; a world that differs is named by its
number.
"""

import random

import pytest

from steady_tally.core.chain import Chain
from steady_tally.core.errors import PlanError
from steady_tally.core.plan.figure import Series
from steady_tally.core.plan.gather import Reading
from steady_tally.core.plan.lift import lifted
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.report.series import sheets_of
from steady_tally.core.sources import Sources
from steady_tally.formats.outcome import areas_table, ledger_document
from steady_tally.formats.read import read_table, read_zones

from .by_hand import best_fit, figures, pages, quantile_classes
from .shapes import Refused, Undecided
from .world import TABLES, make_world, move_zones, write_world

BATCH = 25
# Counts, states and reasons are exact. Areas and shares are of shapes that are divided in two ways: they agree to a few
# millionths of the whole area.
OF_WHOLE = 3e-6


def pytest_generate_tests(metafunc):
    worlds, first = metafunc.config.getoption("--worlds"), metafunc.config.getoption("--first-world")
    starts = range(first, first + worlds, BATCH)
    metafunc.parametrize(
        "batch", [range(s, min(s + BATCH, first + worlds)) for s in starts], ids=[str(s) for s in starts]
    )


def computed(world, files):
    names = {n: read_table(files[n], n, Reading(delimiter=";")) for n in TABLES}
    zones = read_zones(files["areas"], "areas")
    document = lifted(world.plan)
    (source,) = document["gather"]["events"]
    ((name, measure),) = document["measure"].items()
    term = {**world.counted, "events": source}
    if term["kind"] == "commonest":
        document["measure"][name] = {"kind": "category", "of": term}
    else:
        below = {"denominator": {"kind": "events", "events": source}, "per": 100.0} if world.share else {}
        document["measure"][name] = made = {**measure, "numerator": term, **below}
        if world.written.comparable:
            made["comparable"] = world.written.comparable
        if world.written.lacks_rows:
            made["denominator"]["absent"] = "zero"
    return Chain(read_plan(document), Sources(names, {"areas": zones}))


def differences(seed, folder):
    """Everything in which a world's figures differ, in words; None where only rounding decides."""
    world = make_world(seed)
    files = write_world(world, folder)
    return against_hand(world, files, lambda: computed(world, files).outcome())


def against_hand(world, files, outcome):
    """What is worked out against what is by hand, or in which words it is not refused."""
    try:
        expected, aside = figures(world.plan, files, world)
    except Undecided:
        return None
    except Refused as why:
        try:
            outcome()
        except PlanError:
            return []
        return [f"{why}, which is not refused"]
    return compared(world, outcome(), expected, aside)


def differences_of_pages(seed, folder):
    """The same of a series of pages of that world: which there are, each page's figures, and what is on none."""
    world = make_world(seed)
    over, column = random.Random(seed).choice(
        [("words", "sex"), ("words", "ward"), ("windows", None), ("years", None), ("months", None)]
    )
    events = world.plan["gather"]["events"]
    if (over == "windows" and not events.get("recorded")) or (column is None and not events["time"]):
        return None
    files = write_world(world, folder)
    by_hand, on_none = pages(world.plan, files, over, column)
    if not by_hand:
        return None
    chain = computed(world, files)
    series = Series(over=over, column=column, classes="own")
    sheets = sheets_of(series, chain, lambda plan: Chain(plan, chain.sources))
    if (names := [p.name for p in sheets.pages]) != list(by_hand):
        return [f"pages {names}, by hand {list(by_hand)}"]
    said = sum(int(sentence.split(" ")[0].replace(",", "")) for sentence in sheets.said)
    found = [] if said == on_none else [f"{said} on no page, by hand {on_none}"]
    for page in sheets.pages:
        world.plan = by_hand[page.name]
        differs = against_hand(world, files, lambda plan=page.plan: Chain(plan, chain.sources).outcome())
        if differs is None:
            return None
        found += [f"{over} {page.name}: {what}" for what in differs]
    return found


def differences_of_systems(seed, folder):
    """In what a world's figures differ once its zones come in other systems, their edges finely divided."""
    world = make_world(seed)
    # Zones that overlap part by part have slivers beside borders that have moved, areas of their own; and which
    # point stands for a zone's middle depends on its corners.
    place = world.plan["place"]
    by_middle = place["areas"]["kind"] == "zones" and place.get("exclude", {}).get("inside")
    if world.written.beside is None or place["areas"].get("overlaps") == "combinations" or by_middle:
        return None
    files = write_world(world, folder)
    still, found = files["areas"].read_text(), []

    def moved(crs):
        move_zones(files["areas"], world.crs, crs)
        try:
            return computed(world, files).outcome()
        finally:
            files["areas"].write_text(still)

    for crs in {"EPSG:4326", "EPSG:3857", "EPSG:3035"} - {world.crs}:
        differs = against_hand(world, files, lambda crs=crs: moved(crs))
        if differs is None:
            return None
        found += [f"zones in {crs}: {what}" for what in differs]
    return found


def compared(world, outcome, expected, aside):
    document = ledger_document(outcome, {})
    found = []
    got = {r["reason"]: r["records"] for stage in document["stages"] for r in stage["set_aside"]}
    if got != dict(aside):
        found.append(f"set aside {got}, by hand {dict(aside)}")
    rows = {_key(r["identifier"]): r for r in areas_table(outcome).to_pylist()}
    cells = world.plan["place"]["areas"]["kind"] == "grid"
    lacking = [
        key for key, area in expected.items() if key not in rows and not (area.get("may_lack") and area["n"] == 0)
    ]
    found += [f"{key} is missing" for key in lacking]
    for key, row in rows.items():
        if key not in expected:
            # A cell without ground or events that only the extent brings in.
            if not (cells and row["numerator"] in (0, None)):
                found.append(f"{key} should not be there")
            continue
        area = expected[key]
        if row["state"] != area["state"]:
            found.append(f"{key}: state {row['state']}, by hand {area['state']}")
        # A zero may be marked for what chance may hide too, which has a test of its own.
        if row["unreliable"] != area["unreliable"] and not (row["unreliable"] and row["value"] == 0.0):
            found.append(f"{key}: unreliable {row['unreliable']}, by hand {area['unreliable']}")
        near = OF_WHOLE / max(area["share"], OF_WHOLE)
        for name, value, rel in (
            ("full_km2", area["full_km2"], OF_WHOLE),
            ("area_km2", area["counted_km2"], near),
            ("numerator", area["above"], 1e-12),
            ("denominator", area["under"], near),
            ("value", area["value"], near),
        ):
            if isinstance(value, str):
                found += [] if row[name] == value else [f"{key}: {name} {row[name]}, by hand {value}"]
                continue
            lacks = (row[name] is None) != (value is None)
            if lacks or (value is not None and row[name] != pytest.approx(value, rel=rel, abs=1e-12)):
                found.append(f"{key}: {name} {row[name]}, by hand {value}")
    return [*found, *_classes(world, rows.values(), document)]


def _key(identifier):
    return tuple(int(n) for n in identifier.split("/")[-2:]) if identifier.count("/") > 2 else identifier


def _classes(world, rows, document):
    """The classes of the values as they stand."""
    if world.counted["kind"] == "commonest":
        return []
    how = world.plan["class"]
    values = [r["value"] for r in rows if r["value"] is not None and (how["zero"] == "classed" or r["value"] != 0.0)]
    if not values:
        return []
    if how["method"] == "natural_breaks":
        best = best_fit(values, how["count"]) if len(set(values)) < 14 else document["fit"]
        return [] if document["fit"] == pytest.approx(best, abs=1e-9) else [f"fit {document['fit']}, by hand {best}"]
    classes = quantile_classes(values, how["count"])
    return [
        f"{r['identifier']}: class {r['class']}, by hand {classes.get(r['value'])}"
        for r in rows
        if r["value"] is not None and r["class"] != classes.get(r["value"], 0)
    ]


def tried(worlds, differ, folder):
    """How many of some worlds are decided by more than rounding, and those that differ."""
    wrong, decided = {}, 0
    for seed in worlds:
        own = folder / str(seed)
        own.mkdir()
        found = differ(seed, own)
        decided += found is not None
        if found:
            wrong[seed] = found[:6]
    return decided, wrong


def test_the_figures_are_those_worked_out_by_hand(batch, tmp_path):
    decided, wrong = tried(batch, differences, tmp_path)
    assert not wrong
    assert decided > 0.5 * len(batch), "most worlds are decided by more than rounding"


def test_figures_are_the_same_whatever_system_the_zones_come_in(batch, tmp_path):
    beside = [seed for seed in batch if make_world(seed).written.beside]
    decided, wrong = tried(beside[:4], differences_of_systems, tmp_path)
    assert not wrong
    assert decided or len(batch) < BATCH


def test_the_pages_of_a_series_are_those_worked_out_by_hand(batch, tmp_path):
    decided, wrong = tried(batch[::4], differences_of_pages, tmp_path)
    assert not wrong
    assert decided or len(batch) < BATCH
