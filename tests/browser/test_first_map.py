"""From a stranger's files to a map worth showing: dropped together, brought in by one press, and said how."""

import re
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import shapely
from playwright.sync_api import Browser, Page, expect
from pyproj import Transformer

from steady_tally.demo.quillhaven import write_quillhaven
from tests.first_map.made import text, vector
from tests.first_map.sets import SETS, county

from .conftest import Application, wait_for_still


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("files")


@pytest.fixture
def begun(browser: Browser, application: Application, request: pytest.FixtureRequest) -> Iterator[Page]:
    """A new study, open and empty."""
    application.study()
    page = application.enter(browser.new_page(viewport={"width": 1280, "height": 800}))
    page.goto(application.url)
    wait_for_still(page)
    name = request.node.name[:60]
    page.get_by_role("banner").get_by_role("button").first.click()
    page.get_by_role("menuitem", name=re.compile("^Begin a study")).click()
    page.get_by_label("Name of the study").fill(name)
    page.get_by_role("button", name="Begin", exact=True).click()
    expect(page.get_by_text("Drop the files of your events here")).to_be_visible()
    yield page
    page.close()


def drop(page: Page, *files: Path) -> None:
    expect(page.get_by_role("button", name="Choose files")).to_be_enabled()
    page.get_by_label("Files to bring in").set_input_files(list(files))


def bring_all_in(page: Page) -> None:
    button = page.get_by_role("button", name="Bring all in")
    expect(button).to_be_enabled(timeout=60_000)
    button.click()
    expect(page.get_by_label("How this first map was made")).to_be_visible(timeout=60_000)
    wait_for_still(page)


def test_three_files_dropped_at_once_are_a_map_per_resident_after_one_press(begun: Page, folder: Path):
    demo = folder / "demo"
    demo.mkdir()
    write_quillhaven(demo, events=4_000)
    drop(begun, demo / "call-outs.csv", demo / "wards.gpkg", demo / "residents.xlsx")
    lines = begun.get_by_role("list", name="Files").get_by_role("listitem")
    expect(lines).to_have_count(3)
    expect(lines.nth(2)).to_contain_text("“Ward” names areas of “wards.gpkg”", timeout=60_000)
    bring_all_in(begun)
    account = begun.get_by_label("Account line")
    expect(account).to_contain_text("per 10,000 residents")
    note = begun.get_by_label("How this first map was made")
    expect(note).to_contain_text("divided by the residents of “residents”")
    expect(begun.get_by_test_id("inset")).to_have_count(1)
    # Another choice is one press away; then nobody asks any more.
    note.get_by_role("button", name=re.compile(r"^call-outs per .*km²$")).click()
    wait_for_still(begun)
    expect(account).to_contain_text("km²")
    expect(note).to_have_count(0)


def test_an_island_country_on_both_sides_of_180_degrees_is_fit_to_print_after_one_press(begun: Page, folder: Path):
    make, _ = SETS["archipelago_with_all"]
    where = folder / "islands"
    where.mkdir()
    drop(begun, *make(where, np.random.default_rng(7)))
    bring_all_in(begun)
    expect(begun.get_by_test_id("inset")).to_have_count(2)
    expect(begun.get_by_test_id("inset").first).to_contain_text("times the map's scale")
    begun.keyboard.press("2")
    expect(begun.get_by_text(re.compile("Working projection: Albers equal-area conic"))).to_be_visible()
    expect(begun.get_by_text(re.compile(r"drawn out by at most \d\.\d % here"))).to_be_visible()
    begun.keyboard.press("5")
    begun.get_by_role("button", name="Set it on a page").click()
    expect(begun.locator('[data-testid="page"][data-still="true"]')).to_be_visible(timeout=60_000)


