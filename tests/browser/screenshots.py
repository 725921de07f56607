"""Pictures of the main views, for the README: `bin/screenshots`."""

import sys
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from tests.browser.chromium import CHROMIUM, DESK, PHONE, QUIET


def press(page: Page, keys: str) -> None:
    """Press keys one after another; e is enter."""
    for key in keys:
        page.keyboard.press("Enter" if key == "e" else key)


def open_bench(page: Page, place: str) -> None:
    """Go from the bench to the first step of a run."""
    page.get_by_role("link", name=place).first.click()
    page.get_by_label("Water temperature").fill("4")
    page.get_by_role("button", name="On to the test").click()
    page.get_by_role("link", name="Chloride, drops").first.click()
    page.get_by_role("button", name="Begin in the").click()
    page.get_by_text("all readings saved").wait_for()


def count_through(page: Page, shot: Callable[[str], None], *, phone: bool) -> None:
    """Run a determination from its first step to its result."""
    open_bench(page, "Ashlin Brook, below the depot")
    if phone:
        shot("step")
    press(page, "nnnn en" + "nnnnn" + " " * 12 + "en")
    press(page, "nnnnn" + " " * 10 + "t ")
    page.get_by_text("all readings saved").wait_for()
    shot("count")
    press(page, "en")
    page.get_by_role("heading", name="The runs agree").wait_for()
    if not phone:
        shot("agree")
    press(page, "n")
    page.get_by_role("heading", name="The working").wait_for()
    shot("result")


def visit(page: Page, shot: Callable[[str], None]) -> None:
    """Pack, begin a visit and note what is seen."""
    page.get_by_role("link", name="Check the kit before you go").click()
    page.get_by_role("button", name="Work out the packing list").click()
    page.get_by_role("button", name="Goggles").click()
    shot("packing")
    page.get_by_role("link", name="Today", exact=True).click()
    page.get_by_role("link", name="Start the visit").first.click()
    page.get_by_role("radio", name="neither").check()
    page.get_by_label("Who comes along").fill("Sanna")
    page.get_by_label("Who knows where you are").fill("Ines")
    page.get_by_label("They should hear from you by").fill("12:30")
    page.get_by_label("I have read the hazards").check()
    page.get_by_role("button", name="Begin the visit").click()
    page.get_by_role("link", name="Circumstances").click()
    page.get_by_role("spinbutton", name="Water temperature").fill("4.2")
    page.get_by_role("spinbutton", name="Conductivity").fill("0.247")
    page.get_by_label("Unit of conductivity on the display").select_option("mS/cm")
    page.get_by_role("radio", name="overcast").check()
    page.get_by_text("all readings saved").wait_for()
    page.evaluate("window.scrollTo(0, 0)")
    shot("circumstances")
    page.get_by_role("link", name="Done").click()
    shot("visit")


def main(address: str, folder: Path) -> None:
    """Take every picture."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=QUIET)
        for phone, viewport in ((False, DESK), (True, PHONE)):
            page = browser.new_context(viewport=viewport).new_page()

            def shot(name: str, page: Page = page, suffix: str = "-phone" if phone else "") -> None:
                page.get_by_role("contentinfo").wait_for()
                page.wait_for_timeout(700)
                page.screenshot(path=folder / f"{name}{suffix}.png")

            page.goto(address)
            if not phone:
                shot("sign-in")
            page.get_by_role("button", name="Olek").click()
            if phone:
                visit(page, shot)
                page.goto(f"{address}/bench/")
                count_through(page, shot, phone=True)
                continue
            shot("today")
            page.goto(f"{address}/bench/")
            shot("start")
            count_through(page, shot, phone=False)
            for name in ("log", "places", "kits", "rules"):
                page.goto(f"{address}/{name}/")
                shot(name)
            for name, link in (("place", "below the depot"), ("boiler", "steam boiler")):
                page.goto(f"{address}/places/")
                page.get_by_role("link", name=link).click()
                shot(name)
            page.goto(f"{address}/today/rounds/")
            page.get_by_role("link", name="Salt watch, winter").last.click()
            shot("round")
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1], Path(sys.argv[2]))
