"""A visit taken along: begun, run and closed without a signal from Today on, sent after, and the same tap by tap."""

import io
import json
import re
from unittest.mock import patch

from django.contrib.auth.hashers import make_password
from django.contrib.sessions.models import Session
from django.contrib.staticfiles.handlers import StaticFilesHandler
from django.db import OperationalError
from django.http import Http404
from PIL import Image
from playwright.sync_api import expect

from kessa.record.determinations.models import Determination
from kessa.record.people.models import Contact
from kessa.record.places.models import Place
from kessa.record.places.services import keep_place
from kessa.record.results.models import Result
from kessa.record.rounds.packing_list import packing_list
from kessa.record.rounds.services import keep_packing_list, plan_stop
from kessa.record.rules.selectors import house_rules
from kessa.record.rules.services import choose_house_rules
from kessa.record.taps.models import Tap
from kessa.record.taps.services import record
from kessa.record.visits.models import Sample, Visit
from tests.browser.base import BrowserTest
from tests.browser.chromium import PHONE
from tests.world import planned, stocked_kit

_made = io.BytesIO()
Image.new("RGB", (60, 40), "#2c6e8f").save(_made, "PNG")
PICTURE = _made.getvalue()
PIN = "404127"
FAMILIES = ("chloride-drops", "phosphate-comparator")
# The browser's store answers nobody else for a while, as on a slow phone.
BUSY_STORE = """() => new Promise((held) => {
    indexedDB.open("kessa-kept").onsuccess = ({ target: { result: store } }) => {
        const taps = store.transaction("taps", "readwrite").objectStore("taps");
        const until = Date.now() + 1500;
        const hold = () => Date.now() < until ? (taps.count().onsuccess = hold) : store.close();
        hold();
        held();
    };
})"""


