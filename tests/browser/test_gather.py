"""From a dropped file to trusted events, in the browser: the demo's ugly file, and files that are worse."""

import base64
import csv
import re
from collections import Counter
from datetime import datetime
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from .conftest import Application, barriers, wait_for_still

DROP = """async ([name, data]) => {
  const bytes = Uint8Array.from(atob(data), (c) => c.charCodeAt(0));
  const carried = new DataTransfer();
  carried.items.add(new File([bytes], name));
  window.dispatchEvent(new DragEvent("dragover", { dataTransfer: carried, cancelable: true }));
  await new Promise((next) => setTimeout(next, 100));
  window.dispatchEvent(new DragEvent("drop", { dataTransfer: carried, cancelable: true }));
}"""


def begin(page: Page, application: Application, name: str) -> None:
    application.study()
    page.goto(application.url)
    page.get_by_role("button", name="▾").click()
    page.get_by_role("menuitem", name="Begin a study").click()
    page.get_by_label("Name of the study").fill(name)
    page.get_by_role("button", name="Begin", exact=True).click()
    expect(page.get_by_text("Drop the files of your events here")).to_be_visible()


def drop(page: Page, name: str, data: bytes) -> None:
    page.evaluate(DROP, [name, base64.b64encode(data).decode()])


def gather_figure(page: Page) -> int:
    return int(page.locator('[data-figure="gather"]').inner_text().replace(",", ""))


def sheet(page: Page, tab: str) -> None:
    page.get_by_label("Part of the sheet").get_by_role("button", name=tab).click()


def usable(folder: Path) -> list[dict[str, str]]:
    """The call-outs that can be used once swapped axes are put right, by what the demo knows of each row."""
    with (folder / "truth" / "call-outs.csv").open() as truth:
        reasons = [row["reason"] for row in csv.DictReader(truth)]
    fine = {"", "outside_every_area", "outside_recorded_windows", "swapped_axes"}
    with (folder / "call-outs.csv").open() as file:
        return [row for row, reason in zip(csv.DictReader(file), reasons, strict=True) if reason in fine]


def on_weekend_night(row: dict[str, str]) -> bool:
    try:
        at = datetime.strptime(row["called_at"], "%d/%m/%Y %H:%M")
    except ValueError:
        return False
    return at.weekday() >= 5 and at.hour >= 20


def test_the_ugly_file_is_dropped_repaired_and_filtered(page, application):
    folder = application.data / "demo"
    begin(page, application, "Weekend nights")
    drop(page, "call-outs.csv", (folder / "call-outs.csv").read_bytes())
    dialog = page.get_by_role("dialog", name="Bring files in")
    expect(dialog).to_contain_text("59,993 rows, 9 columns", timeout=30_000)
    expect(dialog).to_contain_text("7 rows have more or fewer fields")
    expect(dialog.get_by_label("The date is written")).to_have_value("day-first")
    expect(dialog.get_by_label("Identifier")).to_have_value("call_id")
    dialog.get_by_role("button", name="Bring it in").click()
    expect(dialog).to_have_count(0, timeout=60_000)
    wait_for_still(page)
    rows = usable(folder)
    with (folder / "truth" / "call-outs.csv").open() as truth:
        swapped = Counter(row["reason"] for row in csv.DictReader(truth))["swapped_axes"]
    assert gather_figure(page) == len(rows) - swapped
    page.keyboard.press("1")
    page.get_by_role("button", name="Exchange them").click()
    expect(page.locator('[data-figure="gather"]')).to_have_text(f"{len(rows):,}")
    sheet(page, "filter")
    page.get_by_role("checkbox", name="heat stroke").click()
    strokes = [row for row in rows if row["kind"] == "heat stroke"]
    expect(page.get_by_test_id("kept")).to_have_text(f"{len(strokes):,} of {len(rows):,} events")
    week = page.get_by_test_id("week")
    first, last = (week.locator(f'[data-hour="{24 * day + hour}"]').bounding_box() for day, hour in ((5, 20), (6, 23)))
    page.mouse.move(first["x"] + 2, first["y"] + 2)
    page.mouse.down()
    page.mouse.move(last["x"] + 2, last["y"] + 2, steps=4)
    page.mouse.up()
    nights = [row for row in strokes if on_weekend_night(row)]
    expect(page.locator('[data-figure="gather"]')).to_have_text(f"{len(nights):,}")
    assert 0 < len(nights) < len(strokes)
    expect(page.locator('[data-note="gather"]')).to_have_text(f"{60_000 - len(nights):,} set aside")
    assert barriers(page) == []
    sheet(page, "records")
    expect(page.get_by_label("gather sheet")).to_contain_text("left out by the plan's filter")


