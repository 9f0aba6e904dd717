"""Every view in small windows, as at a zoom of 200 and 400 %: nothing that can be pressed is out of reach."""

import pytest
from playwright.sync_api import Browser, Page

from .conftest import Application, still
from .test_failures import VIEWS

# What is inside of what clips it, or beyond the window, without anything that could be scrolled to it.
_BEYOND = """() => {
  const pressed =
    "button, a[href], input:not([type=file]), select, textarea, summary, [role=button], [role=application]";
  const beyond = [];
  for (const e of document.querySelectorAll(pressed)) {
    const r = e.getBoundingClientRect();
    const seen = e.checkVisibility({ visibilityProperty: true, contentVisibilityAuto: true });
    if (!r.width || !r.height || !seen) continue;
    const at = { x: (r.left + r.right) / 2, y: (r.top + r.bottom) / 2 };
    for (let p = e.parentElement; p; p = p.parentElement) {
      const style = getComputedStyle(p);
      const root = p === document.body || p === document.documentElement;
      const b = root ? { left: 0, top: 0, right: innerWidth, bottom: innerHeight } : p.getBoundingClientRect();
      for (const [axis, from, to, flow, room] of [
        ["x", b.left, b.right, style.overflowX, p.scrollWidth - p.clientWidth],
        ["y", b.top, b.bottom, style.overflowY, p.scrollHeight - p.clientHeight],
      ]) {
        if ((flow === "auto" || flow === "scroll") && room > 0) at[axis] = Math.min(Math.max(at[axis], from), to);
        else if ((flow !== "visible" || root) && (at[axis] < from || at[axis] > to))
          beyond.push(`${e.ariaLabel ?? e.textContent.trim().slice(0, 40)}: ${axis} ${at[axis]} in ${from} to ${to}`);
      }
    }
  }
  return beyond;
}"""


# The reader's text is of another size, before anything of the page has asked how large it is.
_TEXT = """(() => {
  const set = () => document.documentElement && (document.documentElement.style.fontSize = "16px");
  set();
  new MutationObserver(set).observe(document, { childList: true });
})()"""


def opened(page: Page, application: Application, name: str) -> None:
    page.goto("about:blank")
    page.goto(application.url)
    still(page)
    way, view = VIEWS[name]
    way(page)
    still(page)
    view(page)
    still(page)


@pytest.mark.parametrize(
    ("width", "height", "text"),
    [(1280, 800, 16), (1280, 800, 32), (1024, 700, 16), (640, 400, 16), (320, 480, 16)],
)
def test_nothing_is_out_of_reach(
    browser: Browser, application: Application, width: int, height: int, text: int
) -> None:
    page = application.enter(browser.new_page(viewport={"width": width, "height": height}))
    page.add_init_script(_TEXT.replace("16", str(text)))
    application.study()
    beyond = {}
    for name in VIEWS:
        opened(page, application, name)
        beyond[name] = page.evaluate(_BEYOND)
    page.close()
    assert {name: found for name, found in beyond.items() if found} == {}


def test_a_window_that_becomes_small_and_large_again_has_all_in_reach(page: Page, application: Application) -> None:
    application.study()
    opened(page, application, "measure: divided by")
    for width, height in ((640, 400), (900, 700), (320, 480), (1280, 800)):
        page.set_viewport_size({"width": width, "height": height})
        still(page)
        assert page.evaluate(_BEYOND) == [], width
