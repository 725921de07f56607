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


def open_bench(page: Page, place: str, test: str = "Chloride, drops") -> None:
    """Go from the bench to the first step of a run."""
    page.get_by_role("region", name="Places").get_by_role("link", name=place).first.click()
    if page.get_by_role("link", name="Use the sample drawn").count():
        page.get_by_role("link", name="Use the sample drawn").first.click()
    else:
        if not page.get_by_label("Water temperature").input_value():
            page.get_by_label("Water temperature").fill("22")
        page.get_by_role("button", name="On to the test").click()
    page.get_by_role("link", name=test).first.click()
    page.get_by_role("button", name="Begin").first.click()
    page.get_by_text("all readings saved").wait_for()


def methods(page: Page, address: str, shot: Callable[[str], None]) -> None:
    """A bench card."""
    page.goto(f"{address}/methods/phosphate-comparator/")
    shot("method")


def meaning(page: Page, address: str, shot: Callable[[str], None]) -> None:
    """A place over time, the map, and what is to be done at a boiler."""
    page.goto(f"{address}/places/")
    page.get_by_role("link", name="below the depot").click()
    page.get_by_role("link", name="Over time").click()
    shot("trend")
    page.goto(f"{address}/places/map/")
    shot("map")
    page.goto(f"{address}/places/")
    page.get_by_role("link", name="Dairy, steam boiler").click()
    shot("to-do")


def sharing(page: Page, address: str, shot: Callable[[str], None]) -> None:
    """A visit looked over, a system on paper, and a place opened to everybody."""
    page.get_by_role("button", name="Sign out").click()
    page.get_by_role("button", name="Ines").click()
    page.goto(f"{address}/review/")
    page.get_by_role("link", name="Dairy, borehole supply").first.click()
    shot("review")
    page.goto(f"{address}/reports/")
    form = page.get_by_role("region", name="Report of a system")
    form.get_by_label("Place").select_option(label="Dairy, steam boiler")
    form.get_by_role("button", name="Look at it").click()
    page.get_by_role("button", name="Issue it with a number").click()
    shot("report")
    page.goto(f"{address}/open/")
    page.get_by_label("Place").select_option(label="Ashlin Brook, below the depot")
    page.get_by_role("button", name="Open it to everybody").click()
    page.get_by_role("link", name="Ashlin Brook, below the depot").click()
    page.set_viewport_size(PHONE)
    shot("neighbours")


def count_through(page: Page, shot: Callable[[str], None], *, phone: bool) -> None:
    """Run a determination from its first step to its result."""
    open_bench(page, "Ashlin Brook, below the depot")
    # The sample's pH is asked before its first run.
    press(page, "nnnn en" + "nnn7ennn" + " " * 12 + "en")
    press(page, "nnnnn" + " " * 10 + "t ")
    page.get_by_text("all readings saved").wait_for()
    if phone:
        shot("count")
    press(page, "en")
    page.get_by_role("heading", name="The runs agree").wait_for()
    press(page, "n")
    page.get_by_role("heading", name="The working").wait_for()
    if phone:
        return
    shot("result")


def practise(page: Page, address: str, shot: Callable[[str], None]) -> None:
    """Count on made-up water."""
    page.goto(f"{address}/practice/")
    page.get_by_label("On water that is made up for it").select_option("p-alkalinity-drops-25")
    page.get_by_role("button", name="Practise it").click()
    page.get_by_label("Nothing: go on").check()
    page.get_by_role("button", name="To the bench").click()
    page.get_by_text("all readings saved").wait_for()
    while not page.get_by_role("button", name="One drop").is_visible():
        page.get_by_role("button", name="Done, next").click()
    press(page, " " * 9)
    page.get_by_text("all readings saved").wait_for()
    shot("practice")


def begin_visit(page: Page) -> None:
    """Confirm safety and begin."""
    page.get_by_role("radio", name="neither").check()
    page.get_by_label("Who comes along").fill("Sanna")
    page.get_by_label("Who knows where you are").fill("Ines")
    page.get_by_label("They should hear from you by").fill("12:30")
    page.get_by_label("I have read the hazards").check()
    page.get_by_role("button", name="Begin the visit").click()


def visit(page: Page, shot: Callable[[str], None]) -> None:
    """Begin a visit and note what is seen."""
    page.get_by_role("link", name="Start the visit").first.click()
    begin_visit(page)
    page.get_by_role("link", name="Circumstances").click()
    page.get_by_role("textbox", name="Water temperature").fill("4.2")
    page.get_by_role("textbox", name="Conductivity").fill("0.247")
    page.get_by_label("Unit of conductivity on the display").select_option("mS/cm")
    page.get_by_role("radio", name="overcast").check()
    page.get_by_text("all readings saved").wait_for()
    page.get_by_role("link", name="Done").click()
    shot("visit")


def board(page: Page, address: str, shot: Callable[[str], None]) -> None:
    """Visit the mill pond dam and begin several tests at once."""
    page.goto(f"{address}/today/")
    page.get_by_role("link", name="Start the visit: Ashlin Brook, mill pond dam").first.click()
    begin_visit(page)
    page.get_by_role("link", name="Sample", exact=True).click()
    page.get_by_label("Water temperature").fill("4.2")
    page.get_by_role("button", name="Keep the sample").click()
    page.goto(page.url.replace("/visits/", "/bench/visit/"))
    page.get_by_role("img", name="The tests in time").wait_for()
    press(page, "nnnw")
    page.get_by_role("button", name="Nitrate").click()
    page.get_by_role("main").focus()
    press(page, "n")
    page.get_by_role("textbox", name="pH").filter(visible=True).fill("7.1")
    page.get_by_role("button", name="Write it down").filter(visible=True).click()
    press(page, "nw")
    page.wait_for_timeout(2500)
    shot("board")


def main(address: str, folder: Path) -> None:
    """Take every picture."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=QUIET)
        for phone, viewport in ((False, DESK), (True, PHONE)):
            page = browser.new_context(viewport=viewport).new_page()

            def shot(name: str, page: Page = page, suffix: str = "-phone" if phone else "") -> None:
                page.get_by_role("contentinfo").wait_for()
                page.wait_for_timeout(700)
                page.evaluate("window.scrollTo(0, 0)")
                page.screenshot(path=folder / f"{name}{suffix}.png")

            page.goto(address)
            page.get_by_role("button", name="Sanna" if phone else "Olek").click()
            if phone:
                visit(page, shot)
                page.goto(f"{address}/today/")
                page.get_by_role("region", name="Visits going on").get_by_role("link", name="mill pond dam").click()
                page.goto(page.url.replace("/visits/", "/bench/visit/"))
                page.get_by_role("img", name="The tests in time").wait_for()
                shot("board")
                page.goto(f"{address}/today/")
                page.get_by_role("link", name="Infants do not drink this water").first.click()
                shot("list")
                page.goto(f"{address}/bench/")
                count_through(page, shot, phone=True)
                practise(page, address, shot)
                continue
            shot("today")
            board(page, address, shot)
            page.goto(f"{address}/bench/")
            count_through(page, shot, phone=False)
            for name in ("log", "kits"):
                page.goto(f"{address}/{name}/")
                shot(name)
            page.goto(f"{address}/log/charts/?family=chloride-drops&kind=duplicate")
            shot("chart")
            page.goto(f"{address}/places/")
            page.get_by_role("link", name="below the depot").click()
            shot("place")
            page.get_by_role("button", name="Sign out").click()
            page.get_by_role("button", name="Per").click()
            methods(page, address, shot)
            meaning(page, address, shot)
            sharing(page, address, shot)
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1], Path(sys.argv[2]))
