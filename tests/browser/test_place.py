"""From points to areas in the browser: zones and what is wrong with them, grids being sized, checks."""

import json
import re
from collections.abc import Callable

import numpy as np
import pytest
import shapely
from playwright.sync_api import Locator, Page, expect

from tests.plans import results_of

from .conftest import Application, wait_for_still
from .test_gather import begin, drop, sheet
from .test_slice import areas_of
from .test_slice import opened as opened
from .test_slice import study as study

MADDER = (168, 50, 45)
LIKE = """([r, g, b]) => {
  const map = document.querySelector("canvas[data-painted]");
  const copy = new OffscreenCanvas(map.width, map.height).getContext("2d");
  copy.drawImage(map, 0, 0);
  const { data } = copy.getImageData(0, 0, map.width, map.height);
  let found = 0;
  for (let i = 0; i < data.length; i += 4) {
    found += Math.max(Math.abs(data[i] - r), Math.abs(data[i + 1] - g), Math.abs(data[i + 2] - b)) < 12 ? 1 : 0;
  }
  return found;
}"""


def ledger(application: Application, study: dict) -> dict:
    return dict(application.ask(f"{results_of(application, study)}/ledger"))


def settle(page: Page) -> None:
    """Until what was chosen is saved, worked out and drawn."""
    expect(page.get_by_text("Working it out…")).to_have_count(0, timeout=30_000)
    wait_for_still(page)


def figure(cell: Locator) -> float:
    return float(cell.inner_text().replace(",", "").removesuffix(" %"))


def like(page: Page, colour: tuple[int, int, int]) -> int:
    """How many pixels of the map are nearly of a colour."""
    page.screenshot(clip={"x": 0, "y": 0, "width": 8, "height": 8})  # what was painted is now on the page
    return int(page.evaluate(LIKE, list(colour)))


def until(page: Page, holds: Callable[[], bool]) -> None:
    """Wait some seconds for what is drawn."""
    for _ in range(60):
        if holds():
            return
        page.wait_for_timeout(150)
    raise AssertionError("it was never drawn")


def click_on_map(page: Page, *places: tuple[float, float]) -> None:
    box = page.get_by_test_id("map").bounding_box()
    assert box
    for x, y in places:
        page.mouse.click(box["x"] + x, box["y"] + y)
        page.wait_for_timeout(80)


def test_a_grid_is_counted_while_it_is_sized_compared_and_then_laid(opened, application, study):
    opened.keyboard.press("2")
    opened.get_by_role("radio", name="a grid of equal cells").click()
    lay = opened.get_by_role("button", name="Lay this grid").bounding_box()
    cells = opened.locator('[data-trial="cells"]')
    expect(cells).to_have_count(1)
    # What comes in moves no button from under the hand.
    assert opened.get_by_role("button", name="Lay this grid").bounding_box() == lay
    until(opened, lambda: like(opened, MADDER) > 500)
    settle(opened)
    before = figure(cells.first)
    opened.get_by_label("Larger").click()
    expect(cells.first).not_to_have_text(f"{before:,.0f}")
    settle(opened)
    assert figure(cells.first) < before
    opened.get_by_role("button", name="Hold it to compare").click()
    opened.get_by_label("Cells", exact=True).select_option("hexagon side")
    opened.get_by_label("Measured as").select_option("area")
    opened.get_by_label("Area", exact=True).fill("4")
    opened.get_by_label("Unit").select_option("km")
    opened.get_by_label("Area", exact=True).fill("4")
    settle(opened)
    expect(cells).to_have_count(2)
    many, empty, each = (figure(opened.locator(f'[data-trial="{n}"]').first) for n in ("cells", "empty", "events"))
    assert f"{many:,.0f} cells" in opened.locator('[data-figure="place"]').inner_text()
    expect(opened.get_by_test_id("tried")).to_contain_text(f"{many:,.0f} cells")
    opened.get_by_role("button", name="Lay this grid").click()
    settle(opened)
    laid = areas_of(application, study)
    assert len(laid) == many
    occupied = [c["numerator"] for c in laid if c["numerator"]]
    assert empty == pytest.approx(100 * (1 - len(occupied) / len(laid)), abs=0.51)
    assert each == pytest.approx(sum(occupied) / len(occupied), rel=0.01)
    assert {round(c["full_km2"], 6) for c in laid} == {4.0}
    assert laid[0]["identifier"].startswith("hexagon-side/laea 38 -40/0,0/2149.13")
    opened.get_by_label("Area", exact=True).fill("0.000001")
    expect(opened.get_by_text(re.compile("would be more than 2,000,000. Make them at least"))).to_be_visible()
    expect(opened.get_by_role("button", name="Lay this grid")).to_be_disabled()
    opened.get_by_label("Unit").select_option("m")
    opened.get_by_label("Area", exact=True).fill("8000")
    expect(opened.get_by_text(re.compile("share their place with others"))).to_be_visible()


