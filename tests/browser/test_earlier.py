"""A study that comes to other figures than before, as an analyst meets it after an update."""

import csv
import uuid

import pytest
from playwright.sync_api import expect

from steady_tally.core.report.remembered import read
from steady_tally.store.remembered import kept_figures
from tests.plans import results_of
from tests.tampered import MOVED, tampered

from .conftest import wait_for_still
from .test_slice import study  # noqa: F401


@pytest.fixture
def updated(application, study):  # noqa: F811
    """A copy of the demo study that had other figures before."""
    results_of(application, study)
    copy = application.ask(f"api/studies/{study['id']}/copy", {"name": "Of last year"})
    application.ask(f"api/studies/{copy['id']}/plans/{copy['head_id']}/view")
    engine = application.database()
    tampered(engine, copy["id"])
    yield copy
    engine.dispose()
    application.ask(f"api/studies/{copy['id']}", method="DELETE")


def test_both_figures_are_offered_and_those_of_now_are_taken_by_a_press(page, application, updated, tmp_path):
    page.goto(f"{application.url}#{updated['id']}")
    wait_for_still(page)
    bar = page.get_by_role("status").filter(has_text="other figures")
    expect(bar).to_contain_text(f"{MOVED} of 118 areas come to other figures or classes")
    bar.get_by_role("button", name="See both").click()
    both = page.get_by_role("region", name="Figures of before and of now")
    expect(both.locator("[data-drawn='2']")).to_be_visible()
    engine = application.database()
    measure = application.ask(f"{results_of(application, updated)}/view")["measure"]
    found = kept_figures(engine, uuid.UUID(updated["head_id"]), measure)
    then = {row["name"]: row["value"] for row in read(found).to_pylist()}
    engine.dispose()
    rows = both.get_by_role("table", name="Areas that differ").get_by_role("row")
    expect(rows).to_have_count(1 + MOVED)
    first = rows.nth(1).get_by_role("cell").all_inner_texts()
    assert round(then[first[0]]) == int(first[1])
    assert round(then[first[0]] / 1.5) == int(first[2])
    with page.expect_download() as saved:
        both.get_by_role("link", name="Save both as CSV").click()
    saved.value.save_as(tmp_path / "both.csv")
    with (tmp_path / "both.csv").open(encoding="utf-8", newline="") as file:
        lines = list(csv.DictReader(file))
    assert len(lines) == 118
    assert {r["name"]: float(r["value then"]) for r in lines if r["value then"]} == pytest.approx(
        {name: value for name, value in then.items() if value is not None}
    )
    # Nothing is decided by looking.
    page.keyboard.press("Escape")
    expect(both).to_have_count(0)
    page.reload()
    wait_for_still(page)
    bar.get_by_role("button", name="See both").click()
    both.get_by_role("button", name="Go on with those of now").click()
    expect(bar).to_have_count(0)
    expect(both).to_have_count(0)
    page.reload()
    wait_for_still(page)
    expect(bar).to_have_count(0)
