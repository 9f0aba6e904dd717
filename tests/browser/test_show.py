"""The map finished: what lies over what, what is written in the areas, and what the first view frames."""

import csv
import io
import zipfile

import pyarrow.parquet
from playwright.sync_api import Page, expect

from tests.plans import results_of

from .conftest import wait_for_still
from .test_gather import sheet
from .test_place import like, until
from .test_slice import areas_of, opened, study  # noqa: F401  fixtures


def show_of(application, study) -> dict:  # noqa: F811
    return application.ask(f"{results_of(application, study)}/view")["plan"]["show"]


def labels(page: Page) -> tuple[int, int]:
    """How many are on screen, and how many found no room."""
    canvas = page.get_by_test_id("labels")
    return int(canvas.get_attribute("data-labels") or 0), int(canvas.get_attribute("data-left") or 0)


def test_areas_are_written_in_by_a_template_that_says_what_is_wrong_with_it(opened, application, study):  # noqa: F811
    before = areas_of(application, study)
    opened.keyboard.press("5")
    show = opened.get_by_label("show sheet")
    sheet(opened, "labels")
    show.get_by_role("button", name="Write in the areas").click()
    canvas = opened.get_by_test_id("labels")
    until(opened, lambda: sum(labels(opened)) == len(before))
    drawn, left = labels(opened)
    expect(show).to_contain_text(f"{left} find no room at this scale, and are left out.")

    template = show.get_by_label("What is written")
    template.fill("{name}: {round(evnts / area_km2, 1)} per km²")
    expect(show.get_by_role("alert")).to_contain_text("nothing is called “evnts”. Is “events” meant?")
    expect(show.get_by_role("button", name="Write it")).to_be_disabled()
    template.fill("{round(events / area_km2, 1)} per km²")
    first = before[0]
    expect(show.get_by_test_id("label text")).to_have_text(
        f"reads: {first['numerator'] / first['area_km2']:,.1f} per km²"
    )
    show.get_by_role("button", name="Write it").click()
    until(opened, lambda: show_of(application, study)["labels"][0]["text"].startswith("{round"))

    # Nearer, more of them find room; and they go along with the map.
    opened.get_by_role("button", name="Nearer").click()
    opened.get_by_role("button", name="Nearer").click()
    wait_for_still(opened)
    until(opened, lambda: labels(opened)[1] < left)
    text = int(canvas.evaluate(INKED))
    assert text > 100
    show.get_by_label("Show the labels").click()
    expect(canvas).to_have_count(0)
    assert areas_of(application, study) == before, "what is written changes no figure"


# How many pixels of the labels' canvas are not transparent.
INKED = """(canvas) => {
    const { data } = canvas.getContext("2d").getImageData(0, 0, canvas.width, canvas.height);
    let n = 0;
    for (let i = 3; i < data.length; i += 4) n += data[i] > 0;
    return n;
}"""


def test_layers_are_shown_hidden_laid_over_one_another_and_seen_through(opened, application, study):  # noqa: F811
    dark = (6, 65, 62)
    ink = (31, 41, 51)
    darkest = like(opened, dark)
    assert darkest > 1_000
    opened.keyboard.press("5")
    show = opened.get_by_label("show sheet")
    sheet(opened, "layers")
    listed = show.locator("[data-layer]")
    names = [row.get_attribute("data-layer") for row in listed.all()]
    assert names == [
        "reference coast", "reference lagoon", "reference roads", "events", "degrees", "outlines", "areas",
    ]  # fmt: skip
    few = like(opened, ink)
    show.get_by_label("Show events: call-outs").click()
    until(opened, lambda: like(opened, ink) > few + 200)
    show.get_by_role("button", name="events: call-outs", exact=True).click()
    expect(show).to_contain_text("dots: where they crowd, the darker the more")

    # Below the areas nothing is seen of them, but through areas that let it through.
    for _ in range(3):
        show.get_by_role("button", name="Lay events: call-outs lower").click()
        wait_for_still(opened)
    until(opened, lambda: [x["kind"] for x in view_layers(application, study)][-1] == "events")
    until(opened, lambda: like(opened, ink) <= few + 50)
    show.get_by_role("button", name="the areas", exact=True).click()
    show.get_by_label("They cover what is below them").select_option("0.5")
    until(opened, lambda: like(opened, dark) < darkest / 10)
    show.get_by_label("Show the areas").click()
    until(opened, lambda: like(opened, ink) > few + 200)
    show.get_by_role("button", name="lagoon", exact=True).click()
    show.get_by_label("what it encloses").fill("#c03010")
    until(opened, lambda: like(opened, (192, 48, 16)) > 200)


