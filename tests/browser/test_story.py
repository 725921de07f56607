"""The whole story: from the bottle to a judged line in the log."""

import csv
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.base import BrowserTest
from tests.browser.chromium import DESK, PHONE


class Story(BrowserTest):
    def test_on_a_phone_and_at_a_desk(self):
        for viewport in (PHONE, DESK):
            with self.subTest(viewport):
                page = self.open(viewport)
                self.begin(page)
                self.run_through(page, 1)
                expect(page.get_by_role("heading", name="The blank took 1 drop: good")).to_be_visible()
                self.run_through(page, 8, begin="Begin the first run")
                page.get_by_role("button", name="Begin run 2").click()
                self.steps(page)
                self.drops(page, 7)
                expect(page.get_by_text("28 mg/L", exact=True)).to_be_visible()
                expect(page.get_by_text("agrees from 6 to 10")).to_be_attached()
                page.get_by_role("button", name="Take one back").click()
                page.get_by_role("button", name="It begins to turn").click()
                self.drops(page, 1)
                page.get_by_role("button", name="It stays: end").click()
                self.steps(page, 1)
                expect(page.get_by_role("heading", name="The runs agree")).to_be_visible()
                self.write(page)
                expect(page.get_by_text("likely between 20 and 32 mg/L, 19 times in 20", exact=True)).to_be_visible()
                expect(page.get_by_text("Run 2: 7 × 4 = 28 mg/L as Cl. The end may lie as early as 6")).to_be_visible()
                expect(page.get_by_text("Within the limit it was held against: next visit as planned.")).to_be_visible()

        desk = self.open(DESK, "Ines")
        desk.get_by_role("link", name="Log", exact=True).click()
        desk.wait_for_load_state()  # a filter answers by itself once the page's script has run
        row = desk.get_by_role("row").filter(has_text="8, 7 drops").first
        expect(row).to_contain_text("inside")
        desk.get_by_label("Verdict").select_option("outside")
        expect(desk.get_by_text("Nothing in the log fits these filters.")).to_be_visible()
        self.assertIn("verdict=outside", desk.url)
        desk.get_by_label("Verdict").select_option("inside")
        with desk.expect_download() as download:
            desk.get_by_role("link", name="Save all of these as CSV").click()
        with Path(download.value.path()).open(encoding="utf-8-sig", newline="") as file:
            rows = list(csv.DictReader(file))
        self.assertEqual(
            [(each["result"], each["low"], each["person"]) for each in rows], [("30.0", "20.0", "Olek")] * 2
        )
        row.get_by_role("link").first.click()
        expect(desk.get_by_role("heading", name="The working")).to_be_visible()

    def test_by_keyboard_alone(self):
        page = self.open(DESK)
        keys = page.keyboard

        def tab_to(words):
            for _ in range(60):
                keys.press("Tab")
                on = page.evaluate(
                    "(({tagName, innerText, name}) => [tagName, innerText || name])(document.activeElement)"
                )
                if on[0] != "BODY" and words in (on[1] or ""):
                    return
            self.fail(f"no way by keyboard to {words}")

        tab_to("Bench")
        keys.press("Enter")
        page.wait_for_url("**/bench/")
        tab_to("Above the depot")
        keys.press("Enter")
        page.wait_for_url("**/visits/sample/at/**")
        tab_to("water_temperature_c")
        keys.type("6")
        tab_to("On to the test")
        keys.press("Enter")
        page.wait_for_url("**/bench/sample/**")
        tab_to("Chloride, drops")
        keys.press("Enter")
        page.wait_for_url("**family=chloride-drops")
        tab_to("Begin in the low range")
        keys.press("Enter")
        self.assert_saved(page)
        keys.press("?")
        expect(page.get_by_role("dialog")).to_be_visible()
        keys.press("Escape")
        expect(page.get_by_role("dialog")).to_be_hidden()
        for run, count in enumerate((1, 5, 6)):
            # What is asked of the sample is asked once, before its first run.
            asked = ("n", "7", "Enter") if run == 1 else ()
            for key in ("n" if run else "", "n", *asked, *"nnn", *" " * count, "Enter", "n"):
                if key:
                    keys.press(key)
        keys.press("Backspace")
        keys.press("Backspace")
        keys.press("Backspace")
        keys.press("t")
        keys.press("w")
        expect(page.get_by_role("timer")).to_have_text(" 0:30", use_inner_text=True)
        keys.press(" ")
        keys.press("Enter")
        keys.press("n")
        expect(page.get_by_role("heading", name="The runs agree")).to_be_visible()
        keys.press("n")
        expect(page.get_by_text("Run 2: 6 × 4 = 24 mg/L as Cl. The end may lie as early as 5")).to_be_visible()

    def test_what_changes_is_heard_once_and_the_focus_goes_on_to_the_next_thing(self):
        page = self.open(DESK)
        self.begin(page)
        self.steps(page)
        page.evaluate("""() => {
            const heard = document.querySelector("[data-heard]");
            window.heard = [];
            const note = () => heard.textContent && window.heard.push(heard.textContent);
            new MutationObserver(note).observe(heard, { childList: true });
        }""")

        def heard(words):
            # On a busy machine it may go on: taps wait.
            any_heard = "(words) => window.heard.some((each) => each.startsWith(words))"
            self.until(page, lambda: page.evaluate(any_heard, words))
            return page.evaluate("window.heard.splice(0)")

        # Nothing else of the page speaks of itself, at this tap or any other.
        live = page.locator("[aria-live]:not([aria-live=off]), [role=status], [role=alert]").filter(visible=True)
        self.assertEqual([each.get_attribute("data-heard") for each in live.all()], [""])
        self.drops(page, 3)
        self.assertLessEqual(len([each for each in heard("3 drops.") if each[1:6] == " drop"]), 3)
        page.get_by_role("button", name="It begins to turn").click()
        heard("Began to turn at 3 drops.")
        end = page.get_by_role("button", name="It stays: end")
        end.focus()
        page.keyboard.press("Enter")
        expect(page.locator("li.now")).to_be_focused()
        heard("Pour into the silver jar; rinse the bottle into it too. End at 3 drops. Finish the steps.")
        # There the keys go on meaning what they say.
        page.keyboard.press("n")
        expect(page.get_by_role("heading", name="The blank took 3 drops: bad")).to_be_focused()

    def test_over_the_range_and_on_to_a_dilution(self):
        page = self.open()
        self.begin(page, method="High range")
        page.get_by_role("button", name="No deionised water").click()
        page.get_by_role("button", name="Begin the first run").click()
        self.steps(page)
        self.drops(page, 25)
        expect(page.get_by_role("button", name="One drop")).to_be_hidden()
        page.get_by_role("button", name="No end at 25: over the range").click()
        self.steps(page, 1)
        expect(page.get_by_role("heading", name="Over the range")).to_be_visible()
        self.write(page)
        expect(page.get_by_text(">1250").first).to_be_visible()
        page.get_by_label("Dilute the sample").select_option("1 in 5: 20 mL of sample, deionised water to 100 mL")
        page.get_by_role("button", name="Go on with the diluted sample").click()
        expect(page.get_by_text("diluted 1 in 5")).to_be_visible()
        self.run_through(page, 9)
        self.run_through(page, 9, begin="Begin run 2")
        self.write(page)
        expect(page.get_by_text("Sample diluted 1 in 5: × 5 = 2250 mg/L as Cl").first).to_be_visible()
        expect(page.get_by_text("outside").first).to_be_visible()

    def test_a_bad_blank_a_void_run_and_runs_that_never_agree(self):
        page = self.open(DESK)
        self.begin(page)
        self.run_through(page, 4)
        expect(page.get_by_role("heading", name="The blank took 4 drops: bad")).to_be_visible()
        expect(page.get_by_text("Is it deionised water")).to_be_visible()
        page.get_by_role("button", name="Go on with the warning").click()
        self.steps(page)
        self.drops(page, 9)
        page.get_by_role("button", name="Went too far").click()
        expect(page.get_by_role("heading", name="This run is void")).to_be_visible()
        self.run_through(page, 4, begin="Begin run 2")
        self.run_through(page, 8, begin="Begin run 3")
        expect(page.get_by_role("heading", name="The runs do not agree yet")).to_be_visible()
        self.run_through(page, 12, begin="Begin run 4")
        self.write(page)
        for words in ("blank bad", "runs do not agree", "Void, kept but not counted: run 1"):
            expect(page.get_by_text(words).first).to_be_visible()
        page.get_by_label("Reason, kept with the result").fill("new bottle")
        page.get_by_role("button", name="Set aside and repeat").click()
        expect(page.get_by_text("low range, blank")).to_be_visible()
