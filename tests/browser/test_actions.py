"""What people do about a number: bleed and dose, clean and flush, tell and tick, trace a spill, keep things apart."""

import re
from datetime import timedelta

from django.utils import timezone
from playwright.sync_api import expect

from kessa.record.actions.models import Action
from kessa.record.people.models import Contact, Role
from kessa.record.places.models import Pair, Place
from kessa.record.products.models import Product, ProductLot
from tests.app.test_actions import counted
from tests.browser.base import BenchTest
from tests.browser.chromium import DESK, PHONE
from tests.world import Taps, begin, measured, member, read, send


class Acting(BenchTest):
    def place(self, kind, name, sets, feeds=(), **facts):
        data = {"kind_key": kind, "limit_sets": list(sets), "feeds": list(feeds), "facts": facts}
        return Place.objects.create(team=self.team, name=name, **data)

    def product(self, name, left=20.0, **data):
        product = Product.objects.create(team=self.team, name=name, **data)
        ProductLot.objects.create(team=self.team, product=product, number=f"N-{product.pk}", left=left)
        return product

    def at(self, page, place):
        page.goto(f"{self.address}/places/{place.pk}/")
        return page.get_by_role("region", name="What to do, in this order")

    def fits(self, page):
        # Asked again until it is so: a page on its way has no document yet.
        narrow = "document.documentElement?.scrollWidth <= document.documentElement?.clientWidth"
        self.until(page, lambda: page.evaluate(narrow))
        self.assert_accessible(page)


