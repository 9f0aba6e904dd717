"""What is shown is what is saved: changes at any pace, while nobody answers, and beside somebody else's."""

import itertools
import re

import pytest
from playwright.sync_api import Page, Route, expect

from tests.plans import events_in

from .conftest import wait_for_still
from .test_gather import sheet
from .test_slice import study  # noqa: F401


@pytest.fixture
def mine(application, study):  # noqa: F811
    """A copy of the demo study, to be changed."""
    copy = application.ask(f"api/studies/{study['id']}/copy", {"name": "Changed"})
    yield copy
    application.ask(f"api/studies/{copy['id']}", method="DELETE")


@pytest.fixture
def at_class(page: Page, application, mine) -> Page:
    page.goto(f"{application.url}#{mine['id']}")
    wait_for_still(page)
    page.keyboard.press("4")
    return page


def head(application, mine) -> dict:
    return application.ask(f"api/studies/{mine['id']}/plans")["versions"][-1]["document"]


def versions(application, mine) -> int:
    return len(application.ask(f"api/studies/{mine['id']}/plans")["versions"])


def classes(application, mine) -> int:
    plan = head(application, mine)
    return int(plan["class"][plan["show"]["mapped"]]["count"])


def number(page: Page):
    return page.get_by_label("Number of classes")


def more(page: Page):
    return page.get_by_role("button", name="One class more")


def test_four_presses_in_a_second_are_four_classes_and_each_is_shown_at_once(at_class, application, mine):
    before = classes(application, mine)
    shown = number(at_class)
    for n in range(1, 5):
        more(at_class).click()
        expect(shown).to_have_text(str(before + n), timeout=500)
        at_class.wait_for_timeout(150)
    wait_for_still(at_class)
    assert classes(application, mine) == before + 4
    expect(shown).to_have_text(str(before + 4))


def test_two_ticks_of_one_measure_within_a_moment_are_both_kept(page, application, mine):
    page.goto(f"{application.url}#{mine['id']}")
    wait_for_still(page)
    page.route("**/measure-trial", lambda route: (page.wait_for_timeout(400), route.continue_()))
    page.keyboard.press("3")
    sheet = page.get_by_role("region", name="measure sheet")
    page.get_by_text("How sure is it?").click()
    ticks = sheet.get_by_role("checkbox")
    was = [ticks.nth(n).is_checked() for n in range(2)]
    for n in range(2):
        ticks.nth(n).click()
    for n in range(2):
        assert ticks.nth(n).is_checked() != was[n], "shown at once"
    wait_for_still(page)
    page.unroute("**/measure-trial")
    page.reload()
    wait_for_still(page)
    page.keyboard.press("3")
    page.get_by_text("How sure is it?").click()
    assert [ticks.nth(n).is_checked() for n in range(2)] == [not w for w in was]


def test_three_steps_back_take_back_three(at_class, application, mine):
    first = classes(application, mine)
    for _ in range(3):
        more(at_class).click()
        wait_for_still(at_class)
    back = at_class.get_by_role("button", name="take the last step back")
    for _ in range(3):
        back.click()
        at_class.wait_for_timeout(80)
    wait_for_still(at_class)
    assert classes(application, mine) == first


def test_the_network_of_the_machine_goes_and_the_page_goes_on(at_class, application, mine):
    before = classes(application, mine)
    at_class.context.set_offline(False)
    at_class.evaluate("""() => {
      Object.defineProperty(navigator, "onLine", { get: () => false, configurable: true });
      window.dispatchEvent(new Event("offline"));
    }""")
    more(at_class).click()
    wait_for_still(at_class)
    assert classes(application, mine) == before + 1


def test_while_nobody_answers_changes_wait_and_are_said_to(at_class, application, mine):
    before, count = classes(application, mine), versions(application, mine)
    lost = itertools.count()

    def cut(route: Route) -> None:
        # Some requests never arrive, of others the answer is lost.
        if next(lost) % 2:
            route.fetch()
        route.abort()

    at_class.route("**/plans", cut)
    more(at_class).click()
    expect(at_class.get_by_role("status").filter(has_text="1 change waits here")).to_be_visible()
    more(at_class).click()
    expect(number(at_class)).to_have_text(str(before + 2))
    at_class.wait_for_timeout(2_500)
    at_class.unroute("**/plans")
    expect(at_class.get_by_role("status").filter(has_text="waits here")).to_have_count(0, timeout=15_000)
    wait_for_still(at_class)
    assert classes(application, mine) == before + 2
    assert versions(application, mine) == count + 2, "asked for again, a change is still one version"


def test_what_another_window_has_saved_stays_beside_ones_own(at_class, application, mine):
    before = classes(application, mine)
    plan = head(application, mine)
    plan["show"]["title"] = "Theirs"
    study_now = application.ask(f"api/studies/{mine['id']}")
    application.ask(f"api/studies/{mine['id']}/plans", {"parent_id": study_now["head_id"], "document": plan})
    more(at_class).click()
    wait_for_still(at_class)
    assert classes(application, mine) == before + 1
    assert head(application, mine)["show"]["title"] == "Theirs"


def test_a_part_of_the_page_that_fails_leaves_the_others_and_a_way_on(browser, application, mine):
    page = application.enter(browser.new_page())
    broken = '{"total": 1, "places": null, "time": null, "time_unknown": 0, "categories": null}'
    page.route("**/profile", lambda route: route.fulfill(body=broken, content_type="application/json"))
    page.goto(f"{application.url}#{mine['id']}")
    wait_for_still(page)
    page.keyboard.press("r")
    page.get_by_role("table", name="Areas").get_by_role("row").nth(1).click()
    said = page.get_by_role("alert").filter(has_text="This card cannot be shown: a fault of ours")
    expect(said).to_be_visible()
    expect(page.get_by_test_id("map")).to_be_visible()
    expect(page.get_by_label("Break rail")).to_be_visible()
    page.unroute("**/profile")
    said.get_by_role("button", name="Leave it").click()
    expect(said).to_have_count(0)
    page.close()