def test_overlapping_zones_are_surveyed_counted_each_and_by_combination(opened, application, study):
    opened.keyboard.press("2")
    opened.get_by_role("radio", name="catchments").click()
    survey = opened.get_by_test_id("survey")
    survey.get_by_text("overlaps").click()
    survey.get_by_text(re.compile("share .* of the smaller")).first.click()
    expect(survey.get_by_role("img")).to_be_visible()
    settle(opened)
    each = ledger(application, study)
    expect(opened.locator('[data-figure="place"]')).to_contain_text(f"{each['placements']:,} placements")
    assert each["placements"] == sum(a["numerator"] for a in areas_of(application, study))
    opened.get_by_label("An event where zones overlap counts").select_option("combinations")
    expect(opened.locator('[data-figure="place"]')).not_to_contain_text("placements")
    settle(opened)
    combined = areas_of(application, study)
    assert sum(a["numerator"] for a in combined) == each["stages"][1]["records_out"]
    assert {"Harbour only", "North Road and Lagoon"} & {a["name"] for a in combined}
    expect(opened.get_by_label("Which rows")).to_contain_text(f"{len(combined)} areas")
    opened.keyboard.press("r")
    expect(opened.get_by_role("table", name="Areas")).to_contain_text(" and ")


def test_events_outside_are_shown_with_their_distance_and_drawn_in_within_a_tolerance(opened, application, study):
    opened.keyboard.press("2")
    sheet(opened, "unplaced")
    opened.get_by_role("button", name="Show them on the map and in the rows").click()
    outside = application.ask(f"{results_of(application, study)}/outside?rows=5000")
    rows = opened.get_by_role("table", name="Events in no area")
    expect(rows).to_have_attribute("aria-rowcount", str(outside["total"] + 1))
    until(opened, lambda: like(opened, MADDER) > 3 * outside["total"])
    near = next(w["events"] for w in outside["within"] if w["metres"] == 100)
    opened.get_by_label("Draw in those within … m").fill("-5")
    opened.keyboard.press("Enter")
    expect(opened.get_by_text("Give a number from 0 to 100,000.")).to_be_visible()
    opened.get_by_label("Draw in those within … m").fill("100")
    opened.keyboard.press("Enter")
    settle(opened)
    after = ledger(application, study)["stages"][1]
    assert after["ways"]["drawn in from outside"] == near > 0
    expect(opened.get_by_label("place sheet")).to_contain_text("drawn in from outside")
    expect(rows).to_have_attribute("aria-rowcount", str(outside["total"] + 1 - near))


def test_records_are_placed_by_what_they_state_and_the_label_is_checked_against_the_place(opened, application, study):
    before = ledger(application, study)["stages"]
    opened.keyboard.press("2")
    sheet(opened, "checks")
    opened.get_by_role("button", name="choose the column").click()
    opened.get_by_label("Its code or name stands in").select_option("ward")
    settle(opened)
    after = ledger(application, study)["stages"]
    stated = after[1]["ways"]["by stated area"]
    assert stated > 100
    assert after[1]["records_out"] == before[1]["records_out"] + stated
    place = opened.get_by_label("place sheet")
    place.get_by_role("button", name=re.compile("^it is ")).first.click()
    settle(opened)
    assert ledger(application, study)["plan"]["place"]["stated"]["accepted"]
    sheet(opened, "checks")
    check = application.ask(f"{results_of(application, study)}/labels")
    expect(opened.get_by_test_id("agreement")).to_have_text(
        f"{100 * check['agree'] / check['compared']:.1f} % of {check['compared']:,} agree"
    )
    table = opened.get_by_role("table", name="Stated and found")
    first = check["pairs"][0]
    expect(table.get_by_role("row").nth(1)).to_have_text(
        f"{first['stated']}{first['found'] or 'no area'}{first['events']:,}"
    )
    opened.get_by_role("button", name="by zone").click()
    expect(opened.get_by_role("table", name="Agreement by zone").get_by_role("row").nth(1)).to_contain_text(
        check["zones"][0]["zone"]
    )
    opened.get_by_role("button", name="Show those that disagree").click()
    disagree = sum(p["events"] for p in check["pairs"])
    rows = opened.get_by_role("table", name="Events in another area")
    expect(rows).to_have_attribute("aria-rowcount", str(min(disagree, 5_000) + 1))
    opened.get_by_label("Trust the record within … m").fill("50")
    opened.keyboard.press("Enter")
    settle(opened)
    near = next(w["events"] for w in check["within"] if w["metres"] == 50)
    placed = ledger(application, study)["stages"][1]
    unrecorded = sum(r["records"] for r in placed["set_aside"] if r["reason"] == "outside_recorded_area")
    unrecorded -= sum(r["records"] for r in after[1]["set_aside"] if r["reason"] == "outside_recorded_area")
    # Some state a ward in which nothing was recorded in their year.
    assert placed["ways"]["by stated area, near its border"] + unrecorded == near


