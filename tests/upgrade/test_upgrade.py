"""Plans of every form that was ever in use come to the figures that they came to then, made by the program of the time.

`make.py` made them; a figure that was wrong then, and was put right since, is named here with its reason.
"""

import json
from pathlib import Path

import pytest

from steady_tally.core.chain import Chain
from steady_tally.core.plan.gather import Reading
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.report.tables import areas_table
from steady_tally.core.sources import Sources
from steady_tally.formats.read import read_table, read_zones

from .make import write_files

HERE = Path(__file__).parent
NEAR = 1e-6  # of thin cells, whose inside part was measured less closely
MADE = [(file.stem, name) for file in sorted(HERE.glob("version-*.json")) for name in json.loads(file.read_text())]


@pytest.fixture(scope="module")
def sources(tmp_path_factory):
    folder = tmp_path_factory.mktemp("upgrade")
    write_files(folder)
    tables = {name: read_table(folder / f"{name}.csv", name, Reading()) for name in ("events", "table")}
    return Sources(tables, {"areas": read_zones(folder / "areas.geojson", "areas")})


@pytest.mark.parametrize(("form", "name"), MADE)
def test_a_plan_comes_to_the_figures_that_it_came_to_then(form, name, sources):
    then = json.loads((HERE / f"{form}.json").read_text())[name]
    rows = areas_table(Chain(read_plan(then["plan"]), sources).outcome()).to_pylist()
    now, before = ({r["identifier"]: r for r in some} for some in (rows, then["areas"]))
    # The first grids had the cells with an event or with their middle in a zone: now all are there that touch one.
    more = set(now) - set(before) if form == "version-1-first-grids" else set()
    assert set(now) == set(before) | more
    assert not any(now[one]["numerator"] for one in more)
    for identifier, was in before.items():
        found = now[identifier]
        assert found["state"] == was["state"], identifier
        for figure in ("numerator", "denominator", "value"):
            expected = pytest.approx(float(was[figure]), rel=NEAR) if was[figure] else None
            assert found[figure] == expected, (identifier, figure)