@pytest.fixture
def at_filter(page: Page, application, mine) -> Page:
    page.goto(f"{application.url}#{mine['id']}")
    wait_for_still(page)
    page.keyboard.press("1")
    sheet(page, "filter")
    return page


def days(application, mine) -> list[dict]:
    """The conditions on days and figures that are saved."""
    return [c for c in events_in(head(application, mine))["where"] if c["kind"] in ("days", "range")]


def test_a_day_is_typed_and_saved_once_and_never_half_typed(at_filter, application, mine):
    before = versions(application, mine)
    first = at_filter.get_by_label("First day")
    first.focus()
    at_filter.keyboard.type("07152021", delay=60)
    wait_for_still(at_filter)
    assert versions(application, mine) == before, "nothing is saved while it is typed"
    at_filter.keyboard.press("Enter")
    wait_for_still(at_filter)
    assert versions(application, mine) == before + 1
    assert days(application, mine)[0]["first_day"] == "2021-07-15"
    kept = at_filter.get_by_test_id("kept")
    expect(kept).not_to_have_text(re.compile(r"^(\S+) of \1 "))


def test_a_day_outside_the_events_time_is_asked_about(at_filter, application, mine):
    before = versions(application, mine)
    last = at_filter.get_by_label("Last day")
    last.focus()
    at_filter.keyboard.type("07152030", delay=60)
    at_filter.keyboard.press("Enter")
    asked = at_filter.get_by_role("alert").filter(has_text="take it all the same")
    expect(asked).to_be_visible()
    assert versions(application, mine) == before
    at_filter.keyboard.press("Escape")
    expect(asked).to_have_count(0)
    expect(last).to_have_value("")
    at_filter.get_by_label("First day").focus()
    last.focus()
    at_filter.keyboard.type("07152030", delay=60)
    at_filter.keyboard.press("Enter")
    asked.get_by_role("button", name="take it all the same").click()
    wait_for_still(at_filter)
    assert days(application, mine)[0]["last_day"] == "2030-07-15"


def test_a_range_taken_out_leaves_its_field_and_does_not_come_back(at_filter, application, mine):
    low = at_filter.get_by_label("From").first
    low.fill("40")
    at_filter.keyboard.press("Enter")
    wait_for_still(at_filter)
    assert [c["low"] for c in days(application, mine)] == [40.0]
    at_filter.get_by_role("button", name="Take out").first.click()
    wait_for_still(at_filter)
    expect(low).to_have_value("")
    low.focus()
    for _ in range(3):
        at_filter.keyboard.press("Tab")
    wait_for_still(at_filter)
    assert days(application, mine) == []


def test_on_a_train_where_the_connection_comes_and_goes_what_was_seen_is_what_stands(at_filter, application, mine):
    """Ticks, a drag, a day, classes and steps back, some while nobody answers: in the morning it is as it was."""
    page = at_filter
    page.context.set_offline(True)
    filters = page.get_by_label("gather sheet")
    for text in ("female", "male"):
        filters.locator("label").filter(has=page.get_by_text(text, exact=True)).get_by_role("checkbox").click()
    bars = page.get_by_test_id("months").bounding_box()
    assert bars
    page.mouse.move(bars["x"] + 0.1 * bars["width"], bars["y"] + 20)
    page.mouse.down()
    page.mouse.move(bars["x"] + 0.7 * bars["width"], bars["y"] + 20, steps=5)
    page.mouse.up()
    page.context.set_offline(False)
    page.wait_for_timeout(400)
    page.get_by_label("First day").focus()
    page.keyboard.type("07152021", delay=30)
    page.keyboard.press("Enter")
    page.context.set_offline(True)
    page.keyboard.press("4")
    before = int(number(page).inner_text())
    for _ in range(4):
        more(page).click()
    wanted = str(before + 4)
    expect(number(page)).to_have_text(wanted)
    page.context.set_offline(False)
    expect(page.get_by_role("status").filter(has_text="waits here")).to_have_count(0)
    wait_for_still(page)
    # What was saved together is one step.
    page.get_by_role("button", name="take the last step back").click()
    expect(number(page)).not_to_have_text(wanted)
    wait_for_still(page)
    kept = int(number(page).inner_text())
    assert before <= kept < before + 4
    more(page).click()
    wait_for_still(page)

    def seen() -> list[str]:
        page.keyboard.press("4")
        found = [number(page).inner_text()]
        page.keyboard.press("4")
        page.keyboard.press("1")
        sheet(page, "filter")
        wait_for_still(page)
        ticks = filters.get_by_role("checkbox").all()
        found += [page.get_by_test_id("kept").inner_text(), *(str(t.is_checked()) for t in ticks)]
        found += [page.get_by_label(day).input_value() for day in ("First day", "Last day")]
        page.keyboard.press("1")
        return found

    page.keyboard.press("4")
    evening = seen()
    assert evening[0] == str(kept + 1)
    assert evening[-2] == "2021-07-15"
    page.reload()
    wait_for_still(page)
    assert seen() == evening
    plan = head(application, mine)
    assert plan["class"][plan["show"]["mapped"]]["count"] == kept + 1
    assert days(application, mine)[0]["first_day"] == "2021-07-15"
