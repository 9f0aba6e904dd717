"""The page at a name of its own: what other pages of the machine are shown, and ending all sessions."""

import http.server
import threading
import urllib.error
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Application


@pytest.fixture(scope="module")
def own(tmp_path_factory) -> Iterator[Application]:
    """An application whose sessions may be ended."""
    running = Application(tmp_path_factory.mktemp("sessions") / "data", "--no-demo")
    running.ask("api/studies", {"name": "mine"})
    yield running
    running.stop()


@pytest.fixture
def stranger() -> Iterator[tuple[str, list[str]]]:
    """Another user's page on the same machine, and the cookies that it is shown; at /back it sends the browser on."""
    shown: list[str] = []

    class Page(http.server.BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            shown.append(self.headers.get("Cookie", ""))
            self.send_response(302 if self.path == "/on" else 200)
            if self.path == "/on":
                self.send_header("Location", "/")
            self.end_headers()
            self.wfile.write(b"<title>a stranger's</title>")

        def log_message(self, *_: object) -> None:
            pass

    server = http.server.HTTPServer(("127.0.0.1", 0), Page)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}", shown
    server.shutdown()


def test_the_printed_address_keeps_its_session_from_pages_at_other_ports(page: Page, own: Application, stranger):
    address, shown = stranger
    page.context.clear_cookies()
    page.goto(own.named)
    expect(page.get_by_text("Load the demo study")).to_be_visible()
    assert page.context.cookies()[0]["domain"].endswith(".localhost")
    for path in ("/", "/on"):
        page.goto(address + path)
        expect(page).to_have_title("a stranger's")
    assert len(shown) >= 3
    assert [cookie for cookie in shown if "steady_tally" in cookie] == []
    page.goto(own.named.partition("?")[0])
    expect(page.get_by_text("Load the demo study")).to_be_visible()


def test_by_the_number_it_says_that_the_session_is_shown_to_others_and_all_sessions_can_be_ended(
    page: Page, own: Application
):
    own.enter(page).goto(own.url)
    page.get_by_role("button", name="1 study without a map").click()
    page.get_by_role("article", name="mine").get_by_role("button").first.click()
    page.get_by_role("button", name="mine").click()
    page.get_by_role("menuitem", name="Sessions").click()
    expect(page.get_by_role("dialog")).to_contain_text("shows its session to any page of this machine")
    expect(page.get_by_role("dialog")).to_contain_text(".localhost")
    page.get_by_role("button", name="Keep them").click()
    assert own.ask("api/studies")["studies"]
    page.get_by_role("button", name="mine").click()
    page.get_by_role("menuitem", name="Sessions").click()
    page.get_by_role("button", name="End all sessions").click()
    expect(page.get_by_text("This page opens by a key")).to_be_visible()
    with pytest.raises(urllib.error.HTTPError, match="401"):
        own.ask("api/studies")