def test_a_record_is_put_in_its_place_by_a_click_on_the_map(page, application):
    lines = ["id,lon,lat,note", "a,n/k,38.0,<b>somewhere</b>"]
    lines += [f"c{i},{-40 + i % 10 / 100:.4f},{38 + i // 10 / 100:.4f},x" for i in range(100)]
    begin(page, application, "One to be placed")
    drop(page, "few.csv", "\n".join(lines).encode())
    page.get_by_role("button", name="Bring it in").click()
    wait_for_still(page)
    assert gather_figure(page) == 100
    page.locator('[data-note="gather"]').click()
    row = page.get_by_role("table", name="Records set aside").get_by_role("row").nth(1)
    expect(row).to_contain_text("<b>somewhere</b>")
    row.click()
    form = page.get_by_role("form", name="Place of the record")
    expect(form).to_contain_text("Where was a?")
    box = page.get_by_test_id("map").bounding_box()
    page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    expect(form.get_by_label("Longitude")).to_have_value(re.compile(r"^-39\.9|^-40\.0"))
    form.get_by_role("button", name="Keep this place").click()
    expect(page.locator('[data-figure="gather"]')).to_have_text("101")
    expect(page.locator('[data-note="gather"]')).to_have_text("0 set aside")


def test_an_outline_drawn_on_the_map_keeps_what_is_inside(page, application):
    lines = ["id,lon,lat"] + [f"c{i},{-40 + i % 20 / 100:.4f},{38 + i // 20 / 100:.4f}" for i in range(400)]
    begin(page, application, "Inside")
    drop(page, "grid.csv", "\n".join(lines).encode())
    page.get_by_role("button", name="Bring it in").click()
    wait_for_still(page)
    page.keyboard.press("1")
    sheet(page, "filter")
    page.get_by_role("button", name="Draw one on the map").click()
    box = page.get_by_test_id("map").bounding_box()
    right = box["x"] + box["width"] - 8
    middle = box["x"] + (320 + box["width"]) / 2  # of what the sheet on the left leaves free
    top, foot = box["y"] + 4, box["y"] + box["height"] - 4
    for x, y in ((middle, top), (right, top), (right, foot), (middle, foot)):
        page.mouse.click(x, y)
    page.get_by_role("button", name="Keep what is inside").click()
    expect(page.get_by_test_id("kept")).not_to_have_text("400 of 400 events")
    kept = int(page.get_by_test_id("kept").inner_text().split(" ")[0])
    assert 120 <= kept <= 280
    page.get_by_role("checkbox", name="Let “inside an outline” hold").click()
    expect(page.get_by_test_id("kept")).to_have_text("400 of 400 events")


@pytest.mark.parametrize(
    ("name", "data", "says"),
    [
        ("empty 🚑.csv", b"", "it is empty"),
        ("liar.xlsx", b"no workbook", "not a workbook"),
        ("notes.docx", b"x", "not read here"),
        ("<img src=x onerror=alert(1)>.gpkg", b"no package", "not a GeoPackage file"),
    ],
)
def test_a_file_that_cannot_be_read_says_why_and_can_be_left_out(page, application, name, data, says):
    begin(page, application, "Refused")
    drop(page, name, data)
    expect(page.get_by_role("alert")).to_contain_text(says)
    expect(page.get_by_label("Which file")).to_contain_text(name)
    page.get_by_role("button", name="Leave it out").click()
    expect(page.get_by_text("Drop the files of your events here")).to_be_visible()


def test_day_or_month_is_asked_when_nothing_tells(page, application):
    lines = ["id,date,lon,lat"]
    lines += [f"c{i},{1 + i * 7 % 12:02d}/{1 + i * 5 % 12:02d}/2024,{-40 + i / 1000:.4f},38.{i:03d}" for i in range(60)]
    begin(page, application, "Which first")
    drop(page, "both.csv", "\n".join(lines).encode())
    button = page.get_by_role("button", name="Bring it in")
    expect(page.get_by_text("Say whether the day or the month stands first")).to_be_visible()
    expect(button).to_be_disabled()
    page.get_by_label("The date is written").select_option("month-first")
    expect(button).to_be_enabled()
    assert barriers(page) == []
    button.click()
    wait_for_still(page)
    assert gather_figure(page) == 60
