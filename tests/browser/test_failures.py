"""Each request under each view fails in turn: the view says so, says nothing untrue instead, and recovers."""

from __future__ import annotations

import itertools
import re
import time
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from playwright.sync_api import Page, Request, Route, expect

from .conftest import Application, still
from .test_gather import sheet
from .test_slice import study  # noqa: F401

Open = Callable[[Page], None]

# Identifiers of records and of results, and names of sources.
_IDS = re.compile(
    r"[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}|[0-9a-f]{64}|(?<=/areas/)\d+|(?<=/zones/)[^/]+|(?<=/accounts/)[^/]+"
)
KINDS = ("500", "503", "cut off", "slow")
# What goes by how much room there is, and pictures that are not in sight.
_ROOM = re.compile(r"[\d.,]+ (km|m)|[\d.,]+ times the map's scale|a dot: .*|\d+ areas?|Drawing it…")
SAID = re.compile(
    "Something went wrong|database is starting|does not answer|did not come"
    "|(Working|Looking|Counting|Drawing).*…|looking it up…"
)
# What the page says in its lines, and what of it says that something is not known.
_LINES = """() => {
  const lines = (text) => text.split("\\n").map((l) => l.trim()).filter(Boolean);
  const told = [...document.querySelectorAll('[role="alert"], [role="status"]')];
  return [lines(document.body.innerText), told.flatMap((e) => lines(e.innerText))];
}"""


def endpoint(request: Request) -> str | None:
    """The request without what differs from study to study; None where it asks nothing of the server's data."""
    _, _, path = request.url.partition("/api/")
    if not path or request.method not in ("GET", "POST"):
        return None
    return f"{request.method} {_IDS.sub('*', path.partition('?')[0])}"


def key(name: str) -> Open:
    return lambda page: page.keyboard.press(name)


def stay(_: Page) -> None:
    """It is there with the map."""


def pressed(name: str) -> Open:
    return lambda page: page.keyboard.press(name)


def tab(name: str) -> Open:
    return lambda page: sheet(page, name)


def term_of(slot: str) -> Open:
    return lambda page: page.locator(f'[data-slot="{slot}"]').click()


def fold(title: str) -> Open:
    return lambda page: page.locator("summary").filter(has_text=title).click()


def folds(*titles: str) -> Open:
    return lambda page: [fold(title)(page) for title in titles] and None


def rows(name: str) -> Open:
    return lambda page: page.get_by_role("group", name="Which rows").get_by_role("button", name=name).click()


def first_row(page: Page) -> None:
    page.get_by_role("table", name="Areas").get_by_role("row").nth(1).click()
    expect(page.get_by_label("Area card")).to_be_visible()


def chosen(page: Page) -> None:
    page.keyboard.press("r")
    first_row(page)


def grid(page: Page) -> None:
    page.get_by_label("place sheet").get_by_role("radio", name="a grid of equal cells").click()


def button(name: str) -> Open:
    return lambda page: page.get_by_role("button", name=name).click()


def kept(page: Page) -> None:
    page.get_by_role("banner").get_by_role("button").first.click()
    page.get_by_role("menuitem", name="All studies").click()


# Of each view the way there, and what opens it.
VIEWS: dict[str, tuple[Open, Open]] = {
    "map": (stay, stay),
    "gather: records": (stay, pressed("1")),
    "gather: files": (pressed("1"), tab("files")),
    "gather: filter": (pressed("1"), tab("filter")),
    "gather: checks": (pressed("1"), tab("checks")),
    "place: areas": (stay, pressed("2")),
    "place: a grid": (pressed("2"), grid),
    "place: counted": (pressed("2"), tab("counted")),
    "place: unplaced": (pressed("2"), tab("unplaced")),
    "place: checks": (pressed("2"), tab("checks")),
    "measure": (stay, pressed("3")),
    "measure: counted": (pressed("3"), term_of("counted")),
    "measure: divided by": (pressed("3"), term_of("under")),
    "measure: formula": (pressed("3"), fold("or by a formula")),
    "measure: how sure": (pressed("3"), folds("How sure is it?", "The funnel")),
    "measure: comparable": (pressed("3"), fold("Made comparable")),
    "measure: may be shown": (pressed("3"), fold("What may be shown")),
    "class": (stay, pressed("4")),
    "class: compared": (pressed("4"), button("Compare ways of classing")),
    "show: layers": (pressed("5"), tab("layers")),
    "show: labels": (pressed("5"), tab("labels")),
    "show: hand on": (pressed("5"), tab("hand on")),
    "pages": (pressed("5"), button("Set it on a page")),
    "card": (pressed("r"), first_row),
    "rows: areas": (stay, pressed("r")),
    "rows: placed": (stay, rows("placed")),
    "rows: set aside": (stay, rows("set aside")),
    "rows: events": (chosen, rows("events")),
    "studies": (stay, kept),
}