class Plant(Acting):
    def test_a_boiler_from_its_visit_to_bleed_and_dose_done_and_followed_up(self):
        boiler = self.place(
            "boiler", "Boiler", ["programme-boiler-low"], volume_l=4200.0, volume_off=5.0, bleed_l_min=12.0
        )
        supply = self.place("supply", "Borehole", [])
        Pair.objects.create(team=self.team, kind="supply", first=supply, second=boiler)
        read(supply, self.ines, "conductivity-meter", 150)
        strength = {"active_percent": 20, "active_form": "Na2SO3", "density_kg_l": 1.19}
        self.product("Sulfite 20", does="raises", parameter="sulfite", most_per_m3=0.3, holds=["sulfite"], **strength)
        member(self.team, "Per", Role.TECHNICIAN)
        counted(boiler, self.ines, "sulfite-drops-25", 2, days_ago=0.02)
        page = self.bench("conductivity-meter", DESK, boiler, days_ago=0.02)
        self.prepare(page)
        page.get_by_role("textbox", name="On the display").fill("7500")
        self.keep(page)
        self.done(page)
        self.write(page)
        # On the phone, with wet gloves: what to do stands in order, with its working and what can hurt.
        page.set_viewport_size(PHONE)
        todo = self.at(page, boiler)
        expect(todo.get_by_role("heading", level=3)).to_have_count(2)
        expect(todo).to_contain_text("4200 L × ln((7500 − 150) / (5400 − 150)) = 1410 L")
        expect(todo).to_contain_text("The water level in the glass decides, not the clock.")
        expect(todo).to_contain_text("after the bleed, which takes some along")
        self.fits(page)
        page.context.clear_cookies()
        page = self.open(PHONE, "Ines")
        todo = self.at(page, boiler)
        todo.get_by_role("link", name=re.compile(r"^Done: how long\? +Bleed")).click()
        page.get_by_label("How long").fill("115")
        done_at = f"{timezone.localtime() - timedelta(minutes=10):%Y-%m-%dT%H:%M}"
        page.get_by_label("When it was done").fill(done_at)
        self.fits(page)
        page.get_by_role("button", name="It is done: write it down").click()
        expect(page.get_by_text("Test conductivity again on")).to_be_visible()
        todo.get_by_role("link", name=re.compile(r"^Done: how much\? +Dose")).click()
        page.get_by_label("How much").fill("0.4")
        page.get_by_label("in", exact=True).select_option("L")
        page.get_by_label("When it was done").fill(done_at)
        page.get_by_role("button", name="It is done: write it down").click()
        expect(page.get_by_role("region", name="Done here")).to_contain_text("dosed 400 mL of Sulfite 20")
        self.assertAlmostEqual(ProductLot.objects.for_team(self.team).get().left, 19.6)
        page.goto(f"{self.address}/today/")
        expect(page.get_by_role("region", name="Test again: did it work?")).to_contain_text("test sulfite again")
        read(boiler, self.ines, "conductivity-meter", 5300)
        self.at(page, boiler)
        expect(
            page.get_by_text("Conductivity 7500 → 5300 µS/cm, aimed at 5400 µS/cm: it is where it should be.")
        ).to_be_visible()
        page.goto(f"{self.address}/places/{boiler.pk}/trend/?test=conductivity-us-cm-meter")
        expect(page.get_by_text("bled 115 min").first).to_be_visible()
        page.goto(f"{self.address}/actions/")
        self.fits(page)

    def test_a_dirty_loop_with_aluminium_is_cleaned_flushed_and_dosed_and_lye_is_refused(self):
        loop = self.place(
            "heating-loop", "Hall loop", ["programme-heating-aluminium"], ["aluminium"], volume_l=780.0, volume_off=8.0
        )
        lye = self.product(
            "Alkaline guard", does="raises", parameter="inhibitor", step=1.2, step_unit="drops", holds=["lye"]
        )
        self.product("Hall inhibitor", does="raises", parameter="inhibitor", step=1.2, step_unit="drops")
        self.product("Hall cleaner", does="cleans", label_per_m3=10)
        page = self.bench("clarity-pattern", DESK, loop)
        self.prepare(page)
        page.get_by_role("radio", name="blurred").first.check()
        self.keep(page)
        self.prepare(page)
        self.write(page)
        difference(loop, self.ines, 12, 3)
        page.context.clear_cookies()
        page = self.open(DESK, "Ines")
        todo = self.at(page, loop)
        expect(todo.get_by_role("heading", level=3)).to_have_count(3)
        titles = [title.inner_text() for title in todo.get_by_role("heading", level=3).all()]
        self.assertEqual([title.split()[1] for title in titles], ["Clean", "Then", "Dose"])
        self.assertIn("7.8 L of Hall cleaner", titles[0])
        self.assertIn("of Hall inhibitor", titles[2])
        expect(todo).to_contain_text("after the flush")
        self.fits(page)
        # Somebody reaches for the can beside it.
        page.get_by_role("link", name="Write down something that was done").click()
        page.get_by_label("How much").fill("5")
        page.get_by_label("Of which product").select_option(str(lye.pk))
        page.get_by_role("button", name="Write it down").click()
        expect(page.get_by_role("alert")).to_contain_text("must not meet the aluminium in it: lye dissolves aluminium")
        self.fits(page)
        # What it holds is not what somebody wrote down long ago.
        page.goto(f"{self.address}/places/{loop.pk}/")
        page.get_by_role("link", name="Work it out").click()
        page.get_by_label("Put in, g").fill("642.9")
        page.get_by_label("Before, mg/L").fill("40")
        page.get_by_label("After mixing, mg/L").fill("640")
        page.get_by_role("button", name="Work it out from the salt").click()
        self.fits(page)
        page.get_by_role("button", name="Write it down").click()
        expect(page.get_by_text("holds 650 L")).to_be_visible()
        expect(todo).to_contain_text("10 L for 1 m³ × 0.65 m³ = 6.5 L")

    def test_a_tower_by_its_cycles_and_two_products_that_must_not_meet(self):
        tower = self.place(
            "cooling-tower", "Tower", ["programme-tower"], volume_l=11500.0, bleed_l_min=25.0, evaporation_l_h=600.0
        )
        supply = self.place("supply", "Borehole", [])
        Pair.objects.create(team=self.team, kind="supply", first=supply, second=tower)
        read(supply, self.ines, "conductivity-meter", 250)
        read(tower, self.ines, "conductivity-meter", 2300)
        self.product("Bleach", does="raises", parameter="free chlorine", step=54, step_form="Cl2", holds=["chlorine"])
        acid = self.product(
            "Scale acid", does="lowers", parameter="alkalinity", step=220, step_form="CaCO3", holds=["acid"]
        )
        page = self.open(DESK, "Ines")
        todo = self.at(page, tower)
        expect(todo).to_contain_text("Cycles of concentration 9.2 is to come to 5.")
        expect(todo).to_contain_text("600 L/h evaporated / (5 cycles − 1) = 150 L/h bled")
        page.goto(f"{self.address}/products/")
        expect(page.get_by_role("region", name="Never together")).to_contain_text("Bleach and Scale acid")
        self.fits(page)
        page.goto(f"{self.address}/actions/at/{tower.pk}/")
        page.get_by_label("How much").fill("2")
        page.get_by_label("Of which product").select_option(label="Bleach")
        page.get_by_role("button", name="Write it down").click()
        expect(page.get_by_text("it stands at the place")).to_be_visible()
        page.goto(f"{self.address}/actions/at/{tower.pk}/")
        page.get_by_label("How much").fill("1")
        page.get_by_label("Of which product").select_option(str(acid.pk))
        page.get_by_role("button", name="Write it down").click()
        expect(page.get_by_role("alert")).to_contain_text(
            re.compile("Scale acid must not meet Bleach, dosed on .*: toxic gas")
        )