def test_areas_are_left_out_by_a_click_a_column_and_an_outline_and_taken_in_again(opened, application, study):
    whole = ledger(application, study)["stages"][1]
    click_on_map(opened, (400, 220))
    card = opened.get_by_label("Area card")
    name = card.get_by_role("heading").inner_text()
    area = next(a for a in areas_of(application, study) if a["name"] == name)
    card.get_by_role("button", name="Leave it out").click()
    expect(opened.get_by_label("Break rail").get_by_text("excluded")).to_be_visible()
    settle(opened)
    left = next(a for a in areas_of(application, study) if a["name"] == name)
    assert (left["state"], left["value"]) == ("excluded", None)
    aside = {r["reason"]: r["records"] for r in ledger(application, study)["stages"][1]["set_aside"]}
    assert aside["in_excluded_area"] == area["numerator"] > 0
    opened.keyboard.press("2")
    sheet(opened, "counted")
    opened.get_by_label("Leave zones out by").select_option("district")
    opened.get_by_label("place sheet").get_by_text("District 9", exact=True).click()
    settle(opened)
    gone = [a for a in areas_of(application, study) if a["state"] == "excluded"]
    assert len([a for a in gone if a["identifier"].startswith("Q09")]) == len(gone) - (not left["identifier"].startswith("Q09"))  # fmt: skip  # noqa: E501
    opened.get_by_role("button", name="Draw around areas to leave out").click()
    opened.keyboard.press("Escape")
    opened.get_by_role("button", name="Draw around areas to leave out").click()
    click_on_map(opened, (330, 30), (640, 30), (640, 150), (330, 150))
    opened.get_by_role("button", name="Leave these areas out").click()

    def excluded() -> int:
        return sum(a["state"] == "excluded" for a in areas_of(application, study))

    until(opened, lambda: excluded() > len(gone))
    more = excluded()
    expect(opened.get_by_label("place sheet")).to_contain_text(f"{more} areas with")
    for _ in range(3):
        opened.get_by_role("button", name=re.compile("^Take “")).first.click()
        settle(opened)
    assert ledger(application, study)["stages"][1] == whole


def test_where_nothing_could_be_recorded_is_not_zero_on_the_map(opened, application, study):
    opened.keyboard.press("2")
    sheet(opened, "counted")
    opened.get_by_label("An event could be recorded").select_option("list")
    opened.get_by_label("Table", exact=True).select_option("recorded in 2021")
    opened.get_by_label("Column that lists the zones").select_option("ward_code")
    settle(opened)
    states = [a["state"] for a in areas_of(application, study)]
    assert states.count("not recorded") == 11
    expect(opened.get_by_label("place sheet")).to_contain_text("11 areas outside it: not recorded, which is not zero")
    opened.keyboard.press("2")
    expect(opened.get_by_text("not recorded")).to_be_visible()


