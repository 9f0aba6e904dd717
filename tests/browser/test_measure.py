"""What does not fit together in the sum is said on screen, and what the rows of a table mean is asked."""

import json

from playwright.sync_api import Page, expect

from tests.plans import results_of

from .conftest import term, wait_for_still
from .test_gather import begin, drop
from .test_gather_more import bring
from .test_slice import areas_of, opened, study  # noqa: F401  fixtures

MADDER = "rgb(168, 50, 45)"


def zones(*codes: str) -> bytes:
    features = []
    for i, code in enumerate(codes):
        west = -40.2 + 0.2 * i
        ring = [[west, 37.9], [west + 0.2, 37.9], [west + 0.2, 38.1], [west, 38.1], [west, 37.9]]
        geometry = {"type": "Polygon", "coordinates": [ring]}
        features.append({"type": "Feature", "properties": {"code": code}, "geometry": geometry})
    return json.dumps({"type": "FeatureCollection", "features": features}).encode()


def events(n: int) -> bytes:
    return ("lon,lat,id\n" + "".join(f"{-40.19 + i * 0.39 / n:.4f},38.0,k{i}\n" for i in range(n))).encode()


def mapped(page: Page, application, name: str, people: str) -> None:
    begin(page, application, name)
    bring(page, "zones.geojson", zones("A1", "B2"))
    bring(page, "people.csv", people.encode())
    bring(page, "calls.csv", events(20))
    wait_for_still(page)
    page.keyboard.press("3")


def test_a_filter_that_residents_do_not_follow_stands_in_madder_until_they_do(opened, application, study):  # noqa: F811
    opened.keyboard.press("1")
    opened.get_by_label("Part of the sheet").get_by_role("button", name="filter").click()
    opened.get_by_role("checkbox", name="female").first.click()
    note = opened.locator('[data-note="measure"]')
    opened.keyboard.press("1")
    opened.keyboard.press("3")
    women = opened.get_by_text("residents, Sex: female, mean of 2021 to 2025")
    expect(women).to_be_visible()
    wait_for_still(opened)
    of_women = sum(a["denominator"] or 0 for a in areas_of(application, study))
    opened.locator('[data-slot="under"]').click()
    opened.get_by_label("follow the filters of the events").click()
    expect(note).to_have_text("divided by all residents!")
    expect(note).to_have_css("color", MADDER)
    says = opened.get_by_text("leaves out events, but they are still divided by all residents")
    expect(says).to_have_css("color", MADDER)
    wait_for_still(opened)
    of_all = sum(a["denominator"] or 0 for a in areas_of(application, study))
    assert 0.45 * of_all < of_women < 0.55 * of_all
    opened.get_by_role("button", name="divide by residents of the same group").click()
    expect(note).to_have_text("per 10,000 residents and summer")
    expect(says).to_have_count(0)
    wait_for_still(opened)
    assert sum(a["denominator"] or 0 for a in areas_of(application, study)) == of_women


def test_what_the_rows_of_one_area_mean_is_proposed_shown_and_changed(page, application):
    rows = [(c, s, y, n) for c, n in (("A1", 100), ("B2", 300)) for s in ("f", "m") for y in (2023, 2024)]
    mapped(page, application, "Rows", "code,sex,year,people\n" + "".join(f"{','.join(map(str, r))}\n" for r in rows))
    sheet = page.get_by_label("measure sheet")
    term(page, "under", "residents, from “people”")
    page.locator('[data-slot="under"]').click()
    rows = sheet.get_by_text("Rows of “people” for one area are added up over “sex”, taken by the year in “year”.")
    expect(rows).to_be_visible()
    figure = page.locator('[data-figure="measure"]')
    expect(figure).to_have_text("25.0")  # 20 events / (2 x 100 + 2 x 300) x 1,000
    expect(sheet).to_contain_text("Nothing says in which years events were recorded")
    rows.click()
    sheet.get_by_label("Rows that differ in “year” are").select_option("added")
    expect(figure).to_have_text("12.5")
    sheet.get_by_label("Rows that differ in “sex” are").select_option("")
    expect(sheet.get_by_text("nothing says that they may be added").first).to_be_visible()
    expect(sheet).to_contain_text("The sum stays as it was")
    expect(figure).to_have_text("12.5")


def test_numbers_that_can_be_read_in_two_ways_are_asked_about(page, application):
    mapped(page, application, "Two ways", "code,people\nA1,1.200\nB2,2.800\n")
    sheet = page.get_by_label("measure sheet")
    before = page.locator('[data-figure="measure"]').inner_text()
    page.locator('[data-slot="under"]').click()
    page.get_by_role("radio", name="residents, from “people”").click()
    expect(sheet).to_contain_text("“1.200” can be read as 1.2 and as 1,200")
    expect(page.locator('[data-figure="measure"]')).to_have_text(before)
    sheet.get_by_label("The decimal sign is the").select_option(",")
    expect(sheet.locator('[data-amount="under"]')).to_have_text("4,000")


def test_the_encoding_that_was_guessed_is_said_and_can_be_changed(page, application):
    begin(page, application, "Letters")
    drop(page, "calls.csv", "id,place,lon,lat\n1,Łódź,-40,38\n2,Świdnica,-40,38.01\n".encode("cp1250"))
    dialog = page.get_by_role("dialog", name="Bring files in")
    expect(dialog).to_contain_text("read as Central European (cp1250) by its letters, as in Łódź, Świdnica")
    dialog.get_by_text("How the file is written").click()
    dialog.get_by_label("Encoding").select_option("cp1251")
    expect(dialog.get_by_text("Јуdџ")).to_be_visible()
    expect(dialog).not_to_contain_text("by its letters")


def test_a_plan_whose_rate_cannot_be_worked_out_opens_with_counts_and_says_why(page, application):
    mapped(page, application, "Older", "code,people\nA1,1.200\nB2,2.800\n")
    page.locator('[data-slot="under"]').click()
    page.get_by_role("radio", name="residents, from “people”").click()
    page.get_by_label("The decimal sign is the").select_option(",")
    expect(page.locator('[data-amount="under"]')).to_have_text("4,000")
    older = next(s for s in application.ask("api/studies")["studies"] if s["name"] == "Older")
    # Next month's table has two rows for one area.
    bring_again = "code,people\nA1,1.200\nA1,1.300\nB2,2.800\n"
    drop(page, "people.csv", bring_again.encode())
    page.get_by_label("Beside the others, or in the place of one").select_option("people")
    page.get_by_role("button", name="Let it take the place of “people”").click()
    expect(page.get_by_role("dialog", name="Bring files in")).to_have_count(0, timeout=30_000)
    page.reload()
    wait_for_still(page)
    note = page.locator('[data-note="measure"]')
    expect(note).to_have_text("a question is open")
    expect(note).to_have_css("color", MADDER)
    expect(page.locator('[data-figure="measure"]')).to_have_text("20 events")
    page.keyboard.press("3")
    expect(page.get_by_label("measure sheet")).to_contain_text("area “A1” has lines 2, 3")
    (only,) = application.ask(f"{results_of(application, older)}/view")["terms"]
    assert (only["role"], only["noun"], only["figure"]) == ("counted", "events", 20.0)
