"""From dropped files to a map: the demo's three, and a million events with the same areas and residents.

What is looked at is one choice of files and one press, as a user has them: from the choice until all have been looked
into and compared, and from the press until the map stands still. The best of three new studies each.
"""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv
from playwright.sync_api import Page, sync_playwright

from bench.timing import Row
from steady_tally.core.plan.gather import Reading
from steady_tally.demo.quillhaven import write_quillhaven
from steady_tally.formats.look import look
from tests.browser.conftest import WINDOW, Application, launch, wait_for_still

MILLION = 1_000_000


def rows() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        demo = Path(folder) / "demo"
        demo.mkdir()
        write_quillhaven(demo)
        many = Path(folder) / "many.csv"
        _write_many(many)
        beside = [demo / "wards.gpkg", demo / "residents.xlsx"]
        application = Application(Path(folder) / "data", "--no-demo")
        try:
            page = application.enter(launch(playwright).new_page(viewport=WINDOW))
            return [
                _dropped("60,000 events", page, application, [demo / "call-outs.csv", *beside]),
                _dropped("1,000,000 events", page, application, [many, *beside]),
                _looked(many),
            ]
        finally:
            application.stop()


def _write_many(path: Path) -> None:
    rng = np.random.default_rng(1)
    moment = np.datetime64("2024-01-01T00:00") + rng.integers(0, 500_000, MILLION).astype("timedelta64[m]")
    columns = {
        "call": [f"C{i:07d}" for i in range(MILLION)],
        "when": np.datetime_as_string(moment),
        "kind": np.array(["a fall in the street", "burn", "other"])[rng.integers(0, 3, MILLION)],
        "lon": np.round(rng.normal(-40.0, 0.05, MILLION), 6),
        "lat": np.round(rng.normal(38.0, 0.04, MILLION), 6),
        "remark": np.array(["none", "seen by two, one of them twice", "called again"])[rng.integers(0, 3, MILLION)],
    }
    pyarrow.csv.write_csv(pa.table(columns), path)


def _dropped(name: str, page: Page, application: Application, files: list[Path]) -> Row:
    best, looked = float("inf"), 0.0
    for turn in range(3):
        page.goto("about:blank")
        page.goto(application.url)
        field, menu = page.get_by_label("Name of the study"), page.get_by_role("button", name="▾")
        field.or_(menu).first.wait_for()
        if menu.count():
            menu.click()
            page.get_by_role("menuitem", name="Begin a study").click()
        field.fill(f"{name} {turn}")
        page.get_by_role("button", name="Begin", exact=True).click()
        page.locator('button:has-text("Choose files"):enabled').wait_for()
        begun = time.perf_counter()
        page.get_by_label("Files to bring in").set_input_files(files)
        page.locator('button:has-text("Bring all in"):enabled').wait_for(timeout=120_000)
        ready = time.perf_counter()
        page.get_by_role("button", name="Bring all in").click()
        page.wait_for_selector("canvas[data-painted]", timeout=120_000)
        done = time.perf_counter()
        wait_for_still(page)
        if done - begun < best:
            best, looked = done - begun, ready - begun
    detail = f"{looked:.1f} s until looked into, {best - looked:.1f} s from the press to the map; best of three"
    return Row(f"from three dropped files to the first map, {name}", best, "s", detail)


def _looked(path: Path) -> Row:
    best = float("inf")
    for _ in range(3):
        begun = time.perf_counter()
        look(path, "many", Reading())
        best = min(best, time.perf_counter() - begun)
    size = path.stat().st_size / 1e6
    return Row(
        "a look at a file of text", best, "s", f"{size:.0f} MB, {best / size * 100:.2f} s for 100 MB; best of three"
    )
