"""Make the pictures in docs/screenshots from the demo study: .venv/bin/python scripts/screenshots.py

Starts the application on a folder of its own, opens each main view at 1280 x 800 and stops it again.
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

PROJECT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(PROJECT))

from tests.browser.conftest import WINDOW, Application, launch, wait_for_still  # noqa: E402
from tests.tampered import tampered  # noqa: E402

TOGETHER = ("call-outs.csv", "wards.gpkg", "residents.xlsx")
SHOTS = PROJECT / "docs" / "screenshots"


def shoot(page: Page, name: str) -> None:
    wait_for_still(page)
    page.wait_for_timeout(300)
    page.screenshot(path=SHOTS / f"{name}.png")


def choose(page: Page, key: str, radio: str) -> None:
    page.keyboard.press(key)
    page.get_by_role("radio", name=radio).click()
    page.wait_for_timeout(1200)


def _held(page: Page) -> None:
    """A break while it is moved."""
    line = page.get_by_role("slider").nth(1).bounding_box()
    assert line is not None
    x, y = line["x"] + 220, line["y"] + line["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - 22, steps=5)
    shoot(page, "classes")
    page.keyboard.press("Escape")
    page.mouse.up()


def _compared(page: Page) -> None:
    """Ways of classing beside each other."""
    page.keyboard.press("4")
    page.get_by_role("button", name="Compare ways of classing").click()
    page.wait_for_selector('[data-drawn="12"]')
    page.wait_for_timeout(600)
    page.screenshot(path=SHOTS / "compare.png")
    page.get_by_role("button", name="Back to the map").click()


def _bring_in(page: Page, demo: Path) -> None:
    """A study of one's own: its first page, a file looked into, and the filter."""
    page.get_by_role("button", name="▾").click()
    page.get_by_role("menuitem", name="Begin a study").click()
    page.get_by_label("Name of the study").fill("Summer nights")
    page.get_by_role("button", name="Begin", exact=True).click()
    page.get_by_text("Drop the files of your events here").wait_for()
    page.locator('button:has-text("Choose files"):enabled').wait_for()
    page.get_by_label("Files to bring in").set_input_files([demo / name for name in TOGETHER])
    page.locator('button:has-text("Bring all in"):enabled').wait_for(timeout=60_000)
    page.get_by_text("names areas of").wait_for()
    page.screenshot(path=SHOTS / "bring-in.png")
    page.get_by_role("button", name="Bring all in").click()
    page.get_by_label("How this first map was made").wait_for(timeout=60_000)
    wait_for_still(page)
    page.keyboard.press("1")
    page.get_by_label("Part of the sheet").get_by_role("button", name="filter").click()
    page.get_by_role("checkbox", name="heat stroke").click()
    page.wait_for_timeout(1200)
    week = page.get_by_test_id("week")
    first, last = (week.locator(f'[data-hour="{hour}"]').bounding_box() for hour in (24 * 4 + 18, 24 * 6 + 23))
    assert first
    assert last
    page.mouse.move(first["x"] + 2, first["y"] + 2)
    page.mouse.down()
    page.mouse.move(last["x"] + 2, last["y"] + 2, steps=4)
    page.mouse.up()
    page.wait_for_timeout(1200)
    page.mouse.move(900, 40)
    shoot(page, "filter")


def _show(page: Page) -> None:
    """The map finished, with labels and dots; and set on a page. Then without labels again."""
    part = page.get_by_label("Part of the sheet")
    page.keyboard.press("5")
    part.get_by_role("button", name="labels").click()
    page.get_by_role("button", name="Write in the areas").click()
    page.get_by_role("button", name="Write more in the areas").click()
    page.wait_for_timeout(1500)
    part.get_by_role("button", name="layers").click()
    page.get_by_label("Show events: call-outs").click()
    page.wait_for_timeout(1500)
    page.keyboard.press("5")
    page.get_by_role("button", name="Nearer").click()
    page.wait_for_timeout(1000)
    page.keyboard.press("5")
    part.get_by_role("button", name="layers").click()
    page.wait_for_timeout(1500)
    shoot(page, "labels")
    page.get_by_label("Show events: call-outs").click()
    page.wait_for_timeout(800)
    page.get_by_role("button", name="Set it on a page").click()
    page.locator('[data-testid="page"][data-still="true"]').wait_for(timeout=60_000)
    page.get_by_label("with how many areas").click()
    page.wait_for_timeout(3000)
    shoot(page, "page")
    page.get_by_label("with how the areas are spread").click()
    page.get_by_text("A series of pages", exact=True).click()
    page.get_by_label("How many pages").select_option("windows")
    page.get_by_role("button", name="next", exact=True).click()
    page.get_by_text("A series of pages", exact=True).scroll_into_view_if_needed()
    page.wait_for_timeout(3000)
    page.locator('[data-testid="page"][data-still="true"]').wait_for(timeout=60_000)
    shoot(page, "series")
    page.get_by_role("button", name="Back to the map").click()
    page.keyboard.press("5")
    part.get_by_role("button", name="labels").click()
    for _ in range(2):
        page.locator("[data-label-set]").first.get_by_role("button").first.click()
        page.get_by_role("button", name="take these labels out").click()
        page.wait_for_timeout(800)
    page.keyboard.press("5")
    page.get_by_role("button", name="All of it").click()


