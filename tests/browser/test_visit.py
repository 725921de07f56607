"""A stream and a boiler visited on a phone, from safety to samples; a handover; no signal on the bank."""

from unittest.mock import patch

from django.conf import settings
from playwright.sync_api import expect

from kessa.record.people.models import Act
from kessa.record.places.models import Place
from kessa.record.taps.incoming import BadTap
from kessa.record.visits.models import Bottle, Observation, Visit
from kessa.record.visits.services import label_bottle
from tests.browser.base import BrowserTest
from tests.browser.chromium import PHONE
from tests.world import led, note, noted, planned, stocked_kit, visited


class OnThePhone(BrowserTest):
    works_offline = True

    def setUp(self):
        super().setUp()
        planned(self.ines, self.below)

    def begin_visit(self, page):
        page.get_by_role("link", name="Start the visit: Below the depot").first.click()
        page.get_by_role("radio", name="neither").check()
        page.get_by_label("Who comes along").fill("Sanna")
        page.get_by_label("Who knows where you are").fill("Ines")
        page.get_by_label("They should hear from you by").fill("17:30")
        page.get_by_label("I have read the hazards").check()
        page.get_by_role("button", name="Begin the visit").click()
        expect(page.get_by_role("link", name="Read in place, and note what you see")).to_be_visible()

    def note(self, page, label, value):
        expect(page.get_by_text("opening")).to_be_hidden()
        page.get_by_role("textbox", name=label).fill(str(value))
        page.get_by_role("textbox", name=label).press("Tab")

    def test_a_stream_from_safety_to_the_result(self):
        stocked_kit(self.ines)
        page = self.open(PHONE)
        start = page.get_by_role("link", name="Start the visit: Below the depot").first
        areas = "[...document.querySelectorAll('main a, main button')].map((e) => e.offsetWidth * e.offsetHeight)"
        box = start.bounding_box()
        self.assertAlmostEqual(box["width"] * box["height"], max(page.evaluate(areas)), delta=500)
        self.begin_visit(page)
        page.get_by_role("link", name="Read in place, and note what you see").click()
        self.note(page, "Conductivity", 310)
        self.note(page, "Water temperature", 4.5)
        page.get_by_role("group", name="Flow").get_by_role("radio", name="steady").click()
        page.get_by_role("group", name="Smell").get_by_role("checkbox", name="earthy").click()
        page.get_by_role("group", name="Smell").get_by_role("checkbox", name="earthy").click()
        self.assert_saved(page)
        page.reload()
        expect(page.get_by_role("group", name="Flow").get_by_role("radio", name="steady")).to_be_checked()
        expect(page.get_by_role("group", name="Smell").get_by_role("checkbox", name="earthy")).not_to_be_checked()
        expect(page.get_by_role("textbox", name="Conductivity")).to_have_value("310")
        page.get_by_role("link", name="Done: on to the sample").click()
        page.get_by_role("link", name="with a pole").click()
        expect(page.get_by_text("Look up for wires")).to_be_visible()
        expect(page.get_by_label("Water temperature")).to_have_value("4.5")
        page.get_by_role("button", name="Keep the sample").click()
        self.run_through(page, 1)
        self.run_through(page, 8, begin="Begin the first run")
        self.run_through(page, 8, begin="Begin run 2")
        page.get_by_role("button", name="Write it in the log").click()
        page.get_by_role("link", name="Sample number 1").click()
        page.get_by_role("link", name="Close the visit").click()
        expect(page.get_by_text("Not noted: weather now")).to_be_visible()
        page.get_by_label("Remark").fill("Too dark to see the bed")
        page.get_by_role("button", name="Close it as it is").click()
        expect(page.get_by_text("Too dark to see the bed")).to_be_visible()
        expect(page.get_by_role("link", name="Next: Above the depot")).to_be_visible()

    def test_a_boiler_by_the_sites_own_rules(self):
        boiler = Place.objects.create(team=self.team, name="The boiler", kind_key="boiler", hazards="Steam line")
        planned(self.ines, boiler, name="Plant", days_ago=3)
        page = self.open(PHONE, "Ines")
        page.get_by_role("link", name="Start the visit: The boiler").first.click()
        expect(page.get_by_text("Boiler water is hot and under pressure")).to_be_visible()
        page.get_by_label("I go alone").check()
        page.get_by_label("Who knows where you are").fill("the shift")
        page.get_by_label("They should hear from you by").fill("11:00")
        page.get_by_label("I have read the hazards").check()
        page.get_by_role("button", name="Begin the visit").click()
        expect(page.get_by_text("Confirm the site's own rules first.")).to_be_visible()
        page.get_by_label("Isolation by site rules").check()
        page.get_by_role("button", name="Begin the visit").click()
        page.get_by_role("link", name="Read in place, and note what you see").click()
        self.note(page, "Pressure", 9)
        self.note(page, "Load, %", 70)
        self.note(page, "Conductivity", 2300)
        self.assert_saved(page)
        page.get_by_role("link", name="Done: on to the sample").click()
        page.get_by_role("link", name="hot, through the cooler").click()
        expect(page.get_by_text("Thermometer in the stream, never a hand")).to_be_visible()
        page.get_by_label("Water temperature").fill("85")
        page.get_by_role("button", name="Keep the sample").click()
        expect(page.get_by_role("alert").filter(has_text="Too hot to draw: shut the sample valve")).to_be_focused()
        page.get_by_label("Water temperature").fill("24")
        page.get_by_role("button", name="Keep the sample").click()
        page.get_by_role("link", name="The boiler").click()
        expect(page.get_by_role("link", name="Test: Chloride, drops")).to_be_visible()
        expect(page.get_by_text("9 bar")).to_be_visible()

    def test_what_is_refused_stays_on_the_phone_is_shown_everywhere_and_is_corrected_or_dropped(self):
        page = self.open(PHONE)
        self.begin_visit(page)
        page.get_by_role("link", name="Read in place, and note what you see").click()
        with patch("kessa.record.visits.noted._on_scale", side_effect=BadTap("Conductivity: the meter is out.")):
            self.note(page, "Conductivity", 310)
            expect(
                page.get_by_text("Not taken: Conductivity: 310 µS/cm. Conductivity: the meter is out.")
            ).to_be_visible()
            self.note(page, "Water temperature", 4)
            expect(page.get_by_text("Conductivity: 310 µS/cm and 1 more")).to_be_visible()
        page.goto(f"{self.address}/bench/")
        page.get_by_role("link", name="Look at it").click()
        self.assert_accessible(page)
        expect(page.get_by_text("All is sent")).to_be_hidden()
        form = page.get_by_role("form", name="Conductivity: 310 µS/cm")
        form.get_by_label("value").fill("0,32")
        form.get_by_label("unit").fill("mS/cm")
        form.get_by_role("button", name="Send it corrected").click()
        expect(form.get_by_text("Say why: it is noted.")).to_be_visible()
        form.get_by_label("Why").fill("read again")
        form.get_by_role("button", name="Send it corrected").click()
        expect(form).to_be_hidden()
        other = page.get_by_role("form", name="Temperature: 4 °C")
        other.get_by_label("Why").fill("not read at all")
        other.get_by_role("button", name="Drop it").click()
        expect(page.get_by_text("Nothing: all is sent.")).to_be_visible()
        expect(page.get_by_role("link", name="Look at it")).to_be_hidden()
        [seen] = Observation.objects.for_team(self.team)
        self.assertEqual((seen.key, seen.value, seen.person), ("conductivity", 320, self.olek.user))
        acts = Act.objects.for_team(self.team).exclude(why="").order_by("pk").values_list("what", "why")
        self.assertEqual(
            list(acts), [("refused tap corrected", "read again"), ("waiting taps dropped", "not read at all")]
        )

    def test_a_display_in_another_unit_is_converted_and_one_far_from_usual_is_doubted(self):
        for days in range(9, 0, -1):
            visit = visited(self.below, self.olek, days_ago=days)
            note(self.olek, visit, ("conductivity", 180 + 8 * days))
            led(self.olek, visit, "visit_closed", remark="")
        page = self.open(PHONE)
        self.begin_visit(page)
        page.get_by_role("link", name="Read in place, and note what you see").click()
        self.note(page, "Conductivity", 1.4)
        expect(
            page.get_by_text("This place is usually 194.4 to 245.6 µS/cm. Check the unit on the display.")
        ).to_be_visible()
        page.get_by_label("Unit of conductivity on the display").select_option("mS/cm")
        expect(page.get_by_text("1.4 mS/cm is 1400 µS/cm. This place is usually")).to_be_visible()
        self.note(page, "Conductivity", 0.21)
        expect(page.get_by_text("0.21 mS/cm is 210 µS/cm.", exact=True)).to_be_visible()
        page.get_by_label("Unit of water temperature on the display").select_option("°F")
        self.note(page, "Water temperature", 41)
        expect(page.get_by_text("41 °F is 5 °C.")).to_be_visible()
        self.note(page, "Air in the shade", 900)
        expect(page.get_by_text("Not on the scale: it runs from -60 to 60 °C. It is not noted.")).to_be_visible()
        self.assert_saved(page)
        page.goto(page.url.removesuffix("circumstances/"))
        expect(page.get_by_text("210 µS/cm (0.21 mS/cm on the display)")).to_be_visible()

    def test_what_is_noted_without_a_signal_is_kept_and_sent(self):
        page = self.open(PHONE)
        self.begin_visit(page)
        page.get_by_role("link", name="Read in place, and note what you see").click()
        self.assert_saved(page)
        page.evaluate("navigator.serviceWorker.ready.then(() => true)")
        page.reload()
        self.assert_saved(page)
        page.route("**/taps/**", lambda route: route.abort())
        self.note(page, "Conductivity", 421)
        page.get_by_role("group", name="Foam").get_by_role("radio", name="patches").click()
        expect(page.get_by_text("2 taps waiting")).to_be_visible()
        page.reload()
        expect(page.get_by_role("textbox", name="Conductivity")).to_have_value("421")
        page.unroute("**/taps/**")
        page.goto(f"{self.address}/today/")
        visit = Visit.objects.for_team(self.team).get()
        expect(page.get_by_role("link", name="Go on: Below the depot")).to_be_visible()
        for _ in range(40):
            if len(noted(visit)) == 2:
                break
            page.wait_for_timeout(250)
        self.assertEqual(noted(visit), {"conductivity": 421, "foam": 2})

    def test_a_handover(self):
        page = self.open(PHONE)
        self.begin_visit(page)
        page.get_by_label("To", exact=True).select_option("Ines")
        page.get_by_label("What they should know").fill("sample not drawn yet")
        page.get_by_role("button", name="Hand the visit over").click()
        expect(page.get_by_text("Ines has this visit now.")).to_be_visible()
        other = self.open(PHONE, "Ines")
        other.get_by_role("link", name="Go on: Below the depot").click()
        expect(other.get_by_text("sample not drawn yet")).to_be_visible()
        other.get_by_role("button", name="Pause").click()
        expect(other.get_by_text("Paused. It waits on Today.")).to_be_visible()
        other.get_by_role("link", name="Go on: Below the depot").click()
        other.get_by_role("button", name="Go on with the visit").click()
        expect(other.get_by_role("link", name="Read in place, and note what you see")).to_be_visible()

    def test_a_scanned_label_leads_to_drawing_and_then_to_the_sample(self):
        label_bottle(self.ines, self.below)
        bottle = Bottle.objects.for_team(self.team).get()
        page = self.open(PHONE)
        scanned = f"{self.address}/visits/bottle/{bottle.code}/"
        page.goto(scanned)
        expect(page.get_by_label("Bottle", exact=True)).to_have_value(str(bottle.pk))
        page.get_by_role("button", name="On to the test").click()
        expect(page.get_by_text(f"Sample {bottle.number} drawn")).to_be_visible()
        page.goto(f"{self.address}/today/")
        page.goto(scanned)
        expect(page.get_by_text(f"Sample {bottle.number} drawn")).to_be_visible()
        self.assertEqual(self.team.name, settings.DEMO_TEAM)
