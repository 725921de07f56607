"""What a chemist would sign: advice where it hurts, jars that stand apart, a drop that was weighed, two stages."""

from playwright.sync_api import expect

from kessa.record.people.models import Contact
from kessa.record.places.models import Place
from kessa.record.results.models import Result
from tests.browser.base import BenchTest
from tests.browser.chromium import DESK, PHONE
from tests.world import planned, read, stocked_kit


class Chemistry(BenchTest):
    def place(self, kind, **fields):
        return Place.objects.create(team=self.team, name=f"The {kind}", kind_key=kind, **fields)

    def test_a_well_over_nitrate(self):
        data = {"role": "authority", "name": "Vale Health Office", "telephone": "555 0100", "waters": ["drinking"]}
        Contact.objects.create(team=self.team, **data)
        over = read(self.place("well", limit_sets=["eu-2020"]), self.olek, "nitrate-photometer", 7.5, 7.5, dilution=2)
        page = self.open(PHONE, to=f"/log/{over.pk}/")
        for words in (
            "No infant's feed from this water, boiled or not",
            "Do not boil it",
            "certified laboratory",
            "Tell Vale Health Office, 555 0100",
        ):
            expect(page.get_by_text(words).first).to_be_visible()
        expect(page.get_by_text("up the water")).to_have_count(0)
        expect(page.get_by_text("Nothing more to do")).to_have_count(0)
        self.assert_accessible(page)

    def test_a_loop_with_nothing_judged(self):
        loop = self.place("closed-loop")
        page = self.bench("clarity-pattern", DESK, loop)
        self.prepare(page)
        page.get_by_role("radio", name="blurred").first.check()
        self.keep(page)
        self.prepare(page)
        expect(page.get_by_text("Into the loop jar: it holds inhibitor or glycol.")).to_be_visible()
        self.write(page)
        expect(page.get_by_text("It was not assessed: no limit of a programme is set here").first).to_be_visible()
        expect(page.get_by_text("Nothing more to do")).to_have_count(0)

    def test_a_packing_list_with_four_jars(self):
        tests = ("chloride-drops", "oxygen-titration", "nitrate-photometer", "ammonia-comparator")
        stocked_kit(self.ines, tests)
        each = planned(self.ines, self.below)
        stop = each.stops.get()
        for family in tests[1:]:
            stop.tests.create(team=self.team, family=family, runs=2, blanks=0, standards=0)
        page = self.open(PHONE, to="/today/pack/")
        page.get_by_role("button", name="Work out the packing list").click()
        for jar, never in (
            ("Silver jar", "Never azide, ammonia or acid."),
            ("Oxygen jar", "Never silver, metals or fresh azide."),
            ("Cadmium jar", "Nothing else."),
            ("Salicylate jar", "Never acid: toxic gas."),
        ):
            expect(page.get_by_role("listitem").filter(has_text=jar).filter(has_text=never)).to_be_visible()
        self.assert_accessible(page)

    def test_a_weighed_bottle_counts_by_its_own_drop(self):
        kit = stocked_kit(self.ines)
        bottle = kit.lots.get(supply_key="silver-nitrate")
        page = self.open(DESK, "Ines", to=f"/kits/lots/{bottle.pk}/")
        page.get_by_label("20 drops weigh, in g").fill("1.1")
        page.get_by_role("button", name="Write the weight").click()
        expect(page.get_by_text("Not proven by a standard yet.")).to_be_visible()
        page = self.bench("chloride-drops-25", PHONE, kit=kit.pk)
        page.get_by_role("button", name="No deionised water").click()
        for begins in ("Begin the first run", "Begin run 2"):
            self.run_through(page, 20, begin=begins)
        self.write(page)
        expect(page.get_by_text("this bottle's own unit").first).to_be_visible()
        expect(page.get_by_text("lot not proven by a standard").first).to_be_visible()
        self.assertAlmostEqual(Result.objects.for_team(self.team).get().value, 88)

    def test_p_and_total_in_one_vessel_and_what_is_hydroxide(self):
        page = self.bench("alkalinity-stages-drops-5", PHONE, self.place("boiler"))
        for number, begins in enumerate(("", "Begin run 2"), 1):
            if begins:
                page.get_by_role("button", name=begins).click()
            expect(page.get_by_text("Hot water under pressure").first).to_be_visible()
            self.done(page)
            if number == 1:
                page.get_by_role("button", name="No", exact=True).click()
            self.steps(page, 3)
            self.drops(page, 20)
            expect(page.get_by_text("P alkalinity 20 drops, alkalinity –")).to_be_visible()
            page.get_by_role("button", name="It stays: end").click()
            self.steps(page, 1)
            self.drops(page, 8)
            expect(page.get_by_text("P alkalinity 20 drops, alkalinity 28 drops")).to_be_visible()
            self.assert_accessible(page)
            page.get_by_role("button", name="Take one back").click()
            self.drops(page, 1)
            page.get_by_role("button", name="It stays: end").click()
            self.steps(page, 1)
        self.write(page)
        found = {each.parameter: each.value for each in Result.objects.for_team(self.team)}
        measured = {"P alkalinity": 400, "alkalinity": 560, "hydroxide alkalinity": 240}
        # The other two parts follow by themselves.
        self.assertEqual(found, measured | {"carbonate alkalinity": 320, "bicarbonate alkalinity": 0})
