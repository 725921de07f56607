"""Seven tests of one bucket by the board: what is at hand is done, one is late, one is repeated, one begun by hand."""

from playwright.sync_api import TimeoutError as Unreachable
from playwright.sync_api import expect

from kessa.record.determinations.models import Determination
from kessa.record.results.models import Result
from kessa.record.rounds.services import plan_stop
from tests.browser.base import BrowserTest
from tests.browser.chromium import PHONE
from tests.world import drawn, planned, stocked_kit, visited

FAMILIES = (
    "oxygen-titration",
    "ph-strip",
    "clarity-tube",
    "nitrate-ampoule",
    "phosphate-comparator",
    "total-hardness-drops",
    "chloride-drops",
)
NEXT = ("Start the clock", "Done, next", "Begin the first run", "Write it in the log", "Write it with one run only")
DROPS = {"Chloride": 7, "Total hardness": 4}


class WholePicture(BrowserTest):
    def setUp(self):
        super().setUp()
        plans = {family: {"runs": 1, "blanks": 0, "standards": 0} for family in FAMILIES}
        plan_stop(self.ines, planned(self.ines, self.below, days_ago=1), self.below, plans, [])
        stocked_kit(self.ines, families=FAMILIES)
        self.visit = visited(self.below, self.olek)
        drawn(self.below, self.olek)
        self.taps = self.drops_tapped = 0
        self.late = self.repeated = False

    def tap(self, page, name, **exactly):
        """Tap a button if it is to be seen; say whether."""
        # In one look: between two it may be gone.
        button = page.get_by_role("button", name=name, disabled=False, **exactly)
        if not button.first.is_visible():
            return False
        try:
            button.first.click(timeout=2000)
        except Unreachable:
            # It went while the finger came down.
            return False
        self.taps += 1
        return True

    def at_hand(self, page):
        return page.get_by_role("heading", level=2).filter(visible=True).first.inner_text()

    def count(self, page):
        is_blank = page.locator("[data-run-name]:visible").inner_text() == "blank"
        units = 1 if is_blank else DROPS[self.at_hand(page)]
        for _ in range(units):
            page.get_by_role("button", name="One drop").click()
        self.drops_tapped += units
        self.tap(page, "It stays: end")

    def read(self, page):
        """Read what is asked for: a colour, a scale, a mark."""
        if self.at_hand(page) == "Nitrate" and not self.late:
            self.late = True
            page.clock.run_for(200_000)
            expect(page.get_by_text("past its time: read it all the same")).to_be_visible()
        choices = page.get_by_role("radiogroup").filter(visible=True)
        if choices.count():
            choices.first.get_by_role("radio").nth(4).check(force=True)
            self.taps += 1
        else:
            page.get_by_label("Ring of the plunger").filter(visible=True).last.fill("0.4")
            self.taps += 1
        self.tap(page, "Keep this reading")

    def between(self, page):
        """After a run: chloride is repeated, the others are written."""
        if self.at_hand(page) == "Chloride" and not self.repeated and self.tap(page, "Begin run 2"):
            self.repeated = True
            return True
        return any(self.tap(page, name) for name in NEXT)

    def go_on(self, page):
        """Do the one next thing, or wait for it."""
        self.answer(page)
        if page.get_by_role("button", name="Go on before the time").is_visible():
            page.clock.run_for(8_000)
        elif page.get_by_role("button", name="One drop", disabled=False).filter(visible=True).count():
            self.count(page)
        elif page.get_by_role("button", name="Keep this reading").first.is_visible():
            self.read(page)
        elif not (self.tap(page, "Clear", exact=True) or self.between(page)):
            page.clock.run_for(8_000)

    def test_seven_tests_one_late_one_repeated_one_begun_by_hand(self):
        page = self.open(PHONE)
        page.clock.install()
        page.goto(f"{self.address}/bench/visit/{self.visit.pk}/")
        # Oxygen waits least; another is begun by hand all the same.
        self.assertEqual(self.at_hand(page), "Dissolved oxygen")
        page.get_by_role("navigation", name="Tests of this visit").get_by_role("button", name="Total hardness").click()
        self.tap(page, "Done, next")
        self.assertEqual(self.at_hand(page), "Total hardness")
        done = page.get_by_role("heading", name="All tests of this visit are written in the log")
        for _ in range(400):
            if done.is_visible():
                break
            self.go_on(page)
        expect(done).to_be_visible()
        # How long it took, and how long it would have taken.
        expect(page.get_by_text("; one by one about").first).to_be_visible()
        self.assert_saved(page)
        results = {each.parameter: each for each in Result.objects.for_team(self.team)}
        self.assertEqual(len(results), len(FAMILIES))
        # Whatever else waited for its reading meanwhile is marked too.
        self.assertIn("nitrate", [name for name, each in results.items() if "read-late" in each.flags])
        self.assertEqual(Determination.objects.for_team(self.team).filter(closed_at=None).count(), 0)
        # Each step of each run, also of the blanks, takes hardly more than a tap; drops are counted besides.
        runs = {"chloride": 3, "total hardness": 2}
        steps = sum(len(each.determination.method.steps) * runs.get(name, 1) for name, each in results.items())
        self.assertLess(self.taps / steps, 1.5)
