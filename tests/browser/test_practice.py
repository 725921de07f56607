"""A learner's first week: an order, a count that went too far, one that did not, a verdict; and who may do it alone."""

from unittest.mock import patch

from playwright.sync_api import expect

from kessa.core.practice.lessons import lessons
from kessa.core.practice.seen import end_of, turned
from kessa.record.practice.models import Practised
from kessa.record.results.models import Result
from tests.browser.base import BrowserTest
from tests.browser.chromium import DESK


class Practice(BrowserTest):
    def practise(self, page, lesson):
        page.goto(f"{self.address}/practice/")
        page.get_by_role("listitem").get_by_role("button", name=lessons()[lesson].title).click()
        page.wait_for_load_state()

    def colour(self, page):
        return page.locator("[data-vessel] .liquid").get_attribute("fill")

    def count(self, page, role, number, shift=0):
        """Count to where the colour stays, or past it."""
        self.steps(page, 4)
        before = self.colour(page)
        go = Practised.objects.for_team(self.team).first()
        self.drops(page, end_of(turned(go.method, go.method.main, go.world, f"{role}-{number}")) + shift)
        self.assertNotEqual(self.colour(page), before)
        page.get_by_role("button", name="It stays: end").click()
        self.steps(page, 1)

    @patch("kessa.record.practice.services.secrets.randbelow", lambda _: 5)
    def test_a_learners_first_week(self):
        page = self.open()
        page.get_by_role("link", name="Bench", exact=True).click()
        page.get_by_role("link", name="Practise on made-up water").click()
        page.wait_for_load_state()
        self.assert_accessible(page)
        page.get_by_role("button", name="Rinse before you fill: 2 minutes").click()
        page.wait_for_load_state()
        self.assert_accessible(page)
        for number, step in enumerate(lessons()["rinse"].order, 1):
            page.get_by_label(step).select_option(str(number))
        page.get_by_role("button", name="In this order").click()
        expect(page.get_by_role("heading", name="All of it right")).to_be_visible()
        self.assert_accessible(page)
        for shift, given in ((3, "you called the end at"), (0, "Your verdict")):
            self.practise(page, "blank")
            self.assert_accessible(page)
            page.get_by_label("Nothing: go on").check()
            page.get_by_role("button", name="To the bench").click()
            expect(page.get_by_text("nothing of it reaches the log")).to_be_visible()
            self.count(page, "blank", 1)
            self.assert_accessible(page)
            for number, begin in ((1, "Begin the first run"), (2, "Begin run 2")):
                page.get_by_role("button", name=begin).click()
                self.count(page, "sample", number, shift)
            page.get_by_role("button", name="See what was right").click()
            page.get_by_label("inside", exact=True).check()
            expect(page.get_by_role("heading", name="Your verdict")).to_be_visible()
            self.assert_accessible(page)
            page.get_by_role("button", name="That is my verdict").click()
            expect(page.get_by_role("heading", name="Point by point")).to_be_visible()
            expect(page.get_by_text(given) if shift else page.get_by_text("All of it right")).not_to_have_count(0)
        self.practise(page, "settle")
        page.get_by_label("Nothing: go on").check()
        page.get_by_role("button", name="To the bench").click()
        page.locator("[data-bench]:not([inert]):visible").wait_for()
        shown, go_on = page.locator("[data-display]"), page.get_by_role("button", name="Done, next")
        while not shown.is_visible():
            go_on.or_(page.get_by_role("button", name="Start the clock")).first.click()
        first = shown.inner_text()
        expect(shown).not_to_have_text(first)
        self.assertFalse(Result.objects.for_team(self.team).exists())
        self.assert_accessible(page)
        desk = self.open(DESK, "Ines", to="/practice/people/")
        desk.get_by_label("Practised well, so many times").fill("1")
        desk.get_by_role("button", name="Keep the rule").click()
        row = desk.get_by_role("row", name="Olek")
        expect(row).to_contain_text("alone")
        desk.wait_for_load_state()
        self.assert_accessible(desk)
