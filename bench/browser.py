"""The page in Chromium: frames while panning and zooming, recolouring, the first map, the size of what is sent.

Repaint times are those of the painting worker: what a frame costs, not what the display's rhythm makes of it. Zones
and cells of the sizes aimed at (2,500 zones of 200,000 vertices; 100,000 cells) are put in place of the study's by the
page's own messages, so that no demo of that size is needed. Panning is timed on the page itself, as the intervals
between the display's frames (16.7 ms at best) while the map is dragged: over the blocks, and over a fine grid.
"""

from __future__ import annotations

import gzip
import tempfile
import time
from pathlib import Path
from statistics import median, quantiles
from typing import Any

import numpy as np
from playwright.sync_api import Page, sync_playwright

from bench.timing import Row
from steady_tally.core.geo.working import equal_area
from steady_tally.core.place.grid import lattice_of
from steady_tally.core.plan.place import Grid
from steady_tally.demo.lattice import wiggly_lattice
from tests.browser.conftest import PROJECT, WINDOW, Application, launch, wait_for_still
from tests.plans import events_in, measured_by


def _function(name: str) -> str:
    """A script's one function, without the comment above it."""
    script = (Path(__file__).parent / name).read_text(encoding="utf-8")
    return script.split("\n", 1)[1].rstrip().rstrip(";")


WORKER, PAN, CHANGE, MOVE = (_function(f"browser_{name}.js") for name in ("frames", "pan", "change", "move"))


def rows() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        application = Application(Path(folder))
        try:
            application.study()
            browser = launch(playwright)
            page = application.enter(browser.new_page(viewport=WINDOW))
            page.goto(application.url)
            wait_for_still(page)
            found = [_first_map("the demo", page, application), _size(), _changed_measure(page), _shown_edit(page)]
            for name, kind, payload in (
                ("2,500 zones, 200,000 vertices", "zones", _zones()),
                ("100,000 cells", "cells", _cells()),
            ):
                times = page.evaluate(WORKER, {"kind": kind, "payload": payload, "frames": 60})
                found += [_frames(name, what, times[what]) for what in ("pan", "zoom", "recolour", "still")]
            for name, areas in _STUDY_AREAS.items():
                _open_areas(application, areas)
                page.goto(application.url)
                wait_for_still(page)
                found.append(_first_map(name, page, application))
                wait_for_still(page)
                found.append(_pan(name, page.evaluate(PAN, 180)))
                found += [_moved_break(name, page), _small_maps(name, page)]
            browser.close()
            return found
        finally:
            application.stop()


_STUDY_AREAS = {
    "blocks": {"kind": "zones", "source": "blocks", "identifier": "block"},
    "hexagons of 150 m": {"kind": "grid", "size": 150, "cover": {"source": "wards"}},
}


def _open_areas(application: Application, areas: dict[str, Any]) -> None:
    study = application.study()
    path = f"api/studies/{study['id']}/plans"
    document = application.ask(path)["versions"][-1]["document"]
    document["place"]["areas"] = areas
    for window in events_in(document)["recorded"]:
        window["where"] = None  # the wards that it lists are no longer the areas
    measured_by(document, denominator={"kind": "ground"}, per=1)
    application.ask(path, {"parent_id": study["head_id"], "document": document})


def _pan(name: str, times: list[float]) -> Row:
    late = quantiles(times, n=20)[-1]
    return Row(f"between frames while panning, {name}", median(times), "ms (median)", f"{late:.0f} ms at the 95th")


def _moved_break(name: str, page: Page) -> Row:
    """A break is held and moved by one pixel after another; from each move to map and rail painted with it."""
    page.reload()
    wait_for_still(page)
    box = page.get_by_role("slider", name="Break 2 of 4").bounding_box()
    assert box
    x, y = box["x"] + 200, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - 1)
    page.wait_for_timeout(500)
    times = []
    for step in range(60):
        page.evaluate("() => { window.armed = false; }")
        page.evaluate(f"() => {{ window.moving = ({MOVE})(); }}")
        while not page.evaluate("() => window.armed"):
            page.wait_for_timeout(10)
        page.mouse.move(x, y - 2 - (step if step < 30 else 60 - step))
        times.append(page.evaluate("() => window.moving"))
    page.keyboard.press("Escape")
    page.mouse.up()
    times = [t for t in times if t >= 0.0]
    late = quantiles(times, n=20)[-1]
    what = f"a moved break, {name}: from the move to map and rail painted"
    return Row(what, median(times), "ms (median)", f"{late:.0f} ms at the 95th percentile")