def test_a_grid_covers_an_outline_drawn_on_the_map_whose_corners_can_be_moved(opened, application, study):
    opened.keyboard.press("2")
    opened.get_by_role("radio", name="a grid of equal cells").click()
    opened.get_by_label("It covers").select_option(label="an outline drawn on the map")
    click_on_map(opened, (400, 60), (560, 60), (560, 200), (400, 200))
    opened.get_by_role("button", name="Cover this").click()
    expect(opened.locator('[data-figure="show"]')).to_have_text("hexagons")
    settle(opened)
    first = ledger(application, study)
    drawn = first["plan"]["place"]["areas"]["cover"]["corners"]
    assert len(drawn) == 4
    covered = shapely.area(shapely.Polygon(drawn))
    assert sum(a["numerator"] for a in areas_of(application, study)) == first["stages"][1]["records_out"]
    opened.get_by_role("button", name="Move its corners").click()
    corner = opened.locator('[data-corner="2"]').bounding_box()
    assert corner
    opened.mouse.move(corner["x"] + 4, corner["y"] + 4)
    opened.mouse.down()
    opened.mouse.move(corner["x"] - 60, corner["y"] - 90, steps=4)
    opened.mouse.up()
    opened.get_by_role("button", name="Cover this").click()
    until(opened, lambda: ledger(application, study)["plan"]["place"]["areas"]["cover"]["corners"] != drawn)
    moved = ledger(application, study)["plan"]["place"]["areas"]["cover"]["corners"]
    assert shapely.area(shapely.Polygon(moved)) < 0.9 * covered
    still = [0, 1, 3]
    assert np.array(moved)[still] == pytest.approx(np.array(drawn)[still], abs=1e-6), "the other corners stay"


def test_an_outline_that_crosses_itself_is_refused_and_the_plan_stays(opened, application, study):
    before = ledger(application, study)["plan"]
    opened.keyboard.press("2")
    sheet(opened, "counted")
    opened.get_by_label("An event could be recorded").select_option("outline")
    opened.get_by_role("button", name="Draw it on the map").click()
    click_on_map(opened, (400, 60), (560, 200), (560, 60), (400, 200))
    opened.get_by_role("button", name="Events could be recorded here").click()
    expect(opened.get_by_role("alert")).to_contain_text("the outline crosses itself or has no inside near longitude")
    opened.get_by_role("alert").get_by_role("button", name="put away").click()
    expect(opened.get_by_role("alert")).to_have_count(0)
    assert ledger(application, study)["plan"] == before


def test_a_counted_table_without_coordinates_comes_in_by_its_units_names(page, application):
    begin(page, application, "Counted by ward")
    squares = [box(-40 + 0.1 * i, 38, 0.1, 0.1, ward=f"Ward {name}") for i, name in enumerate(("Ash", "Béech", "Elm"))]
    drop(page, "wards.geojson", json.dumps({"type": "FeatureCollection", "features": squares}).encode())
    page.get_by_role("button", name="Bring it in").click(timeout=30_000)
    own = next(s for s in application.ask("api/studies")["studies"] if s["name"] == "Counted by ward")
    until(page, lambda: application.ask(f"api/studies/{own['id']}/sources")["sources"])  # names are looked for in it
    drop(page, "cases.csv", b"unit,cases\nash,5\nBeech,0\nOakk,2\n")
    expect(page.get_by_role("button", name="Bring it in")).to_be_visible(timeout=30_000)
    page.get_by_label("What it is").select_option("counts")
    page.get_by_label("Number of events").select_option("cases")
    page.get_by_label("Where it was").select_option(label="in the area that the record states")
    expect(page.get_by_text("“unit” names areas of “wards” in 67 % of the rows")).to_be_visible(timeout=60_000)
    expect(page.get_by_label("The area's code or name stands in")).to_have_value("unit")
    page.get_by_label("The area's code or name stands in").select_option("unit")
    page.get_by_role("button", name="Bring it in").click()
    wait_for_still(page)
    expect(page.locator('[data-note="place"]')).to_contain_text("could be located")
    page.keyboard.press("2")
    page.get_by_label("Identifier").select_option("ward")
    settle(page)
    own = next(s for s in application.ask("api/studies")["studies"] if s["name"] == "Counted by ward")
    wanted = {"Ward Ash": (5, "a number"), "Ward Béech": (0, "a number"), "Ward Elm": (0, "not reported")}
    until(page, lambda: {a["name"]: (a["numerator"], a["state"]) for a in areas_of(application, own)} == wanted)
    sheet(page, "unplaced")
    expect(page.get_by_label("place sheet")).to_contain_text("Oakk")


