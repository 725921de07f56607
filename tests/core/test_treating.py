"""What to do about a number: amounts, label maxima, what must not meet, the order, whether it worked."""

import math
from itertools import pairwise
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from kessa.core.errors import CannotCompute
from kessa.core.job.place_kinds import place_kinds
from kessa.core.proposing.proposals import proposals
from kessa.core.quantities.parameters import parameters
from kessa.core.quantities.quantity import Quantity
from kessa.core.quantities.spread import Spread, exactly, within_percent
from kessa.core.treating.amounts import kept_amount, written
from kessa.core.treating.dosing import bleed, drain_to, raise_level
from kessa.core.treating.followed import Done, follow
from kessa.core.treating.inputs import changed_inputs, inputs_of
from kessa.core.treating.mixing import held_by_products
from kessa.core.treating.products import Product
from kessa.core.treating.systems import Finding, Held, Proposal, System
from kessa.core.treating.tracing import Spot, trace
from kessa.core.treating.volumes import Counted, Pipe, volume_by_parts, volume_by_salt, water_in_well
from kessa.core.treating.ways import rank_of, ways

SULFITE = Product(
    name="Sulfite 20", does="raises", parameter="sulfite", active_percent=20.0, active_form="Na2SO3",
    density_kg_l=1.19, holds=("sulfite",),
)  # fmt: skip
INHIBITOR = Product(name="Tarrow inhibitor", does="raises", parameter="inhibitor", step=1.3, step_unit="drops")
CLEANER = Product(name="Loop cleaner", does="cleans", label_per_m3=10.0)


def finding(name, value, side, least=None, most=None, unit="mg/L", form=None, off=5, words=""):
    return Finding(name, within_percent(value, off), unit, form, side, least, most, words, result=name)


BOILER = System(
    "boiler", "plant", exactly(4200.0), 12.0, supply={"conductivity": Quantity(150, 150, 150, None, "uS/cm")},
    products=(Held(1, SULFITE),),
)  # fmt: skip
SALTY = finding("conductivity", 3900, "high", most=3000, unit="uS/cm")
BARE = finding("sulfite", 14, "low", 30, 60, form="SO3")
amounts = st.floats(1, 1e5)


