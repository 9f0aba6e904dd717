"""The list of studies: copied, renamed, begun anew with the same plan, and deleted after one question."""

import pytest
from playwright.sync_api import Page, expect

from .conftest import wait_for_still
from .test_show import until
from .test_slice import opened, study  # noqa: F401


def all_studies(page: Page) -> None:
    page.get_by_role("button", name="▾").click()
    page.get_by_role("menuitem", name="All studies").click()


def one(page: Page, name: str):
    return page.get_by_role("article", name=name, exact=True)


@pytest.fixture
def tidy(application):
    """The other tests find the studies as they were."""
    yield
    for s in application.ask("api/studies")["studies"]:
        if s["name"] in ("Copied", "Summer 2026"):
            application.ask(f"api/studies/{s['id']}", method="DELETE")


@pytest.mark.usefixtures("tidy")
def test_studies_are_copied_renamed_begun_alike_and_deleted(opened, application, study):  # noqa: F811
    name = study["name"]
    all_studies(opened)
    expect(one(opened, name)).to_contain_text("10 sources")
    picture = one(opened, name).locator("img")
    expect(picture).to_be_visible()
    until(opened, lambda: picture.evaluate("image => image.naturalWidth") > 100)

    one(opened, name).get_by_role("button", name="copy", exact=True).click()
    one(opened, name).get_by_role("button", name="Copy", exact=True).click()
    copy = one(opened, f"{name}, copy")
    copy.get_by_role("button", name="rename", exact=True).click()
    copy.get_by_label("Name of the study").fill("Copied")
    copy.get_by_role("button", name="Rename", exact=True).click()
    copied = one(opened, "Copied")
    expect(copied).to_contain_text("10 sources")

    # A study with the same plan waits for its files, and opens once they are there.
    copied.get_by_role("button", name="begin one with this plan and other files").click()
    copied.get_by_label("Name of the study").fill("Summer 2026")
    copied.get_by_role("button", name="Begin", exact=True).click()
    expect(opened.get_by_role("heading", name="The plan is there; its files are not yet")).to_be_visible()
    same = opened.get_by_role("button", name="the same as there")
    for left in range(same.count(), 1, -1):
        same.first.click()
        expect(same).to_have_count(left - 1)
    same.first.click()
    wait_for_still(opened)
    expect(opened.get_by_role("button", name="Summer 2026 ▾")).to_be_visible()

    # Deleting asks once and says what goes; the others stay.
    all_studies(opened)
    for gone in ("Summer 2026", "Copied"):
        one(opened, gone).get_by_role("button", name="delete", exact=True).click()
        asked = opened.get_by_role("alertdialog", name=f"Delete {gone}")
        expect(asked).to_contain_text("go for good")
        asked.get_by_role("button", name="Keep it").click()
        one(opened, gone).get_by_role("button", name="delete", exact=True).click()
        asked.get_by_role("button", name="Delete it").click()
        expect(one(opened, gone)).to_have_count(0)
    assert {s["name"] for s in application.ask("api/studies")["studies"]}.isdisjoint({"Copied", "Summer 2026"})
    one(opened, name).get_by_role("button", name="open", exact=True).click()
    wait_for_still(opened)
    expect(opened.get_by_role("button", name=f"{name} ▾")).to_be_visible()
