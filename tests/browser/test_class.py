"""The break rail is worked with: every change says which areas change class, and none is lost."""

import re

from playwright.sync_api import Page, expect

from tests.plans import results_of

from .conftest import expect_classes, wait_for_still
from .test_place import like, until
from .test_slice import areas_of, opened, study  # noqa: F401  fixtures


def inner(application, study) -> list[float]:  # noqa: F811
    head = application.ask(f"api/studies/{study['id']}")["head_id"]
    return application.ask(f"api/studies/{study['id']}/plans/{head}/view")["ledger"]["breaks"][1:-1]


def versions(application, study) -> int:  # noqa: F811
    return len(application.ask(f"api/studies/{study['id']}/plans")["versions"])


def classes(application, study) -> dict[str, int | None]:  # noqa: F811
    return {a["identifier"]: a["class"] for a in areas_of(application, study)}


def strip(page: Page):
    return page.get_by_test_id("ruling")


def test_a_break_is_dragged_typed_stepped_taken_out_and_ruled_and_all_of_it_taken_back(opened, application, study):  # noqa: F811
    before, at_first, saved = classes(application, study), inner(application, study), versions(application, study)
    line = opened.get_by_role("slider", name="Break 2 of 4")
    box = line.bounding_box()
    x, y = box["x"] + 220, box["y"] + box["height"] / 2
    opened.mouse.move(x, y)
    opened.mouse.down()
    opened.mouse.move(x, y - 24, steps=6)
    moving = strip(opened).inner_text()
    changed = int(re.match(r"(\d+) areas? changes? class: ", moving)[1])
    assert classes(application, study) == before, "nothing is kept while it is held"
    opened.mouse.up()
    expect_classes(opened, 5, "by hand")
    wait_for_still(opened)
    after = classes(application, study)
    assert sum(after[a] != before[a] for a in before) == changed > 0
    assert versions(application, study) == saved + 1, "one version for one move"
    assert [b for i, b in enumerate(inner(application, study)) if i != 1] == [
        b for i, b in enumerate(at_first) if i != 1
    ]

    # Typed, within its neighbours only.
    rail = opened.get_by_label("Break rail")
    figure = rail.get_by_title("Type another figure").nth(1)
    figure.click()
    field = opened.get_by_label("Figure of break 2")
    field.fill("999999")
    field.press("Enter")
    expect(strip(opened)).to_contain_text("This break stands between")
    field.fill("160.5")
    field.press("Enter")
    expect(opened.get_by_role("slider", name="Break 2 of 4")).to_have_attribute("aria-valuenow", "160.5")
    assert inner(application, study)[1] == 160.5

    # By keyboard to where the next area changes class.
    values = sorted(a["value"] for a in areas_of(application, study) if a["value"] is not None)
    line = opened.get_by_role("slider", name="Break 2 of 4")
    line.focus()
    line.press("ArrowUp")
    expect(strip(opened)).to_contain_text("1 area changes class")
    expect(strip(opened)).to_contain_text("take the last step back")
    assert inner(application, study)[1] == min(v for v in values if v > 160.5)

    # Simplest figures move no area.
    grouped = classes(application, study)
    strip(opened).get_by_role("button", name="simplest figures").click()
    expect(strip(opened).get_by_role("button", name="simplest figures")).to_have_count(0)
    wait_for_still(opened)
    assert classes(application, study) == grouped
    assert all(b == round(b, 1) for b in inner(application, study))

    # One taken out, one ruled.
    opened.get_by_role("slider", name="Break 1 of 4").press("Delete")
    expect(opened.get_by_role("slider", name="Break 1 of 3")).to_have_count(1)
    expect_classes(opened, 4, "by hand")
    opened.get_by_role("slider", name="Break 3 of 3").press("Insert")
    expect(opened.get_by_role("slider", name="Break 4 of 4")).to_have_count(1)
    expect_classes(opened, 5, "by hand")

    # Back, step by step, and all at once.
    strip(opened).get_by_role("button", name="take the last step back").click()
    expect_classes(opened, 4, "by hand")
    strip(opened).get_by_role("button", name="back to the same number in each").click()
    expect_classes(opened, 5, "the same number in each quantile")
    wait_for_still(opened)
    assert classes(application, study) == before

    # The steps outlive the page, and going back is one of them.
    opened.reload()
    wait_for_still(opened)
    strip(opened).get_by_role("button", name="take the last step back").click()
    expect_classes(opened, 4, "by hand")

    # Simpler figures that move areas: what it costs is seen first.
    kept = inner(application, study)
    strip(opened).get_by_role("button", name=re.compile("^simpler")).last.click()
    step = strip(opened).get_by_role("button", name=re.compile("^in steps of")).last
    cost = int(re.search(r"\((\d+) areas?\)", step.inner_text())[1])
    step.click()
    expect(strip(opened)).to_contain_text(re.compile(f"^{cost} areas? changes? class: "))
    assert inner(application, study) == kept
    strip(opened).get_by_role("button", name="keep").click()
    expect(strip(opened).get_by_role("button", name="keep")).to_have_count(0)
    wait_for_still(opened)
    assert inner(application, study) != kept


