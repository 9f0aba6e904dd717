"""A study whose figures have come to be others: it is said, both are offered, and nothing is taken without a word."""

import csv
import io
import json
import uuid

import pytest
from sqlalchemy import text

from steady_tally.results.kept import kept
from steady_tally.store.keeping import copy_study, delete_study
from tests.plans import results_of
from tests.tampered import MOVED, tampered

from .test_api import arrow
from .test_place import change, got


def earlier(client, study):
    return client.get(f"{results_of(client, study)}/earlier").get_json()


def rows_of(answer):
    return [dict(zip(answer["columns"], row, strict=True)) for row in answer["rows"]]


def test_a_version_that_comes_to_what_it_came_to_says_nothing(client, study):
    assert got(client, study, "view")["earlier"] is None
    assert got(client, study, "view")["earlier"] is None
    assert client.get(f"{results_of(client, study)}/earlier").status_code == 404


def test_other_figures_are_said_both_are_offered_and_those_of_now_are_taken_by_a_press(client, study, engine):
    got(client, study, "view")
    others = tampered(engine, study)
    told = got(client, study, "view")["earlier"]
    assert (told["differing"], told["kept"], told["works"], told["breaks"]) == (MOVED, True, True, False)
    found = earlier(client, study)
    rows = rows_of(found)
    assert {r["identifier"] for r in rows} == set(others)
    assert found["total"] == MOVED
    for row in rows:
        assert row["value then"] == pytest.approx(1.5 * row["value now"])
        assert row["moved"] == pytest.approx(row["value now"] - row["value then"])
    distances = [abs(r["moved"]) for r in rows]
    assert distances == sorted(distances, reverse=True)
    assert found["drawn"]
    assert len(found["classes"]) == len(got(client, study, "view")["bands"])
    then = arrow(client, f"{results_of(client, study)}/earlier/classes")
    assert then.num_rows == told["of"]
    saved = client.get(f"{results_of(client, study)}/earlier.csv")
    all_rows = list(csv.DictReader(io.StringIO(saved.get_data(as_text=True))))
    assert len(all_rows) == told["of"]
    assert sum(r["value then"] != r["value now"] for r in all_rows) == MOVED
    # It is still there after a look, and gone after a decision.
    assert got(client, study, "view")["earlier"]["differing"] == MOVED
    assert client.post(f"{results_of(client, study)}/earlier/taken", json={}).status_code == 200
    assert got(client, study, "view")["earlier"] is None


def test_the_last_digits_of_another_library_are_no_difference(client, study, engine):
    got(client, study, "view")
    tampered(engine, study, by=1 + 1e-11)
    assert got(client, study, "view")["earlier"] is None


def test_a_change_of_colours_or_classes_keeps_the_question_and_another_measure_has_its_own(client, study, engine):
    got(client, study, "view")
    others = tampered(engine, study)
    measure = got(client, study, "view")["measure"]
    view = change(client, study, lambda plan: plan["show"]["colours"][measure].update(reversed=True))["view"]
    assert view["earlier"]["differing"] == MOVED, "only colours were changed"
    view = change(client, study, lambda plan: plan["class"].update({measure: {"method": "quantile", "count": 3}}))[
        "view"
    ]
    assert view["earlier"]["differing"] == MOVED, "the figures are still others"
    assert not view["earlier"]["breaks"]
    rows = rows_of(earlier(client, study))
    assert {r["identifier"] for r in rows} == set(others)
    assert "class then" not in rows[0], "how they were classed by three is not known"
    view = change(client, study, lambda plan: plan["measure"][measure].update(per=7.0))["view"]
    assert view["earlier"] is None, "figures that were asked for anew are those of now"