def test_events_are_coloured_by_their_area_and_carry_its_columns_in_the_rows_and_the_file(opened, application, study):
    plain = like(opened, (246, 242, 233))
    opened.keyboard.press("2")
    sheet(opened, "checks")
    opened.get_by_label("show each event in the colour of its area").click()
    expect(opened.get_by_text(re.compile("events are drawn"))).to_be_visible()
    until(opened, lambda: like(opened, (246, 242, 233)) > plain + 20_000)
    opened.get_by_label("district").click()
    settle(opened)
    opened.get_by_role("button", name="the rows", exact=True).click()
    rows = opened.get_by_role("table", name="Placed events")
    expect(rows.get_by_role("row").first).to_contain_text("area: district")
    opened.get_by_label("Whose area has in").select_option("district")
    opened.get_by_label("The text").select_option("District 3")
    expect(opened.get_by_text(re.compile("^The first 5,000 of|^[0-9,]+ events$"))).to_be_visible()
    wanted = sum(a["numerator"] for a in areas_of(application, study) if a["identifier"].startswith("Q03"))
    file = opened.get_by_role("link", name="save as CSV")
    expect(file).to_have_attribute("href", re.compile("District"))
    with opened.expect_download() as download:
        file.click()
    lines = download.value.path().read_text(encoding="utf-8").splitlines()
    assert len(lines) == wanted + 1
    assert all("District 3" in line for line in lines[1:])


def test_zones_rolled_up_and_the_upper_level_drawn_over_the_lower(opened, application, study):
    opened.keyboard.press("2")
    ink = like(opened, (31, 41, 51))
    opened.get_by_label("Draw over the map the outlines of").select_option("district")
    until(opened, lambda: like(opened, (31, 41, 51)) > ink + 400)
    events = sum(a["numerator"] for a in areas_of(application, study))
    opened.get_by_label("Join zones that have the same").select_option("district")
    settle(opened)
    rolled = areas_of(application, study)
    assert [a["name"] for a in rolled] == [f"District {n}" for n in range(1, 10)]
    assert sum(a["numerator"] for a in rolled) == events


def test_areas_without_events_can_be_left_undrawn_and_nothing_else_changes(opened, application, study):
    opened.keyboard.press("2")
    opened.get_by_role("radio", name="a grid of equal cells").click()
    opened.get_by_label("Unit").select_option("m")
    opened.get_by_label("Width").fill("500")
    opened.get_by_role("button", name="Lay this grid").click()
    settle(opened)
    opened.keyboard.press("5")
    until(opened, lambda: like(opened, (237, 228, 204)) > 2_000)
    zero = like(opened, (237, 228, 204))
    before = ledger(application, study)
    opened.get_by_label("do not draw areas without events").click()
    until(opened, lambda: like(opened, (237, 228, 204)) < zero / 10)
    after = ledger(application, study)
    assert after["plan"]["show"].pop("hide_empty") is True
    assert before["plan"]["show"].pop("hide_empty") is False
    assert after == before


def test_far_off_islets_are_shown_apart_in_a_projection_of_their_own_and_can_be_pointed_at(opened, application, study):
    before = areas_of(application, study)
    inset = opened.get_by_test_id("inset")
    expect(inset).to_have_count(1)
    opened.keyboard.press("5")
    sheet(opened, "boxes")
    opened.get_by_role("button", name="take the box out").click()
    expect(inset).to_have_count(0)
    opened.get_by_role("button", name="Leave it so").click()
    opened.get_by_role("button", name="All of it").click()
    wait_for_still(opened)
    opened.get_by_role("button", name="Draw around areas to show apart").click()
    opened.keyboard.press("5")
    box = opened.get_by_test_id("map").bounding_box()
    assert box
    east, north = 0.93 * box["width"], 0.82 * box["height"]
    click_on_map(opened, (0.6 * east, 0.9 * north), (east + 40, 0.7 * north), (east + 40, north + 60), (0.6 * east, north + 60))  # fmt: skip  # noqa: E501
    opened.get_by_role("button", name="Show these areas apart").click()
    expect(inset).to_have_count(1)
    wait_for_still(opened)
    frame = inset.bounding_box()
    assert frame
    opened.mouse.click(frame["x"] + frame["width"] * 0.62, frame["y"] + frame["height"] * 0.45)
    name = opened.get_by_label("Area card").get_by_role("heading").inner_text()
    opened.get_by_label("Close the card").click()
    opened.keyboard.press("5")
    sheet(opened, "boxes")
    opened.get_by_label("in a projection of its own").click()
    settle(opened)
    expect(inset).to_have_attribute("title", re.compile("Equal areas on the map are equal areas on the ground"))
    assert areas_of(application, study) == before, "drawing changes no figure"
    assert name in {a["name"] for a in before}
    opened.keyboard.press("2")
    opened.get_by_role("radio", name="a grid of equal cells").click()
    opened.get_by_role("button", name="Lay this grid").click()
    settle(opened)
    opened.mouse.click(frame["x"] + frame["width"] * 0.62, frame["y"] + frame["height"] * 0.45)
    expect(opened.get_by_label("Area card").get_by_role("heading")).to_contain_text("cell")
    opened.get_by_label("Close the card").click()
    opened.keyboard.press("5")
    sheet(opened, "boxes")
    opened.get_by_role("button", name="take the box out").click()
    expect(inset).to_have_count(0)