def test_lines_of_latitude_and_longitude_have_their_degrees_at_the_edge_and_go_with_the_map(opened, application, study):  # noqa: F811
    figures = opened.get_by_test_id("degrees")
    expect(figures).to_have_count(0)
    opened.keyboard.press("5")
    sheet(opened, "layers")
    opened.get_by_label("Show latitude and longitude").click()
    until(opened, lambda: figures.count() and len(degrees_on(opened)) >= 4)
    assert {"38° N", "40° W"} <= degrees_on(opened), "the county lies about 38 degrees north and 40 west"
    # A press nearer: finer lines. The map is moved: others come.
    opened.keyboard.press("Escape")
    for _ in range(4):
        opened.get_by_role("button", name="Nearer").click()
    until(opened, lambda: any("′" in text for text in degrees_on(opened)))
    near = degrees_on(opened)
    frame = opened.get_by_test_id("map")
    frame.focus()
    for _ in range(8):
        frame.press("ArrowUp")
    until(opened, lambda: degrees_on(opened) not in (near, set()))
    page = f"{results_of(application, study)}/view"
    assert [x["shown"] for x in application.ask(page)["layers"] if x["kind"] == "degrees"] == [True]


def degrees_on(page) -> set[str]:
    return set((page.get_by_test_id("degrees").get_attribute("data-figures") or "").split(" | ")) - {""}


def view_layers(application, study) -> list[dict]:  # noqa: F811
    return application.ask(f"{results_of(application, study)}/view")["layers"]


def test_a_map_frames_what_lies_together_and_one_click_shows_the_rest_apart(opened, application, study):  # noqa: F811
    inset = opened.get_by_test_id("inset")
    expect(inset).to_have_count(1)
    opened.keyboard.press("5")
    sheet(opened, "boxes")
    scale = opened.get_by_role("img", name="Scale:")
    before = scale.get_attribute("aria-label")
    opened.get_by_role("button", name="take the box out").click()
    prompt = opened.get_by_test_id("far off")
    expect(prompt).to_contain_text("areas lie far off.")
    wait_for_still(opened)
    assert scale.get_attribute("aria-label") == before, "the island is as large as with the box"
    opened.get_by_role("button", name="Show them apart").click()
    expect(inset).to_have_count(1)
    expect(prompt).to_have_count(0)
    assert len(show_of(application, study)["insets"]) == 1

    # Whatever opens over the map, it keeps its scale, and comes back as it was.
    opened.keyboard.press("Escape")
    wait_for_still(opened)
    for key in "12345":
        opened.keyboard.press(key)
        wait_for_still(opened)
        assert scale.get_attribute("aria-label") == before
    opened.keyboard.press("Escape")


