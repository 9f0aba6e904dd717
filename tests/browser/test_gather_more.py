"""Gather's further ways: choices anew, a look-up, next month, named conditions, known places, several files."""

import copy
import csv
import io
import json
import re
import urllib.error

import pytest
from playwright.sync_api import Page, expect

from tests.plans import events_in

from .conftest import Application, term, wait_for_still
from .test_gather import begin, drop, gather_figure, sheet

STREETS = ["Quay Street", "High Row", "Bell Lane", "Mill Rise"]


def calls(n: int = 120, first: int = 0) -> bytes:
    """Calls at four places by turns, every tenth without coordinates and with its street spelt otherwise."""
    file = io.StringIO()
    writer = csv.writer(file)
    writer.writerow(["call_id", "when", "kind", "street", "lon", "lat"])
    for i in range(first, first + n):
        street = STREETS[i % 4]
        place = (f"{-40.0 + i % 4 / 100:.4f}", f"{38.0 + i % 4 / 50:.4f}")
        if i % 10 == 9:
            street, place = street.upper() if i % 20 == 9 else street[:-2], ("", "")
        kind = ["fall", "burn"][i % 2]
        writer.writerow([f"K{i:04d}", f"{13 + i % 15:02d}/{1 + i % 12:02d}/2024 {i % 24:02d}:15", kind, street, *place])
    return file.getvalue().encode()


def bring(page: Page, name: str, data: bytes) -> None:
    drop(page, name, data)
    page.get_by_role("button", name="Bring it in").click()
    expect(page.get_by_role("dialog", name="Bring files in")).to_have_count(0, timeout=30_000)


@pytest.fixture
def mapped(page: Page, application: Application, request) -> Page:
    application.study()
    study = application.study_of(f"More {request.node.name[:60]}", "calls.csv", calls())
    page.goto(f"{application.url}#{study}")
    wait_for_still(page)
    assert gather_figure(page) == 108
    page.keyboard.press("1")
    return page


def test_choices_are_made_anew_and_columns_get_readable_names(mapped):
    sheet(mapped, "files")
    mapped.get_by_text("events on the map").click()
    mapped.get_by_role("button", name="Choose anew how it is read").click()
    dialog = mapped.get_by_role("dialog", name="Bring files in")
    expect(dialog.get_by_label("Identifier")).to_have_value("call_id")
    dialog.get_by_text("Readable names of columns").click()
    dialog.get_by_role("textbox", name="kind").fill("What happened")
    dialog.get_by_role("button", name="Leave out street").click()
    dialog.get_by_role("button", name="Read it so").click()
    expect(dialog).to_have_count(0, timeout=30_000)
    sheet(mapped, "filter")
    expect(mapped.get_by_text("What happened")).to_be_visible()
    assert gather_figure(mapped) == 108
    mapped.locator('[data-note="gather"]').click()
    heads = mapped.get_by_role("table", name="Records set aside").get_by_role("columnheader")
    expect(heads.filter(has_text="What happened")).to_have_count(1)
    expect(heads.filter(has_text="street")).to_have_count(0)


def test_records_without_coordinates_are_found_in_a_look_up(mapped):
    streets = "street,lon,lat\n" + "".join(f"{s},-40.02,38.0{i}\n" for i, s in enumerate(STREETS))
    bring(mapped, "streets.csv", streets.encode())
    sheet(mapped, "checks")
    mapped.get_by_label("Find them in").select_option("streets")
    expect(mapped.get_by_label("The record's")).to_have_value("street")
    mapped.get_by_role("button", name="Look them up").click()
    expect(mapped.locator('[data-figure="gather"]')).to_have_text("114")
    expect(mapped.get_by_text("Not in the look-up:")).to_be_visible()
    suggested = mapped.get_by_role("button", name=re.compile("^“.*” is “.*”$"))
    for left in range(suggested.count(), 0, -1):
        suggested.first.click()
        expect(suggested).to_have_count(left - 1)
    expect(mapped.locator('[data-figure="gather"]')).to_have_text("120")
    sheet(mapped, "records")
    expect(mapped.get_by_text("12 records without coordinates have those of the look-up.")).to_be_visible()