class AmountsComeOut(TestCase):
    @given(st.floats(100, 1e5), st.floats(0, 40), st.floats(0.1, 29), st.floats(1, 60), st.data())
    def test_a_dose_done_exactly_brings_the_system_where_it_says(self, volume, off, level, percent, data):
        product = SULFITE.model_copy(update={"active_percent": percent})
        held = within_percent(volume, off)
        system = System("boiler", "plant", held, products=(Held(1, product),))
        low = finding("sulfite", level, "low", 30, 60, form="SO3")
        (dose,) = proposals(system, [low])
        truth_v = data.draw(st.floats(held.low, held.high))
        truth_m = data.draw(st.floats(low.measured.low, low.measured.high))
        # One litre brings so many mg/L to 1 m³, by the masses of sodium sulfite and sulfite.
        by = percent * 10 * 1.19 * 80.057 / 126.037
        after = truth_m + dose.amount.value * by / (truth_v / 1000)
        # Never above its band, however little the system holds; else to its aim.
        self.assertLessEqual(after, 60 * 1.05)
        right = (37.5 - truth_m) * truth_v / 1000 / by
        self.assertTrue(dose.amount.low * 0.999 <= right <= dose.amount.high * 1.001)
        reached = level + dose.amount.value * by / (volume / 1000)
        most = min(37.5, level + (60 - level) * held.low / volume)
        self.assertTrue(math.isclose(reached, most, rel_tol=1e-4))

    @given(amounts, st.floats(0, 0.8), st.floats(0.01, 0.99), st.floats(1, 1e4))
    def test_bleed_and_drain_balance_their_masses(self, volume, makeup, share, measured):
        fed = makeup * measured
        target = fed + share * (measured - fed)
        litres = bleed(volume, 1.0, measured, target, fed).litres
        left = fed + (measured - fed) * math.exp(-litres / volume)
        self.assertTrue(math.isclose(left, target, rel_tol=1e-9))
        drained = drain_to(volume, measured, target, fed)
        self.assertTrue(math.isclose((volume - drained) * measured + drained * fed, volume * target, rel_tol=1e-9))

    def test_a_tower_that_evaporates_while_it_is_bled_comes_down_as_stepped_through(self):
        litres, minutes, settles_at = bleed(11500, 15, 3400, 3000, 900, 2000)
        holds, step = 11500 * 3400.0, 0.05
        for _ in range(round(minutes / step)):
            holds += step * (900 * (15 + 2000 / 60) - 15 * holds / 11500)
        self.assertAlmostEqual(holds / 11500, 3000, delta=0.5)
        self.assertAlmostEqual(litres, 15 * minutes)
        # Bled for ever, what comes in goes out.
        self.assertAlmostEqual(settles_at * 15, 900 * (15 + 2000 / 60))
        with self.assertRaises(CannotCompute) as refused:
            bleed(11500, 15, 3400, 2900, 900, 2000)
        self.assertEqual(refused.exception.field, "target")

    def test_what_else_would_do_is_said_once_and_a_density_only_of_what_is_poured(self):
        other = SULFITE.model_copy(update={"name": "Sulfite 35", "active_percent": 35.0})
        powder = SULFITE.model_copy(update={"name": "Sulfite powder", "liquid": False, "density_kg_l": 2.0})
        for chosen, density in ((SULFITE, True), (powder, False)):
            (dose,) = proposals(BOILER._replace(products=(Held(1, chosen), Held(2, other))), [BARE])
            instead = [line for line in dose.working if line.startswith("instead: ")]
            self.assertEqual([line.split(" of ")[1] for line in instead], ["Sulfite 35"])
            self.assertEqual(any(f"/ {chosen.density_kg_l:g} kg/L" in line for line in dose.working), density)

    def test_make_up_that_holds_more_than_the_target_brings_nothing_down(self):
        with self.assertRaises(CannotCompute):
            drain_to(1000, 800, 400, 500)
        self.assertEqual(drain_to(1000, 300, 400, 500), 0)

    @given(st.floats(100, 1e5), st.floats(0, 45), st.floats(0, 29), st.floats(0.01, 5), st.floats(20, 80), st.data())
    def test_no_portion_and_no_level_goes_above_the_label(self, volume, off, level, most, most_level, data):
        product = SULFITE.model_copy(
            update={"most_per_m3": most, "most_level": most_level, "active_form": "SO3", "active_percent": 20.0}
        )
        held = within_percent(volume, off)
        low = finding("sulfite", level, "low", 30, 60, form="SO3", off=10)
        (dose,) = proposals(System("boiler", "plant", held, products=(Held(1, product),)), [low])
        if dose.refused:
            self.assertGreaterEqual(low.measured.high, most_level * 0.999)
            return
        truth_v, truth_m = held.low, data.draw(st.floats(low.measured.low, low.measured.high))
        self.assertLessEqual(dose.amount.value / dose.portions, most * truth_v / 1000 * (1 + 1e-6))
        self.assertLessEqual(truth_m + dose.amount.value * 238 / (truth_v / 1000), most_level * (1 + 1e-6))

    def test_published_examples(self):
        # Pounds = million gallons × mg/L × 8.34 (US EPA's and the operators' feed formula): 0.5 MG to 50 mg/L, 65 %.
        dose = raise_level(kept_amount(500_000, "gal_us")[0], 0, 50, 65)
        self.assertAlmostEqual(dose.product_g / 453.59237, 0.5 * 50 * 8.34 / 0.65, delta=0.3)
        # A six-inch bore holds 1.47 US gallons a foot (US EPA, private wells).
        self.assertAlmostEqual(water_in_well(0.3048, 152.4) / 3.785411784, 1.47, places=2)
        # A boiler fed with 150 µS/cm and held at 3000: 5 % blowdown (cycles 20, a balance of salts).
        steady = proposals(BOILER, [SALTY._replace(most=3000 / 0.9)])[0].working[-1]
        self.assertIn("= 5 % of the feed bled", steady)


