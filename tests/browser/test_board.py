"""Several tests of one visit on one page: one next thing, clocks that overlap, hands that are never interrupted."""

from contextlib import suppress

from playwright.sync_api import expect

from kessa.core.runs.timing import timing
from kessa.record.determinations.models import Determination
from kessa.record.determinations.state import bench_of
from kessa.record.results.models import Result
from kessa.record.rounds.services import plan_stop
from kessa.record.taps.selectors import counted
from tests.browser.base import BrowserTest
from tests.browser.chromium import DESK, PHONE
from tests.world import drawn, planned, stocked_kit, visited

FAMILIES = ("chloride-drops", "nitrate-ampoule", "phosphate-comparator")


class OnTheBoard(BrowserTest):
    def setUp(self):
        super().setUp()
        plans = {family: {"runs": 1, "blanks": 0, "standards": 0} for family in FAMILIES}
        plan_stop(self.ines, planned(self.ines, self.below, days_ago=1), self.below, plans, [])
        stocked_kit(self.ines)
        self.visit = visited(self.below, self.olek)
        drawn(self.below, self.olek)

    def board(self, viewport=PHONE):
        page = self.open(viewport)
        page.clock.install()
        page.goto(f"{self.address}/bench/visit/{self.visit.pk}/")
        expect(page.get_by_role("img", name="The tests in time")).to_be_visible()
        return page

    def chip(self, page, name):
        return page.get_by_role("navigation", name="Tests of this visit").get_by_role("button", name=name)

    def assert_at_hand(self, page, name):
        """The test that is shown in full."""
        expect(page.get_by_role("heading", level=2, name=name, exact=True)).to_be_visible()
        expect(self.chip(page, name)).to_have_attribute("aria-pressed", "true")

    def up_to_the_clock(self, page):
        """Do what is asked and to be done until the clock is started."""
        start = page.get_by_role("button", name="Start the clock")
        clear = page.get_by_role("button", name="Clear", exact=True)
        for _ in range(12):
            self.answer(page)
            if clear.is_visible():
                clear.click()
            if start.is_visible():
                start.click()
                return
            page.get_by_role("button", name="Done, next").click()

    def test_three_tests_at_once(self):
        page = self.board()
        self.assert_at_hand(page, "Nitrate")
        self.up_to_the_clock(page)
        # Shaking keeps the hands busy: nothing else is brought forward.
        self.assert_at_hand(page, "Nitrate")
        page.clock.run_for(121_000)
        page.get_by_role("button", name="Done, next").click()
        self.up_to_the_clock(page)
        # It settles: the hands are free, and the next test comes forward by itself.
        expect(self.chip(page, "Nitrate")).to_have_text("Nitrate0:59", timeout=5000)
        self.chip(page, "Chloride").click()
        self.assert_at_hand(page, "Chloride")
        self.run_through(page, 1)
        page.get_by_role("button", name="Begin the first run").click()
        self.steps(page)
        self.drops(page, 3)
        page.clock.run_for(61_000)
        # The clock rings while drops are counted: it is said, and the count stays in the hands.
        expect(page.get_by_text("Nitrate: go on now")).to_be_visible()
        self.assert_at_hand(page, "Chloride")
        self.drops(page, 4)
        # To the digits that the interval deserves.
        expect(page.get_by_text("if it ends here: likely between 20 and 30 mg/L").filter(visible=True)).to_be_visible()
        page.get_by_role("button", name="It stays: end").click()
        self.assert_count(page, 7)
        self.assert_accessible(page)
        self.steps(page, 1)
        expect(page.get_by_role("heading", name="The planned run is made")).to_be_visible()
        page.get_by_role("button", name="Write it in the log").click()
        self.assert_at_hand(page, "Nitrate")
        expect(self.chip(page, "Chloride")).to_contain_text("28 mg/L")
        self.assert_saved(page)
        page.reload()
        self.assert_saved(page)
        # Whatever happens to the page, each test stands where it was.
        expect(self.chip(page, "Nitrate")).to_contain_text("go on now")
        expect(page.get_by_role("link", name="Chloride done")).to_be_visible()
        page.get_by_role("button", name="Done, next").click()
        expect(page.get_by_text("Snap the ampoule's tip").filter(visible=True)).to_be_visible()
        self.assertEqual(Result.objects.for_team(self.team).get().value, 28)
        self.assertEqual(Determination.objects.for_team(self.team).count(), 2)

    def test_a_clicker_a_voice_and_an_eye_that_is_quicker_than_the_hand(self):
        page = self.open(PHONE)
        page.add_init_script("""
            window.said = [];
            window.SpeechSynthesisUtterance = class { constructor(words) { this.words = words; } };
            const voice = { cancel() {}, speak: (each) => said.push(each.words) };
            Object.defineProperty(window, "speechSynthesis", { value: voice });
        """)
        page.clock.install()
        page.goto(f"{self.address}/bench/visit/{self.visit.pk}/")
        self.assert_saved(page)
        aloud = page.get_by_role("button", name="Say it aloud")
        for _ in range(4):
            # A slow page may not listen yet.
            aloud.click()
            with suppress(AssertionError):
                expect(aloud).to_have_attribute("aria-pressed", "true", timeout=5000)
                break
        page.get_by_role("button", name="Keys").click()
        for act, key in (("one more", "PageDown"), ("it stays", "PageUp"), ("next", "F9")):
            page.get_by_role("button", name=f"Learn: {act}").click()
            page.keyboard.press(key)
            expect(page.get_by_text("Learnt.")).to_be_visible()
        self.assert_accessible(page)
        page.get_by_role("button", name="Close").click()
        self.chip(page, "Chloride").click()
        for _ in range(5):
            self.answer(page)
            page.keyboard.press("F9")
        page.keyboard.press("PageDown")
        page.keyboard.press("PageDown")
        self.assert_count(page, 2)
        given = page.evaluate("said")
        self.assertEqual(given[-2:], ["1", "2"])
        self.assertIn("Indicator powder in, whole packet; lid on, swirl until yellow", given)
        page.keyboard.press("PageUp")
        expect(page.get_by_text("End at 2 drops")).to_be_visible()
        self.chip(page, "Phosphate").click()
        self.up_to_the_clock(page)
        page.clock.run_for(301_000)
        self.chip(page, "Phosphate").click()
        page.get_by_role("button", name="Done, next").click()
        page.get_by_role("button", name="Read: its number after").click()
        page.clock.run_for(900_000)
        expect(page.get_by_text("read: now its number")).to_be_visible()
        page.get_by_role("radiogroup", name="Phosphate").get_by_role("radio").nth(3).check(force=True)
        page.get_by_role("button", name="Keep this reading").click()
        self.assert_saved(page)
        run = bench_of(
            phosphate := Determination.objects.for_team(self.team).get(family="phosphate-comparator"),
            counted(self.team, phosphate.pk),
        )
        # Typed a quarter of an hour later, it was read in its time.
        self.assertEqual(timing(phosphate.method, run.samples[1], run.answers), {})

    def test_begun_by_hand_in_another_order_and_seen_from_a_desk(self):
        page = self.board(DESK)
        self.chip(page, "Phosphate").click()
        self.assert_at_hand(page, "Phosphate")
        page.keyboard.press("n")
        expect(self.chip(page, "Phosphate")).to_contain_text("run 1")
        page.get_by_text("As a table").click()
        rows = page.get_by_role("row")
        expect(rows.filter(has_text="Phosphate")).to_contain_text("now")
        self.chip(page, "Nitrate").focus()
        page.keyboard.press("Enter")
        self.assert_at_hand(page, "Nitrate")
        page.get_by_text("No kit named").filter(visible=True).click()
        expect(page.get_by_role("link", name="Another range, kit or instrument")).to_be_visible()
        self.assert_accessible(page)
        for width in (360, 640):
            page.set_viewport_size({"width": width, "height": 800})
            self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), width)
            expect(page.get_by_role("link", name="More")).to_be_in_viewport()
