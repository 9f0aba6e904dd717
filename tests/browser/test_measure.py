"""What does not fit together in the sum is said on screen, and what the rows of a table mean is asked."""

import csv
import json
import re
from collections import Counter
from statistics import median

import pytest
from playwright.sync_api import Page, expect

from tests.plans import results_of

from .conftest import expect_classes, term, wait_for_still
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
    mapped(page, application, "Two ways", "code,jobs\nA1,1.200\nB2,2.800\n")
    sheet = page.get_by_label("measure sheet")
    before = page.locator('[data-figure="measure"]').inner_text()
    page.locator('[data-slot="under"]').click()
    page.get_by_text("or another figure").click()
    page.get_by_role("radio", name="jobs, from “people”").click()
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
    # People are whole: which sign is which is not asked of them.
    page.get_by_role("radio", name="residents, from “people”").click()
    expect(page.locator('[data-amount="under"]')).to_have_text("4,000")
    older = next(s for s in application.ask("api/studies")["studies"] if s["name"] == "Older")
    # Next month's table has two rows for one area.
    bring_again = "code,people\nA1,1.200\nA1,1.300\nB2,2.800\n"
    drop(page, "people.csv", bring_again.encode())
    page.get_by_role("button", name="Put it in its place").click()
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


WARDS = ["Saint Orla", "Tarnholt", "Wenwyke", "Garrwyke", "Old Ostgarth", "Lysgarth", "Thorlnaze"]
SPELT = ["St. Orla", "Tarnholt", "Wenwyk", "Garrwyke", "Ostgarth Old", "Lysgarht", "Elsewhere"]