def test_next_months_file_takes_the_place_and_the_filter_stays(mapped):
    sheet(mapped, "filter")
    mapped.get_by_role("checkbox", name="fall").click()
    expect(mapped.get_by_test_id("kept")).to_have_text("60 of 108 events")
    drop(mapped, "calls of the next month.csv", calls(140, first=20))
    mapped.get_by_role("button", name="Put it in its place").click()
    mapped.get_by_role("button", name="Let it take the place of “calls”").click()
    expect(mapped.get_by_role("dialog", name="Bring files in")).to_have_count(0, timeout=30_000)
    expect(mapped.get_by_test_id("kept")).to_have_text("70 of 126 events")
    sheet(mapped, "records")
    expect(mapped.get_by_text("Against calls.csv: 40 rows new, 20 gone, 0 changed, 100 the same.")).to_be_visible()
    lacking = calls().replace(b"call_id,when", b"call_id,date", 1)
    drop(mapped, "lacking.csv", lacking)
    mapped.get_by_label("Beside the others, or in the place of one").select_option("calls")
    mapped.get_by_role("button", name="Let it take the place of “calls”").click()
    expect(mapped.get_by_role("alert")).to_contain_text("it lacks “when”, which the plan needs")
    mapped.get_by_role("button", name="Leave it out").click()
    assert gather_figure(mapped) == 70


def test_conditions_are_named_rest_and_join_either_way(mapped):
    sheet(mapped, "filter")
    mapped.get_by_role("checkbox", name="fall").click()
    expect(mapped.get_by_test_id("kept")).to_have_text("60 of 108 events")
    mapped.get_by_label("In column").select_option("street")
    mapped.get_by_label("Contains").fill("bell")
    mapped.get_by_role("button", name="Add").click()
    bells = sum(1 for i in range(120) if i % 4 == 2 and i % 10 != 9)
    expect(mapped.get_by_test_id("kept")).to_have_text(f"{bells} of 108 events")
    mapped.get_by_role("button", name="one is enough").click()
    expect(mapped.get_by_test_id("kept")).to_have_text("60 of 108 events")
    mapped.get_by_role("button", name="street contains “bell”", exact=True).click()
    mapped.get_by_label("Name of the condition").fill("The lane <i>of bells</i>")
    mapped.keyboard.press("Enter")
    expect(mapped.get_by_role("button", name="The lane <i>of bells</i>", exact=True)).to_be_visible()
    mapped.get_by_role("checkbox", name="Let “kind: fall” hold").click()
    expect(mapped.get_by_test_id("kept")).to_have_text(f"{bells} of 108 events")
    mapped.get_by_role("button", name="Take out “kind: fall”").click()
    mapped.get_by_role("button", name="Take out “The lane").click()
    expect(mapped.get_by_text("Nothing is left out")).to_be_visible()


def test_days_are_dragged_and_hours_are_painted_with_the_keyboard(mapped):
    sheet(mapped, "filter")
    months = mapped.get_by_test_id("months").bounding_box()
    middle = months["y"] + months["height"] / 2
    mapped.mouse.move(months["x"] + months["width"] * 0.02, middle)
    mapped.mouse.down()
    mapped.mouse.move(months["x"] + months["width"] * 0.22, middle, steps=5)
    mapped.mouse.up()
    spring = sum(1 for i in range(120) if 1 + i % 12 <= 3 and i % 10 != 9)
    expect(mapped.get_by_test_id("kept")).to_have_text(f"{spring} of 108 events")
    mapped.get_by_role("button", name="All days again").click()
    expect(mapped.get_by_test_id("kept")).to_have_text("108 of 108 events")
    mapped.get_by_test_id("week").focus()
    mapped.keyboard.press("ArrowRight")
    mapped.keyboard.press("Space")
    expect(mapped.get_by_test_id("week")).to_have_attribute("aria-label", re.compile("Mon 1 to 2: .*, chosen"))
    expect(mapped.get_by_text("1 hours of the week").first).to_be_visible()


def test_a_pile_is_named_and_left_out(mapped):
    sheet(mapped, "checks")
    expect(mapped.get_by_label("gather sheet")).to_contain_text(re.compile(r"different places\s*4"))
    mapped.get_by_role("button", name="name it as a known place").first.click()
    mapped.get_by_label("What is there").fill("Harbour hospital")
    mapped.get_by_role("button", name="Keep", exact=True).click()
    mapped.get_by_role("button", name="leave its events out").click()
    expect(mapped.locator('[data-figure="gather"]')).not_to_have_text("108")
    kept = gather_figure(mapped)
    assert 78 <= kept <= 84
    sheet(mapped, "filter")
    expect(mapped.get_by_role("button", name="not at Harbour hospital", exact=True)).to_be_visible()


def test_several_files_wait_while_the_map_is_looked_at(mapped):
    for name in ("one.csv", "two.csv"):
        drop(mapped, name, b"ward,residents\nA,10\nB,20\n")
    expect(mapped.get_by_label("Which file").get_by_role("button")).to_have_count(3)
    mapped.get_by_role("button", name="Back to the map").click()
    mapped.get_by_role("button", name="2 files to bring in").click()
    lines = mapped.get_by_role("list", name="Files").get_by_role("listitem")
    lines.filter(has_text="one.csv").get_by_role("button", name="leave it out").click()
    mapped.get_by_role("button", name="Bring it in").click()
    expect(mapped.get_by_role("dialog", name="Bring files in")).to_have_count(0, timeout=30_000)
    sheet(mapped, "files")
    expect(mapped.get_by_label("gather sheet")).to_contain_text("two table")
    mapped.reload()
    wait_for_still(mapped)
    assert gather_figure(mapped) == 108, "a reload stays with the study"