class WhatIsProposed(TestCase):
    def test_a_boiler_is_bled_before_it_is_dosed_and_the_dose_makes_up_for_it(self):
        bled, dose = proposals(BOILER, [BARE, SALTY])
        self.assertEqual((bled.by, dose.by, bled.position, dose.position), ("bleed", "dose", 1, 2))
        self.assertEqual((bled.title, bled.rate_l_min), ("Bleed {amount} at {rate}", 12.0))
        self.assertAlmostEqual(bled.amount.value, 4200 * math.log(3750 / 2550) / 12)
        self.assertIn("pressure", bled.cautions[0])
        left = 14 * math.exp(-4200 * math.log(3750 / 2550) / 4200)
        self.assertAlmostEqual(dose.amount.value, (37.5 - left) * 4.2 * 126.037 / 80.057 / 0.2 / 1190, places=3)
        self.assertIn("after the bleed", dose.why)
        # Steam leaves its salts behind: 150 × (900 + 720) / 720 = 337.5.
        (steaming,) = proposals(BOILER._replace(steam_kg_h=900.0), [SALTY])
        self.assertAlmostEqual(steaming.amount.value, 4200 * math.log((3900 - 337.5) / (2700 - 337.5)) / 12)
        alone = proposals(BOILER, [BARE])[0]
        self.assertLess(alone.amount.value, dose.amount.value)

    def test_a_dirty_loop_is_cleaned_flushed_and_dosed_anew_and_nothing_alkaline_meets_aluminium(self):
        lye = INHIBITOR.model_copy(update={"name": "Alkaline guard", "holds": ("lye",)})
        system = System(
            "heating-loop", "plant", within_percent(780, 10), holds={"aluminium": "the aluminium exchanger"},
            products=(Held(1, lye), Held(2, INHIBITOR), Held(3, CLEANER)),
        )  # fmt: skip
        found = [finding("turbidity", 60, "high", most=15, unit="JTU"), finding("inhibitor", 9, "", 8, 14, "drops")]
        clean, flush, dose = proposals(system, found)
        self.assertEqual([clean.by, flush.by, dose.by], ["clean", "flush", "dose"])
        self.assertAlmostEqual(clean.amount.value, 7.8)
        self.assertAlmostEqual(flush.amount.value, 780 * math.log(20))
        self.assertEqual(dose.product, 2)
        self.assertIn("its safety data sheet says what it must not meet", dose.cautions[-1])
        self.assertAlmostEqual(dose.amount.value, (9.5 - 9 * 0.05) / 1.3 * 0.78)
        only = proposals(system._replace(products=(Held(1, lye),)), [finding("inhibitor", 3, "low", 8, 14, "drops")])
        self.assertIn("must not meet the aluminium exchanger: lye dissolves aluminium", only[0].refused)
        self.assertIsNone(only[0].amount)

    def test_what_is_not_known_is_said_with_how_to_get_it(self):
        bare = System("boiler", "plant")
        bled, dose = proposals(bare, [SALTY, BARE])
        self.assertIn("a known weight of salt", bled.missing[0])
        self.assertIn("write its label down", dose.missing[0])
        self.assertEqual((bled.amount, dose.amount), (None, None))
        slow = proposals(bare._replace(volume=exactly(4200.0)), [SALTY])[0]
        self.assertEqual((slow.title, slow.kept), ("Bleed {amount}", "L"))
        self.assertEqual(len(slow.missing), 2)
        faint = SULFITE.model_copy(update={"active_percent": 5e-324})
        (never,) = proposals(BOILER._replace(products=(Held(1, faint),)), [BARE])
        self.assertTrue(never.missing)
        fed = {"conductivity": Quantity(2900, 2800, 3000, None, "uS/cm")}
        self.assertIn("never gets there", proposals(BOILER._replace(supply=fed), [SALTY])[0].refused)

    def test_a_valve_that_is_too_small_is_said_with_what_would_do(self):
        fed = {"conductivity": Quantity(900, 900, 900, None, "uS/cm")}
        tower = System("cooling-tower", "plant", exactly(11_500.0), 15.0, evaporation_l_h=2000.0, supply=fed)
        (bled,) = proposals(tower, [finding("conductivity", 3400, "high", 1500, 2500, "uS/cm", off=0)])
        self.assertIsNone(bled.amount)
        for words in ("settles at 2900 µS/cm", "1330 L/h bled all the time", "5290 L drained"):
            self.assertIn(words, bled.refused)

    def test_a_loop_with_glycol_keeps_its_frost_protection(self):
        loop = System(
            "closed-loop", "plant", exactly(6000.0), holds={"glycol": "the glycol in it"}, products=(Held(1, CLEANER),)
        )
        for found in (finding("iron", 12, "high", most=1), finding("nitrite", 1800, "high", 700, 1000, form="NO2")):
            last = proposals(loop, [found])[-1]
            self.assertIn("premixed glycol", last.title)
            self.assertTrue(any("freezing point" in each for each in last.cautions), last.cautions)

    def test_a_tower_is_bled_by_its_cycles_and_says_the_bleed_that_holds_them(self):
        tower = System("cooling-tower", "plant", exactly(11_500.0), 20.0, evaporation_l_h=600.0)
        (bled,) = proposals(tower, [finding("cycles of concentration", 9, "high", 2, 6, "cycles")])
        # Bled for ever it settles at 1 × (600 + 1200) / 1200 = 1.5 cycles; a quarter inside 2 to 6 is 5.
        self.assertAlmostEqual(bled.amount.value, 11_500 * math.log(7.5 / 3.5) / 20)
        self.assertIn("600 L/h evaporated / (5 cycles − 1) = 150 L/h bled", bled.working[-1])

    def test_a_loop_that_would_freeze_is_told_how_much_glycol_it_takes(self):
        glycol = Product(name="Glycol 95", does="raises", parameter="propylene glycol", step=0.095, step_unit="%")
        loop = System("closed-loop", "plant", exactly(6000.0), holds={"glycol": "the glycol in it"},
                      products=(Held(1, glycol, 500.0),))  # fmt: skip
        share = Finding("propylene glycol", Spread(20, 18.5, 21.5), "%", None, "", result=1)
        frost = Finding("freezing point", Spread(-7.4, -8.2, -6.6), "degC", None, "high", None, -15, result=2)
        drain, dose = proposals(loop, [frost, share])
        # From the 21 % that freeze at -7.4 to the 34.9 % that freeze at -16.5 °C.
        self.assertAlmostEqual(drain.amount.value, 6000 * (34.9 - 20.1) / (95 - 20.1), delta=25)
        self.assertEqual((dose.product, set(dose.results)), (1, {1, 2}))
        self.assertIn("Now it freezes at -7.4 °C, by the doubt of the reading at -6.7 °C", drain.why)
        self.assertIn("only 500 L of it is left: order more", dose.working)

    def test_a_tower_with_legionella_has_its_own_plan(self):
        biocide = Product(name="Biocide", does="kills", label_per_m3=0.15, contact_hours=6, holds=("oxidiser",))
        tower = System("cooling-tower", "plant", exactly(8000.0), 15.0, products=(Held(1, biocide),))
        few, many = (
            {each.key: each for each in proposals(tower, [finding("Legionella", n, "high", most=100, unit="CFU/L")])}
            for n in (400, 5000)
        )
        self.assertNotIn("biocide", few)
        self.assertAlmostEqual(many["biocide"].amount.value, 1.2)
        self.assertIn("Fans off now", " ".join(many["biocide"].cautions))
        self.assertEqual(many["biocide"].rank, 1)
        steps, more = ([step.key for step in each["laboratory:Legionella"].steps] for each in (few, many))
        self.assertEqual((steps[0], more[0], more[-1]), ("mask", "fans", "again"))

    def test_acid_goes_in_by_thirds_and_too_much_inhibitor_is_drained(self):
        acid = Product(
            name="Acid", does="lowers", parameter="alkalinity", step=400.0, step_form="CaCO3", holds=("acid",)
        )
        loop = System("closed-loop", "plant", exactly(1000.0), products=(Held(1, acid),))
        high = finding("alkalinity", 300, "high", 50, 150, form="CaCO3")
        (lowered,) = proposals(loop, [high])
        self.assertEqual((lowered.by, lowered.portions), ("lower", 3))
        # From 300 to a quarter inside 50 to 150, 125.
        self.assertAlmostEqual(lowered.amount.value, 175 / 400)
        self.assertIn("never water into acid", lowered.cautions[0])
        (refused,) = proposals(loop._replace(holds={"nitrite": "the nitrite in the loop"}), [high])
        self.assertIn("nitrous gas", refused.refused)
        # Nor where the nitrite itself was found, whatever is written down of the loop.
        there = proposals(loop, [finding("nitrite", 300, "low", 500, 1200, form="NaNO2"), high])
        nitrous = next(each for each in there if each.key == "lower:alkalinity")
        self.assertIn("nitrous gas", nitrous.refused)
        lye = Product(name="Lye", does="raises", parameter="molybdate", step=400.0, step_form="MoO4", holds=("lye",))
        both = loop._replace(products=(Held(1, acid), Held(2, lye)))
        first, second = proposals(both, [finding("molybdate", 30, "low", 50, 120, form="MoO4"), high])
        self.assertEqual((first.product, second.product), (1, 2))
        self.assertIn("Never together with Acid: heat, and it spurts", second.cautions[-1])
        (drained,) = proposals(loop, [finding("nitrite", 1600, "high", 500, 1100, form="NaNO2")])
        self.assertAlmostEqual(drained.amount.value, 1000 * 650 / 1600)

    def test_what_a_proposal_was_worked_out_from_is_named_where_it_changed(self):
        (bled,) = proposals(BOILER, [SALTY])
        before = inputs_of(BOILER, [SALTY], bled)
        for change, words in (
            ({"bleed_l_min": 6.0}, "what its valve lets out: 12 L/min became 6 L/min"),
            ({"volume": exactly(2100.0)}, "how much it holds: 4200 L became 2100 L"),
            ({"supply": {}}, "conductivity of what feeds it: 150 µS/cm became not known"),
            ({"steam_kg_h": 900.0}, "what it steams: not known became 900 kg/h"),
            ({}, ""),
        ):
            self.assertEqual(changed_inputs(before, inputs_of(BOILER._replace(**change), [SALTY], bled)), words)
        worse = SALTY._replace(measured=exactly(4100.0), most=3500)
        said = changed_inputs(before, inputs_of(BOILER, [worse], bled))
        self.assertEqual(
            said, "Conductivity: 3900 µS/cm became 4100 µS/cm; where conductivity is to be: 3000 became 3500"
        )

    def test_a_list_comes_first_and_what_two_findings_ask_for_is_one(self):
        found = Finding("E. coli", Spread(1, 1, 1), "presence", None, "present", result=1)
        bleach = Product(
            name="Bleach", does="raises", parameter="free chlorine", active_percent=5.0, active_form="Cl2",
            density_kg_l=1.08, holds=("chlorine",), approved_for_drinking=True,
        )  # fmt: skip
        well = System("well", "drinking", exactly(353.0), products=(Held(1, bleach),))
        ticked = Proposal(key="sheet:place", by="sheet", rank=0, position=0, title="Nobody drinks it")
        first, shock = proposals(well, [found, found._replace(parameter="coliform bacteria", result=2)], ticked)
        self.assertEqual((first.key, first.position, shock.results), ("sheet:place", 1, (1, 2)))
        self.assertEqual(shock.product, 1)
        # A label that allows 10 mg/L is none for a shock of 50.
        mild = Held(1, bleach.model_copy(update={"most_level": 10.0}))
        self.assertIsNone(proposals(well._replace(products=(mild,)), [found], ticked)[1].product)
        self.assertAlmostEqual(shock.amount.value, 353 * 100 / 1000 / 54, places=4)
        self.assertEqual(shock.steps[0].key, "stop")

    def test_only_what_is_approved_goes_into_drinking_water_and_chloramines_are_asked_about(self):
        bleach = Product(
            name="Bleach", does="raises", parameter="free chlorine", active_percent=5.0, active_form="Cl2",
            density_kg_l=1.08, holds=("chlorine",),
        )  # fmt: skip
        stabilised = bleach.model_copy(update={"name": "Granules", "holds": ("organic chlorine",)})
        approved = bleach.model_copy(update={"name": "Approved", "approved_for_drinking": True})
        low = finding("free chlorine", 0.1, "low", least=0.2, form="Cl2")
        for products, refused in (
            ((bleach,), "not ticked as approved"),
            ((stabilised.model_copy(update={"approved_for_drinking": True}),), "stabilised chlorine"),
        ):
            held = tuple(Held(n, each) for n, each in enumerate(products))
            (dose,) = proposals(System("supply", "drinking", exactly(5000.0), products=held), [low])
            self.assertIn(refused, dose.refused)
            self.assertIsNone(dose.amount)
        supply = System("supply", "drinking", exactly(5000.0), products=(Held(1, stabilised), Held(2, approved)))
        (dose,) = proposals(supply, [low])
        self.assertEqual((dose.product, dose.refused), (2, ""))
        self.assertIn("trained for it", dose.cautions[0])
        # In plant the same bleach is as good as ever.
        (tower,) = proposals(System("cooling-tower", "plant", exactly(5000.0), products=(Held(1, bleach),)), [low])
        self.assertIsNotNone(tower.amount)
        (asked,) = proposals(supply, [low, finding("total chlorine", 2.2, "", form="Cl2")])
        self.assertEqual((asked.key, asked.amount), ("ask:chloramines", None))
        self.assertIn("1.05 to 2.1 mg/L", asked.working[0])

    def test_every_kind_of_finding_at_every_kind_of_place_is_answered_without_a_fault(self):
        every = tuple(Held(n, each) for n, each in enumerate((SULFITE, INHIBITOR, CLEANER)))
        for kind in place_kinds().values():
            for name in {each.key for each in parameters().values()}:
                for side in ("high", "low", "present"):
                    for volume in (None, exactly(500.0)):
                        system = System(kind.key, kind.water, volume, products=every)
                        for each in proposals(system, [finding(name, 9, side, 2, 5 if side == "high" else 20)]):
                            self.assertTrue(each.title and each.why, (kind.key, name, side))
                            self.assertTrue(each.steps or each.again_hours is not None)
                            self.assertNotIn("None", each.title + each.why + "".join(each.working))
        self.assertEqual(rank_of("boiler", "copper", "high"), 5)
        self.assertTrue({"bleed", "dose", "look"} <= set(ways()))

    def test_no_amount_follows_where_the_reading_is_not_out_of_line_or_a_limit_only_compares(self):
        mean = proposals(BOILER, [finding("conductivity", 2000, "high", most=3000, unit="uS/cm")])
        compared = proposals(BOILER, [finding("chloride", 60, "high")])
        self.assertEqual([each.by for each in (*mean, *compared)], ["look", "look"])
        self.assertEqual([each.amount for each in (*mean, *compared)], [None, None])

    def test_what_products_hold_is_known(self):
        for data in ({"does": "raises"}, {"does": "cleans"}, {"does": "raises", "parameter": "sulfite", "step": 0}):
            with self.assertRaises(ValueError):
                Product(name="x", **data)
        with self.assertRaises(ValueError):
            Product(name="x", does="cleans", label_per_m3=1.0, holds=("gold",))
        self.assertIn("acid", held_by_products())