def test_what_cannot_be_read_and_what_asks_something_hold_back_the_one_press_until_it_is_answered(
    begun: Page, folder: Path
):
    shapes, columns = county(np.random.default_rng(5))
    wards = vector(folder / "wards.gpkg", shapes, columns)
    broken = folder / "broken.gpkg"
    broken.write_bytes(b"this is no database")
    both_ways = {"id": ["a", "b"], "date": ["01/02/2024", "03/04/2024"], "lon": ["10.1", "10.2"], "lat": ["50", "50.1"]}
    dates = text(folder / "dates.csv", both_ways)
    drop(begun, wards, broken, dates)
    button = begun.get_by_role("button", name="Bring all in")
    expect(begun.get_by_text("1 file cannot be read")).to_be_visible(timeout=60_000)
    expect(button).to_be_disabled()
    lines = begun.get_by_role("list", name="Files").get_by_role("listitem")
    lines.filter(has_text="broken.gpkg").get_by_role("button", name="leave it out").click()
    expect(lines).to_have_count(2)
    expect(begun.get_by_text("1 file asks something first.")).to_be_visible()
    asking = lines.filter(has_text="dates.csv")
    expect(asking).to_contain_text("Say whether the day or the month stands first")
    asking.get_by_role("button", name="Answer it").click()
    begun.get_by_label("The date is written").select_option("day-first")
    begun.get_by_role("button", name="All files").click()
    expect(lines).to_have_count(2)
    bring_all_in(begun)
    expect(begun.get_by_label("Account line")).to_contain_text("2")


def test_areas_of_no_named_system_are_drawn_in_those_in_which_the_records_lie_in_them(begun: Page, folder: Path):
    shapes, columns = county(np.random.default_rng(5))
    there = Transformer.from_crs("EPSG:4326", "EPSG:32632", always_xy=True)
    flat = [shapely.transform(s, lambda xy: np.column_stack(there.transform(xy[:, 0], xy[:, 1]))) for s in shapes]
    wards = vector(folder / "flat.fgb", flat, columns, crs=None)
    at = np.array([[s.representative_point().x, s.representative_point().y] for s in shapes])
    drop(begun, wards, text(folder / "calls.csv", {"lon": at[:, 0].tolist(), "lat": at[:, 1].tolist()}))
    begun.get_by_role("button", name="Answer it").click(timeout=60_000)
    field = begun.get_by_label("Coordinate system of the file")
    expect(field).to_be_focused()
    first = begun.get_by_role("button", name=re.compile("EPSG:")).first
    expect(first).to_contain_text("UTM zone 32N")
    expect(first).to_contain_text("100 % land in the zones")
    expect(first.get_by_role("img")).to_be_visible()
    first.click()
    expect(begun.get_by_text("It is read as WGS 84 / UTM zone 32N (EPSG:32632).")).to_be_visible(timeout=30_000)
    begun.get_by_role("button", name="All files").click()
    bring_all_in(begun)
    expect(begun.locator('[data-figure="place"]')).to_have_text(str(len(shapes)))


def test_a_file_with_a_source_s_columns_is_asked_about_and_takes_its_place(begun: Page, folder: Path):
    shapes, columns = county(np.random.default_rng(5))
    first = {"id": ["a", "b"], "lon": ["10.1", "10.2"], "lat": ["50", "50.1"]}
    drop(begun, vector(folder / "w.gpkg", shapes, columns), text(folder / "march.csv", first))
    bring_all_in(begun)
    begun.get_by_label("How this first map was made").get_by_role("button", name="keep this map").click()
    later = {"id": ["a", "b", "c"], "lon": ["10.1", "10.2", "10.3"], "lat": ["50", "50.1", "50.2"]}
    begun.keyboard.press("1")
    begun.get_by_label("Part of the sheet").get_by_role("button", name="files").click()
    drop(begun, text(folder / "april.csv", later))
    expect(begun.get_by_text("It has the same columns as “march”.")).to_be_visible(timeout=60_000)
    begun.get_by_role("button", name="Put it in its place").click()
    begun.get_by_role("button", name="Let it take the place of “march”").click()
    expect(begun.get_by_label("Account line")).to_contain_text("3", timeout=60_000)


@pytest.mark.parametrize("power", [-9, -6, -3, 0, 3, 6, 9])
def test_no_range_of_any_size_is_cut(begun: Page, folder: Path, power: int):
    shapes, columns = county(np.random.default_rng(5))
    values = [f"{(3.8 + 0.731 * i) * 10.0**power:.{max(2 - power, 0)}f}" for i in range(len(shapes))]
    table = text(folder / f"index{power}.csv", {"code": columns["code"], "index": values})
    drop(begun, vector(folder / f"areas{power}.gpkg", shapes, columns), table)
    bring_all_in(begun)
    ranges = begun.locator("[data-range]")
    assert ranges.count() >= 3
    cut = ranges.evaluate_all(
        """all => all.filter(e => e.scrollWidth > e.clientWidth + 1
            || e.getBoundingClientRect().right > e.closest("aside").getBoundingClientRect().right)
            .map(e => e.innerText)"""
    )
    assert cut == []
    assert len(set(ranges.all_inner_texts())) == ranges.count(), "two ranges are told apart"