class PlantOnThePhone(Acting):
    def done(self, page, todo, name, amount, hours_ago):
        todo.get_by_role("link", name=re.compile(f"^Done.*{name}")).click()
        page.get_by_label("How much").fill(amount)
        page.get_by_label("When it was done").fill(ago(hours_ago))
        page.get_by_role("button", name="It is done: write it down").click()
        expect(page.get_by_text(re.compile("^Written down"))).to_be_visible()

    def slide(self, tower, found, days_ago=0):
        begun = begin(tower, self.ines, "dip-slide", days_ago=days_ago)
        self.assertEqual(send(self.ines, begun, Taps(days_ago=days_ago).read({"at": found}).close()).refused, [])

    def test_a_tower_from_a_bad_slide_to_a_good_one(self):
        tower = self.place(
            "cooling-tower", "Tower", ["programme-tower"], volume_l=8000.0, bleed_l_min=15.0, evaporation_l_h=400.0
        )
        supply = self.place("supply", "Borehole", [])
        Pair.objects.create(team=self.team, kind="supply", first=supply, second=tower)
        read(supply, self.ines, "conductivity-meter", 500)
        for name in ("First", "Second"):
            self.product(f"{name} biocide", does="kills", label_per_m3=0.15, contact_hours=6, holds=["oxidiser"])
        read(tower, self.ines, "conductivity-meter", 2700)
        self.slide(tower, 1_000_000, days_ago=0.3)
        page = self.open(PHONE, "Ines")
        todo = self.at(page, tower)
        titles = [title.inner_text().split(maxsplit=1)[1] for title in todo.get_by_role("heading", level=3).all()]
        self.assertTrue(titles[0].startswith("Make no spray with this water"), titles)
        self.assertTrue(titles[1].startswith("Have a laboratory look for Legionella"), titles)
        self.assertEqual(titles[2], "Kill the bacteria: 1.2 L of First biocide at once, held for 6 h, the bleed shut")
        # The bleed waits for the biocide, and whoever takes the wastewater is told.
        self.assertTrue(titles[3].startswith("Bleed "), titles)
        for words in (
            "a respirator of the class that the site's assessment names",
            "the bleed stays shut until its time",
        ):
            expect(todo).to_contain_text(words)
        self.fits(page)
        self.done(page, todo, "Kill the bacteria", "1.2", hours_ago=5)
        expect(page.get_by_role("region", name="Done here")).to_contain_text("treated with 1.2 L of First biocide")
        # It did not do: the other one is next.
        self.slide(tower, 100_000, days_ago=0.1)
        todo = self.at(page, tower)
        expect(todo).to_contain_text("1.2 L of Second biocide")
        self.done(page, todo, "Kill the bacteria", "1.2", hours_ago=1)
        self.slide(tower, 1000)
        todo = self.at(page, tower)
        expect(todo).not_to_contain_text("Kill the bacteria")
        expect(page.get_by_role("region", name="Done here")).to_contain_text("it is where it should be")

    def test_a_loop_whose_nitrite_is_eaten(self):
        loop = self.place("closed-loop", "Loop", ["programme-chilled-nitrite"], ["nitrite"], volume_l=6000.0)
        self.product("Loop nitrite", 60.0, does="raises", parameter="nitrite", step=300, step_form="NaNO2",
                     holds=["nitrite"])  # fmt: skip
        self.product("Loop biocide", does="kills", label_per_m3=0.2, contact_hours=24, holds=["glycol"])
        for method, *found in (("nitrite-tablets-10", 9, 4), ("molybdate-photometer", 60, 60)):
            for number, days_ago in zip(found, (20, 0), strict=True):
                if method.startswith("nitrite"):
                    counted(loop, self.ines, method, number, days_ago=days_ago)
                else:
                    read(loop, self.ines, method, number, number, days_ago=days_ago)
        page = self.open(PHONE, "Ines")
        todo = self.at(page, loop)
        expect(todo).to_contain_text("Look for bacteria that eat the nitrite: a dip slide, and ammonia")
        expect(todo).to_contain_text("It fell further than water alone would explain")
        expect(todo).to_contain_text("Kill the bacteria: 1.2 L of Loop biocide at once, held for 24 h")
        titles = [title.inner_text() for title in todo.get_by_role("heading", level=3).all()]
        self.assertIn("of Loop nitrite", titles[-1])
        self.fits(page)
        # A digit too many is asked about before it stands.
        todo.get_by_role("link", name=re.compile("^Done.*Loop nitrite")).click()
        page.get_by_label("How much").fill("70")
        page.get_by_role("button", name="It is done: write it down").click()
        alert = page.get_by_role("alert")
        expect(alert).to_contain_text("times what was proposed")
        expect(alert).to_contain_text("Only 60 L of this lot were left")
        self.fits(page)
        page.get_by_label("How much").fill("7")
        page.get_by_label("When it was done").fill(ago(1))
        page.get_by_role("button", name="It is done: write it down").click()
        expect(page.get_by_text(re.compile("^Written down"))).to_be_visible()
        # What was put in does not come back: no word of where it should be.
        counted(loop, self.ines, "nitrite-tablets-10", 3)
        self.at(page, loop)
        expect(page.get_by_role("region", name="Done here")).to_contain_text("Look for a leak and for bacteria")

    def test_a_boiler_whose_pressure_is_raised(self):
        facts = {"volume_l": 4200.0, "volume_off": 5.0, "bleed_l_min": 12.0, "pressure_bar": 9.0}
        boiler = self.place("boiler", "Boiler", ["programme-boiler-low"], **facts)
        read(boiler, self.ines, "conductivity-meter", 5000)
        page = self.open(PHONE, "Ines")
        expect(self.at(page, boiler)).to_have_count(0)
        page.get_by_role("link", name="Change", exact=True).click()
        page.get_by_label("Working pressure, bar").fill("30")
        page.get_by_role("button", name="Save the place").click()
        expect(page.get_by_text("What you changed changes what fits").first).to_be_visible()
        self.fits(page)
        page.get_by_role("button", name="Save the place").click()
        todo = page.get_by_role("region", name="What to do, in this order")
        expect(todo).to_contain_text("Conductivity 5000 µS/cm is to come to 2700 µS/cm.")
        expect(todo).to_contain_text("4200 L × ln((5000 − 0) / (2700 − 0)) = 2590 L")
        self.fits(page)


