"""Pictures of the main views, for the README: `bin/screenshots`."""

import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from tests.browser.chromium import CHROMIUM, DESK, PHONE, QUIET


def press(page: Page, keys: str) -> None:
    """Press keys one after another; e is enter."""
    for key in keys:
        page.keyboard.press("Enter" if key == "e" else key)


def open_bench(page: Page, place: str) -> None:
    """Go from the start to the first step of a run."""
    page.get_by_role("link", name=place).first.click()
    page.get_by_label("Water temperature").fill("4")
    page.get_by_role("button", name="On to the test").click()
    page.get_by_role("button", name="Begin in the").click()
    page.get_by_text("all readings saved").wait_for()


def main(address: str, folder: Path) -> None:
    """Take every picture."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=QUIET)
        for suffix, viewport in (("", DESK), ("-phone", PHONE)):
            page = browser.new_context(viewport=viewport).new_page()

            def shot(name: str, page: Page = page, suffix: str = suffix) -> None:
                page.get_by_role("contentinfo").wait_for()
                page.wait_for_timeout(700)
                page.screenshot(path=folder / f"{name}{suffix}.png")

            page.goto(address)
            if not suffix:
                shot("sign-in")
            page.get_by_role("button", name="Olek").click()
            shot("start")
            open_bench(page, "Ashlin Brook, below the depot")
            if suffix:
                shot("step")
            press(page, "nnnn en" + "nnnnn" + " " * 12 + "en")
            press(page, "nnnnn" + " " * 10 + "t ")
            page.get_by_text("all readings saved").wait_for()
            shot("count")
            press(page, "en")
            page.get_by_role("heading", name="The runs agree").wait_for()
            shot("agree")
            press(page, "n")
            page.get_by_role("heading", name="The working").wait_for()
            shot("result")
            if suffix:
                continue
            for name in ("log", "places", "rules"):
                page.goto(f"{address}/{name}/")
                shot(name)
            page.goto(f"{address}/places/")
            page.get_by_role("link", name="below the depot").click()
            shot("place")
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1], Path(sys.argv[2]))