def test_every_way_of_classing_is_offered_by_its_question_and_none_loses_an_area(opened, application, study):  # noqa: F811
    opened.keyboard.press("4")
    sheet = opened.get_by_label("class sheet")
    known = sum(a["value"] is not None for a in areas_of(application, study))
    head = opened.get_by_label("Account line").get_by_role("button", name=re.compile("^Class"))
    for way, how, says in (
        ("where the gaps fall", None, "natural breaks"),
        ("the same width", None, "equal intervals"),
        ("the same width", "round_numbers", "round numbers"),
        ("the same width", "every", "every"),
        ("growing widths", None, "geometric progression"),
        ("growing widths", "head_tail", "head and tail"),
        ("distance from the middle", None, "standard deviations"),
        ("distance from the middle", "clear_difference", "areas that clearly differ"),
        ("the same number in each", None, "quantile"),
    ):
        sheet.get_by_role("radio", name=way).click()
        if how:
            sheet.get_by_label("How", exact=True).select_option(how)
        expect(head).to_contain_text(says)
        wait_for_still(opened)
        placed = [a["class"] for a in areas_of(application, study) if a["value"] is not None]
        assert len(placed) == known
        assert all(c is not None and c >= 0 for c in placed), way
    sheet.get_by_label("Each area counts").select_option("under")
    expect(head).to_contain_text("the same number of residents in each quantile")
    wait_for_still(opened)
    rail = opened.get_by_label("Break rail").locator("[data-band]").all_inner_texts()
    residents = [int(text.split("\n")[-1].replace(",", "")) for text in rail]
    assert max(residents) < 1.5 * min(residents), "about as many residents in each class"


def test_ways_of_classing_are_compared_as_small_maps_and_one_is_chosen_by_a_click(opened, application, study):  # noqa: F811
    saved = versions(application, study)
    before = classes(application, study)
    opened.keyboard.press("4")
    opened.get_by_role("button", name="Compare ways of classing").click()
    page = opened.get_by_label("Other ways of classing")
    expect(page.locator('[data-drawn="12"]')).to_have_count(1)
    expect(page.get_by_role("button", pressed=True).filter(has_text="as it is now")).to_have_count(1)
    # Each map is drawn, and those that class otherwise look otherwise.
    pictures = page.locator("canvas").evaluate_all("all => all.map(c => c.toDataURL())")
    assert len(set(pictures)) == 12
    card = page.locator('[data-way="natural breaks 5"]')
    told = re.search(r"fit (\d+) %.*?(\d+) change", card.inner_text(), re.S)
    card.click()
    expect(card).to_contain_text("as it is now")
    expect(card).to_contain_text("0 change")
    after = classes(application, study)
    assert sum(after[a] != before[a] for a in before) == int(told[2]) > 0
    head = application.ask(f"api/studies/{study['id']}")["head_id"]
    view = application.ask(f"api/studies/{study['id']}/plans/{head}/view")
    assert f"{100 * view['ledger']['fit']:.0f}" == told[1]
    assert view["method"] == "natural breaks"
    assert versions(application, study) == saved + 1

    # One way cannot be made: it says why, and cannot be chosen.
    page.get_by_label("Classes", exact=True).get_by_role("button", name="9").click()
    page.get_by_role("button", name=re.compile("the same number of residents in each")).click()
    expect(page.locator('[data-drawn="20"]')).to_have_count(1)
    opened.keyboard.press("Escape")
    expect(page).to_have_count(0)


def changed(application, study, change) -> dict:  # noqa: F811
    """The view of the study's plan after a change."""
    head = application.ask(f"api/studies/{study['id']}")["head_id"]
    versions = application.ask(f"api/studies/{study['id']}/plans")["versions"]
    plan = next(v["document"] for v in versions if v["id"] == head)
    change(plan)
    return application.ask(f"api/studies/{study['id']}/plans", {"parent_id": head, "document": plan})["view"]