class TakenAlong(BrowserTest):
    works_offline = True

    # What is not along must not come from what the browser keeps by itself.
    static_handler = StaticFilesHandler

    def setUp(self):
        super().setUp()
        plans = {family: {"runs": 1, "blanks": 0, "standards": 0} for family in FAMILIES}
        self.ines.user.pin = make_password(PIN)
        self.ines.user.save()
        self.kit = stocked_kit(self.ines, families=(*FAMILIES, "secchi-depth"))
        for place in (self.above, self.below):
            plan_stop(self.ines, planned(self.ines, place, name=place.name, people=[self.olek.user]), place, plans, [])

    def take_along(self):
        page = self.open(PHONE)
        page.evaluate("navigator.serviceWorker.ready")
        expect(page.get_by_text("Along: Above the depot, Below the depot.")).to_be_visible()
        page.reload()
        expect(page.get_by_text("Along: Above the depot, Below the depot.")).to_be_visible()
        return page

    def lose_signal(self, page):
        """Take the browser offline, and shut the door: a page that was just opened is offline a moment later only."""
        page.context.set_offline(True)
        door = patch("kessa.doors.taps.views.services.record", side_effect=OperationalError)
        door.start()
        self.addCleanup(patch.stopall)
        return door

    def chip(self, page, name):
        return page.get_by_role("navigation", name="Tests of this visit").get_by_role("button", name=name)

    def begin_visit(self, page):
        page.get_by_role("button", name="Begin the visit").click()
        expect(page.get_by_text("Confirm that you have read the hazards")).to_be_visible()
        page.get_by_role("radio", name="flood").check(force=True)
        page.get_by_label("Who knows where you are").fill("Ines")
        page.get_by_label("They should hear from you by").fill("17:30")
        page.get_by_label("I have read the hazards").check()
        page.get_by_role("button", name="Begin the visit").click()
        # The same refusal as the form's own, by the same rule.
        expect(page.get_by_text("No rule for it is written, so nobody goes in a flood")).to_be_visible()
        page.get_by_role("radio", name="neither").check(force=True)
        page.get_by_label("Who comes along").fill("Sanna")
        page.get_by_role("button", name="Begin the visit").click()

    def see_and_draw(self, page):
        for smell in ("none", "oil", "earthy"):
            page.get_by_role("group", name="Smell").get_by_role("checkbox", name=smell).click()
        page.get_by_label("Anything else").fill("A heron")
        page.get_by_text("Photograph what you see").click()
        page.get_by_label("Photograph, up to 15 MB").set_input_files(
            {"name": "a.png", "mimeType": "image/png", "buffer": PICTURE}
        )
        page.get_by_label("What it shows").fill("The dam")
        page.get_by_role("button", name="Add it").click()
        expect(page.get_by_text("Kept on this phone.")).to_be_visible()
        # The page says at once what the server would, and 0,31 is not 31.
        conductivity = page.get_by_role("textbox", name="Conductivity")
        page.get_by_label("Unit of conductivity on the display").select_option("mS/cm")
        conductivity.fill("620")
        conductivity.press("Tab")
        expect(
            page.get_by_text("620 mS/cm is 620000 µS/cm. Not on the scale: it runs from 0 to 200000")
        ).to_be_visible()
        expect(conductivity).to_have_value("620")
        conductivity.fill("0,31")
        conductivity.press("Tab")
        expect(page.get_by_text("0.31 mS/cm is 310 µS/cm.")).to_be_visible()
        page.get_by_role("textbox", name="Water temperature").filter(visible=True).fill("4,4")
        page.get_by_role("textbox", name="Water temperature").filter(visible=True).press("Tab")
        drawn_at = page.locator("[name=drawn_at]")
        drawn_at.evaluate("(field) => { field.value = '2026-01-01T08:00'; }")
        page.get_by_role("button", name="Done: on to the sample").click()
        # It is drawn now, whenever the page was taken along.
        expect(drawn_at).not_to_have_value("2026-01-01T08:00")
        # The thermometer was read a moment ago; whoever reads it again in the flow says so.
        expect(page.get_by_label("Water temperature, °C").filter(visible=True)).to_have_value("4.4")
        page.get_by_label("Water temperature, °C").filter(visible=True).fill("6,5")
        expect(page.get_by_text("6.5 °C", exact=True)).to_be_visible()
        now = drawn_at.input_value()
        drawn_at.fill("2099-01-01T08:00")
        page.get_by_role("button", name="Keep the sample").click()
        expect(page.get_by_text("This time is still to come.")).to_be_visible()
        drawn_at.fill(now)
        page.get_by_role("button", name="Keep the sample").click()

    def drawn_without_a_signal(self):
        """Go as far as the tests, with no signal since Today; return the page and the door that is shut."""
        page = self.take_along()
        door = self.lose_signal(page)
        page.get_by_role("link", name="Start the visit: Below the depot").first.click()
        self.begin_visit(page)
        self.see_and_draw(page)
        expect(self.chip(page, "Chloride")).to_be_visible()
        return page, door

    def run_both(self, page):
        """Run both tests, one while the other waits."""
        expect(self.chip(page, "Chloride")).to_be_visible()
        self.chip(page, "Chloride").click()
        self.run_through(page, 1)
        self.run_through(page, 7, begin="Begin the first run")
        # What is to be done stands there without a signal too.
        expect(page.get_by_text("next visit as planned").filter(visible=True)).to_be_visible()
        page.get_by_role("button", name="Write it in the log").click()
        expect(page.get_by_role("heading", level=2, name="Phosphate", exact=True)).to_be_visible()
        self.answer(page)
        clear = page.get_by_role("button", name="Clear", exact=True)
        onward = page.get_by_role("button", name="Go on without the clock").or_(
            page.get_by_role("button", name="Done, next")
        )
        keep = page.get_by_role("button", name="Keep this reading")
        for _ in range(9):
            # Whichever the present step asks for: the page may still be reading where the test stands.
            offered = clear.or_(onward).or_(keep).filter(visible=True)
            expect(offered.first).to_be_visible()
            if keep.is_visible():
                break
            offered.first.click()
        page.get_by_role("radiogroup", name="Phosphate").get_by_role("radio").nth(3).check(force=True)
        page.get_by_role("button", name="Keep this reading").click()
        page.get_by_role("button", name="Done, next").click()
        given = page.get_by_text("truth between").filter(visible=True).inner_text()
        page.get_by_role("button", name="Write it in the log").click()
        # One that nobody planned.
        page.get_by_text("Another test of your kits").click()
        page.get_by_role("button", name="Clarity, disc").click()
        expect(page.get_by_role("heading", level=2, name="Secchi depth").first).to_be_visible()
        self.steps(page, 2)
        page.get_by_label("Lost at").fill("110")
        page.get_by_label("Seen again at").fill("90")
        page.get_by_role("button", name="Keep this reading").click()
        self.steps(page, 1)
        page.get_by_role("button", name="Write it as it is").or_(
            page.get_by_role("button", name="Write it with one run only")
        ).or_(page.get_by_role("button", name="Write it in the log")).filter(visible=True).click()
        return given

    def hand_over(self, page):
        """Pause, go on, and hand the phone to Ines."""
        page.get_by_role("navigation", name="This visit").get_by_role("button", name="Close").click()
        page.get_by_role("button", name="Pause or hand over instead").click()
        page.get_by_role("button", name="Pause the visit").click()
        expect(page.get_by_text("The visit is paused.")).to_be_visible()
        page.get_by_role("button", name="Go on with the visit").click()
        page.get_by_role("combobox", name="Hand it to").select_option(label="Ines")
        page.get_by_role("button", name="Hand it over").click()
        expect(page.get_by_role("heading", name="Take over on this phone: Ines")).to_be_visible()
        page.get_by_label("PIN of Ines").fill(PIN)
        page.get_by_role("button", name="Take the visit over").click()

    def close(self, page):
        page.get_by_role("navigation", name="This visit").get_by_role("button", name="Close").click()
        expect(page.get_by_text("Not noted:")).to_be_visible()
        page.get_by_label("Remark").fill("Cold hands")
        page.get_by_role("button", name="Close it").click()
        expect(page.get_by_role("heading", name="is closed")).to_be_visible()

    def taps_at(self, place):
        """What was tapped at a place, without what is one's own of each tap: who made it when, and its numbers."""
        visit = Visit.objects.for_team(self.team).get(place=place)
        tests = Determination.objects.for_team(self.team).filter(sample__visit=visit).order_by("family")
        streams = [visit.pk, *tests.values_list("pk", flat=True)]
        own = ("sample", "place", "at", "along_at", "lots", "kit", "bottle")
        data = {
            stream: [
                (tap.run, tap.kind, json.dumps({key: each for key, each in tap.data.items() if key not in own}))
                for tap in Tap.objects.for_team(self.team).filter(stream=stream).order_by("seq", "at")
            ]
            for stream in streams
        }
        return list(data.values())

    def whole_visit(self, page):
        self.begin_visit(page)
        self.see_and_draw(page)
        given = self.run_both(page)
        self.hand_over(page)
        self.close(page)
        return given

    def test_without_a_signal_from_today_on_it_is_the_same_visit(self):
        page, door = self.drawn_without_a_signal()
        # The battery is changed on the bank: everything is where it was.
        page.reload()
        expect(self.chip(page, "Chloride")).to_be_visible()
        self.assert_accessible(page)
        given = self.run_both(page)
        self.hand_over(page)
        self.close(page)
        expect(page.get_by_text("It is kept on this phone")).to_be_visible()
        page.goto(f"{self.address}/kits/")
        expect(page.get_by_role("heading", name="No signal, and this page is not along")).to_be_visible()
        page.get_by_role("link", name="On this phone").click()
        expect(page.get_by_text("A visit, Below the depot, taken along: ")).to_be_visible()
        self.assertEqual(page.get_by_text("A test, Below the depot, taken along: ").count(), 3)
        self.assert_accessible(page)
        with page.expect_download() as saved:
            page.get_by_role("button", name="Save it to a file").click()
        self.assertFalse(Visit.objects.for_team(self.team).exists())
        self.assertEqual(Result.objects.for_team(self.team).count(), 0)
        door.stop()
        # Another phone takes the file in and sends it; then this one sends the same again: nothing is counted twice.
        other = self.open(PHONE, to="/phone/")
        expect(other.get_by_text("Nothing: all is sent.")).to_be_visible()
        other.get_by_label("Take a file in").set_input_files(saved.value.path())
        expect(other.get_by_text("taps taken in")).to_be_visible()
        other.get_by_role("button", name="Send now").click()
        expect(other.get_by_text("All is sent.", exact=True)).to_be_visible()
        page.context.set_offline(False)
        page.get_by_role("button", name="Send now").click()
        expect(page.get_by_text("All is sent.", exact=True)).to_be_visible()
        visit = Visit.objects.for_team(self.team).get()
        self.assertEqual((visit.note, str(visit.closed_by)), ("A heron", "Ines"))
        self.assertEqual([each.caption for each in visit.photographs.all()], ["The dam"])
        self.assertEqual(Sample.objects.for_team(self.team).count(), 1)
        # The same visit with a signal, at the other place.
        page.goto(f"{self.address}/today/")
        page.goto(f"{self.address}/visits/along/{self.above.pk}/")
        # What was said without a signal is what the server says.
        self.assertEqual(given, self.whole_visit(page))
        expect(page.get_by_text("It is sent.")).to_be_visible()
        self.assertEqual(self.taps_at(self.below), self.taps_at(self.above))
        results = {
            place: [
                (each.parameter, each.value, each.low, each.high, each.verdict, sorted(each.flags))
                for each in Result.objects.for_team(self.team).filter(place=place).order_by("parameter")
            ]
            for place in (self.below, self.above)
        }
        self.assertEqual(len(results[self.below]), 5)
        self.assertEqual(results[self.below], results[self.above])

    def test_what_is_packed_is_ticked_without_a_signal(self):
        each = planned(self.ines, self.below, name="Box round", people=[self.olek.user])
        packed = keep_packing_list(self.ines, packing_list(self.team, self.olek.user, each.stops.all(), self.kit))
        page = self.take_along()
        address = f"{self.address}/today/pack/{packed.pk}/"
        page.goto(address)
        first = page.get_by_role("button", name="Chromate indicator powder")
        expect(first).to_have_attribute("aria-pressed", "false")
        page.context.set_offline(True)
        with patch("kessa.pages.rounds.views.services.tick", side_effect=OperationalError):
            first.click()
            expect(first).to_have_attribute("aria-pressed", "true")
            # Opened again without a signal, what waits is shown as it will be.
            page.reload()
            expect(first).to_have_attribute("aria-pressed", "true")
        packed.refresh_from_db()
        self.assertEqual(packed.ticked, [])
        page.context.set_offline(False)
        page.goto(f"{self.address}/phone/")
        expect(page.get_by_text("Nothing: all is sent.")).to_be_visible()
        packed.refresh_from_db()
        self.assertEqual(len(packed.ticked), 1)

    def test_a_server_that_is_killed_while_it_is_sent_loses_and_doubles_nothing(self):
        page, door = self.drawn_without_a_signal()
        self.chip(page, "Chloride").click()
        self.run_through(page, 1)
        self.run_through(page, 7, begin="Begin the first run")
        page.get_by_role("button", name="Write it in the log").click()
        self.close(page)
        door.stop()
        calls = []

        def killed(*batch, **data):
            """Every other time it dies: before anything is kept, or when all is kept and nobody was told."""
            calls.append(len(calls))
            if len(calls) % 4 == 1:
                raise OperationalError
            kept = record(*batch, **data)
            if len(calls) % 4 == 3:
                raise OperationalError
            return kept

        with patch("kessa.doors.taps.views.services.record", side_effect=killed):
            page.context.set_offline(False)
            page.goto(f"{self.address}/phone/")
            expect(
                page.get_by_text("Nothing: all is sent.").or_(page.get_by_role("button", name="Send now"))
            ).to_be_visible()
            for _ in range(8):
                if page.get_by_text("Nothing: all is sent.").is_visible():
                    break
                page.get_by_role("button", name="Send now").click()
                page.wait_for_timeout(1500)
            expect(page.get_by_text("Nothing: all is sent.")).to_be_visible()
        self.assertGreater(len(calls), 3)
        self.assertIsNotNone(Visit.objects.for_team(self.team).get().closed_at)
        self.assertEqual(Sample.objects.for_team(self.team).count(), 1)
        self.assertEqual(Result.objects.for_team(self.team).get(determination__isnull=False).value, 28)
        drops = Tap.objects.for_team(self.team).filter(kind="drop_added")
        self.assertEqual([drops.filter(run=run).count() for run in ("blank-1", "sample-1")], [1, 7])

    def test_checks_a_newer_kessa_and_a_session_that_ended_while_away(self):
        page, door = self.drawn_without_a_signal()
        page.get_by_text("A blank or a standard").click()
        page.get_by_role("combobox", name="By which test").select_option(label="Chloride, drops, low range")
        page.get_by_role("radio", name="A standard").check(force=True)
        page.get_by_role("button", name="Begin the check").click()
        expect(page.get_by_text("Say how strong the standard is")).to_be_visible()
        self.assert_accessible(page)
        page.get_by_label("Strength of the standard, as on its bottle, mg/L").fill("30")
        page.evaluate(BUSY_STORE)
        page.get_by_role("button", name="Begin the check").click()
        expect(page.get_by_role("heading", name="Chloride, drops, low range: a standard")).to_be_visible()
        self.run_through(page, 6)
        Session.objects.all().delete()
        door.stop()
        self.below.hazards = "A new sluice: it opens by itself."
        keep_place(self.ines, self.below)
        # The files of the application of before are nowhere but on this phone.
        with patch("django.contrib.staticfiles.handlers.serve", side_effect=Http404):
            page.context.set_offline(False)
            # A session that ended ends nothing else: the page goes on, and says how it is sent.
            page.reload()
            self.chip(page, "Chloride, drops, low range: a standard").click()
            page.get_by_role("link", name="Sign in again").click()
            page.get_by_role("button", name="Olek").click()
            page.goto(f"{self.address}/visits/along/{self.below.pk}/")
            self.chip(page, "Chloride, drops, low range: a standard").click()
            page.get_by_role("button", name="Write it in the log").or_(
                page.get_by_role("button", name="Write it with one run only")
            ).filter(visible=True).click()
            self.assert_saved(page)
            self.close(page)
        expect(page.get_by_text("It is sent.")).to_be_visible()
        visit = Visit.objects.for_team(self.team).get()
        [check] = Determination.objects.for_team(self.team)
        self.assertEqual((check.purpose, check.check_against), ("standard", {"expected": 30}))
        self.assertIsNotNone(check.closed_at)
        page.goto(f"{self.address}/visits/{visit.pk}/")
        changed = page.get_by_role("region", name="The place changed while this visit was away")
        expect(changed.get_by_role("row", name="Hazards nothing A new sluice")).to_be_visible()
        self.assert_accessible(page)

    def test_any_place_is_put_on_the_phone_and_what_did_not_come_is_fetched_again(self):
        ford = Place.objects.create(team=self.team, name="The ford", kind_key="stream")
        Contact.objects.create(
            team=self.team, role="spill_line", name="Rivers", telephone="0163 2960170", waters=["open"]
        )
        page = self.take_along()
        page.goto(f"{self.address}/places/{ford.pk}/")
        with (
            patch("kessa.pages.offline.views._other_methods", side_effect=ValueError),
            self.assertLogs("kessa.pages.offline") as log,
        ):
            page.get_by_role("button", name="Put it on this phone").click()
            expect(page.get_by_text("It is not here yet: it is fetched by itself.")).to_be_visible()
            self.until(page, lambda: log.records)  # or the next page breaks it off
            page.goto(f"{self.address}/phone/")
            expect(page.get_by_text("The ford: not here yet, fetched by itself.")).to_be_visible()
            self.until(page, lambda: len(log.records) == 2)
        asked = []
        page.on("request", lambda request: asked.append(request.url.removeprefix(self.address)))
        # What is no place of the team's is wanted no longer.
        page.evaluate(
            """(gone) => {
                const wanted = { ...JSON.parse(localStorage.getItem("kessa-along")), [gone]: { name: "Gone" } };
                localStorage.setItem("kessa-along", JSON.stringify(wanted));
                localStorage.removeItem("kessa-along-tried");
                window.dispatchEvent(new Event("online"));
            }""",
            ford.pk + 1000,
        )
        expect(page.get_by_role("link", name="The ford")).to_be_visible()
        both = f"/visits/along/?place={ford.pk}&place={ford.pk + 1000}"
        self.assertEqual([each for each in asked if "along" in each], [both])
        self.assertNotIn("Gone", page.evaluate("localStorage.getItem('kessa-along')"))
        expect(page.get_by_role("listitem").filter(has_text="Above the depot, as of")).to_contain_text("tests")
        self.lose_signal(page)
        page.get_by_role("link", name="The ford").click()
        expect(page.get_by_role("heading", name="Before you go: The ford")).to_be_visible()
        page.get_by_role("link", name="Emergency").click()
        expect(page.get_by_role("link", name="0163 2960170")).to_have_attribute("href", "tel:01632960170")
        expect(page.get_by_role("heading", name="A spill or dead fish")).to_be_visible()
        self.assert_accessible(page)
        page.goto(f"{self.address}/phone/")
        page.get_by_role("button", name="Take it off this phone").click()
        expect(page.get_by_role("link", name="The ford")).to_be_hidden()
        page.goto(f"{self.address}/visits/along/{ford.pk}/")
        expect(page.get_by_role("heading", name="No signal, and this page is not along")).to_be_visible()

    def test_what_ice_asks_for_is_chosen_and_a_second_sample_hides_no_test(self):
        choose_house_rules(self.ines, house_rules(self.team.pk), {}, ice_rule="With the pole, two people.")
        page = self.open(PHONE, to=f"/visits/along/{self.below.pk}/")
        page.get_by_role("radio", name="ice", exact=True).check(force=True)
        for label, words in (("Who comes along", "Sanna"), ("Who knows where you are", "Ines")):
            page.get_by_label(label).fill(words)
        page.get_by_label("They should hear from you by").fill("17:30")
        page.get_by_label("I have read our rule").check()
        page.get_by_label("I have read the hazards").check()
        page.get_by_role("button", name="Begin the visit").click()
        page.get_by_role("button", name="Done: on to the sample").click()
        ways = page.get_by_role("group", name="How do you draw it?")
        expect(ways.get_by_role("radio", name="with a pole")).to_be_checked()
        expect(ways.get_by_role("radio", name="wading")).to_be_hidden()
        ways.get_by_role("radio", name="through ice").check(force=True)
        expect(page.get_by_text("Mark the hole before you leave")).to_be_visible()
        page.get_by_role("button", name="Keep the sample").click()
        self.chip(page, "Chloride").click()
        self.steps(page, 2)
        page.get_by_role("navigation", name="This visit").get_by_role("button", name="Sample").click()
        expect(page.get_by_text("Another sample has tests of its own.")).to_be_visible()
        page.get_by_role("button", name="Keep another sample").click()
        second = re.compile(r"^\d.* Chloride")
        expect(self.chip(page, second)).to_be_visible()
        page.reload()
        for name, step in ((second, "0"), (re.compile("^Chloride"), "3")):
            self.chip(page, name).click()
            expect(page.locator("[data-step].now").filter(visible=True)).to_have_attribute("data-step", step)
        self.assert_saved(page)
        samples = Sample.objects.for_team(self.team).order_by("number")
        self.assertEqual([sample.way for sample in samples], ["ice", "pole"])

    def test_a_phone_that_is_handed_on_shows_nothing_and_loses_nothing(self):
        page, door = self.drawn_without_a_signal()
        page.context.set_offline(False)
        page.get_by_role("button", name="Sign out").click()
        expect(page.get_by_role("heading", name="Sign in")).to_be_visible()
        page.get_by_role("button", name="Ines").click()
        expect(page.get_by_role("heading", name="Today")).to_be_visible()
        pages = (
            "caches.open('kessa-pages').then((cache) => cache.keys()).then((kept) => kept.map(({ url }) => url).join())"
        )
        self.assertNotIn(f"/visits/along/{self.below.pk}/", page.evaluate(pages))
        page.goto(f"{self.address}/visits/along/{self.below.pk}/")
        # The next person begins anew, and finds nothing of the former one's.
        expect(page.get_by_role("heading", name="Before you go: Below the depot")).to_be_visible()
        self.assertFalse(Visit.objects.for_team(self.team).exists())
        door.stop()
        page.goto(f"{self.address}/phone/")
        expect(page.get_by_text("Nothing: all is sent.")).to_be_visible()
        visit = Visit.objects.for_team(self.team).get()
        self.assertEqual((visit.leader, Sample.objects.for_team(self.team).get().visit), (self.olek.user, visit))

    def test_water_that_may_scald_is_not_noted_as_drawn_without_a_signal_either(self):
        boiler = Place.objects.create(team=self.team, name="The boiler", kind_key="boiler")
        page = self.open(PHONE, to=f"/visits/along/{boiler.pk}/")
        page.get_by_label("Isolation by site rules").check()
        page.get_by_label("Who comes along").fill("Sanna")
        page.get_by_label("Who knows where you are").fill("the shift")
        page.get_by_label("They should hear from you by").fill("17:30")
        page.get_by_label("I have read the hazards").check()
        page.get_by_role("button", name="Begin the visit").click()
        page.get_by_role("button", name="Done: on to the sample").click()
        page.get_by_label("Water temperature, °C").fill("80")
        page.get_by_role("button", name="Keep the sample").click()
        expect(page.get_by_text("Too hot to draw: shut the sample valve")).to_be_visible()
        self.assert_saved(page)
        self.assertFalse(Sample.objects.for_team(self.team).exists())
        page.get_by_label("Water temperature, °C").fill("25")
        page.get_by_role("button", name="Keep the sample").click()
        expect(page.get_by_role("heading", name="No test is planned here")).to_be_visible()
        self.assert_saved(page)
        self.assertTrue(Sample.objects.for_team(self.team).exists())

    def test_what_is_no_file_of_ours_is_told_and_taken_in_nowhere(self):
        page = self.open(PHONE, to="/phone/")
        for text in ("no", "{}", json.dumps({"form": "kessa taps 1", "taps": [{"id": "x"}]})):
            taken = {"name": "taps.json", "mimeType": "application/json", "buffer": text.encode()}
            page.get_by_label("Take a file in").set_input_files(taken)
            expect(page.get_by_text("Nothing was taken in")).to_be_visible()
