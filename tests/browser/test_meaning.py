"""What a number means, as people meet it: a programme of one's own, a slip asked about, a place over the years."""

import re

from playwright.sync_api import expect

from kessa.record.places.models import Place
from kessa.record.results.models import Result
from tests.browser.base import BenchTest
from tests.browser.chromium import DESK, PHONE
from tests.world import measured, read


class OwnProgramme(BenchTest):
    def test_a_boiler_programme_is_written_a_carry_over_risk_judged_and_a_change_previewed(self):
        page = self.open(DESK, "Ines", to="/rules/")
        page.get_by_text("Steam boiler up to 20 bar: an example", exact=True).click()
        self.assert_accessible(page)
        page.get_by_role("button", name=re.compile("Copy it, and write yours.*up to 20 bar")).click()
        page.get_by_label("What the set is called").fill("Dairy boiler")
        page.get_by_role("button", name="Change conductivity").click()
        page.get_by_label("At most").fill("4500")
        self.assert_accessible(page)
        page.get_by_role("button", name="Keep the limit").click()
        expect(page.get_by_role("row", name="conductivity at most 4500")).to_be_visible()
        # What was typed beside the limits is kept with the draft.
        expect(page.get_by_label("What the set is called")).to_have_value("Dairy boiler")
        page.get_by_role("button", name="See what it would change").click()
        expect(page.get_by_text("No place is judged by this set yet")).to_be_visible()
        page.get_by_label("Why it is as it is").fill("The supplier's sheet of 1 March")
        page.get_by_role("button", name="Keep it as version 1").click()
        expect(page.get_by_text("results are judged by it from now on")).to_be_visible()
        page.goto(f"{self.address}/places/new/boiler/")
        page.get_by_label("Name").fill("Steam boiler")
        page.get_by_label("Working pressure, bar").fill("9")
        page.get_by_role("button", name="Save the place").click()
        expect(page.get_by_role("alert").filter(has_text="These fit what you said")).to_be_visible()
        expect(page.get_by_label("Steam boiler up to 20 bar: an example")).to_be_checked()
        page.get_by_label("Steam boiler up to 20 bar: an example").uncheck()
        page.get_by_label("Dairy boiler").check()
        page.get_by_role("button", name="Save the place").click()
        expect(page.get_by_role("heading", name="Steam boiler", exact=True)).to_be_visible()
        boiler = Place.objects.for_team(self.team).get(name="Steam boiler")
        result = read(boiler, self.ines, "conductivity-meter", 5000)
        page.goto(f"{self.address}/log/{result.pk}/")
        expect(page.get_by_text("Carry-over risk: test the conductivity again")).to_be_visible()
        # The limit is raised: what would change is seen before, and stays as it was judged.
        page.goto(f"{self.address}/rules/")
        page.get_by_text("Dairy boiler", exact=True).click()
        page.get_by_role("button", name=re.compile("Write the next version.*Dairy boiler")).click()
        page.get_by_role("button", name="Change conductivity").click()
        page.get_by_label("At most").fill("6000")
        page.get_by_role("button", name="Keep the limit").click()
        page.get_by_role("button", name="See what it would change").click()
        expect(page.get_by_role("row", name="Steam boiler conductivity 5000")).to_contain_text("inside")
        self.assert_accessible(page)
        page.get_by_label("Why it is as it is").fill("A new drum")
        page.get_by_role("button", name="Keep it as version 2").click()
        result.refresh_from_db()
        self.assertEqual(result.verdict, "outside")


class Slip(BenchTest):
    def test_a_digit_that_slipped_is_asked_about_and_flagged_if_it_is_kept(self):
        for days_ago in range(9, 0, -1):
            read(self.below, self.olek, "conductivity-meter", 340 + days_ago, days_ago=days_ago * 7)
        page = self.bench("conductivity-meter")
        self.prepare(page)
        page.get_by_role("textbox", name="On the display").fill("34")
        self.keep(page)
        self.done(page)
        expect(page.get_by_text("34 µS/cm is about a tenth of what is usual here")).to_be_visible()
        self.assert_accessible(page)
        self.write(page)
        expect(page.get_by_text("perhaps a digit or unit slipped").first).to_be_visible()
        page.get_by_role("button", name="It is right").click()
        expect(page.get_by_text("Noted: it is right.")).to_be_visible()
        # Answered at the bench, it is not marked at all.
        page = self.bench("conductivity-meter")
        self.prepare(page)
        page.get_by_role("textbox", name="On the display").fill("34")
        self.keep(page)
        self.done(page)
        page.get_by_role("button", name="It is right").click()
        expect(page.get_by_text("about a tenth of what is usual")).to_be_hidden()
        self.write(page)
        expect(page.get_by_text("Asked at the bench, and stood by: 34 µS/cm")).to_be_visible()
        newest = Result.objects.for_team(self.team).newest_first().first()
        self.assertNotIn("digit-slip", newest.flags)


class OverTheYears(BenchTest):
    def test_a_place_says_how_it_stands_and_its_line_what_it_does_on_the_phone_too(self):
        for each, coordinates in ((self.above, (54.31, -2.44)), (self.below, (54.30, -2.43))):
            each.latitude, each.longitude = coordinates
            each.save()
        for n in range(18):
            cold = n % 12 in (0, 1, 2)
            measured(self.above, self.olek, 5, 5, days_ago=(18 - n) * 30)
            measured(
                self.below, self.olek, 12 if cold else 6 + n // 6, 12 if cold else 6 + n // 6, days_ago=(18 - n) * 30
            )
        measured(self.above, self.olek, 5, 5)
        salted = measured(self.below, self.olek, 24, 24)
        page = self.open(DESK, "Olek", to=f"/log/{salted.pk}/")
        expect(page.get_by_text("The water gains 76 mg/L from Above the depot to Below the depot")).to_be_visible()
        page.goto(f"{self.address}/places/map/")
        page.get_by_role("link", name="Below the depot:").first.click()
        expect(page.get_by_role("region", name="How it stands")).to_be_visible()
        self.assert_accessible(page)
        page.get_by_role("link", name="Over time").click()
        expect(page.get_by_text("Against the year before:")).to_be_visible()
        page.get_by_role("radio", name="All").check(force=True)
        page.get_by_role("button", name="Show it").click()
        page.get_by_text("The years over one another").click()
        self.assert_accessible(page)
        page.goto(f"{self.address}/log/")
        page.get_by_text("More: person, flag").click()
        page.get_by_role("combobox", name="Flag").select_option("unusual here")
        expect(page.get_by_role("row", name="24, 24 drops")).to_be_visible()
        expect(page.get_by_role("row", name="5, 5 drops")).to_have_count(0)
        page.go_back()
        page.go_back()
        for address in (page.url, f"{self.address}/places/map/", f"{self.address}/places/", f"{self.address}/log/"):
            page.set_viewport_size(PHONE)
            page.goto(address)
            self.assert_accessible(page)
            wide = page.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth")
            self.assertLessEqual(wide, 0, address)
