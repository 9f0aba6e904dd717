"""Results are kept by stage: a change works out its own stage and those after it, and nothing before."""

import pytest
from sqlalchemy import Engine

from steady_tally.core.plan.whole import Plan, read_plan
from steady_tally.formats.outcome import areas_table
from steady_tally.formats.read import checksum, read_table, read_zones
from steady_tally.jobs import outcomes
from steady_tally.store.sources import FileFacts, save_source
from steady_tally.store.studies import create_study
from steady_tally.store.tables import Role


@pytest.fixture
def worked(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The stages that were really worked out, in order."""
    done: list[str] = []
    for stage in ("check", "look", "arrange", "choose", "place", "measure"):
        real = getattr(outcomes, stage)

        def spy(*arguments, stage=stage, real=real, **more):
            done.append(stage + (" from store" if more.get("known") is not None else ""))
            return real(*arguments, **more)

        monkeypatch.setattr(outcomes, stage, spy)
    outcomes._kept.clear()
    return done


def plan(**change: object) -> Plan:
    return read_plan(
        {
            "gather": {"events": {"coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:4326"}}},
            "place": {"areas": {"kind": "zones", "identifier": "code"}},
            "measure": {"kind": "count"},
            **change,
        }
    )


def test_each_change_works_out_no_more_than_it_must(engine: Engine, tmp_path, worked):
    (tmp_path / "events.csv").write_text("x,y\n-39.5,38.5\n-38.5,38.5\n-38.5,38.25\n0.5,10\n")
    square = '{"type":"Feature","properties":{"code":"%s"},"geometry":{"type":"Polygon","coordinates":[[[%d,38],[%d,38],[%d,39],[%d,39],[%d,38]]]}}'  # noqa: E501
    west, east = square % ("W", -40, -39, -39, -40, -40), square % ("E", -39, -38, -38, -39, -39)
    (tmp_path / "areas.geojson").write_text(f'{{"type":"FeatureCollection","features":[{west},{east}]}}')
    study = create_study(engine, "two squares")
    for name, role, file, read in (
        ("events", Role.EVENTS, "events.csv", read_table),
        ("areas", Role.ZONES, "areas.geojson", read_zones),
    ):
        facts = FileFacts(file, checksum(tmp_path / file), (tmp_path / file).stat().st_size)
        save_source(engine, study, role, read(tmp_path / file, name), facts)

    def work(chosen: Plan) -> list[str]:
        worked.clear()
        result = outcomes.study_outcome(engine, study, chosen)
        assert areas_table(result).column("numerator").to_pylist() == [1, 2]
        return list(worked)

    assert work(plan()) == ["check", "look", "arrange", "choose", "place", "measure"]
    assert work(plan()) == []
    assert work(plan(**{"class": {"method": "natural_breaks", "count": 2}})) == []
    assert work(plan(measure={"kind": "density"})) == ["measure"]
    assert work(plan(show={"title": "Two squares"})) == []
    wider = plan(place={"areas": {"kind": "zones", "identifier": "code"}, "tolerance_m": 5})
    assert work(wider) == ["arrange", "place", "measure"], "another tolerance looks for nothing anew"
    filtered = plan().as_document()["gather"]
    filtered["events"]["where"] = [{"kind": "range", "column": "y", "low": 20}]
    assert work(plan(gather=filtered)) == ["choose", "place", "measure"], "a filter neither checks nor places anew"
    outcomes._kept.clear()  # as after a restart: the placement is still in the database
    assert work(plan()) == ["check", "look from store", "arrange", "choose", "place", "measure"]