@pytest.fixture(scope="module")
def rich(application: Application) -> Iterator[dict[str, Any]]:
    """A copy of the demo study in which all is shown that can be asked for."""
    demo = application.study()
    first = application.ask(f"api/studies/{demo['id']}/plans")["versions"][0]["document"]
    copy = application.ask(f"api/studies/{demo['id']}/copy", {"name": "Rich"})
    columns = {s["name"]: s["columns"] for s in application.ask(f"api/studies/{demo['id']}/sources")["sources"]}
    first["show"]["over"] = columns["wards"][-1]
    first["show"]["labels"] = [{"text": "{name}"}]
    first["show"]["layers"] = [
        {"kind": "reference", "source": "roads", "names": columns["roads"][0]},
        {"kind": "events", "shown": True, "by": None},
    ]
    first["release"] = {"name": "five", "min_events": 5, "event_points": True}
    saved = application.ask(f"api/studies/{copy['id']}/plans", {"parent_id": copy["head_id"], "document": first})
    page = {"name": "A page", "version": saved["id"], "document": {}}
    application.ask(f"api/studies/{copy['id']}/figures", page)
    yield copy
    application.ask(f"api/studies/{copy['id']}", method="DELETE")


class Failing:
    """Lets requests of one endpoint fail until it is told to stop."""

    def __init__(self, page: Page, which: str, kind: str) -> None:
        self.page, self.which, self.kind, self.met, self.on = page, which, kind, 0, True
        self.held: list[Route] = []
        page.route("**/api/**", self._answer)

    def _answer(self, route: Route) -> None:
        if not self.on or endpoint(route.request) != self.which:
            route.fallback()
            return
        self.met += 1
        match self.kind:
            case "cut off":
                route.abort()
            case "500":
                route.fulfill(status=500, json={"type": "about:blank", "detail": "Something went wrong in here."})
            case "503":
                route.fulfill(status=503, json={"type": "/problems/starting", "detail": "The database is starting."})
            case "slow":
                self.held.append(route)
            case _:
                raise ValueError(self.kind)

    def stop(self) -> None:
        self.on = False
        for route in self.held:
            route.continue_()


def seen(page: Page) -> tuple[set[str], set[str]]:
    said, told = page.evaluate(_LINES)
    return {line for line in said if not _ROOM.fullmatch(line)}, set(told)


def settled(page: Page) -> set[str]:
    """What the page says once it says the same for a while."""
    before: set[str] | None = None
    for _ in range(100):
        now = seen(page)[0]
        if now == before:
            return now
        before = now
        page.wait_for_timeout(400)
    raise AssertionError("it never says the same twice")


def opened_at(page: Page, application: Application, rich: dict[str, Any]) -> None:
    page.goto("about:blank")
    page.goto(f"{application.url}#{rich['id']}")


def asked_by(
    page: Page, application: Application, rich: dict[str, Any], name: str
) -> tuple[list[str], set[str], set[str]]:
    """What is asked of the server for a view; what the page says then when all is well, and what it said before."""
    way, view = VIEWS[name]
    asked: list[str] = []
    page.on("request", lambda request: asked.append(endpoint(request) or ""))
    opened_at(page, application, rich)
    still(page)
    way(page)
    still(page)
    before = set(asked) if name != "map" else set()
    if name != "map":
        asked.clear()
    there = seen(page)[0]
    view(page)
    page.mouse.move(640, 3)
    still(page)
    return [e for e in dict.fromkeys(filter(None, asked)) if e not in before], settled(page), there


def taken_ill(
    page: Page,
    application: Application,
    rich: dict[str, Any],
    name: str,
    which: str,
    kind: str,
    well: set[str],
    there: set[str],
) -> list[str]:
    """What is wrong with how a view takes a failure; nothing where it takes it well."""
    way, view = VIEWS[name]
    page.unroute_all()
    failing = Failing(page, which, kind)
    failing.on = name == "map"
    opened_at(page, application, rich)
    if name != "map":
        still(page)
        way(page)
        still(page)
        failing.on = True
        view(page)
        page.mouse.move(640, 3)
    told = page.locator('[role="alert"], [role="status"]').filter(has_text=SAID)
    wrong = []
    try:
        expect(told.first).to_be_visible(timeout=45_000)
    except AssertionError:
        wrong.append(f"nothing is said of it, met {failing.met} times")
    page.wait_for_timeout(900)
    said, says = seen(page)
    instead = {line for line in said - well - there if not any(line in t or t in line for t in says)}
    if instead:
        wrong.append(f"it says instead {sorted(instead)}")
    failing.stop()
    again = page.get_by_role("button", name="Try again")
    deadline = time.monotonic() + 120
    while told.count() or again.count():
        if time.monotonic() > deadline:
            wrong.append(f"it never recovers: {told.all_inner_texts()}")
            break
        # Where nobody answered it is asked again by itself; but for pictures.
        if again.count() and (kind == "500" or which.endswith("/picture")):
            again.first.click()
        page.wait_for_timeout(300)
    still(page)
    after = settled(page)
    if after != well:
        wrong.append(f"in the end it says otherwise: {sorted(after ^ well)[:8]}")
    return [f"{which} {kind}: {one}" for one in wrong]


@pytest.mark.parametrize("name", VIEWS)
def test_each_request_of_a_view_fails_where_it_is_seen(
    page: Page, application: Application, rich: dict[str, Any], name: str
) -> None:
    asked, well, there = asked_by(page, application, rich, name)
    print(name, asked)
    # Over all views each kind of failure comes in its turn.
    kinds = itertools.islice(itertools.cycle(KINDS), list(VIEWS).index(name) % len(KINDS), None)
    wrong = [w for which in asked for w in taken_ill(page, application, rich, name, which, next(kinds), well, there)]
    assert not wrong, "\n".join(wrong)
