"""The demo study in the browser: what is on screen against what the server's files and separate arithmetic say."""

import csv
import os
import re
import signal
from collections import Counter
from statistics import pvariance

import pyarrow as pa
import pytest
from playwright.sync_api import Page, expect
from scipy.stats import poisson

from tests.plans import results_of
from tests.serve.test_processes import live_processes

from .conftest import Application, barriers, expect_classes, term, wait_for_still


@pytest.fixture
def study(application: Application) -> dict:
    """The demo study with its first plan open again."""
    found = application.study()
    versions = application.ask(f"api/studies/{found['id']}/plans")
    first = versions["versions"][0]["document"]
    body = {"parent_id": versions["head_id"], "document": first}
    application.ask(f"api/studies/{found['id']}/plans", body)
    return found


@pytest.fixture
def opened(application: Application, study: dict, page: Page) -> Page:
    page.goto(application.url)
    wait_for_still(page)
    return page


def areas_of(application: Application, study: dict) -> list[dict]:
    return list(application.ask(f"{results_of(application, study)}/areas?rows=5000")["areas"])


def figure(page: Page, stage: str) -> str:
    return page.locator(f'[data-figure="{stage}"]').inner_text()


def choose(page: Page, key: str, label: str, *, exact: bool = False) -> None:
    """Open a stage's sheet by its key, choose, and close it."""
    page.keyboard.press(key)
    page.get_by_role("radio", name=label, exact=exact).click()
    wait_for_still(page)
    page.keyboard.press(key)
    wait_for_still(page)


def test_the_account_line_says_what_the_truth_says(opened, application, study):
    with (application.data / "demo" / "truth" / "call-outs.csv").open() as file:
        reasons = Counter(row["reason"] for row in csv.DictReader(file))
    outside = reasons.pop("outside_every_area")
    placed = reasons.pop("")
    assert figure(opened, "place") == f"{placed:,}"
    assert figure(opened, "gather") == f"{placed + outside:,}"
    expect(opened.locator('[data-note="gather"]')).to_have_text(f"{sum(reasons.values()):,} set aside")
    expect(opened.locator('[data-note="place"]')).to_have_text(f"{outside:,} outside")


def optimum(values: list[float], classes: int) -> list[int]:
    """How many of the sorted values lie in each class, where the squares of the deviations are the least."""
    values = sorted(values)
    best: dict[int, tuple[float, list[int]]] = {0: (0.0, [])}
    for _ in range(classes):
        at_ends: dict[int, tuple[float, list[int]]] = {}
        for end in range(1, len(values) + 1):
            ways = [
                (cost + pvariance(values[start:end]) * (end - start), [*sizes, end - start])
                for start, (cost, sizes) in best.items()
                if start < end
            ]
            if ways:
                at_ends[end] = min(ways)
        best = at_ends
    return best[len(values)][1]


def test_the_classes_on_screen_are_those_that_the_values_of_the_areas_make(opened, application, study):
    for method, way in (("quantile", "the same number in each"), ("natural breaks", "where the gaps fall")):
        choose(opened, "4", way)
        bands = opened.locator("[data-band]")
        counts = [int(re.split(r"\s+", bands.nth(i).inner_text())[-2].replace(",", "")) for i in range(bands.count())]
        values = [a["value"] for a in areas_of(application, study) if a["value"]]
        assert len(set(values)) == len(values) == sum(counts) > 30
        assert len(counts) == 5
        if method == "quantile":
            assert max(counts) - min(counts) <= 1
        else:
            assert counts == optimum(values, 5)