def named_zones() -> bytes:
    features = []
    for i, name in enumerate(WARDS):
        west, south = -40.2 + 0.1 * (i % 3), 37.9 + 0.08 * (i // 3)
        ring = [[west, south], [west + 0.1, south], [west + 0.1, south + 0.08], [west, south + 0.08], [west, south]]
        properties = {"code": f"Z{i:02d}", "name": name, "price": 100 * i + 7}
        geometry = {"type": "Polygon", "coordinates": [ring]}
        features.append({"type": "Feature", "properties": properties, "geometry": geometry})
    return json.dumps({"type": "FeatureCollection", "features": features}).encode()


def test_zones_and_a_table_make_a_study_without_events_and_spellings_are_paired(page, application):
    begin(page, application, "Prices")
    bring(page, "wards.geojson", named_zones())
    people = "ward,residents 2021,residents 2022\n" + "".join(
        f"{n},{1000 + i},{2000 + i}\n" for i, n in enumerate(SPELT)
    )
    bring(page, "people.csv", people.encode())
    page.get_by_role("button", name="Map “wards” without events").click()
    wait_for_still(page)
    expect(page.locator('[data-figure="gather"]')).to_have_text("no events")
    prices = next(s for s in application.ask("api/studies")["studies"] if s["name"] == "Prices")
    page.keyboard.press("3")
    sheet = page.get_by_label("measure sheet")
    counted = page.locator('[data-amount="counted"]')
    mean = [1500 + i for i in range(len(SPELT))]
    expect(counted).to_have_text(f"{mean[1] + mean[3]:,}")
    page.locator('[data-slot="counted"]').click()
    expect(sheet).to_contain_text("“Wenwyk” is Wenwyke?")
    lost = sheet.get_by_text("in rows that match no area").locator("..")
    expect(lost).to_contain_text(f"{sum(mean) - mean[1] - mean[3]:,}")
    sheet.get_by_role("button", name="Accept 2").click()  # alike by 90 %
    expect(counted).to_have_text(f"{mean[1] + mean[3] + mean[2] + mean[4]:,}")
    sheet.get_by_text("“St. Orla” is Saint Orla?").locator("..").get_by_role("button", name="yes").click()
    expect(counted).to_have_text(f"{sum(mean[:5]):,}")
    # By hand, and taken back.
    sheet.get_by_text("1 spelling like no area that is left").click()
    sheet.get_by_role("button", name="pair", exact=True).click()
    sheet.get_by_role("combobox", name="Area", exact=True).select_option("Z06")
    expect(counted).to_have_text(f"{sum(mean[:5]) + mean[6]:,}")
    sheet.get_by_text("4 pairs by your word").click()
    sheet.get_by_text("“Elsewhere” is Thorlnaze").locator("..").get_by_role("button", name="undo").click()
    expect(counted).to_have_text(f"{sum(mean[:5]):,}")
    wait_for_still(page)
    rows = areas_of(application, prices)
    assert [r["state"] for r in rows] == ["a number"] * 5 + ["not reported"] * 2
    term(page, "under", "the ground")
    expect(page.get_by_test_id("result")).to_contain_text("residents per km²")
    page.keyboard.press("r")
    expect(page.get_by_role("table", name="Areas")).to_contain_text("Saint Orla")


def test_a_second_measure_stands_beside_the_first_with_its_own_classes(opened, application, study):  # noqa: F811
    opened.keyboard.press("3")
    opened.get_by_role("button", name="another beside it").click()
    expect(opened.get_by_role("radio", name="call-outs per 10,000 residents and summer (2)")).to_be_checked()
    wait_for_still(opened)
    term(opened, "counted", "bicycle thefts: how many", exact=True)
    expect(opened.get_by_role("radio", name=re.compile("^bicycle thefts per [\\d,]+ residents$"))).to_be_checked()
    opened.keyboard.press("3")
    opened.keyboard.press("4")
    opened.get_by_label("One class more").click()
    expect(opened.locator("[data-band]")).to_have_count(6)
    opened.keyboard.press("4")
    opened.keyboard.press("3")
    opened.get_by_role("radio", name="call-outs per 10,000 residents and summer", exact=True).click()
    expect(opened.locator("[data-band]")).to_have_count(5)
    wait_for_still(opened)
    opened.keyboard.press("r")
    head = opened.get_by_role("table", name="Areas").get_by_role("row").first
    expect(head).to_contain_text(re.compile("bicycle thefts per [\\d,]+ residents"))
    expect(head).to_contain_text("bicycle thefts per km²")
    opened.keyboard.press("r")
    opened.keyboard.press("3")
    wait_for_still(opened)
    box = opened.get_by_test_id("map").bounding_box()
    opened.mouse.click(box["x"] + box["width"] * 0.42, box["y"] + box["height"] * 0.35)
    expect(opened.get_by_label("Area card")).to_contain_text("bicycle thefts per km²")


def test_the_mean_loss_and_thefts_per_call_outs_are_two_choices_away(opened, application, study):  # noqa: F811
    with (application.data / "demo" / "bicycle-thefts.csv").open() as file:
        losses = [float(r["loss"]) for r in csv.DictReader(file) if r["loss"]]
    opened.keyboard.press("3")
    term(opened, "under", "nothing", exact=True)
    opened.locator('[data-slot="counted"]').click()
    opened.get_by_role("radio", name="bicycle thefts: a figure of theirs").click()
    opened.get_by_label("take the").select_option("mean")
    expect(opened.get_by_test_id("result")).to_contain_text("mean loss")
    opened.locator('[data-slot="counted"]').click()
    wait_for_still(opened)
    total = application.ask(f"{results_of(application, study)}/view")["total_value"]
    assert total == pytest.approx(sum(losses) / len(losses), rel=0.02)
    term(opened, "counted", "bicycle thefts: how many", exact=True)
    term(opened, "under", "call-outs: how many", exact=True)
    expect(opened.get_by_test_id("result")).to_contain_text("bicycle thefts per")
    view = application.ask(f"{results_of(application, study)}/view")
    over, under = (t["figure"] for t in view["terms"])
    assert view["total_value"] == pytest.approx(over / under * view["per"])
    low, high = view["total_interval"]
    assert low < view["total_value"] < high


def test_a_formula_completes_its_words_points_at_a_mistake_and_is_mapped(opened, application, study):  # noqa: F811
    opened.keyboard.press("3")
    opened.get_by_text("or by a formula").click()
    field = opened.get_by_label("Formula", exact=True)
    expect(field).to_have_value("call_outs / residents / windows * 10000")
    field.fill("round(events / residnts, 2)")
    alert = opened.get_by_label("The formula").get_by_role("alert")
    expect(alert).to_contain_text("nothing is called “residnts”. Is “residents” meant?")
    expect(alert.locator("mark")).to_have_text("residnts")
    field.fill("round(events / area_k")
    opened.keyboard.press("Tab")
    opened.keyboard.type(", 2)")
    expect(field).to_have_value("round(events / area_km2, 2)")
    expect(opened.get_by_test_id("formula value")).to_contain_text("events per km² all areas")
    opened.get_by_role("button", name="Map it").click()
    expect(opened.locator('[data-note="measure"]')).to_have_text("round(events / area_km2, 2)")
    wait_for_still(opened)
    view = application.ask(f"{results_of(application, study)}/view")
    assert [n["name"] for n in view["named"]] == ["events", "area_km2"]
    for area in areas_of(application, study)[:20]:
        assert area["value"] == pytest.approx(round(area["value"], 2), abs=1e-9)
    # Of roots there is no figure of all areas together: the middle area's is told.
    field.fill("sqrt(events)")
    expect(opened.get_by_test_id("formula value")).to_contain_text("the middle area")
    opened.get_by_role("button", name="Map it").click()
    expect(opened.locator('[data-note="measure"]')).to_have_text("sqrt(events)")
    wait_for_still(opened)
    view, areas = application.ask(f"{results_of(application, study)}/view"), areas_of(application, study)
    middle = median(a["value"] for a in areas if a["value"] is not None)
    assert view["total_value"] is None
    assert view["middle_area"] == middle
    expect(opened.locator('[data-figure="measure"]')).to_contain_text(f"{middle:.3g}")
    opened.get_by_role("button", name="or a sum of terms again").click()
    expect(opened.get_by_test_id("result")).to_contain_text("events per km² and summer")


def test_areas_are_mapped_by_the_commonest_kind_of_their_events_and_by_a_word_of_their_own(opened, application, study):  # noqa: F811
    opened.keyboard.press("3")
    term(opened, "counted", "call-outs: their commonest kind")
    opened.locator('[data-slot="counted"]').click()
    opened.get_by_label("Their kinds stand in").select_option("kind")
    rail = opened.get_by_label("Break rail")
    expect(rail).to_contain_text("commonest kind")
    expect(opened.locator('[data-figure="measure"]')).to_have_text("heat exhaustion")
    wait_for_still(opened)
    rows = areas_of(application, study)
    kinds = Counter(r["value"] for r in rows if r["value"])
    bands = rail.locator("[data-band]")
    assert [b.split("\n")[:2] for b in bands.all_inner_texts()] == [[k, str(n)] for k, n in kinds.most_common()]
    with opened.expect_download() as saved:
        opened.keyboard.press("r")
        opened.get_by_text("save areas by kind as CSV").click()
    found = list(csv.DictReader(saved.value.path().read_text(encoding="utf-8").splitlines()))
    for area, row in zip(found, rows, strict=True):
        counts = {n.removeprefix("events: "): int(v) for n, v in area.items() if n.startswith("events: ")}
        assert sum(counts.values()) == row["numerator"]
        assert max(counts, key=counts.__getitem__) == row["value"]
    table = opened.get_by_role("table", name="Areas")
    expect(table).to_contain_text("heat stroke")
    opened.keyboard.press("r")
    sheet = opened.get_by_label("measure sheet")
    sheet.get_by_text("or a word that a table says of each area").click()
    sheet.get_by_role("radio", name="district, from “wards”").click()
    wait_for_still(opened)
    expect(bands).to_have_count(9)
    opened.keyboard.press("4")
    for left in (7, 6):
        opened.get_by_role("button", name="One kind fewer").click()
        expect(opened.get_by_label("Number of kinds")).to_have_text(str(left))
    expect(bands.last).to_contain_text("3 others")
    opened.keyboard.press("3")
    term(opened, "counted", "call-outs: how many", exact=True)
    expect(rail).to_contain_text("events")
    expect_classes(opened, 5, "the same number in each quantile")