def test_a_page_is_set_its_legend_dragged_its_title_typed_and_the_file_has_both(opened, application, study):  # noqa: F811
    opened.keyboard.press("5")
    opened.get_by_role("button", name="Set it on a page").click()
    pages = opened.get_by_label("Pages to publish")
    # One press begins a page, and the map as it is stands in its place until it is drawn.
    expect(opened.get_by_test_id("as it is")).to_be_visible()
    drawn = opened.locator('[data-testid="page"][data-still="true"]')
    expect(drawn).to_be_visible(timeout=60_000)
    legend = opened.locator('[data-element="legend"]')
    before = legend.bounding_box()
    assert before
    opened.mouse.move(before["x"] + 10, before["y"] + 10)
    opened.mouse.down()
    opened.mouse.move(before["x"] + 70, before["y"] - 20, steps=4)
    opened.mouse.up()
    until(opened, lambda: figure_of(application, study)["document"]["legend"]["at"] is not None)
    expect(drawn).to_be_visible(timeout=60_000)
    at = figure_of(application, study)["document"]["legend"]["at"]
    legend.focus()
    legend.press("ArrowLeft")
    until(
        opened,
        lambda: figure_of(application, study)["document"]["legend"]["at"]["left"] == round(at["left"] - 1, 1),
    )

    pages.get_by_label("Title", exact=True).fill("Heat & <b>$ids$</b>")
    pages.get_by_label("Title", exact=True).press("Enter")
    until(opened, lambda: figure_of(application, study)["document"]["title"]["text"] == "Heat & <b>$ids$</b>")
    pages.get_by_label("with how many areas").click()
    until(opened, lambda: figure_of(application, study)["document"]["legend"]["counts"])
    with opened.expect_download() as handed:
        pages.get_by_role("link", name="SVG").click()
    text = handed.value.path().read_text(encoding="utf-8")
    assert handed.value.suggested_filename.endswith(".svg")
    assert "Heat &amp; &lt;b&gt;$ids$&lt;/b&gt;" in text

    # Words are typed where they stand, and the map is made smaller by its corner.
    expect(drawn).to_be_visible(timeout=60_000)
    opened.locator('[data-element="subtitle"]').dblclick()
    typed = pages.get_by_label("The subtitle, typed on the page")
    typed.fill("Five summers")
    typed.press("Enter")
    until(opened, lambda: figure_of(application, study)["document"]["subtitle"]["text"] == "Five summers")
    expect(drawn).to_be_visible(timeout=60_000)
    corner = opened.locator('[data-corner-of="map"]').bounding_box()
    assert corner
    opened.mouse.move(corner["x"] + 6, corner["y"] + 6)
    opened.mouse.down()
    opened.mouse.move(corner["x"] - 60, corner["y"] - 40, steps=4)
    opened.mouse.up()
    until(opened, lambda: (figure_of(application, study)["document"]["map_at"] or {}).get("width", 999) < 190)

    # Back to where it stood by itself; and the page is told when the plan goes on.
    pages.get_by_role("button", name="everything where it was").click()
    until(opened, lambda: figure_of(application, study)["document"]["legend"]["at"] is None)
    assert figure_of(application, study)["document"]["map_at"] is None
    pages.get_by_role("button", name="Back to the map").click()
    opened.keyboard.press("4")
    opened.get_by_role("button", name="One class more").click()
    wait_for_still(opened)
    opened.keyboard.press("5")
    opened.get_by_role("button", name="Set it on a page").click()
    expect(pages).to_contain_text("The plan has changed since this page was made from it.")
    pages.get_by_role("button", name="make it from the present plan").click()
    expect(pages).not_to_contain_text("The plan has changed")
    pages.get_by_role("button", name="take this page out").click()
    expect(pages.get_by_role("button", name="begin a page").first).to_be_visible()


def figure_of(application, study) -> dict:  # noqa: F811
    return application.ask(f"api/studies/{study['id']}/figures")["figures"][0]


