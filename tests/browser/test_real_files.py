"""Files as they come: from all over the world, without coordinates, and plans that cannot be worked out."""

import csv
import io
import json
import random

from playwright.sync_api import Page, Route, expect

from tests.plans import results_of

from .conftest import Application, wait_for_still
from .test_gather import begin, drop, gather_figure
from .test_gather_more import bring


def study_of(page: Page, application: Application) -> dict:
    return next(s for s in application.ask("api/studies")["studies"] if s["id"] == page.url.split("#")[1])


def text_of(rows: list[list]) -> bytes:
    file = io.StringIO()
    csv.writer(file).writerows(rows)
    return file.getvalue().encode()


def test_events_from_all_over_the_world_make_a_map_by_themselves(page, application):
    begin(page, application, "World")
    rng = random.Random(4)
    rows = [["id", "lon", "lat"]]
    rows += [[f"e{i}", f"{rng.uniform(-180, 180):.4f}", f"{rng.uniform(-58, 72):.4f}"] for i in range(800)]
    bring(page, "world.csv", text_of(rows))
    wait_for_still(page)
    assert gather_figure(page) == 800
    view = application.ask(f"{results_of(application, study_of(page, application))}/view")
    assert view["fault"] is None
    projection = view["plan"]["place"]["projection"]
    assert (view["events"], projection["method"], projection["parallels"]) == (800, "conic", [-30.0, 30.0])
    for key, name in zip("12345", ("gather", "place", "measure", "class", "show"), strict=True):
        page.keyboard.press(key)
        expect(page.get_by_label(f"{name} sheet")).to_be_visible()


def test_where_a_plan_cannot_be_worked_out_every_sheet_is_usable_and_the_fault_stands_at_its_place(page, application):
    begin(page, application, "Faulty")
    rows = [["id", "lon", "lat"], *([f"e{i}", f"{-40 + i / 1000:.3f}", "38.0"] for i in range(60))]
    bring(page, "calls.csv", text_of(rows))
    wait_for_still(page)
    says = "plan: place.areas.size: cells 3 m wide would be more than 2,000,000. Make them at least 90 m wide."

    def faulty(route: Route) -> None:
        view = route.fetch().json()
        view["fault"] = {"stage": "place", "says": says}
        view |= {"bands": [], "terms": [], "states": [], "total_value": None}
        route.fulfill(json=view)

    page.route("**/view", faulty)
    page.reload()
    alert = page.get_by_role("alert")
    expect(alert).to_contain_text("This plan cannot be worked out.")
    expect(alert).to_contain_text("at least 90 m wide")
    expect(page.locator('[data-note="place"]')).to_have_text("cannot be worked out")
    for key, name in zip("13452", ("gather", "measure", "class", "show", "place"), strict=True):
        page.keyboard.press(key)
        expect(page.get_by_label(f"{name} sheet")).to_be_visible()
    page.keyboard.press("2")
    page.get_by_role("button", name="Open Place").click()
    expect(page.get_by_label("Width")).to_be_visible()
    page.unroute("**/view")
    page.get_by_label("Width").fill("2000")
    page.get_by_role("button", name="Lay this grid").click()
    wait_for_still(page)
    expect(page.locator('[data-figure="place"]')).to_have_text("60")


def test_zones_are_seen_before_they_come_in_and_records_without_coordinates_name_them(page, application):
    begin(page, application, "Named")
    names = ["Upper Thorn", "Lower Thorn", "Quay"]
    features = []
    for i, name in enumerate(names):
        west = -40.2 + 0.1 * i
        ring = [[west, 37.9], [west + 0.1, 37.9], [west + 0.1, 38.1], [west, 38.1], [west, 37.9]]
        geometry = {"type": "Polygon", "coordinates": [ring]}
        features.append({"type": "Feature", "properties": {"code": f"0{i}", "name": name}, "geometry": geometry})
    drop(page, "zones.geojson", json.dumps({"type": "FeatureCollection", "features": features}).encode())
    picture = page.get_by_role("img", name="The shapes of the file")
    expect(picture).to_be_visible()
    assert (picture.locator("path").get_attribute("d") or "").count("M") == 3
    page.get_by_role("button", name="Bring it in").click()
    expect(page.get_by_role("dialog", name="Bring files in")).to_have_count(0, timeout=30_000)
    rows = [["report", "place", "remark"], *([f"r{i}", names[i % 3].upper(), f"about {i}"] for i in range(30))]
    drop(page, "reports.csv", text_of([*rows, ["r30", "Nowhere", "?"]]))
    page.get_by_label("What it is").select_option("events")
    dialog = page.get_by_role("dialog", name="Bring files in")
    expect(dialog).to_contain_text("“place” names areas of “zones” in 97 % of the rows that were looked at.")
    page.get_by_role("button", name="Bring it in").click()
    wait_for_still(page)
    expect(page.locator('[data-figure="place"]')).to_have_text("30")