def _studies(page: Page) -> None:
    """The list of studies, with a copy in it."""
    page.get_by_role("button", name="▾").click()
    page.get_by_role("menuitem", name="All studies").click()
    page.get_by_role("button", name="copy", exact=True).last.click()
    page.get_by_role("button", name="Copy", exact=True).click()
    page.wait_for_timeout(4000)
    page.get_by_role("button", name="delete", exact=True).first.click()
    page.screenshot(path=SHOTS / "studies.png")


def _earlier(page: Page, application: Application) -> None:
    """The study as it comes after an update that changed figures."""
    engine = application.database()
    tampered(engine, application.study()["id"])
    engine.dispose()
    page.reload()
    wait_for_still(page)
    page.get_by_role("button", name="See both").click()
    shoot(page, "then-and-now")
    page.get_by_role("button", name="Go on with those of now").click()
    wait_for_still(page)


def _place(page: Page) -> None:
    """Place's station: a grid being sized and laid, the zones' survey, and combinations."""
    page.keyboard.press("2")
    page.get_by_role("radio", name="a grid of equal cells").click()
    page.wait_for_timeout(1200)
    page.get_by_role("button", name="Hold it to compare").click()
    page.get_by_label("Cells", exact=True).select_option("square")
    page.get_by_label("Unit").select_option("m")
    page.get_by_label("Width").fill("2500")
    page.wait_for_timeout(1200)
    shoot(page, "grid-sized")
    page.get_by_label("Cells", exact=True).select_option("hexagon corner")
    page.get_by_label("Unit").select_option("m")
    page.get_by_label("Width").fill("1200")
    page.get_by_label("Less than … % inside").fill("30")
    page.wait_for_timeout(1200)
    page.get_by_role("button", name="Lay this grid").click()
    page.wait_for_timeout(2500)
    page.keyboard.press("Escape")
    page.keyboard.press("2")
    page.get_by_role("radio", name="catchments").click()
    page.wait_for_timeout(2000)
    page.get_by_test_id("survey").get_by_text("overlaps").click()
    page.get_by_test_id("survey").get_by_text("share").first.click()
    page.wait_for_timeout(1000)
    page.get_by_label("place sheet").evaluate("e => e.scrollTo(0, 330)")
    shoot(page, "zones-survey")
    page.get_by_label("An event where zones overlap counts").select_option("combinations")
    page.wait_for_timeout(2500)
    page.keyboard.press("Escape")
    page.keyboard.press("2")
    page.get_by_role("radio", name="wards").click()
    page.wait_for_timeout(2000)
    page.get_by_role("radio", name="blocks").click()
    page.wait_for_timeout(1500)
    page.keyboard.press("2")


def _sum(page: Page) -> None:
    """The sum of a filter that the residents follow, a term of it open, a formula; then all events again."""
    page.keyboard.press("1")
    part = page.get_by_label("Part of the sheet")
    part.get_by_role("button", name="filter").click()
    page.get_by_role("checkbox", name="female").first.click()
    page.wait_for_timeout(1200)
    page.keyboard.press("3")
    page.mouse.move(900, 40)
    shoot(page, "sum")
    page.get_by_text("or by a formula").click()
    page.get_by_label("Formula", exact=True).fill("round(call_outs / area_km2 / years, 1) + bicy")
    page.wait_for_timeout(1200)
    page.get_by_label("measure sheet").evaluate("sheet => sheet.scrollTo(0, 900)")
    shoot(page, "formula")
    page.keyboard.press("Escape")
    page.locator('[data-figure="gather"]').click()
    page.keyboard.press("Escape")
    page.keyboard.press("1")
    page.get_by_role("checkbox", name="female").first.click()
    page.wait_for_timeout(1200)
    part.get_by_role("button", name="records").click()
    page.keyboard.press("Escape")


