"""What a study comes to is kept: in memory, and where records were looked for in zones in the database too."""

from sqlalchemy import Engine

from steady_tally.core import chain
from steady_tally.core.outcome import Outcome
from steady_tally.core.plan.whole import Plan, read_plan
from steady_tally.core.report.tables import areas_table
from steady_tally.formats.read import checksum, read_table, read_zones
from steady_tally.results.kept import kept
from steady_tally.results.studies import study_outcome
from steady_tally.store.sources import FileFacts, save_source
from steady_tally.store.studies import create_study
from steady_tally.store.tables import Role


def plan(**change: object) -> Plan:
    return read_plan(
        {
            "gather": {"events": {"coordinates": {"kind": "columns", "x": "x", "y": "y", "crs": "EPSG:4326"}}},
            "place": {"areas": {"kind": "zones", "identifier": "code"}},
            "measure": {"kind": "count"},
            **change,
        }
    )


def test_what_was_looked_for_is_kept_in_the_database_beyond_a_restart(engine: Engine, tmp_path, monkeypatch):
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

    def outcome(chosen: Plan) -> Outcome:
        found = study_outcome(engine, study, chosen)
        assert areas_table(found).column("numerator").to_pylist() == [1, 2]
        return found

    kept.clear()
    looked = []
    monkeypatch.setattr(
        chain, "look", lambda *a, real=chain.look, **k: looked.append(k["known"] is None) or real(*a, **k)
    )
    first = outcome(plan())
    assert looked == [True]
    wider = plan(place={"areas": {"kind": "zones", "identifier": "code"}, "tolerance_m": 5})
    assert outcome(wider).placed.placement.looked is first.placed.placement.looked, "it looks for nothing anew"
    kept.clear()  # as after a restart: the placement is still in the database
    again = outcome(plan())
    assert looked == [True, False]
    assert (again.placed.located.first == first.placed.located.first).all()
    assert again.gathered.table.columns.column_names == ["x", "y"]