class WhatCameOfIt(TestCase):
    def test_the_answer_of_the_water_tells_the_volume(self):
        before = finding("inhibitor", 640, "low", 800, 1000)
        after = finding("inhibitor", 910, "", 800, 1000)
        # 4050 L took up what raised 1 L of them by 270 mg/L each.
        told = follow(Done("dose", 4050 * 270.0, 900), before, after, 4200)
        self.assertTrue(told.worked)
        self.assertTrue(told.words.startswith("Inhibitor 640 → 910 mg/L, aimed at 900 mg/L: it is where it should be."))
        self.assertAlmostEqual(told.volume.value, 4050)
        self.assertTrue(told.volume.low < 4050 < told.volume.high)
        self.assertIn("comes out at 4050 L", told.words)
        self.assertIsNone(follow(Done("dose", 4200 * 270.0), before, after, 4200).volume)
        litres = bleed(4000, 1, 3900, 2700, 150)[0]
        salts = [
            finding("conductivity", value, side, most=3000, unit="uS/cm")
            for value, side in ((3900, "high"), (2700, ""))
        ]
        bled = follow(Done("bleed", litres, 2700, exactly(150.0)), *salts, 4200)
        self.assertAlmostEqual(bled.volume.value, 4000)
        same = follow(Done("dose", 1000.0), before, before, 4200)
        self.assertFalse(same.worked)
        self.assertIsNone(same.volume)

    def test_a_dose_that_the_water_does_not_answer_is_never_where_it_should_be(self):
        # 3.5 L of 350 g/L in 6000 L are 204 mg/L; it fell by 100 instead, within its band all the while.
        before, after = (finding("nitrite", value, "", 500, 1000, form="NaNO2") for value in (650, 550))
        told = follow(Done("dose", 6000 * 204.0, 800), before, after, 6000)
        self.assertFalse(told.worked)
        self.assertIsNone(told.volume)
        for words in ("raised it by 204 mg/L", "fell by 100 mg/L", "leak", "bacteria"):
            self.assertIn(words, told.words)
        # Nor where it rose by a third of it.
        up = finding("nitrite", 718, "", 500, 1000, form="NaNO2", off=0)
        self.assertIn(
            "rose by 68", follow(Done("dose", 6000 * 204.0), before._replace(measured=exactly(650)), up, 6000).words
        )
        # What is less than the doubt of the readings says nothing.
        self.assertIn("where it should be", follow(Done("dose", 6000 * 50.0, 700), before, before, 6000).words)

    def test_a_volume_is_told_from_a_bleed_only_with_what_steams_off_meanwhile(self):
        tower = System("cooling-tower", "plant", exactly(11_500.0), 15.0, evaporation_l_h=2000.0)
        settles = tower.settles_at(900)
        self.assertAlmostEqual(settles, 900 * 2900 / 900)
        litres = bleed(11_500, 15, 3400, 3000, 900, 2000).litres
        salts = [finding("conductivity", value, "high", most=2900, unit="uS/cm", off=0) for value in (3400, 3000)]
        told = follow(Done("bleed", litres, 3000, exactly(settles)), *salts, 9000)
        self.assertAlmostEqual(told.volume.value, 11_500)

    def test_a_volume_from_its_parts_and_from_salt(self):
        parts = volume_by_parts([Pipe(25, 100)], [Counted(12, 14)], [Counted(1, 300)])
        self.assertAlmostEqual(parts.value, 49.087 + 168 + 300, places=2)
        self.assertTrue(parts.low < parts.value < parts.high)
        salt = volume_by_salt(exactly(390), within_percent(40, 5), within_percent(540, 5))
        self.assertAlmostEqual(salt.value, 780)
        self.assertIsNone(volume_by_salt(exactly(10), within_percent(100, 5), within_percent(104, 5)).high)
        for bad in ([], [Pipe(-1, 3)]):
            with self.assertRaises(CannotCompute):
                volume_by_parts(bad, [], [])

    @given(st.integers(2, 40), st.data())
    def test_a_source_is_traced_by_halving(self, places, data):
        source = data.draw(st.integers(1, places))
        known = {places: True}
        asked = 0
        while (found := trace([Spot(n, f"place {n}", known.get(n)) for n in range(1, places + 1)])).next:
            known[found.next.order] = found.next.order >= source
            asked += 1
        self.assertEqual(found.above.order, source)
        self.assertEqual(found.below.order if found.below else 0, source - 1)
        self.assertLessEqual(asked, math.ceil(math.log2(places)) + 1)
        self.assertIsNone(trace([Spot(1, "spring", False)]).next)

    def test_amounts_are_written_in_the_units_people_pour(self):
        litres = [0.02, 0.5, 3.7, 900]
        for system in ("metric", "us", "imperial"):
            shown = [written(each, "L", system) for each in litres]
            self.assertEqual(len(set(shown)), 4)
        self.assertEqual(written(0.25, "kg", "us"), "8.82 oz")
        # 20 imperial fluid ounces are a pint of 568 mL.
        self.assertAlmostEqual(kept_amount(20, "fl_oz_imp")[0], 0.56826, places=4)
        self.assertEqual(written(5e-324, "L"), "0 mL")
        self.assertEqual((written(200, "min"), written(88.8, "min")), ("3.3 h", "89 min"))
        for one, other in pairwise(("L", "gal_us", "fl_oz_us")):
            self.assertNotEqual(kept_amount(1, one), kept_amount(1, other))
        for amount, measure in ((-1, "L"), (math.nan, "L"), (1, "stone")):
            with self.assertRaises(CannotCompute):
                kept_amount(amount, measure)