def test_locked_classes_stay_for_other_figures_say_what_lies_beyond_and_are_extended_or_let_go(
    opened, application, study  # noqa: F811
):  # fmt: skip
    breaks = inner(application, study)
    opened.keyboard.press("4")
    sheet = opened.get_by_label("class sheet")
    sheet.get_by_role("button", name="Lock classes and colours").click()
    expect(strip(opened)).to_contain_text("The classes are locked.")
    expect(opened.get_by_role("slider", name=re.compile("^Break"))).to_have_count(0)

    # One summer alone: the same classes, though many figures lie elsewhere.
    def one_summer(plan):
        (events,) = [
            e for n, e in plan["gather"]["events"].items() if n == plan["measure"][name(plan)]["numerator"]["events"]
        ]
        first = events["recorded"][0]
        events["where"] = [{"kind": "days", "first_day": first["first_day"], "last_day": first["last_day"]}]

    view = changed(application, study, one_summer)
    opened.reload()
    wait_for_still(opened)
    assert inner(application, study) == breaks
    beyond = view["beyond"]
    assert beyond > 0
    rail = opened.get_by_label("Break rail")
    expect(rail).to_contain_text("outside the classes")
    opened.keyboard.press("4")
    expect(sheet).to_contain_text(f"{beyond} areas have values below the lowest or above the highest break")
    sheet.get_by_role("button", name=f"extend them to the {beyond} areas outside").click()
    expect(rail).not_to_contain_text("outside the classes")
    assert inner(application, study) == breaks
    assert None not in {a["class"] for a in areas_of(application, study) if a["value"]}

    # Figures of another unit are not put into them: it says so, and all stays as it was.
    opened.keyboard.press("3")
    opened.locator('[data-slot="under"]').click()
    opened.get_by_label("measure sheet").get_by_role("radio", name="the ground").click()
    expect(opened.get_by_role("alert")).to_contain_text(
        "the locked classes are of “events per 10,000 residents and summer”"
    )
    assert inner(application, study) == breaks
    opened.get_by_role("alert").get_by_role("button", name="Open Class").click()
    sheet.get_by_role("button", name="let them go").click()
    expect(opened.get_by_role("slider", name=re.compile("^Break"))).to_have_count(len(breaks))
    expect(sheet.get_by_role("button", name="Lock classes and colours")).to_be_visible()


def name(plan) -> str:
    return plan["show"]["mapped"]


def test_measures_of_one_unit_have_common_classes_and_others_are_not_offered(opened, application, study):  # noqa: F811
    def more_measures(plan):
        first = plan["measure"][name(plan)]
        plan["measure"]["half as many"] = {**first, "denominator": {**first["denominator"], "noun": "residents"}}
        plan["measure"]["bare events"] = {"kind": "quotient", "numerator": first["numerator"]}
        for other in ("half as many", "bare events"):
            plan["class"][other] = {"method": "quantile"}

    changed(application, study, more_measures)
    opened.reload()
    wait_for_still(opened)
    opened.keyboard.press("4")
    sheet = opened.get_by_label("class sheet")
    lock = sheet.get_by_test_id("lock")
    expect(lock.get_by_role("checkbox")).to_have_count(1)
    lock.get_by_role("checkbox").click()
    lock.get_by_role("button", name="Lock common classes of 2 measures").click()
    expect(strip(opened)).to_contain_text("The classes are locked.")
    view = changed(application, study, lambda plan: plan["show"].update(mapped="half as many"))
    assert view["method"] == "locked, quantile of 2 measures together"
    assert view["ledger"]["breaks"][1:-1] == inner(application, study)