def test_the_areas_are_handed_on_in_the_formats_that_are_ticked(opened, application, study):  # noqa: F811
    opened.keyboard.press("5")
    show = opened.get_by_label("show sheet")
    sheet(opened, "hand on")
    for label in ("GeoPackage", "CSV"):
        show.get_by_label(label, exact=True).click()
    go = show.get_by_role("button", name="Hand on", exact=True)
    expect(go).to_be_disabled()
    show.get_by_label("GeoParquet").click()
    show.get_by_label("workbook (XLSX)").click()
    show.get_by_label("Coordinates").select_option("other")
    expect(go).to_be_disabled()
    show.get_by_label("Its code").fill("EPSG:3035")
    show.get_by_label("and why").click()
    with opened.expect_download(timeout=60_000) as handed:
        go.click()
    expect(show.get_by_role("link", name="quillhaven-demo.zip")).to_be_visible()
    with zipfile.ZipFile(handed.value.path()) as files:
        assert sorted(files.namelist()) == [
            "columns.csv", "quillhaven-demo-set-aside.parquet", "quillhaven-demo-set-aside.xlsx",
            "quillhaven-demo.parquet", "quillhaven-demo.xlsx",
        ]  # fmt: skip
        table = pyarrow.parquet.read_table(io.BytesIO(files.read("quillhaven-demo.parquet")))
    rows = areas_of(application, study)
    assert table.column("identifier").to_pylist() == [r["identifier"] for r in rows]
    assert table.column("numerator").to_pylist() == [r["numerator"] for r in rows]
    assert b"3035" in table.schema.metadata[b"geo"]

    # What the rows show, in the order in which they are seen.
    opened.keyboard.press("Escape")
    opened.get_by_role("button", name="raise the rows").click()
    table = opened.get_by_role("table", name="Areas")
    table.get_by_role("button", name="name", exact=True).click()
    first = table.get_by_role("row").nth(1).get_by_role("cell").nth(1).inner_text()
    with opened.expect_download() as saved:
        opened.get_by_role("button", name="save these rows as CSV").click()
    with saved.value.path().open(newline="", encoding="utf-8") as file:
        shown = list(csv.DictReader(file))
    assert shown[0]["name"] == first
    assert [r["name"] for r in shown] != [r["name"] for r in rows]
    assert sorted(r["area"] for r in shown) == sorted(r["identifier"] for r in rows)


def test_a_page_goes_over_a_list_is_leafed_through_and_taken_as_one_pdf(opened, application, study):  # noqa: F811
    opened.keyboard.press("5")
    opened.get_by_role("button", name="Set it on a page").click()
    pages = opened.get_by_label("Pages to publish")
    drawn = opened.locator('[data-testid="page"][data-still="true"]')
    expect(drawn).to_be_visible(timeout=60_000)
    pages.get_by_text("Boxes", exact=True).click()
    pages.get_by_label("Scale of box 1").select_option("1")
    pages.get_by_label("a line to where it lies").click()
    until(opened, lambda: figure_of(application, study)["document"]["boxes"].get("0", {}).get("locator"))
    assert figure_of(application, study)["document"]["boxes"]["0"]["times"] == 1.0
    pages.get_by_text("A series of pages", exact=True).click()
    pages.get_by_label("How many pages").select_option("windows")
    leaf = pages.get_by_label("Pages of the series")
    expect(leaf).to_contain_text("1 of 5: summer 2021", timeout=60_000)
    leaf.get_by_role("button", name="next").click()
    expect(leaf).to_contain_text("2 of 5: summer 2022")
    expect(drawn).to_be_visible(timeout=60_000)
    with opened.expect_download(timeout=120_000) as handed:
        pages.get_by_role("button", name="One PDF").click()
    assert handed.value.path().read_bytes().count(b"/Type /Page ") == 5

    # What cannot be drawn says why, and the way back stays open.
    pages.get_by_label("How many pages").select_option("measures")
    pages.get_by_label("Classes", exact=True).select_option("all pages")
    expect(pages.get_by_role("alert")).to_contain_text("have no classes in common", timeout=60_000)
    opened.reload()
    wait_for_still(opened)
    opened.keyboard.press("5")
    opened.get_by_role("button", name="Set it on a page").click()
    expect(pages.get_by_role("alert")).to_contain_text("have no classes in common", timeout=60_000)
    pages.get_by_label("How many pages").select_option("")
    expect(pages.get_by_role("alert")).to_have_count(0)
    expect(leaf).to_have_count(0)
    wait_for_still(opened)  # what stands below the series moves up
    pages.get_by_role("button", name="take this page out").click()
    expect(pages.get_by_role("button", name="begin a page").first).to_be_visible()
