"""Studies are copied whole and taken away whole: the rest of the database is as if they had never been."""

import numpy as np
import pyarrow as pa
import pytest
from sqlalchemy import text
from sqlmodel import Session

from steady_tally.core.errors import Conflict, NotFound
from steady_tally.core.geo.locate import Located
from steady_tally.core.needs import needed_sources
from steady_tally.core.plan.figure import FigurePlan
from steady_tally.core.plan.whole import read_plan
from steady_tally.core.sources import Table
from steady_tally.store import keeping
from steady_tally.store.chunks import note_use
from steady_tally.store.database import DATA_VARIABLE
from steady_tally.store.figures import add_figure, figures_of
from steady_tally.store.placements import load_placement, save_placement
from steady_tally.store.sources import FileFacts, load_sources, save_source, sources_of
from steady_tally.store.studies import create_study, open_plan, plan_versions, save_plan, study
from steady_tally.store.tables import Job, Role, Study
from steady_tally.store.uploads import receive, uploaded

from .test_store import PLAN

TABLES = (
    "study", "source", "column_set", "column_chunk", "plan_version", "figure", "upload", "job", "derived_use",
    "picture",
)  # fmt: skip
NEEDED = needed_sources(read_plan(PLAN))


def everything(engine) -> dict[str, list]:
    """All rows but those of moments, as texts."""
    with engine.connect() as connection:
        return {t: sorted(str(r) for r in connection.execute(text(f"SELECT * FROM {t}"))) for t in TABLES}


def files_in(folder) -> list[str]:
    return sorted(str(p.relative_to(folder)) for p in folder.rglob("*") if p.is_file())


@pytest.fixture
def folder(monkeypatch, tmp_path):
    monkeypatch.setenv(DATA_VARIABLE, str(tmp_path))
    return tmp_path


def source_in(engine, study_id, name, role=Role.TABLE, upload=None) -> None:
    table = Table(name, pa.table({"a": ["1", "2"]}), np.array([1, 2]), np.array([2, 3]))
    save_source(engine, study_id, role, table, FileFacts(f"{name}.csv", f"{len(name):064}", 9), upload_id=upload)


def full(engine, folder, name="one"):
    """A study with sources, two plan versions, a page, an upload and a placement."""
    import io
    import uuid

    made, upload = create_study(engine, name), uuid.uuid4()
    receive(engine, made, upload, "t.csv", io.BytesIO(b"a\n1\n2\n"), largest=100)
    for at, (source, role) in enumerate(NEEDED.items()):
        source_in(engine, made, source, Role(role) if role == "events" else Role.TABLE, upload if at == 0 else None)
    source_in(engine, made, "extra")
    first = save_plan(engine, made, read_plan(PLAN), parent=None)
    add_figure(engine, made, "page", first, FigurePlan().model_dump(mode="json"))
    save_plan(engine, made, read_plan({**PLAN, "show": {"title": "later"}}), parent=first)
    save_placement(engine, f"placed {name}", located())
    note_use(engine, f"placed {name}", made)
    return made


def located() -> Located:
    return Located(np.array([0, 1], np.int32), np.array([], np.int64), np.array([], np.int32))


def test_a_study_that_is_deleted_leaves_nothing_and_takes_nothing_of_others(engine, folder):
    other = full(engine, folder, "other")
    before, files = everything(engine), files_in(folder)
    gone = full(engine, folder, "gone")
    note_use(engine, "placed other", gone)
    with Session(engine) as session:
        session.add(Job(kind="import_source", state="done", study_id=gone))
        session.commit()
    assert keeping.holdings(engine)[gone].sources == len(NEEDED) + 1
    keeping.delete_study(engine, gone)
    assert (everything(engine), files_in(folder)) == (before, files)
    assert load_placement(engine, "placed gone") is None
    assert load_placement(engine, "placed other") is not None
    assert open_plan(engine, other).show.title == "later"
    with pytest.raises(NotFound, match="no such study"):
        keeping.delete_study(engine, gone)


def test_a_copy_has_all_of_it_and_outlives_what_it_was_copied_from(engine, folder):
    first = full(engine, folder)
    copy = keeping.copy_study(engine, first, "copy")
    assert study(engine, copy).name == "copy"
    documents = [[v.document for v in plan_versions(engine, s)] for s in (first, copy)]
    assert documents[0] == documents[1]
    assert {v.id for v in plan_versions(engine, first)}.isdisjoint(v.id for v in plan_versions(engine, copy))
    (page,) = figures_of(engine, copy)
    assert page.version_id == plan_versions(engine, copy)[0].id
    keeping.delete_study(engine, first)
    tables, _ = load_sources(engine, copy)
    assert all(table.row_count == 2 for table in tables.tables.values())
    kept = next(s for s in sources_of(engine, copy) if s.upload_id)
    assert uploaded(engine, copy, kept.upload_id).path.read_bytes() == b"a\n1\n2\n"
    keeping.delete_study(engine, copy)
    assert all(not rows for rows in everything(engine).values())
    assert files_in(folder) == []


def test_nothing_is_deleted_while_work_goes_on(engine, folder):
    made = full(engine, folder)
    with Session(engine) as session:
        session.add(Job(kind="import_source", state="running", study_id=made))
        session.commit()
    before = everything(engine)
    with pytest.raises(Conflict, match="work is going on"):
        keeping.delete_study(engine, made)
    assert everything(engine) == before


def test_a_source_is_removed_only_where_no_plan_in_use_needs_it(engine, folder):
    made = full(engine, folder)
    by_name = {s.name: s.id for s in sources_of(engine, made)}
    for name in NEEDED:
        with pytest.raises(Conflict, match=f"the open plan needs “{name}”"):
            keeping.remove_source(engine, made, by_name[name])
    keeping.remove_source(engine, made, by_name["extra"])
    assert {s.name for s in sources_of(engine, made)} == set(NEEDED)
    with pytest.raises(NotFound, match="no such source"):
        keeping.remove_source(engine, create_study(engine, "other"), by_name[next(iter(NEEDED))])


def test_a_study_with_the_plan_of_another_begins_once_all_its_files_are_there(engine, folder):
    first = full(engine, folder)
    begun = keeping.begin_like(engine, first, "next year")
    assert study(engine, begun).head_id is None
    names = list(NEEDED)
    for at, name in enumerate(names):
        assert keeping.begin_if_complete(engine, begun) is True
        waiting = keeping.waiting_for(engine, begun)
        assert [there for _, there in waiting.values()] == [k < at for k in range(len(names))]
        if at % 2:
            source_in(engine, begun, name)
        else:
            keeping.take_source(engine, begun, first, name)
    assert keeping.begin_if_complete(engine, begun) is True
    assert keeping.waiting_for(engine, begun) is None
    assert open_plan(engine, begun) == open_plan(engine, first)
    assert keeping.begin_if_complete(engine, begun) is False
    # Saved, and the process killed before the plan was taken off: it is the plan that is open, and no other.
    with Session(engine) as session:
        session.get_one(Study, begun).waiting_plan = PLAN
        session.commit()
    opened = study(engine, begun).head_id
    assert keeping.begin_if_complete(engine, begun) is True
    assert (study(engine, begun).head_id, keeping.waiting_for(engine, begun)) == (opened, None)
    with pytest.raises(Conflict, match="has a source"):
        keeping.take_source(engine, begun, first, names[0])
    other = keeping.begin_like(engine, first, "let go")
    keeping.forget_waiting_plan(engine, other)
    assert keeping.begin_if_complete(engine, other) is False
