"""Every main view for everyone: axe-core, no sideways scrolling, sun mode."""

from django.utils import timezone
from playwright.sync_api import expect

from kessa.core.methods import house_methods
from kessa.record.instruments.models import Instrument, InstrumentCheck
from kessa.record.instruments.services import keep_instrument
from kessa.record.methods.services import begin_draft
from kessa.record.quality.services import check_instrument
from kessa.record.rounds.packing_list import packing_list
from kessa.record.rounds.services import keep_packing_list
from kessa.record.testing.services import begin_test
from kessa.record.visits.services import label_bottle
from tests.browser.base import BrowserTest
from tests.browser.chromium import DESK, PHONE
from tests.world import begin, led, measured, note, planned, stocked_kit, visited

ONE_OF_A_KIND = (
    "phosphate-comparator",
    "strip-five-pads",
    "nitrate-photometer",
    "oxygen-titration",
    "chlorine-dioxide-stages",
    "inhibitor-difference",
    "alkalinity-stages-drops-25",
)


class MainViews(BrowserTest):
    """One half of the main views; the other is looked at in another process."""

    half = 0

    def views(self):
        olek, ines = self.olek, self.ines
        for days in range(9, 0, -1):
            measured(self.below, olek, 8, 8, days_ago=days)
        over = measured(self.below, olek, 26, blank=3)
        begun = begin(self.above, olek)
        each = planned(ines, self.below, days_ago=2)
        planned(ines, self.above, "", occasions=["thaw"], name="Thaw")
        kit = stocked_kit(ines, ph_strip=1)
        lot = kit.lots.get(supply_key="ph-strip")
        meter = Instrument(team=self.team, kit=kit, name="Probe", measures="conductivity", resolution=1)
        probe = keep_instrument(ines, meter)
        for reading in (1413, 1300):
            given = {"standard": "sealed", "reading": reading, "expected": 1413, "allowed": 28}
            check = InstrumentCheck(team=self.team, instrument=probe, person=olek.user, at=timezone.now(), **given)
            check_instrument(olek, check)
        visit = visited(self.below, olek)
        note(olek, visit, ("flow", 2), ("conductivity", 310, probe.pk))
        done = visited(self.above, olek)
        led(olek, done, "visit_closed", remark="")
        label_bottle(olek, self.below)
        packed = keep_packing_list(olek, packing_list(self.team, olek.user, each.stops.all(), kit))
        draft = begin_draft(ines, house_methods()["nitrate-ampoule"].snapshot())
        against = {"expected": 2.0}
        check = begin_test(olek, {"method": "nitrate-photometer", "purpose": "standard", "against": against})
        return [
            "/today/",
            "/today/rounds/",
            "/today/rounds/new/",
            f"/today/rounds/{each.pk}/",
            f"/today/rounds/{each.pk}/edit/",
            "/kits/",
            "/more/",
            "/phone/",
            "/not-along/",
            f"/visits/along/{self.above.pk}/",
            f"/bench/visit/{visit.pk}/",
            f"/kits/{kit.pk}/",
            f"/kits/lots/{lot.pk}/",
            f"/instruments/{probe.pk}/",
            "/instruments/new/",
            "/today/pack/",
            f"/today/pack/{packed.pk}/",
            f"/visits/begin/{self.below.pk}/",
            f"/visits/{visit.pk}/",
            f"/visits/{visit.pk}/circumstances/",
            f"/visits/{visit.pk}/close/",
            f"/visits/{done.pk}/",
            "/visits/labels/",
            f"/visits/sample/at/{self.below.pk}/?way=bank",
            "/bench/",
            f"/visits/sample/at/{self.below.pk}/",
            f"/bench/sample/{begun.sample_id}/",
            f"/bench/sample/{begun.sample_id}/?family=chloride-drops",
            f"/bench/{begun.pk}/",
            *(f"/bench/{begin(self.above, olek, method).pk}/" for method in ONE_OF_A_KIND),
            "/methods/",
            "/methods/chlorine-dioxide-stages/",
            "/methods/nitrate-ampoule/kit/",
            "/methods/new/",
            "/methods/file/",
            *(f"/methods/draft/{draft.pk}/{name}/" for name in ("numbers", "steps", "check")),
            "/bench/check/nitrate-photometer/",
            f"/bench/{check.pk}/",
            "/log/",
            f"/log/{over.pk}/",
            "/places/",
            f"/places/{self.below.pk}/",
            "/places/new/",
            "/places/new/boiler/",
            "/rules/",
            "/team/",
            "/team/acts/",
            f"/visits/sample/{begun.sample_id}/right/",
            f"/log/{over.pk}/run/1/right/",
            "/nowhere/",
        ]

    def test_each_main_view(self):
        views = self.views()
        page = self.open(DESK, "Ines")
        for number, address in enumerate(views[self.half :: 2]):
            page.goto(self.address + address)
            for viewport in (DESK, PHONE, {"width": 360, "height": 640}):
                with self.subTest(address, width=viewport["width"]):
                    page.set_viewport_size(viewport)
                    wide = page.evaluate("document.documentElement.scrollWidth - window.innerWidth")
                    self.assertLessEqual(wide, 0)
                    # The words are the same at every width: by turns they are looked at at a desk and on a phone.
                    if viewport == (DESK, PHONE)[number % 2]:
                        self.assert_accessible(page)
            page.set_viewport_size(DESK)