def ago(hours):
    """A time of day as its field takes it."""
    return f"{timezone.localtime() - timedelta(hours=hours):%Y-%m-%dT%H:%M}"


def difference(place, by, system, supply):
    """Count the inhibitor's drops on supply and system."""
    begun = begin(place, by, "inhibitor-difference")
    taps = Taps()
    for number in (1, 2):
        taps.run(f"supply-{number}", supply).run(f"sample-{number}", system)
    stored = send(by, begun, taps.close())
    assert not stored.refused, stored.refused


class People(Acting):
    def test_nitrate_in_a_well_with_an_infant_to_the_last_tick(self):
        Contact.objects.create(
            team=self.team, role="authority", name="Vale health office", telephone="555 0100", waters=["drinking"]
        )
        well = self.place("well", "The Old Forge", ["eu-2020"], ["people", "infants"])
        read(well, self.olek, "nitrate-photometer", 7.5, 7.5, dilution=2)
        page = self.open(PHONE, "Olek")
        page.get_by_role("link", name=re.compile("Infants do not drink this water")).click()
        self.fits(page)
        expect(page.get_by_text("Blue lips or grey skin on an infant")).to_be_visible()
        expect(page.get_by_role("link", name="555 0100")).to_have_attribute("href", "tel:5550100")
        for words in ("safe to drink", "Nothing more to do"):
            expect(page.get_by_text(words)).to_have_count(0)
        page.get_by_label("Remark: Tell everybody who drinks it").fill("one infant, five weeks")
        ticks = page.get_by_role("button", name=re.compile("^Done: ")).count()
        self.assertGreater(ticks, 5)
        another = page.get_by_label(re.compile("^Remark: ")).last
        another.fill("a ewe in the field")
        page.get_by_role("button", name=re.compile("^Done: Tell everybody who drinks it")).click()
        expect(page.get_by_text("one infant, five weeks")).to_be_visible()
        # What was typed at another step is there still.
        expect(another).to_have_value("a ewe in the field")
        done = page.get_by_role("button", name=re.compile("^Done: "))
        for left in reversed(range(ticks - 1)):
            done.first.click()
            expect(done).to_have_count(left)
        for remark in ("one infant, five weeks", "a ewe in the field"):
            expect(page.get_by_text(remark)).to_be_visible()
        page.get_by_role("link", name="Label and chain-of-custody sheet").click()
        expect(page.get_by_role("heading", name="Chain of custody")).to_be_visible()
        self.fits(page)
        page.go_back()
        page.get_by_role("button", name="Close the list").click()
        expect(page.get_by_role("region", name="Done here")).to_contain_text("list closed")
        self.assertEqual(Action.objects.for_team(self.team).get().ticks.count(), ticks)

    def test_a_salt_spill_is_traced_up_three_places(self):
        names = ["Spring", "Ford", "Yard", "Mill", "Weir"]
        places = [self.place("stream", name, ["ca-aquatic"], order=n) for n, name in enumerate(names)]
        for n in range(4):
            Pair.objects.create(team=self.team, kind="stream", first=places[n], second=places[n + 1])
        counted(places[4], self.olek, "chloride-drops-2", 18)
        page = self.open(PHONE, "Olek")
        todo = self.at(page, places[4])
        todo.get_by_role("link", name="Go through the list").click()
        expect(page.get_by_text("Test Yard next: that halves what is left.")).to_be_visible()
        self.fits(page)
        counted(places[2], self.olek, "chloride-drops-2", 18)
        page.reload()
        expect(page.get_by_role("link", name="Start the visit: Ford")).to_be_visible()
        measured(places[1], self.olek, 5, 5)
        page.reload()
        expect(page.get_by_text("between Ford and Yard: walk the bank there")).to_be_visible()
        page.get_by_label("Remark: Photograph the water").fill("white crust at the drain")
        page.get_by_role("button", name=re.compile("^Done: Photograph the water")).click()
        expect(page.get_by_text("white crust at the drain")).to_be_visible()