def _sure(page: Page) -> None:
    """The three folds under the sum: drawn figures and their funnel, the three sides of a benchmark, a release rule."""
    page.keyboard.press("3")
    sheet = page.get_by_label("measure sheet")
    sheet.get_by_text("beside the map").click()
    page.wait_for_timeout(500)
    page.get_by_role("button", name="All of it").click()
    sheet.get_by_text("How sure is it?").click()
    sheet.get_by_role("checkbox", name="fewer events than").click()
    page.wait_for_timeout(1500)
    least = sheet.get_by_role("textbox", name="fewer events than")
    least.fill("100")
    least.press("Enter")
    page.wait_for_timeout(1500)
    sheet.get_by_text("The funnel").click()
    page.wait_for_timeout(1200)
    chart = sheet.get_by_role("img", name="Funnel")
    chart.scroll_into_view_if_needed()
    sheet.evaluate("sheet => sheet.scrollBy(0, 200)")
    shoot(page, "how-sure")
    sheet.get_by_role("checkbox", name="fewer events than").click()
    page.wait_for_timeout(1500)
    sheet.get_by_text("How sure is it?").click()
    sheet.get_by_text("Made comparable", exact=True).click()
    page.wait_for_timeout(1200)
    sheet.get_by_role("radio", name="the rate with the people of a standard").click()
    page.wait_for_timeout(2500)
    sheet.get_by_label("Each area is set against").select_option("all")
    page.wait_for_timeout(2000)
    sheet.get_by_text("colour the map by these three").click()
    page.wait_for_timeout(2000)
    sheet.get_by_label("In common").select_option("district")
    page.wait_for_timeout(1200)
    sheet.get_by_text("District 9").scroll_into_view_if_needed()
    shoot(page, "made-comparable")
    sheet.get_by_label("Each area is set against").select_option("none")
    page.wait_for_timeout(2000)
    sheet.get_by_role("radio", name="the figures as they are").click()
    page.wait_for_timeout(2000)
    sheet.get_by_text("Made comparable", exact=True).click()
    sheet.get_by_text("What may be shown").click()
    sheet.get_by_text("hide areas with fewer than").click()
    page.wait_for_timeout(2000)
    least = sheet.get_by_label("Fewest events shown")
    least.fill("80")
    least.press("Enter")
    page.wait_for_timeout(2000)
    choose(page, "4", "the same number in each")
    page.keyboard.press("3")
    sheet.get_by_text("What may be shown").click()
    sheet.get_by_text("take the rule away").scroll_into_view_if_needed()
    shoot(page, "may-be-shown")
    sheet.get_by_text("take the rule away").click()
    page.wait_for_timeout(2000)
    sheet.get_by_text("let it hang").click()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="All of it").click()


def main() -> None:
    SHOTS.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        application = Application(Path(folder))
        try:
            application.study()
            browser = launch(playwright)
            page = application.enter(browser.new_page(viewport=WINDOW))
            page.goto(application.url)
            shoot(page, "wards")
            _earlier(page, application)
            box = page.get_by_test_id("map").bounding_box()
            assert box
            page.mouse.move(box["x"] + box["width"] * 0.42, box["y"] + box["height"] * 0.35)
            page.mouse.click(box["x"] + box["width"] * 0.42, box["y"] + box["height"] * 0.35)
            page.keyboard.press("r")
            shoot(page, "card-and-rows")
            page.keyboard.press("Escape")
            page.keyboard.press("Escape")
            _show(page)
            _sum(page)
            _sure(page)
            page.keyboard.press("1")
            page.get_by_text("the two coordinates look swapped").click()
            shoot(page, "set-aside")
            page.keyboard.press("Escape")
            page.keyboard.press("Escape")
            choose(page, "4", "where the gaps fall")
            page.keyboard.press("Escape")
            _held(page)
            _compared(page)
            _place(page)
            _bring_in(page, Path(folder) / "demo")
            _studies(page)
            browser.close()
        finally:
            application.stop()


if __name__ == "__main__":
    main()