def test_an_area_is_found_by_pointing_and_its_card_writes_the_sum_out(opened, application, study):
    box = opened.get_by_test_id("map").bounding_box()
    # At once, without resting on it first.
    opened.mouse.click(box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.35)
    name = opened.get_by_test_id("hovered").locator("strong").inner_text()
    card = opened.get_by_label("Area card")
    expect(card.get_by_role("heading")).to_have_text(name)
    area = next(a for a in areas_of(application, study) if a["name"] == name)
    value = area["numerator"] / area["denominator"] / 5 * 10_000
    lines = opened.get_by_test_id("sum").inner_text().split("\n")
    assert lines[0] == f"{area['numerator']:,} events"
    assert lines[1] == f"/ {round(area['denominator']):,} residents"
    assert lines[2:4] == ["/ 5 summers", "× 10,000"]
    assert float(lines[4].removeprefix("= ").replace(",", "")) == pytest.approx(value, rel=0.01)
    interval = card.get_by_text("95 % interval").locator("..").inner_text()
    low, high = (float(n.replace(",", "")) for n in re.findall(r"[\d,.]+", interval)[1:])
    for end, wanted in ((low, 0.025), (high, 0.975)):
        mean = end * area["denominator"] * 5 / 10_000
        assert poisson.sf(area["numerator"] - (end == low), mean) == pytest.approx(wanted, abs=0.005)
    card.get_by_role("button", name=re.compile("Show its")).click()
    expect(opened.get_by_role("table", name="Events")).to_have_attribute("aria-rowcount", str(area["numerator"] + 1))


def test_measure_method_number_and_areas_change_map_and_rail(opened, application, study):
    opened.keyboard.press("3")
    term(opened, "under", "nothing", exact=True)
    term(opened, "time", "nothing: over all recorded time")
    expect(opened.locator('[data-figure="measure"]')).to_contain_text("events")
    counted = [a["numerator"] for a in areas_of(application, study)]
    last = opened.locator("[data-band]").last.inner_text()
    least = int(re.match(r"([\d,]+) and over", last)[1].replace(",", ""))
    above = [n for n in counted if n is not None and n >= least]
    assert f"\n{len(above)}" in last
    assert max(counted) in above
    term(opened, "under", "the ground")
    term(opened, "time", "summers recorded")
    opened.keyboard.press("3")
    placed = application.ask(f"{results_of(application, study)}/ledger")["stages"][1]["records_out"]
    by_time = sum(a["area_km2"] * a["time"] for a in areas_of(application, study))
    per = application.ask(f"{results_of(application, study)}/view")["per"]
    shown = float(figure(opened, "measure").replace(",", ""))
    assert shown == pytest.approx(placed / by_time * per, rel=0.01)
    opened.keyboard.press("4")
    opened.get_by_label("One class more").click()
    expect(opened.get_by_label("Number of classes")).to_have_text("6")
    expect(opened.locator("[data-band]")).to_have_count(6)
    opened.keyboard.press("4")
    choose(opened, "2", "blocks")
    blocks = len(areas_of(application, study))
    expect(opened.get_by_label("Which rows")).to_contain_text(f"{blocks:,} areas")
    opened.keyboard.press("3")
    term(opened, "under", "residents, from “blocks”")
    opened.keyboard.press("3")
    assert all(a["state"] == "no denominator" or a["denominator"] > 0 for a in areas_of(application, study))
    opened.keyboard.press("2")
    opened.get_by_role("radio", name="a grid of equal cells").click()
    opened.get_by_label("It covers").select_option("wards")
    opened.get_by_label("Width").fill("0")
    expect(opened.get_by_text("A size is a number above 0.")).to_be_visible()
    expect(opened.get_by_role("button", name="Lay this grid")).to_be_disabled()
    opened.get_by_label("Unit").select_option("m")
    opened.get_by_label("Width").fill("2500")
    opened.get_by_role("button", name="Lay this grid").click()
    expect(opened.locator('[data-figure="show"]')).to_have_text("hexagons")
    wait_for_still(opened)
    cells = areas_of(application, study)
    assert sum(c["numerator"] for c in cells) == placed
    assert all(c["identifier"].startswith("hexagon/laea 38 -40/0,0/2500m/") for c in cells)


def test_a_grid_has_rates_per_resident_in_two_clicks(opened, application, study):
    people = sum(a["denominator"] or 0 for a in areas_of(application, study))
    opened.keyboard.press("2")
    opened.get_by_role("radio", name="a grid of equal cells").click()
    opened.get_by_label("It covers").select_option("wards")
    opened.get_by_label("Unit").select_option("m")
    opened.get_by_label("Width").fill("1500")
    opened.get_by_role("button", name="Lay this grid").click()
    expect(opened.locator('[data-figure="show"]')).to_have_text("hexagons")
    opened.keyboard.press("2")
    opened.keyboard.press("3")
    opened.locator('[data-slot="under"]').click()
    opened.get_by_role("radio", name="residents, from “residents”, shared out").click()
    expect(opened.get_by_test_id("result")).to_contain_text("residents")
    wait_for_still(opened)
    cells = areas_of(application, study)
    shared = sum(a["denominator"] or 0 for a in cells)
    assert shared == pytest.approx(people, rel=0.01)
    expect(opened.get_by_label("measure sheet")).to_contain_text("were shared out; 0 lie in no area")
    assert sum(a["state"] == "a number" for a in cells) > 0.7 * len(cells)