def test_a_plan_that_cannot_be_worked_out_is_refused_and_one_that_no_longer_can_be_left(mapped, application):
    study = next(s for s in application.ask("api/studies")["studies"] if s["id"] == mapped.url.split("#")[1])
    versions = application.ask(f"api/studies/{study['id']}/plans")
    document = copy.deepcopy(versions["versions"][-1]["document"])
    column = events_in(document)["coordinates"]["x"]
    events_in(document)["coordinates"]["x"] = "nowhere"
    with pytest.raises(urllib.error.HTTPError) as refused:
        application.ask(f"api/studies/{study['id']}/plans", {"parent_id": study["head_id"], "document": document})
    problem = json.load(refused.value)
    assert "has no column “nowhere”" in problem["detail"]
    assert application.ask(f"api/studies/{study['id']}/plans") == versions, "the open plan stays"
    events_in(document)["coordinates"]["x"] = column
    document["show"]["title"] = "Once more"
    application.ask(f"api/studies/{study['id']}/plans", {"parent_id": study["head_id"], "document": document})
    # As if a later program could not work out the open plan any more.
    mapped.route("**/view", lambda route: route.fulfill(status=422, json=problem))
    mapped.reload()
    expect(mapped.get_by_role("alert")).to_contain_text("has no column “nowhere”", timeout=20_000)
    mapped.unroute("**/view")
    mapped.get_by_role("button", name="Go back to the plan before this one").click()
    wait_for_still(mapped)
    assert gather_figure(mapped) == 108


def test_counts_are_added_up_and_the_rows_of_a_table_are_chosen(page, application):
    begin(page, application, "Counted")
    zones = {"type": "FeatureCollection", "features": []}
    for code, west in (("A", -40.2), ("B", -40.0)):
        ring = [[west, 37.9], [west + 0.2, 37.9], [west + 0.2, 38.1], [west, 38.1], [west, 37.9]]
        geometry = {"type": "Polygon", "coordinates": [ring]}
        zones["features"].append({"type": "Feature", "properties": {"code": code}, "geometry": geometry})
    bring(page, "zones.geojson", json.dumps(zones).encode())
    expect(page.get_by_text("Events are still missing.")).to_be_visible()
    sexes = (("f", 60), ("m", 40), ("all", 100))
    people = "code,sex,residents\n" + "".join(f"{c},{s},{n}\n" for c in "AB" for s, n in sexes)
    bring(page, "people.csv", people.encode())
    rows = ["lon,lat,month,cases"] + [f"{-40.19 + i * 0.019:.3f},38.0,2024-{1 + i % 12:02d},{i}" for i in range(20)]
    drop(page, "cases.csv", "\n".join(rows).encode())
    page.get_by_label("What it is").select_option("counts")
    expect(page.get_by_label("Number of events")).to_have_value("cases")
    page.get_by_role("button", name="Bring it in").click()
    wait_for_still(page)
    page.keyboard.press("3")
    term(page, "under", "nothing", exact=True)
    expect(page.locator('[data-figure="measure"]')).to_have_text(f"{sum(range(20))} events")
    term(page, "under", "residents, from “people”")
    expect(page.locator('[data-figure="measure"]')).to_have_text("950")
    page.locator('[data-slot="under"]').click()
    page.get_by_text("Which rows of “people” count").click()
    expect(page.get_by_test_id("rows kept")).to_have_text("4 of 6 rows")
    page.get_by_role("button", name="Take out “sex: not all”").click()
    page.get_by_role("checkbox", name=re.compile(r"^f\b")).click()
    expect(page.get_by_test_id("rows kept")).to_have_text("2 of 6 rows")
    expect(page.locator('[data-figure="measure"]')).to_have_text("1,583")


def test_other_events_can_be_mapped_and_the_first_come_back_with_their_filter(mapped):
    sheet(mapped, "filter")
    mapped.get_by_role("checkbox", name="fall").click()
    expect(mapped.get_by_test_id("kept")).to_have_text("60 of 108 events")
    drop(mapped, "others.csv", calls(40, first=500).replace(b"K0", b"L0"))
    mapped.get_by_role("button", name="Keep it beside").click()
    mapped.get_by_role("button", name="Bring it in").click()
    expect(mapped.locator('[data-figure="gather"]')).to_have_text("36")
    sheet(mapped, "files")
    mapped.locator("summary").filter(has_text="calls").click()
    mapped.get_by_role("button", name="Map these events").click()
    expect(mapped.locator('[data-figure="gather"]')).to_have_text("60")