def _small_maps(name: str, page: Page) -> Row:
    """From the click to twelve small maps on screen, each of another classing; best of three, on a warm server."""
    best = float("inf")
    for _ in range(3):
        page.reload()
        wait_for_still(page)
        page.keyboard.press("4")
        button = page.get_by_role("button", name="Compare ways of classing")
        button.wait_for()
        best = min(
            best,
            page.evaluate(
                """async (button) => {
                    const start = performance.now();
                    button.click();
                    while (!document.querySelector('[data-drawn="12"]'))
                        await new Promise((done) => requestAnimationFrame(done));
                    return performance.now() - start;
                }""",
                button.element_handle(),
            ),
        )
    return Row(f"twelve small maps of other classes, {name}: from the click", best, "ms", "best of three")


def _frames(name: str, what: str, times: list[float]) -> Row:
    words = {
        "pan": "repaint after a pan",
        "zoom": "repaint while zooming",
        "recolour": "recolouring",
        "still": "crisp still frame",
    }
    late = quantiles(times, n=20)[-1]
    return Row(f"{words[what]}, {name}", median(times), "ms (median)", f"{late:.0f} ms at the 95th percentile")


def _shown_edit(page: Page) -> Row:
    """From the press to the number that it makes, while the server takes a second for each answer."""
    page.route("**/plans", lambda route: (time.sleep(1.0), route.continue_()))
    page.keyboard.press("4")
    button = page.get_by_role("button", name="One class more")
    button.wait_for()
    times = [
        page.evaluate(
            """async (button) => {
                const number = document.querySelector('[aria-label="Number of classes"]');
                const before = number.textContent;
                const start = performance.now();
                button.click();
                while (number.textContent === before) await new Promise((done) => requestAnimationFrame(done));
                return performance.now() - start;
            }""",
            button.element_handle(),
        )
        for _ in range(5)
    ]
    page.unroute("**/plans")
    for _ in range(5):
        page.get_by_role("button", name="One class fewer").click()
    wait_for_still(page)
    page.keyboard.press("Escape")
    return Row("an edit, until it is shown, of a server that takes a second", max(times), "of 50 ms", "slowest of five")


def _first_map(name: str, page: Page, application: Application) -> Row:
    """Navigation to the first painted map, on a warm server; best of three."""
    best = float("inf")
    for _ in range(3):
        page.goto("about:blank")
        page.goto(application.url)
        page.wait_for_selector("canvas[data-painted]")
        best = min(best, page.evaluate("performance.now()"))
    return Row(f"first map after navigation, {name}", best, "ms", "best of three")


def _changed_measure(page: Page) -> Row:
    """From a choice in the sum to the map painted anew; and to its crisp still frame."""
    page.keyboard.press("3")
    page.locator('[data-slot="per"]').click()
    times = [page.evaluate(CHANGE, f"{n:,}") for n in (1, 100, 1_000, 10, 100_000, 1_000_000)]
    page.keyboard.press("Escape")
    what = "a changed measure on the demo: from the choice to the map painted anew"
    painted, crisp = zip(*times, strict=True)
    return Row(what, median(painted), "ms", f"{max(painted):.0f} ms at most; crisp after {median(crisp):.0f} ms")


def _size() -> Row:
    parts = [f for f in (PROJECT / "frontend" / "dist").rglob("*") if f.suffix in {".js", ".css", ".html"}]
    fonts = list((PROJECT / "frontend" / "dist").rglob("*-latin-wght-normal*.woff2"))
    code = sum(len(gzip.compress(f.read_bytes(), 6)) for f in parts) / 1000
    drawn = sum(f.stat().st_size for f in fonts) / 1000
    return Row("page, compressed", code + drawn, "kB", f"code {code:.0f}, fonts {drawn:.0f}")


def _zones() -> dict[str, Any]:
    rings = wiggly_lattice(50, 50, 20, seed=1)
    return {
        "areas": len(rings),
        "xy": np.concatenate(rings).ravel().round(1).tolist(),
        "start": (np.arange(len(rings) + 1) * 2 * len(rings[0])).tolist(),
        "owner": list(range(len(rings))),
        "view": {"scale": 0.0125, "left": -10_000.0, "top": 50_500.0},
    }


def _cells() -> dict[str, Any]:
    plan, centre = Grid(size=170.0), (-40.0, 38.0)
    lattice = lattice_of(plan, equal_area(*centre), "laea")
    box = lattice.box(np.array([[0.0, 0.0], [50_000.0, 50_000.0]]))
    column, row = box.cells_at(np.arange(box.cells))
    _, _, *frame = lattice.frame
    names = ("width", "height", "originX", "originY", "cosine", "sine")
    return {
        "areas": len(column),
        "column": column.tolist(),
        "row": row.tolist(),
        "lattice": {"hexagon": True, "swapped": False, **dict(zip(names, frame, strict=True))},
        "view": {"scale": 0.0125, "left": -10_000.0, "top": 50_500.0},
    }
