"""What is refused says how it is mended, and the control that mends it is there: each is pressed."""

import re

from playwright.sync_api import Page, expect

from tests.plans import results_of

from .conftest import wait_for_still
from .test_class import changed
from .test_gather import begin, drop
from .test_place import until
from .test_show import sheet
from .test_slice import opened, study  # noqa: F401  fixtures


def head_of(application, study) -> str:  # noqa: F811
    return str(application.ask(f"api/studies/{study['id']}")["head_id"])


def refused(page: Page, says: str):
    alert = page.get_by_role("alert").filter(has_text=re.compile(says))
    expect(alert).to_have_count(1)
    return alert


def test_an_identifier_that_repeats_is_refused_and_another_is_chosen_in_the_field_below(opened, application, study):  # noqa: F811
    before = head_of(application, study)
    opened.keyboard.press("2")
    field = opened.get_by_label("place sheet").get_by_label("Identifier")
    field.select_option("district")
    alert = refused(opened, "“district” repeats .* Choose a column in which every area has its own value, or none")
    expect(field).to_have_value("code")
    assert head_of(application, study) == before
    # By names, pairs that were made by codes belong to nothing: that is said, and they are one press away.
    field.select_option("name")
    alert = refused(opened, "is the area “Q0814” by your word, and there is no area “Q0814”. Take that pair out")
    alert.get_by_role("button", name="Open Measure").click()
    opened.locator('[data-slot="under"]').click()
    measure = opened.get_by_label("measure sheet")
    measure.get_by_text("How rows find their areas").click()
    for left in (3, 2, 1, 0):
        pairs = measure.locator("details").filter(has_text=re.compile("pairs? by your word")).last
        pairs.locator("summary").click()
        pairs.get_by_role("button", name="undo").first.click()
        expect(measure.get_by_text(re.compile(f"^{left} pairs? by your word"))).to_have_count(min(left, 1))
        wait_for_still(opened)
    opened.keyboard.press("2")
    field.select_option("name")
    until(opened, lambda: head_of(application, study) != before)
    wait_for_still(opened)
    areas = application.ask(f"{results_of(application, study)}/view")["plan"]["place"]["areas"]
    assert areas["identifier"] == "name"


def test_a_projection_that_there_is_not_is_said_and_one_by_its_name_is_chosen(opened, application, study):  # noqa: F811
    opened.keyboard.press("2")
    place = opened.get_by_label("place sheet")
    place.get_by_role("button", name="choose another projection").click()
    place.get_by_label("Projection").fill("99999")
    alert = refused(opened, "No coordinate system is called “99999”. Try its number, or a part of its name")
    place.get_by_label("Projection").fill("32624")
    expect(alert).to_have_count(0)
    place.get_by_role("button", name=re.compile("EPSG:32624")).click()
    expect(place).to_contain_text("UTM zone 24N")
    view = lambda: application.ask(f"{results_of(application, study)}/view")  # noqa: E731
    until(opened, lambda: view()["plan"]["place"]["projection"]["system"] == "EPSG:32624")


def test_cells_that_are_too_many_are_refused_and_laid_as_wide_as_is_said(opened):  # noqa: F811
    opened.keyboard.press("2")
    place = opened.get_by_label("place sheet")
    place.get_by_role("radio", name="a grid of equal cells").click()
    place.get_by_label("Width").fill("0.002")
    alert = refused(opened, "cells 2 m wide would be more than 2,000,000")
    least = re.search(r"at least ([\d.]+) (k?m) wide", alert.inner_text())
    place.get_by_label("Unit").select_option(least[2])
    place.get_by_label("Width").fill(str(float(least[1]) * 40))
    expect(alert).to_have_count(0)
    place.get_by_role("button", name="Lay this grid").click()
    wait_for_still(opened)
    expect(opened.locator('[data-figure="show"]')).to_have_text("hexagons")


def test_classes_that_cannot_hold_zero_are_refused_and_zero_set_apart(opened, application, study):  # noqa: F811
    measure = application.ask(f"api/studies/{study['id']}/plans/{head_of(application, study)}/view")["measure"]
    changed(
        application,
        study,
        lambda plan: (
            plan["place"].update(areas={"kind": "grid", "size": 900, "cover": {"source": "wards"}}),
            plan["measure"].update(
                {measure: {"kind": "quotient", "numerator": {"kind": "events", "events": "call-outs"}}}
            ),
            plan["class"].update({measure: {"method": "quantile", "count": 5, "zero": "classed"}}),
        ),
    )
    opened.reload()
    wait_for_still(opened)
    opened.keyboard.press("4")
    classes = opened.get_by_label("class sheet")
    classes.get_by_role("radio", name="growing widths").click()
    alert = refused(opened, "not above zero. Let zero stand apart, or choose another method")
    classes.get_by_label("zero stands apart").check()
    expect(alert).to_have_count(0)
    classes.get_by_role("radio", name="growing widths").click()
    expect(opened.locator('[data-note="class"]')).to_contain_text("growing widths")


def test_a_file_in_use_is_not_taken_out_and_the_stage_that_uses_it_is_one_press_away(opened):  # noqa: F811
    opened.keyboard.press("1")
    sheet_of_files = opened.get_by_label("gather sheet")
    sheet(opened, "files")
    row = sheet_of_files.locator("details").filter(has_text="residents").first
    row.locator("summary").click()
    row.get_by_role("button", name="take this source out").click()
    row.get_by_role("button", name="take it out", exact=True).click()
    alert = refused(opened, "the open plan needs “residents”. Take something else for it there first")
    alert.get_by_role("button", name="Open Measure").click()
    expect(opened.get_by_label("measure sheet")).to_be_visible()


def test_a_file_whose_quotes_never_end_is_read_by_another_delimiter_beside_the_sentence(page, application):
    begin(page, application, "Quotes")
    rows = "".join(f"e{i},{-40 + i / 1000:.3f},38.0,plain\n" for i in range(200))
    drop(page, "open.csv", f'id,lon,lat,word\n{rows}x,-40,38,"open\n{rows}'.encode())
    alert = page.get_by_role("alert").filter(has_text="Mend its quotes, or choose another delimiter")
    expect(alert).to_be_visible(timeout=30_000)
    ways = page.get_by_role("region", name="How the file is written")
    # One that does not help is said, too, and stays chosen.
    ways.get_by_label("Encoding").select_option("cp1252")
    expect(alert).to_be_visible(timeout=30_000)
    expect(ways.get_by_label("Encoding")).to_have_value("cp1252")
    ways.get_by_label("Between the fields stands a").select_option("|")
    expect(alert).to_have_count(0)
    expect(page.get_by_text("401 rows, 1 column")).to_be_visible(timeout=30_000)


def test_a_delimiter_that_parts_nothing_is_exchanged_on_the_page_of_a_file_that_could_not_be_read(page, application):
    begin(page, application, "Parted")
    quoted = "id;lon;lat;word\n" + "".join(f'e{i};-40.{i:03d};38;"a ""b"" c"\n' for i in range(300))
    drop(page, "parted.csv", quoted.encode())
    expect(page.get_by_role("button", name="Bring it in")).to_be_enabled(timeout=30_000)
    page.get_by_text("How the file is written").click()
    page.get_by_label("Between the fields stands a").select_option(",")
    # Read so it has one column alone: that is said, and what was chosen can be chosen otherwise where it stands.
    expect(page.get_by_role("button", name="Bring it in")).to_be_disabled(timeout=30_000)
    page.get_by_label("Between the fields stands a").select_option(";")
    expect(page.get_by_role("button", name="Bring it in")).to_be_enabled(timeout=30_000)
