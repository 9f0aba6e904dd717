"""Figures are kept with the plan version that they were made from, and with nobody else's study."""

import uuid

import pytest
from sqlalchemy import text

from steady_tally.core.errors import Conflict, NotFound
from steady_tally.core.plan.figure import FigurePlan
from steady_tally.core.plan.whole import read_plan
from steady_tally.store import figures
from steady_tally.store.studies import create_study, save_plan

from .test_store import PLAN

DOCUMENT = FigurePlan().model_dump(mode="json")


@pytest.fixture
def study(engine):
    return create_study(engine, "one")


@pytest.fixture
def version(engine, study):
    return save_plan(engine, study, read_plan(PLAN), parent=None)


def test_a_figure_is_added_changed_and_removed_and_the_others_stay(engine, study, version):
    first = figures.add_figure(engine, study, "first", version, DOCUMENT)
    second = figures.add_figure(engine, study, "second", version, DOCUMENT)
    later = save_plan(engine, study, read_plan({**PLAN, "show": {"title": "new"}}), parent=version)
    assert figures.figure(engine, study, first).version_id == version, "a figure does not go on with the plan"
    large = FigurePlan.model_validate({"page": {"size": "A3"}}).model_dump(mode="json")
    before = figures.figure(engine, study, first).changed_at
    figures.change_figure(engine, study, first, "renamed", later, large)
    changed = figures.figure(engine, study, first)
    assert (changed.name, changed.version_id, changed.document) == ("renamed", later, large)
    assert changed.changed_at > before
    assert [f.name for f in figures.figures_of(engine, study)] == ["renamed", "second"]
    figures.remove_figure(engine, study, first)
    assert [f.id for f in figures.figures_of(engine, study)] == [second]


def test_what_belongs_to_another_study_is_not_there(engine, study, version):
    other = create_study(engine, "other")
    theirs = save_plan(engine, other, read_plan(PLAN), parent=None)
    with pytest.raises(NotFound, match="no such plan version"):
        figures.add_figure(engine, study, "x", theirs, DOCUMENT)
    mine = figures.add_figure(engine, study, "x", version, DOCUMENT)
    for act in (
        lambda: figures.figure(engine, other, mine),
        lambda: figures.change_figure(engine, other, mine, "x", theirs, DOCUMENT),
        lambda: figures.remove_figure(engine, other, mine),
        lambda: figures.figure(engine, study, uuid.uuid4()),
    ):
        with pytest.raises(NotFound, match="no such figure"):
            act()
    with pytest.raises(NotFound, match="no such plan version"):
        figures.change_figure(engine, study, mine, "x", theirs, DOCUMENT)
    assert figures.figure(engine, study, mine).version_id == version


def test_there_is_a_limit_that_is_said(engine, study, version, monkeypatch):
    monkeypatch.setattr(figures, "MOST_FIGURES", 2)
    for name in "ab":
        figures.add_figure(engine, study, name, version, DOCUMENT)
    with pytest.raises(Conflict, match="at most 2 figures"):
        figures.add_figure(engine, study, "c", version, DOCUMENT)


def test_a_database_of_before_gets_the_table(engine):
    with engine.connect() as connection:
        columns = connection.execute(
            text("SELECT column_name FROM information_schema.columns WHERE table_name = 'figure'")
        ).scalars()
        assert {"id", "study_id", "version_id", "name", "document", "created_at", "changed_at"} == set(columns)
