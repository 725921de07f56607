"""Every main view for everyone: axe-core, no sideways scrolling, sun mode."""

from playwright.sync_api import expect

from kessa.people.models import User
from tests.browser.base import BrowserTest
from tests.browser.chromium import DESK, PHONE
from tests.world import begin, measured


class Access(BrowserTest):
    def views(self):
        olek = User.objects.get(username="olek")
        for days in range(9, 0, -1):
            measured(self.below, olek, 8, 8, days_ago=days)
        over = measured(self.below, olek, 26, blank=3)
        begun = begin(self.above, olek)
        return [
            "/bench/",
            f"/bench/place/{self.below.pk}/",
            f"/bench/sample/{begun.sample_id}/",
            f"/bench/{begun.pk}/",
            "/log/",
            f"/log/{over.pk}/",
            "/places/",
            f"/places/{self.below.pk}/",
            "/places/new/",
            "/places/new/boiler/",
            "/rules/",
            "/team/",
            "/nowhere/",
        ]

    def test_each_main_view(self):
        views = self.views()
        for viewport in (DESK, PHONE, {"width": 360, "height": 640}):
            page = self.open(viewport, "Ines")
            for address in views:
                with self.subTest(address, width=viewport["width"]):
                    page.goto(self.address + address)
                    wide = page.evaluate("document.documentElement.scrollWidth - window.innerWidth")
                    self.assertLessEqual(wide, 0)
                    self.assert_accessible(page)
            if viewport is PHONE:
                page.goto(f"{self.address}{views[3]}")
                self.steps(page)
                self.drops(page, 2)
                self.assert_accessible(page)
                drop = page.get_by_role("button", name="One drop").bounding_box()
                self.assertGreater(drop["width"] * drop["height"], 30_000)
                for name in ("It stays: end", "Take one back", "It begins to turn", "Went too far"):
                    box = page.get_by_role("button", name=name).bounding_box()
                    self.assertGreaterEqual(box["height"], 48)
                    self.assertLessEqual(box["y"] + box["height"], viewport["height"])

    def test_signing_in_and_sun_mode(self):
        page = self.browser.new_page(viewport=PHONE)
        page.goto(self.address)
        self.assert_accessible(page)
        page.get_by_role("button", name="Sun mode").click()
        page.get_by_label("Username").fill("ines")
        page.get_by_label("Password").fill("white tile")
        page.get_by_role("button", name="Sign in", exact=True).click()
        expect(page.get_by_role("heading", name="Where are you?")).to_be_visible()
        expect(page.get_by_role("button", name="Sun mode")).to_have_attribute("aria-pressed", "true")
        self.assertEqual(page.evaluate("getComputedStyle(document.body).color"), "rgb(0, 0, 0)")
        self.assert_accessible(page)
        page.close()
