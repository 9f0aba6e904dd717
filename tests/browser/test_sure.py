"""Small numbers, fair comparison and what may be shown, done on the demo study as an analyst would."""

import csv
import io
import re

import numpy as np
from playwright.sync_api import Page, expect

from tests.plans import results_of

from .conftest import wait_for_still
from .test_slice import areas_of, opened, study  # noqa: F401  fixtures


def sheet(page: Page):
    return page.get_by_label("measure sheet")


def fold(page: Page, title: str):
    """Open a fold under the sum."""
    head = sheet(page).get_by_text(title, exact=True)
    head.scroll_into_view_if_needed()
    head.click()
    return sheet(page)


def view_of(application, study):  # noqa: F811
    return application.ask(f"{results_of(application, study)}/view")


def test_figures_of_few_events_are_marked_drawn_and_looked_at_in_a_funnel(opened, application, study):  # noqa: F811
    opened.keyboard.press("3")
    fold(opened, "How sure is it?")
    expect(sheet(opened).get_by_text("Areas whose figure may be chance are dotted: 0 areas.")).to_be_visible()
    sheet(opened).get_by_role("checkbox", name="fewer events than").click()
    wait_for_still(opened)
    least = sheet(opened).get_by_role("textbox", name="fewer events than")
    least.fill("none")
    least.blur()
    expect(sheet(opened).get_by_role("alert")).to_have_text("Give a whole number from 1 to 10,000.")
    least.fill("100")
    least.press("Enter")
    wait_for_still(opened)
    few = sum(a["state"] == "a number" and a["numerator"] < 100 for a in areas_of(application, study))
    assert few > 5
    expect(opened.get_by_text(f"are dotted: {few} areas.")).to_be_visible()

    before = {a["identifier"]: a["value"] for a in areas_of(application, study)}
    sheet(opened).get_by_role("radio", name="towards its neighbours’").click()
    wait_for_still(opened)
    after = {a["identifier"]: a["value"] for a in areas_of(application, study)}
    known = [k for k, v in before.items() if v is not None]
    assert np.std([after[k] for k in known]) < np.std([before[k] for k in known])
    expect(sheet(opened).get_by_text("neighbours on average")).to_be_visible()
    sheet(opened).get_by_label("Neighbours are areas").select_option("nearest")
    wait_for_still(opened)
    expect(sheet(opened).get_by_text("and each has one.")).to_be_visible()

    fold(opened, "The funnel")
    chart = sheet(opened).get_by_role("img", name="Funnel")
    chart.scroll_into_view_if_needed()
    points = chart.bounding_box()
    assert points
    # Somewhere on the chart lies a dot: moving over it lights its area up, and a click opens its card.
    for x, y in ((x, y) for y in range(20, 250, 12) for x in range(60, 380, 16)):
        opened.mouse.move(points["x"] + x, points["y"] + y)
        if opened.get_by_test_id("hovered").count():
            opened.mouse.click(points["x"] + x, points["y"] + y)
            break
    card = opened.get_by_label("Area card")
    expect(card.get_by_text("as counted")).to_be_visible()
    expect(card.get_by_text(re.compile("drawn towards their neighbours")).first).to_be_visible()


def test_wards_are_standardised_and_those_above_the_county_stand_out_after_correction(opened, application, study):  # noqa: F811
    opened.keyboard.press("3")
    fold(opened, "Made comparable")
    sheet(opened).get_by_role("radio", name="the rate with the people of a standard").click()
    wait_for_still(opened)
    expect(opened.get_by_text(re.compile("standardised by Sex and Age group")).first).to_be_visible()
    expect(sheet(opened).get_by_label("“Age group” is, of the events")).to_have_value("age")
    rows = areas_of(application, study)
    changed = sorted((a for a in rows if a["value"]), key=lambda a: -abs(a["value"] / a["as_counted"] - 1))[:3]
    assert all(abs(a["value"] / a["as_counted"] - 1) > 0.03 for a in changed)

    sheet(opened).get_by_label("Each area is set against").select_option("all")
    wait_for_still(opened)
    against = view_of(application, study)["against"]
    assert against["corrected"] is True
    assert against["higher"] >= 5
    told = sheet(opened).get_by_text(re.compile(rf"{against['lower']} areas are lower than all areas together"))
    expect(told).to_be_visible()
    sheet(opened).get_by_text("colour the map by these three").click()
    wait_for_still(opened)
    expect(opened.get_by_text("clearly above all areas together").first).to_be_visible()
    bands = {b["text"]: b["areas"] for b in view_of(application, study)["bands"]}
    assert bands["clearly above all areas together"] == against["higher"]
    sheet(opened).get_by_label("In common").select_option("district")
    expect(sheet(opened).get_by_text("District 9")).to_be_visible()


def test_what_a_release_rule_hides_is_found_neither_on_screen_nor_in_what_is_handed_on(opened, application, study):  # noqa: F811
    before = {a["identifier"]: a for a in areas_of(application, study)}
    least = sorted(a["numerator"] for a in before.values() if a["value"])[6]
    opened.keyboard.press("3")
    fold(opened, "What may be shown")
    expect(sheet(opened).get_by_text("Nothing is held back.")).to_be_visible()
    sheet(opened).get_by_text("hide areas with fewer than 5 events").click()
    wait_for_still(opened)
    expect(sheet(opened).get_by_text(re.compile("hides no area|hides .* areas"))).to_be_visible()
    field = sheet(opened).get_by_label("Fewest events shown")
    field.fill(str(least))
    field.press("Enter")
    wait_for_still(opened)
    expect(sheet(opened).get_by_text(re.compile("“small counts” hides [0-9]+ of 118 areas"))).to_be_visible()
    hidden = [a["identifier"] for a in areas_of(application, study) if a["state"] == "suppressed"]
    assert {i for i, a in before.items() if a["value"] and a["numerator"] < least} <= set(hidden)

    opened.get_by_role("button", name="Close the sheet").click()
    opened.get_by_role("button", name="raise the rows").click()
    with opened.expect_download() as saving:
        opened.get_by_role("button", name="save these rows as CSV").click()
    table = list(csv.reader(io.StringIO(saving.value.path().read_text(encoding="utf-8"))))
    of_hidden = [row for row in table if row[0] in hidden]
    assert len(of_hidden) == len(hidden)
    for row in of_hidden:
        assert "suppressed" in row
        assert str(before[row[0]]["numerator"]) not in row[2:4]
    opened.get_by_role("button", name=re.compile("set aside$")).last.click()
    expect(opened.get_by_role("link", name="save as CSV")).to_have_count(0)
    opened.get_by_role("button", name="118 areas").click()
    name = before[hidden[0]]["name"]
    row = opened.get_by_role("row", name=re.compile(re.escape(hidden[0])))
    opened.get_by_role("row").nth(3).hover()
    for _ in range(40):  # what has no number stands last
        if row.count():
            break
        opened.mouse.wheel(0, 200)
        opened.wait_for_timeout(60)
    row.click()
    card = opened.get_by_label("Area card")
    expect(card.get_by_role("heading", name=name)).to_be_visible()
    expect(card.get_by_text("Hidden by the release rule “small counts”.")).to_be_visible()
    assert str(before[hidden[0]]["numerator"]) not in card.inner_text().split()
