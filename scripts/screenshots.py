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

SHOTS = PROJECT / "docs" / "screenshots"


def shoot(page: Page, name: str) -> None:
    wait_for_still(page)
    page.wait_for_timeout(300)
    page.screenshot(path=SHOTS / f"{name}.png")


def choose(page: Page, key: str, radio: str) -> None:
    page.keyboard.press(key)
    page.get_by_role("radio", name=radio).click()
    page.wait_for_timeout(1200)


def _bring_in(page: Page, demo: Path) -> None:
    """A study of one's own: its first page, a file looked into, and the filter."""
    page.get_by_role("button", name="▾").click()
    page.get_by_role("menuitem", name="Begin a study").click()
    page.get_by_label("Name of the study").fill("Summer nights")
    page.get_by_role("button", name="Begin", exact=True).click()
    page.get_by_text("Drop the files of your events here").wait_for()
    page.screenshot(path=SHOTS / "empty-study.png")
    page.get_by_label("Files to bring in").set_input_files([demo / "call-outs.csv", demo / "wards.gpkg"])
    page.get_by_role("button", name="Bring it in").wait_for(timeout=60_000)
    page.wait_for_timeout(500)
    page.screenshot(path=SHOTS / "bring-in.png")
    page.get_by_role("button", name="wards.gpkg").click()
    page.get_by_role("button", name="Bring it in").click()
    page.get_by_role("button", name="wards.gpkg").wait_for(state="detached", timeout=60_000)
    page.get_by_role("button", name="Bring it in").click()
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


def main() -> None:
    SHOTS.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        application = Application(Path(folder))
        try:
            application.study()
            browser = launch(playwright)
            page = browser.new_page(viewport=WINDOW)
            page.goto(application.url)
            shoot(page, "wards")
            box = page.get_by_test_id("map").bounding_box()
            assert box
            page.mouse.move(box["x"] + box["width"] * 0.42, box["y"] + box["height"] * 0.35)
            page.mouse.click(box["x"] + box["width"] * 0.42, box["y"] + box["height"] * 0.35)
            page.keyboard.press("r")
            shoot(page, "card-and-rows")
            page.keyboard.press("Escape")
            page.keyboard.press("Escape")
            page.keyboard.press("1")
            page.get_by_text("the two coordinates look swapped").click()
            shoot(page, "set-aside")
            page.keyboard.press("Escape")
            page.keyboard.press("Escape")
            choose(page, "4", "natural breaks")
            shoot(page, "classes")
            page.keyboard.press("Escape")
            choose(page, "2", "hexagons")
            shoot(page, "hexagons")
            page.get_by_role("radio", name="blocks").click()
            page.wait_for_timeout(1200)
            choose(page, "3", "per 10,000")
            shoot(page, "blocks")
            _bring_in(page, Path(folder) / "demo")
            browser.close()
        finally:
            application.stop()


if __name__ == "__main__":
    main()