def test_the_set_aside_rows_open_by_reason(opened, application, study):
    opened.keyboard.press("1")
    opened.get_by_text("the two coordinates look swapped").click()
    ledger = application.ask(f"{results_of(application, study)}/ledger")
    wanted = next(r["records"] for r in ledger["stages"][0]["set_aside"] if r["reason"] == "swapped_axes")
    rows = opened.get_by_role("table", name="Records set aside")
    expect(rows).to_have_attribute("aria-rowcount", str(wanted + 1))
    expect(rows.get_by_role("row").nth(1)).to_contain_text("the two coordinates look swapped")


def test_it_works_by_keyboard_alone(opened):
    opened.keyboard.press("r")
    opened.get_by_role("table", name="Areas").get_by_role("rowgroup").focus()
    opened.keyboard.press("ArrowDown")
    opened.keyboard.press("Enter")
    expect(opened.get_by_label("Area card")).to_be_visible()
    opened.keyboard.press("Escape")
    expect(opened.get_by_label("Area card")).to_have_count(0)
    scale = opened.get_by_role("img", name=re.compile("Scale:"))
    before = scale.get_attribute("aria-label")
    opened.get_by_test_id("map").focus()
    for _ in range(4):
        opened.keyboard.press("+")
    expect(scale).not_to_have_attribute("aria-label", before)
    opened.keyboard.press("0")
    expect(scale).to_have_attribute("aria-label", before)
    opened.keyboard.press("?")
    expect(opened.get_by_role("dialog")).to_contain_text("raise or lower the rows")


@pytest.mark.parametrize("sheet", ["", "1", "2", "3", "4", "5"])
def test_axe_finds_nothing_serious(opened, sheet):
    if sheet:
        opened.keyboard.press(sheet)
    else:
        opened.keyboard.press("r")
    assert barriers(opened) == []


def test_a_small_window_loses_nothing(opened):
    opened.set_viewport_size({"width": 1024, "height": 700})
    opened.keyboard.press("4")
    for label in ("Break rail", "class sheet", "Rows"):
        box = opened.get_by_label(label).first.bounding_box()
        assert box["x"] >= 0
        assert box["x"] + box["width"] <= 1024
        assert box["y"] + box["height"] <= 700
    assert opened.get_by_test_id("map").bounding_box()["width"] > 600


def test_a_stopped_server_is_said_and_goes_on_by_itself_once_it_is_back(opened, application):
    opened.route("**/api/**", lambda route: route.abort())
    opened.keyboard.press("4")
    opened.get_by_role("radio", name="where the gaps fall").click()
    expect(opened.get_by_role("status").filter(has_text="Steady Tally does not answer. 1 change waits")).to_be_visible()
    opened.unroute("**/api/**")
    expect(opened.get_by_role("status").filter(has_text="does not answer")).to_have_count(0)
    expect_classes(opened, 5, "where the gaps fall natural breaks")


def test_a_database_that_starts_again_and_a_full_disk_are_said_and_waited_for(application, browser):
    page = application.enter(browser.new_page())
    waits = {"type": "/problems/waiting", "title": "x", "status": 503, "detail": "The database is starting again."}
    asked = []

    def busy(route):
        asked.append(route.request.url)
        if len(asked) > 3:
            route.fallback()
        else:
            route.fulfill(status=503, json=waits, content_type="application/problem+json")

    page.route("**/api/studies", busy)
    page.goto(application.url)
    expect(page.get_by_role("status").filter(has_text="The database is starting again.")).to_be_visible()
    expect(page.get_by_test_id("map")).to_be_visible()
    expect(page.get_by_text("The database is starting again.")).to_have_count(0)
    page.route("**/api/room", lambda route: route.fulfill(json={"says": "The disk is full: 3 MB are free."}))
    expect(page.get_by_role("status").filter(has_text="The disk is full: 3 MB are free.")).to_be_visible()
    page.unroute("**/api/room")
    expect(page.get_by_text("The disk is full")).to_have_count(0)
    page.close()


