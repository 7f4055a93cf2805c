"""The pages as a browser has them: judged by axe-core's rules, and used with keys alone; by Chromium, where it is."""

from __future__ import annotations

import shutil
import time
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import pytest
from conftest import Run
from test_reports_for_machines import hostile

from vast_ferry import Checked, CheckResult, Verdict
from vast_ferry.checking.exact_json import Difference
from vast_ferry.demo import PROJECT
from vast_ferry.reports.check_page import check_page
from vast_ferry.reports.times_plot import times_svg

if TYPE_CHECKING:
    from playwright.sync_api import Browser, Page

CHROMIUM = next(filter(None, map(shutil.which, ("chromium", "chromium-browser", "google-chrome"))), "")

pytestmark = [pytest.mark.slow, pytest.mark.skipif(not CHROMIUM, reason="there is no Chromium here")]


@pytest.fixture(scope="module")
def browser() -> Iterator[Browser]:
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        started = playwright.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox"])
        yield started
        started.close()


def broken_rules(page: Page) -> list[str]:
    """Return the rules of axe-core that a page breaks, each with the first element that does."""
    from axe_playwright_python.sync_playwright import Axe

    found = Axe().run(page).response["violations"]
    return [f"{one['id']}: {one['nodes'][0]['html'][:120]}" for one in found]


def hostile_page() -> str:
    result, told = hostile()
    return check_page(result, told=told, times=times_svg(result))


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_pages_keep_the_rules_of_access_and_run_nothing(
    browser: Browser, run: Run, tmp_path: Path, scheme: str
) -> None:
    run("carry", PROJECT, "--to", "thornwick", "--out", tmp_path / "p", "--side-by-side", tmp_path / "carry.html")
    assert run("check", tmp_path / "p", "--report", tmp_path / "check.html").returncode in (0, 1)
    (tmp_path / "hostile.html").write_text(hostile_page())
    page = browser.new_page(color_scheme=scheme, viewport={"width": 1280, "height": 800})  # type: ignore[arg-type]
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url))
    page.on("dialog", lambda dialog: asked.append(dialog.message))
    for name in ("carry", "check", "hostile"):
        page.goto((tmp_path / f"{name}.html").as_uri())
        page.evaluate("document.querySelectorAll('details').forEach(one => { one.open = true })")
        assert broken_rules(page) == [], name
    assert "<script>alert(1)</script>" in page.locator("h1").inner_text()
    assert [url for url in asked if not url.startswith(tmp_path.as_uri())] == []  # and no dialog
    page.close()


def test_keys_alone_come_to_all_of_it_in_the_order_in_which_it_stands(
    browser: Browser, run: Run, tmp_path: Path
) -> None:
    run("carry", PROJECT, "--to", "thornwick", "--out", tmp_path / "p")
    run("check", tmp_path / "p", "--report", tmp_path / "check.html")
    page = browser.new_page()
    page.goto((tmp_path / "check.html").as_uri())
    page.keyboard.press("Tab")
    assert page.evaluate("document.activeElement.innerText") == "To the functions"
    assert page.evaluate("document.activeElement.getBoundingClientRect().left") >= 0  # it shows once it has the focus
    wanted = page.evaluate("document.querySelectorAll('a, summary').length")
    tops: list[tuple[str, float]] = []
    for _ in range(wanted - 1):
        page.keyboard.press("Tab")
        where = "e => [e.closest('nav') ? 'nav' : 'main', e.getBoundingClientRect().top + scrollY, e.tagName]"
        part, top, tag = page.evaluate(f"({where})(document.activeElement)")
        assert tag in ("A", "SUMMARY")
        tops.append((part, top))
    for part in ("nav", "main"):
        inside = [top for one, top in tops if one == part]
        assert inside == sorted(inside)
    assert [part for part, _ in tops] == sorted((part for part, _ in tops), reverse=True)  # nav before main
    # A heading's link leads to it, and Enter opens what is folded.
    page.locator("details:not([open]) > summary").first.focus()
    page.keyboard.press("Enter")
    assert page.evaluate("document.activeElement.parentElement.open")
    page.close()


def test_a_page_of_two_thousand_samples_opens_in_two_seconds(browser: Browser, tmp_path: Path) -> None:
    told = (Difference("body $.weights[0].weight", "33.075", "32.3"),)
    many = [Checked(f"f{n % 40}", f"s{n}.http", Verdict.SAME, got="replied 200") for n in range(1400)]
    many += [Checked(f"f{n % 40}", f"d{n}.http", Verdict.DIFFERS, told, got="replied 200") for n in range(600)]
    path = tmp_path / "many.html"
    path.write_text(check_page(CheckResult("here", "there", tuple(many))))
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    begun = time.monotonic()
    page.goto(path.as_uri())
    page.screenshot()  # which waits until it is drawn
    assert time.monotonic() - begun < 2
    page.close()


def test_what_is_folded_is_printed(browser: Browser, tmp_path: Path) -> None:
    path = tmp_path / "hostile.html"
    path.write_text(hostile_page())
    page = browser.new_page()
    page.goto(path.as_uri())
    page.emulate_media(media="print")
    assert not page.locator("nav").is_visible()
    assert page.locator("details > pre").first.is_visible()
    page.close()