def test_a_projection_that_does_not_keep_areas_says_so_and_an_unknown_one_is_refused(opened, application, study):
    opened.keyboard.press("2")
    expect(opened.get_by_text("Equal areas on the map are equal areas on the ground")).to_be_visible()
    opened.get_by_role("button", name="choose another projection").click()
    opened.get_by_label("Projection").fill("32624")
    opened.get_by_role("button", name="WGS 84 / UTM zone 24N EPSG:32624").click()
    settle(opened)
    expect(opened.get_by_text("This projection does not keep areas")).to_be_visible()
    opened.get_by_role("button", name="choose another projection").click()
    opened.get_by_role("button", name="give its text").click()
    opened.get_by_label("Text of the projection").press_sequentially("nonsense 1 2 r ")
    expect(opened.get_by_label("place sheet")).to_be_visible()
    opened.get_by_label("Text of the projection").fill("nonsense")
    opened.get_by_role("button", name="Use this text").click()
    expect(opened.get_by_role("alert").first).to_contain_text("there is no coordinate system “nonsense”")


def zone(ring: list[tuple[float, float]], **properties: object) -> dict:
    return {"type": "Feature", "properties": properties, "geometry": {"type": "Polygon", "coordinates": [ring]}}


def box(x: float, y: float, w: float, h: float, **properties: object) -> dict:
    return zone([(x, y), (x + w, y), (x + w, y + h), (x, y + h), (x, y)], **properties)


def test_an_ugly_file_of_zones_is_surveyed_and_one_that_does_not_meet_the_events_says_why(page, application):
    begin(page, application, "Ugly zones")
    features = [
        zone([(-40, 38), (-39.9, 38.1), (-39.9, 38), (-40, 38.1), (-40, 38)], code="bow"),
        box(-39.9, 38, 0.1, 0.1, code="a"),
        box(-39.8001, 38, 0.1, 0.1, code="b"),
        box(-39.6995, 38, 0.1, 0.1, code="a"),
        box(-39.55, 38, 1e-6, 1e-6, code="speck"),
    ]
    zones = json.dumps({"type": "FeatureCollection", "features": features}).encode()
    # The minus sign of the longitudes is lost.
    events = "id,lon,lat\n" + "".join(f"{i},{39.55 + 0.009 * i:.4f},38.05\n" for i in range(40))
    drop(page, "zones.geojson", zones)
    expect(page.get_by_role("button", name="Bring it in")).to_be_visible(timeout=30_000)
    page.get_by_role("button", name="Bring it in").click()
    drop(page, "events.csv", events.encode())
    expect(page.get_by_role("button", name="Bring it in")).to_be_visible(timeout=30_000)
    page.get_by_role("button", name="Bring it in").click()
    wait_for_still(page)
    expect(page.locator('[data-note="place"]')).to_have_text("no event lies in any area")
    page.keyboard.press("2")
    sheet(page, "unplaced")
    expect(page.get_by_label("place sheet")).to_contain_text("Perhaps their east coordinates have lost a minus sign")
    sheet(page, "areas")
    survey = page.get_by_test_id("survey")
    survey.get_by_text("invalid shapes, repaired").click()
    survey.get_by_text("its border crosses itself").click()
    expect(survey.get_by_role("img")).to_have_count(2)
    for kind in ("tiny", "overlaps", "narrow gaps between neighbours"):
        expect(survey).to_contain_text(kind)
    page.get_by_label("Identifier").select_option("code")
    expect(page.get_by_role("alert")).to_contain_text("repeats “a”. Choose a column in which every area has its own")
    expect(survey).to_contain_text("invalid shapes, repaired")
