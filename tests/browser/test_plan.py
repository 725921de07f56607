"""A month planned and seen in Today and in the calendar file; a thaw; a kit checked before leaving."""

from datetime import timedelta
from pathlib import Path

from django.utils import timezone
from icalendar import Calendar
from playwright.sync_api import expect

from kessa.record.kits.models import Lot
from tests.browser.base import BrowserTest
from tests.browser.chromium import DESK, PHONE
from tests.world import planned, stocked_kit


class Plan(BrowserTest):
    def test_a_month_is_planned_and_seen_in_today_and_in_the_calendar(self):
        page = self.open(DESK, "Ines")
        page.get_by_role("link", name="Plan the first round").click()
        page.get_by_label("Name").fill("Brook, monthly")
        page.get_by_label("By a rule of RFC 5545").check()
        page.get_by_role("textbox", name="Rule", exact=True).fill("FREQ=MONTHLY;BYMONTH=2;BYMONTHDAY=30")
        page.get_by_role("textbox", name="Rule", exact=True).press("Tab")
        expect(page.get_by_text("This rhythm never falls due")).to_be_visible()
        page.get_by_label("Each month on the").check()
        expect(page.get_by_text("Last Sunday of the month")).to_be_visible()
        page.get_by_label("From").fill("2025-01-01")
        page.get_by_label("Olek").check()
        page.get_by_role("button", name="On to its places").click()
        page.get_by_label("Below the depot").check()
        page.get_by_label("Above the depot").check()
        page.get_by_label("Chloride, drops", exact=True).check()
        page.get_by_label("Conductivity", exact=True).check()
        page.get_by_role("button", name="Save the plan").click()
        expect(page.get_by_role("row").filter(has_text="Above the depot")).to_contain_text("2 runs, 1 blank")
        page.get_by_role("link", name="all rounds").click()
        expect(page.get_by_role("table").get_by_role("link", name="Brook, monthly")).to_have_count(1)
        olek = self.open(PHONE)
        expect(olek.get_by_role("link", name="Start the visit: Above the depot").first).to_be_visible()
        expect(olek.get_by_role("heading", name="Due for you")).to_be_visible()
        with olek.expect_download() as download:
            olek.get_by_role("link", name="Calendar file").click()
        (event,) = Calendar.from_ical(Path(download.value.path()).read_bytes()).walk("VEVENT")
        self.assertEqual((event["SUMMARY"], event["RRULE"]["BYDAY"]), ("Brook, monthly", ["-1SU"]))
        page.get_by_role("button", name="Make a secret address").click()
        expect(page.get_by_text("shown this once")).to_be_visible()
        page.get_by_role("button", name="Revoke the address").click()
        expect(page.get_by_text("leads nowhere now")).to_be_visible()

    def test_a_thaw_is_noted_and_its_visits_are_due(self):
        planned(self.ines, self.below, "", occasions=["thaw"], name="At the thaw")
        page = self.open(PHONE)
        expect(page.get_by_text("Nothing is due today.")).to_be_visible()
        page.get_by_label("What", exact=True).select_option("Thaw")
        page.get_by_role("button", name="Note it").click()
        expect(page.get_by_text("Due now: At the thaw.")).to_be_visible()
        expect(page.get_by_role("link", name="Start the visit: Below the depot").first).to_be_visible()
        page.get_by_role("link", name="Not going to Below the depot").click()
        page.get_by_label("Not going? Why").fill("flood")
        page.get_by_role("button", name="Not this time").click()
        expect(page.get_by_text("nobody goes this time")).to_be_visible()
        expect(page.get_by_text("Nothing is due today.")).to_be_visible()

    def test_a_kit_check_finds_a_lot_expired_and_two_strips_short(self):
        ines = self.ines
        stocked_kit(ines, ph_strip=1)
        lots = Lot.objects.for_team(self.team).filter(supply_key="chromate-packet")
        lots.update(expires_on=timezone.localdate() - timedelta(days=4))
        for number, place in enumerate((self.above, self.below)):
            planned(ines, place, name=f"Round {number}")
        page = self.open(PHONE)
        page.get_by_role("link", name="Check the kit before you go").click()
        page.get_by_role("button", name="Work out the packing list").click()
        missing = page.get_by_role("alert", name="Missing")
        expect(missing).to_contain_text("9 packets short in Box, 9 packets short in every kit (lot L-ch: expired)")
        expect(missing).to_contain_text("pH strips, 6 to 11: 2 strips short in Box")
        expect(page.get_by_text("of 14 still to pack")).to_be_visible()
        goggles = page.get_by_role("button", name="Goggles")
        goggles.click()
        expect(goggles).to_have_attribute("aria-pressed", "true")
        expect(page.get_by_text("13 of 14 still to pack")).to_be_visible()
        page.reload()
        expect(goggles).to_have_attribute("aria-pressed", "true")
        page.get_by_role("button", name="Labels for the bottles").click()
        expect(page.get_by_role("link", name="Below the depot drawn")).to_be_visible()
        expect(page.get_by_role("link", name="Above the depot drawn")).to_be_visible()