def test_figures_are_kept_of_what_is_open_and_of_pages_and_digests_of_all(client, study, engine):
    def kept_now():
        with engine.connect() as connection:
            rows = connection.execute(
                text(
                    "SELECT r.version_id, r.data IS NOT NULL FROM remembered r "
                    "JOIN plan_version v ON v.id = r.version_id WHERE v.study_id = :id ORDER BY v.created_at"
                ),
                {"id": study},
            ).all()
        return [row[0] for row in rows], [row[1] for row in rows]

    got(client, study, "view")
    first = kept_now()[0][-1]
    page = {"name": "Page", "version": str(first), "document": {}}
    assert client.post(f"/api/studies/{study}/figures", json=page).status_code == 201
    measure = got(client, study, "view")["measure"]
    for count in (3, 4, 6):
        change(client, study, lambda plan, n=count: plan["class"].update({measure: {"method": "quantile", "count": n}}))
    versions, there = kept_now()
    assert there[versions.index(first)], "a page is bound to it"
    assert there == [v == first or v == versions[-1] for v in versions]
    # A page whose version comes to others says so beside its picture.
    tampered(engine, study, version=first)
    preview = client.post(f"/api/studies/{study}/plans/{first}/figure-preview", json={"document": {}, "pixels": 200})
    assert any(f"{MOVED} of " in s and "other figures" in s for s in preview.get_json()["said"])


def test_other_files_are_another_matter(client, study, engine):
    got(client, study, "view")
    tampered(engine, study)
    with engine.begin() as connection:
        connection.execute(
            text(
                "UPDATE remembered SET sources = sources || jsonb_build_object((SELECT name FROM source "
                "WHERE study_id = :id LIMIT 1), CAST(:other AS text))"
            ),
            {"id": study, "other": str(uuid.uuid4())},
        )
    assert got(client, study, "view")["earlier"] is None


def test_a_copy_has_the_figures_of_before_and_nothing_is_left_of_a_study_that_is_deleted(client, study, engine):
    got(client, study, "view")
    tampered(engine, study)
    copy = copy_study(engine, uuid.UUID(study), "Copy")
    assert got(client, str(copy), "view")["earlier"]["differing"] == MOVED
    for one in (study, str(copy)):
        delete_study(engine, uuid.UUID(one))
    with engine.connect() as connection:
        assert connection.execute(text("SELECT count(*) FROM remembered")).scalar_one() == 0


def test_a_plan_that_cannot_be_worked_out_any_more_still_has_the_figures_of_before(client, study, engine):
    view = got(client, study, "view")
    with engine.begin() as connection:
        # As if a later program refused what an earlier one took.
        document = connection.execute(
            text("SELECT document FROM plan_version WHERE id = :v"), {"v": view["version"]}
        ).scalar_one()
        document["measure"][view["measure"]]["denominator"] = {
            "kind": "table", "source": "residents", "keys": [{"table": "no such column", "area": "identifier"}],
            "value": "residents",
        }  # fmt: skip
        connection.execute(text("ALTER TABLE plan_version DISABLE TRIGGER USER"))
        connection.execute(
            text("UPDATE plan_version SET document = CAST(:d AS jsonb) WHERE id = :v"),
            {"d": json.dumps(document), "v": view["version"]},
        )
        connection.execute(text("ALTER TABLE plan_version ENABLE TRIGGER USER"))
    kept.clear()  # versions never change, and so are kept
    told = got(client, study, "view")["earlier"]
    assert (told["works"], told["kept"]) == (False, True)
    rows = rows_of(earlier(client, study))
    assert len(rows) == told["of"] == view["ledger"]["areas"]["read"]
    assert {r["value now"] for r in rows} == {None}
    kept.clear()


def test_figures_of_before_that_cannot_be_read_keep_no_map_closed(client, study, engine):
    got(client, study, "view")
    with engine.begin() as connection:
        connection.execute(text("UPDATE remembered SET data = 'broken', digest = 'other', figures_digest = 'other'"))
    told = got(client, study, "view")["earlier"]
    assert (told["kept"], told["works"]) == (False, True)
    assert "other figures" in told["says"]
    assert client.post(f"{results_of(client, study)}/earlier/taken", json={}).status_code == 200
    assert got(client, study, "view")["earlier"] is None