def test_names_with_markup_are_text(opened, application, study):
    """Titles and areas' names are somebody's own text: they are shown, never run."""
    name = "<img src=x onerror=\"document.title='run'\"><b>Thorn</b>"

    def renamed(route):
        answer = route.fetch()
        table = pa.ipc.open_stream(answer.body()).read_all()
        at = table.column_names.index("name")
        table = table.set_column(at, "name", pa.array([name] * len(table)))
        sink = pa.BufferOutputStream()
        with pa.ipc.new_stream(sink, table.schema) as writer:
            writer.write_table(table.combine_chunks())
        route.fulfill(body=sink.getvalue().to_pybytes(), content_type="application/vnd.apache.arrow.stream")

    opened.route("**/names", renamed)
    versions = application.ask(f"api/studies/{study['id']}/plans")
    document = versions["versions"][-1]["document"]
    document["show"]["title"] = "<img src=x onerror=\"document.title='run'\">Heat"
    application.ask(f"api/studies/{study['id']}/plans", {"parent_id": versions["head_id"], "document": document})
    opened.reload()
    wait_for_still(opened)
    expect(opened.get_by_label("Break rail")).to_contain_text("<img src=x")
    opened.keyboard.press("r")
    opened.get_by_role("table", name="Areas").get_by_role("row").nth(1).click()
    expect(opened.get_by_label("Area card").get_by_role("heading")).to_have_text(name)
    expect(opened.get_by_test_id("hovered")).to_contain_text(name)
    expect(opened.get_by_role("table", name="Areas").get_by_role("row").nth(1)).to_contain_text(name)
    assert opened.title() == "Steady Tally"


def test_a_web_server_that_is_killed_under_the_open_page_comes_back_and_the_page_goes_on(opened, application):
    for pid in live_processes(application.data, "steady_tally.cli web"):
        os.kill(pid, signal.SIGKILL)
    opened.keyboard.press("4")
    opened.get_by_role("radio", name="where the gaps fall").click()
    # The supervisor still holds the listening socket, so that requests wait; one that was cut off can be tried again.
    note_of_class = opened.locator('[data-note="class"]')
    again = opened.get_by_role("button", name="Try again")
    for _ in range(40):
        if note_of_class.inner_text() == "where the gaps fall natural breaks":
            break
        if again.count():
            again.first.click()
        opened.get_by_role("radio", name="where the gaps fall").click()
        opened.wait_for_timeout(500)
    expect_classes(opened, 5, "where the gaps fall natural breaks")


def test_the_whole_application_stopped_and_started_under_the_open_page(page, tmp_path):
    first = Application(tmp_path)
    first.study()
    first.enter(page).goto(first.url)
    wait_for_still(page)
    port = first.url.rstrip("/").rsplit(":", 1)[1]
    first.stop()
    page.keyboard.press("4")
    page.get_by_role("radio", name="where the gaps fall").click()
    expect(page.get_by_role("status").filter(has_text="start it again with ./start.sh")).to_be_visible()
    second = Application(tmp_path, "--port", port)
    try:
        # Sessions end with the run: by a new key the page goes on, and what waits is saved by itself.
        second.enter(page)
        expect(page.get_by_role("status").filter(has_text="does not answer")).to_have_count(0)
        expect_classes(page, 5, "where the gaps fall natural breaks")
    finally:
        second.stop()


