"""What two do at once: each is done or refused with a sentence, none is half done, and nothing answers with a fault."""

import contextlib
import threading
import uuid
from concurrent.futures import ThreadPoolExecutor

import pytest
from sqlalchemy import text
from sqlalchemy.exc import OperationalError

from steady_tally.core.errors import NotFound
from steady_tally.results.kept import kept
from steady_tally.store import sources as stored
from steady_tally.store.sources import load_source, sources_of
from tests.plans import results_of

from .conftest import start_work, with_key
from .test_place import got

ROWS = b"id,x,y\n1,-40.1,37.9\n2,-40.2,37.8\n"


def at_once(client, *asked):
    """Ask for all of these at the same moment, each by a client of its own."""
    gate = threading.Barrier(len(asked))

    def ask(one):
        method, path, body = one
        own = with_key(client.application.test_client())
        gate.wait(10)
        return own.open(path, method=method, json=body)

    with ThreadPoolExecutor(len(asked)) as pool:
        return list(pool.map(ask, asked))


def test_two_deletions_of_one_study_delete_it_once(client, study):
    for n in range(6):
        copy = client.post(f"/api/studies/{study}/copy", json={"name": f"copy {n}"}).get_json()["id"]
        answers = at_once(client, *[("DELETE", f"/api/studies/{copy}", None)] * 3)
        assert 200 in {a.status_code for a in answers}
        for answer in answers:
            assert answer.status_code in (200, 404, 409), answer.get_json()
        assert client.get(f"/api/studies/{copy}").status_code == 404
    assert got(client, study, "view")["fault"] is None, "what they share is still there"


def test_a_deletion_and_a_change_at_once_leave_all_or_nothing(client, study):
    for n in range(4):
        copy = client.post(f"/api/studies/{study}/copy", json={"name": f"copy {n}"}).get_json()
        plan = client.get(f"/api/studies/{copy['id']}/plans").get_json()["versions"][-1]["document"]
        change = {"parent_id": copy["head_id"], "document": plan}
        answers = at_once(
            client,
            ("DELETE", f"/api/studies/{copy['id']}", None),
            ("POST", f"/api/studies/{copy['id']}/plans", change),
            ("PATCH", f"/api/studies/{copy['id']}", {"name": "other"}),
        )
        for answer in answers:
            assert answer.status_code in (200, 201, 404, 409, 422), answer.get_json()
        if answers[0].status_code == 200:
            assert client.get(f"/api/studies/{copy['id']}").status_code == 404


def test_two_that_wait_for_each_other_are_told_so(client, study, engine):
    """PostgreSQL ends one of them: that is no fault of ours, and no database that starts again."""
    locked, asked = threading.Event(), threading.Event()

    def in_the_way():
        with engine.begin() as connection:
            connection.execute(text("LOCK TABLE figure IN SHARE ROW EXCLUSIVE MODE"))
            locked.set()
            asked.wait(10)
            connection.execute(text("SELECT 1 FROM study WHERE id = :id FOR UPDATE"), {"id": study})

    with ThreadPoolExecutor(1) as pool:
        other = pool.submit(in_the_way)
        locked.wait(10)
        asked.set()
        answer = client.delete(f"/api/studies/{study}")
        with contextlib.suppress(OperationalError):
            other.result(20)
    assert answer.status_code in (200, 409), answer.get_json()


def test_two_imports_of_one_name_bring_in_one_and_say_so_of_the_other(client, monkeypatch):
    study = client.post("/api/studies", json={"name": "mine"}).get_json()["id"]
    both_looked = threading.Barrier(2)
    find = stored._find

    def found_together(*asked):
        found = find(*asked)
        both_looked.wait(20)
        return found

    jobs = []
    for _ in range(2):
        upload = str(uuid.uuid4())
        assert client.put(f"/api/studies/{study}/uploads/{upload}/some.csv", data=ROWS).status_code < 300
        events = {"source": "same", "coordinates": {"kind": "columns", "x": "x", "y": "y"}, "identifier": "id"}
        body = {"upload_id": upload, "name": "same", "role": "events", "events": events}
        jobs.append(client.post(f"/api/studies/{study}/imports", json=body).get_json()["id"])
    # Both find the name free before either takes it.
    show = stored._show

    def show_together(*asked):
        monkeypatch.setattr(stored, "_find", found_together)
        return show(*asked)

    monkeypatch.setattr(stored, "_show", show_together)
    workers = [start_work(), start_work()]
    for worker in workers:
        worker.join(60)
    told = [client.get(f"/api/jobs/{job}").get_json() for job in jobs]
    assert sorted(t["state"] for t in told) == ["done", "failed"], told
    (failed,) = [t for t in told if t["state"] == "failed"]
    assert "a reason of ours" not in failed["says"]
    assert "same" in failed["says"]
    assert [s["name"] for s in client.get(f"/api/studies/{study}/sources").get_json()["sources"]] == ["same"]


def test_a_source_that_goes_while_it_is_read_is_said_to_be_gone(client, study, engine, monkeypatch):
    kept.clear()
    results = results_of(client, study)

    def gone(engine, source_id):
        with engine.begin() as connection:
            connection.execute(text("DELETE FROM source WHERE id = :id"), {"id": source_id})
        return load_source(engine, source_id)

    monkeypatch.setattr("steady_tally.results.studies.load_source", gone)
    answer = client.get(f"{results}/view")
    assert answer.status_code == 404
    assert "removed in the meantime" in answer.get_json()["detail"]


def test_columns_that_go_while_they_are_read_give_no_shorter_table(client, study, engine):
    one = next(s for s in sources_of(engine, uuid.UUID(study)) if s.role == "events")
    whole = load_source(engine, one.id)
    with engine.begin() as connection:
        connection.execute(text("DELETE FROM column_chunk WHERE set_id = :id AND position = 0"), {"id": one.set_id})
    with pytest.raises(NotFound, match="removed while they were read"):
        whole.columns.column(one.columns[0]["name"])


def test_a_plan_that_is_saved_again_under_its_name_is_one_version(client, study):
    head = client.get(f"/api/studies/{study}").get_json()["head_id"]
    path = f"/api/studies/{study}/plans"
    plan = client.get(path).get_json()["versions"][-1]["document"]
    plan["show"]["title"] = "Once"
    body = {"id": str(uuid.uuid4()), "parent_id": head, "document": plan}
    first, again = client.post(path, json=body), client.post(path, json=body)
    assert (first.status_code, again.status_code) == (201, 201)
    assert first.get_json() == again.get_json()
    assert first.get_json()["id"] == body["id"]
    assert len(client.get(path).get_json()["versions"]) == 2
    # The name is no way around another's version, nor into another study.
    other = client.post("/api/studies", json={"name": "other"}).get_json()["id"]
    assert client.post(f"/api/studies/{other}/plans", json={**body, "parent_id": None}).status_code in (404, 409, 422)
    assert client.post(path, json={**body, "parent_id": None}).status_code == 409