class OtherMainViews(MainViews):
    half = 1


class Access(BrowserTest):
    def test_the_count_fits_a_thumb(self):
        page = self.open(PHONE, "Olek", to=f"/bench/{begin(self.above, self.olek).pk}/")
        self.steps(page)
        self.drops(page, 2)
        self.assert_accessible(page)
        drop = page.get_by_role("button", name="One drop").bounding_box()
        self.assertGreater(drop["width"] * drop["height"], 30_000)
        for name in ("It stays: end", "Take one back", "It begins to turn", "Went too far"):
            box = page.get_by_role("button", name=name).bounding_box()
            self.assertGreaterEqual(box["height"], 48)
            self.assertLessEqual(box["y"] + box["height"], PHONE["height"])

    def test_signing_in_and_sun_mode(self):
        page = self.browser.new_page(viewport=PHONE)
        page.goto(self.address)
        self.assert_accessible(page)
        page.get_by_role("button", name="Sun mode").click()
        page.get_by_label("Username").fill("ines")
        page.get_by_label("Password").fill("white tile")
        page.get_by_role("button", name="Sign in", exact=True).click()
        expect(page.get_by_role("heading", name="Today")).to_be_visible()
        expect(page.get_by_role("button", name="Sun mode")).to_have_attribute("aria-pressed", "true")
        self.assertEqual(page.evaluate("getComputedStyle(document.body).color"), "rgb(0, 0, 0)")
        self.assert_accessible(page)
        page.close()

    def test_a_form_that_is_refused_says_on_top_what_is_to_be_looked_at_and_leads_there(self):
        kit = stocked_kit(self.ines)
        page = self.open(PHONE, "Ines", to=f"/kits/{kit.pk}/")
        form = page.locator(f"form[action='/kits/{kit.pk}/lots/']")
        form.evaluate("(form) => { form.noValidate = true; }")
        page.get_by_label("Lot number").fill("A-1")
        form.get_by_role("button").click()
        summary = page.get_by_role("alert").filter(has_text="One thing is to be looked at")
        expect(summary).to_be_focused()
        expect(summary).to_be_in_viewport()
        expect(summary).to_contain_text(": This field is required.")
        summary.get_by_role("link").click()
        field = page.locator("[name=units]")
        expect(field).to_be_focused()
        expect(field).to_have_accessible_description("This field is required.")
        self.assert_accessible(page)