def test_a_selected_areas_events_are_numbered_on_the_map_and_in_the_rows(opened, application, study):
    opened.keyboard.press("r")
    table = opened.get_by_role("table", name="Areas")
    table.get_by_role("rowgroup").focus()
    opened.keyboard.press("ArrowDown")
    opened.keyboard.press("Enter")
    card = opened.get_by_label("Area card")
    name = card.get_by_role("heading").inner_text()
    areas = areas_of(application, study)
    at = next(i for i, a in enumerate(areas) if a["name"] == name)
    with (application.data / "demo" / "call-outs.csv").open() as file:
        records = list(csv.DictReader(file))
    events = application.ask(f"{results_of(application, study)}/areas/{at}/events")
    own = [records[row[0] - 1] for row in events["rows"]]
    assert len(own) == events["total"] == areas[at]["numerator"]
    piles = Counter((r["lon"], r["lat"]) for r in own)
    assert Counter(row[1] for row in events["rows"]) == Counter(
        {i + 1: n for i, n in enumerate(sorted(piles.values(), reverse=True))}
    )
    expect(card).to_contain_text(f"At {len(piles)} places")
    kind, count = Counter(r["kind"] for r in own).most_common(1)[0]
    expect(card).to_contain_text(re.compile(rf"{kind}\s*{count:,}"))
    expect(card.get_by_role("img")).to_have_attribute("aria-label", re.compile("summer 2021: [0-9]+; summer 2022"))
    opened.keyboard.press("r")
    opened.keyboard.press("r")
    expect(opened.locator("canvas[data-places]")).to_have_attribute("data-places", str(len(piles)))


def test_a_pinned_sheet_stands_beside_the_map(opened):
    opened.keyboard.press("3")
    opened.get_by_role("button", name="beside the map").click()
    sheet = opened.get_by_label("measure sheet").bounding_box()
    assert sheet["x"] + sheet["width"] <= opened.get_by_test_id("map").bounding_box()["x"] + 1
    opened.get_by_role("button", name="let it hang").click()
    hung, over = (opened.get_by_label("measure sheet").bounding_box(), opened.get_by_test_id("map").bounding_box())
    assert over["x"] <= hung["x"] < over["x"] + over["width"], "it lies over the map again"


# How many components React renders at each change: a component has done work where it is new,
# or another than at the change before and marked so (flag 1).
COUNT_RENDERED = """
    window.rendered = [];
    const isComponent = (fiber) => [0, 11, 14, 15].includes(fiber.tag);
    const count = (fiber, before) => {
        let n = 0;
        for (let child = fiber; child; child = child.sibling) {
            const old = before.has(child);
            if (isComponent(child) && !old && (child.flags & 1)) n += 1;
            n += count(child.child, before);
        }
        return n;
    };
    const all = (fiber, into) => {
        for (let child = fiber; child; child = child.sibling) { into.add(child); all(child.child, into); }
        return into;
    };
    let before = new Set();
    window.__REACT_DEVTOOLS_GLOBAL_HOOK__ = {
        supportsFiber: true, renderers: new Map(), inject: () => 1, onCommitFiberUnmount() {},
        onPostCommitFiberRoot() {},
        onCommitFiberRoot(_, root) {
            window.rendered.push(count(root.current, before));
            before = all(root.current, new Set());
        },
    };
"""


def test_moving_the_pointer_renders_next_to_nothing(application, study, page):
    page.add_init_script(COUNT_RENDERED)
    page.goto(application.url)
    wait_for_still(page)
    page.keyboard.press("3")
    page.wait_for_load_state("networkidle")
    page.evaluate("window.rendered = []")
    page.keyboard.press("4")
    expect(page.get_by_label("class sheet")).to_be_visible()
    at_a_sheet = max(page.evaluate("window.rendered"))
    page.keyboard.press("4")
    expect(page.get_by_label("class sheet")).to_have_count(0)
    wait_for_still(page)
    box = page.get_by_test_id("map").bounding_box()
    page.mouse.move(box["x"] + box["width"] * 0.4, box["y"] + box["height"] * 0.35)
    page.mouse.move(box["x"] + box["width"] * 0.41, box["y"] + box["height"] * 0.35)
    expect(page.get_by_test_id("hovered")).to_be_visible()
    page.evaluate("window.rendered = []")
    names = set()
    for step in range(12):
        page.mouse.move(box["x"] + box["width"] * (0.25 + 0.03 * step), box["y"] + box["height"] * (0.3 + 0.03 * step))
        page.wait_for_timeout(100)
        names |= set(page.get_by_test_id("hovered").locator("strong").all_inner_texts())
    rendered = page.evaluate("window.rendered")
    assert len(names) > 2
    assert rendered
    assert max(rendered) <= 6
    # The count sees what a whole sheet renders.
    assert at_a_sheet > 50