def test_a_class_is_called_coloured_hidden_and_shown_alone_and_its_words_never_stand_beside_another(
    opened, application, study  # noqa: F811
):  # fmt: skip
    rail = opened.get_by_label("Break rail")
    first = rail.locator('[data-band="0"]')
    colour = first.get_by_role("button").evaluate("e => getComputedStyle(e).backgroundColor")
    shade = tuple(map(int, re.findall(r"\d+", colour)))
    drawn = like(opened, shade)
    assert drawn > 2_000
    first.get_by_role("button").click()
    opened.get_by_role("button", name="hide it").click()
    until(opened, lambda: like(opened, shade) < drawn / 50)
    expect(rail).to_contain_text("1 class not shown")
    opened.keyboard.press("b")
    until(opened, lambda: like(opened, shade) > drawn / 2)

    first.get_by_role("button").click()
    opened.get_by_role("button", name="show it alone").click()
    expect(rail).to_contain_text("5 classes not shown")
    first.get_by_role("button").click()
    field = opened.get_by_label("It is called")
    field.fill("few")
    field.press("Enter")
    picker = opened.locator('input[type="color"]')
    picker.fill("#123456")
    picker.press("Tab")
    opened.keyboard.press("Escape")
    expect(picker).to_have_count(0)
    expect(first).to_contain_text("few")
    opened.keyboard.press("b")
    until(opened, lambda: like(opened, (0x12, 0x34, 0x56)) > drawn / 2)
    card_class = {a["identifier"]: a["class"] for a in areas_of(application, study)}

    # Another class has no such words; when this one is back, so are they.
    opened.keyboard.press("4")
    opened.get_by_role("button", name="One class more").click()
    expect(opened.get_by_label("class sheet")).to_contain_text("words or colours are of classes that there are not now")
    expect(rail).not_to_contain_text("few")
    opened.get_by_role("button", name="One class fewer").click()
    expect(first).to_contain_text("few")
    assert {a["identifier"]: a["class"] for a in areas_of(application, study)} == card_class


def test_classes_take_colours_between_two_of_ones_own_and_outlines_of_ones_own(opened, application, study):  # noqa: F811
    opened.keyboard.press("5")
    sheet = opened.get_by_label("show sheet")
    sheet.get_by_role("radio", name="between two of my own").click()
    expect(sheet.get_by_label("lowest class").first).to_be_visible()
    sheet.get_by_label("lowest class").first.fill("#f6e7c8")
    until(opened, lambda: bands(application, study)[0] == "#f6e7c8")
    sheet.get_by_label("highest class").first.fill("#5a1f4e")
    until(opened, lambda: bands(application, study)[-1] == "#5a1f4e")
    between = bands(application, study)
    assert len(set(between)) == len(between) == len(inner(application, study)) + 1
    sheet.get_by_role("button", name="layers", exact=True).click()
    sheet.get_by_role("button", name="outlines of the areas", exact=True).click()
    sheet.get_by_label("Outlines of areas").select_option("line 3")
    sheet.get_by_label("in the colour of").select_option("paper")
    until(opened, lambda: shown(application, study)["outlines"] == {"draw": "line", "colour": "paper", "width": 3})
    wait_for_still(opened)
    painted = opened.evaluate(PIXELS)
    assert {"#5a1f4e", "#f6e7c8"} <= set(painted)
    sheet.get_by_role("button", name="colours", exact=True).click()
    sheet.get_by_role("radio", name="heather").click()
    until(opened, lambda: bands(application, study)[0] != "#f6e7c8")
    expect(sheet.get_by_label("lowest class")).to_have_count(0)


# The colours that more than twenty points of the map have.
PIXELS = """() => {
    const canvas = document.querySelector("canvas[data-still]");
    const copy = Object.assign(document.createElement("canvas"), { width: canvas.width, height: canvas.height });
    const context = copy.getContext("2d");
    context.drawImage(canvas, 0, 0);
    const { data } = context.getImageData(0, 0, copy.width, copy.height);
    const seen = {};
    for (let i = 0; i < data.length; i += 4) {
        const key = "#" + [0, 1, 2].map((k) => data[i + k].toString(16).padStart(2, "0")).join("");
        seen[key] = (seen[key] ?? 0) + 1;
    }
    return Object.keys(seen).filter((key) => seen[key] > 20);
}"""


def view_of(application, study) -> dict:  # noqa: F811
    return application.ask(f"{results_of(application, study)}/view")


def bands(application, study) -> list[str]:  # noqa: F811
    return [band["colour"] for band in view_of(application, study)["bands"]]


def shown(application, study) -> dict:  # noqa: F811
    return view_of(application, study)["plan"]["show"]


def test_one_class_more_is_one_request(opened, application, study):  # noqa: F811
    opened.keyboard.press("4")
    expect(opened.get_by_label("class sheet")).to_be_visible()
    wait_for_still(opened)
    asked: list[str] = []
    opened.on("request", lambda r: asked.append(f"{r.method} {r.url.split('/')[-1]}") if "/api/" in r.url else None)
    opened.get_by_role("button", name="One class more").click()
    expect_classes(opened, 6, "the same number in each quantile")
    expect(opened.locator("[data-band]")).to_have_count(6)
    wait_for_still(opened)
    opened.wait_for_timeout(1_000)
    assert asked == ["POST plans"]
    # What came with it is what is asked for by itself.
    view = application.ask(f"{results_of(application, study)}/view")
    assert len({a["class"] for a in areas_of(application, study) if a["value"]}) == len(view["bands"]) == 6
