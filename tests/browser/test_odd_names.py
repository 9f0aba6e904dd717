"""Columns, values and measures that are called as the language calls its own things, or in ways that nobody expects."""

import pytest
from playwright.sync_api import Page, expect

from .conftest import wait_for_still

LONG = "a long name " * 16 + "end"
NAMES = [
    "__proto__",
    "constructor",
    "toString",
    "hasOwnProperty",
    "valueOf",
    LONG,
    "שלום מימין",
    "🦆🦆",
    "<b>x</b>",
    "1",
]


def rows() -> bytes:
    lines = [",".join(["id", "x", "y", "day", *(f'"{n}"' for n in NAMES)])]
    for i in range(60):
        x, y = -40.1 + 0.01 * (i % 9), 37.9 + 0.01 * (i % 7)
        values = [f'"{NAMES[(i + k) % len(NAMES)]}"' for k in range(len(NAMES))]
        lines.append(",".join([f"e{i}", f"{x:.4f}", f"{y:.4f}", f"2024-0{i % 9 + 1}-11", *values]))
    return ("\n".join(lines) + "\n").encode()


@pytest.fixture(scope="module")
def odd(application):
    study = application.study_of("__proto__", "constructor.csv", rows())
    yield study
    application.ask(f"api/studies/{study}", method="DELETE")


@pytest.fixture
def opened(page: Page, application, odd) -> Page:
    page.goto(f"{application.url}#{odd}")
    wait_for_still(page)
    return page


def test_every_sheet_page_and_row_shows_odd_names_and_goes_on(opened):
    broken = opened.get_by_text("cannot be shown: a fault of ours")
    for key, name in zip("12345", ("gather", "place", "measure", "class", "show"), strict=True):
        opened.keyboard.press(key)
        sheet = opened.get_by_role("region", name=f"{name} sheet")
        expect(sheet).to_be_visible()
        expect(broken).to_have_count(0)
        opened.keyboard.press("Escape")
    opened.keyboard.press("r")
    wait_for_still(opened)
    expect(broken).to_have_count(0)
    opened.get_by_role("button", name="placed").first.click()
    for name in ("__proto__", "constructor", "toString"):
        expect(opened.get_by_role("columnheader", name=name, exact=True)).to_be_visible()


@pytest.mark.parametrize("name", ["__proto__", "constructor", "toString", LONG, "🦆🦆"])
def test_events_are_filtered_by_a_column_of_an_odd_name(opened, application, odd, name):
    plan = application.ask(f"api/studies/{odd}/plans")["versions"][-1]["document"]
    events = next(iter(plan["gather"]["events"].values()))
    events["where"] = [{"kind": "values", "column": name, "values": [name], "keep": True}]
    head = application.ask(f"api/studies/{odd}")["head_id"]
    application.ask(f"api/studies/{odd}/plans", {"parent_id": head, "document": plan})
    opened.reload()
    wait_for_still(opened)
    assert opened.locator('[data-figure="gather"]').inner_text().split()[0] == "6"
    opened.keyboard.press("1")
    opened.get_by_role("region", name="gather sheet").get_by_text("filter", exact=True).first.click()
    expect(opened.get_by_text("cannot be shown: a fault of ours")).to_have_count(0)


@pytest.mark.parametrize("name", ["constructor", "__proto__", "toString"])
def test_a_measure_is_called_so(opened, application, odd, name):
    opened.keyboard.press("3")
    sheet = opened.get_by_role("region", name="measure sheet")
    sheet.get_by_role("button", name="call it otherwise").click()
    field = sheet.get_by_label("Its name")
    field.fill(name)
    field.press("Enter")
    wait_for_still(opened)
    plan = application.ask(f"api/studies/{odd}/plans")["versions"][-1]["document"]
    assert plan["show"]["mapped"] == name
    assert list(plan["measure"]) == [name]
    assert list(plan["class"]) == [name]
    opened.reload()
    wait_for_still(opened)
    opened.keyboard.press("3")
    expect(sheet.get_by_text(name, exact=True)).to_be_visible()
