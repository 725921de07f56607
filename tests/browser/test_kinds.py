"""Each kind of test from its first step to the log, its clocks under a clock that is turned on by hand."""

from playwright.sync_api import expect

from kessa.record.results.models import Result
from kessa.record.rules.selectors import house_rules
from kessa.record.rules.services import choose_house_rules
from tests.browser.base import BenchTest
from tests.browser.chromium import DESK, PHONE
from tests.world import begin, read, stocked_kit


class Kinds(BenchTest):
    def test_hardness_that_is_none_is_written_as_less_than_one_drop(self):
        page = self.bench("total-hardness-drops-25")
        page.get_by_role("button", name="No deionised water").click()
        for begins in ("Begin the first run", "Begin run 2"):
            page.get_by_role("button", name=begins).click()
            self.steps(page, 5)
            page.get_by_role("button", name="It begins to turn").click()
            expect(page.get_by_text("Has it turned already? Then the end is at none.")).to_be_visible()
            page.get_by_role("button", name="Turned already: none").click()
            expect(page.get_by_text("It had turned before the first drop: less than one.")).to_be_visible()
            self.steps(page, 1)
        expect(page.get_by_role("heading", name="The runs agree")).to_be_visible()
        self.write(page)
        result = Result.objects.for_team(self.team).get()
        self.assertEqual((result.censor, result.value, result.low), ("<", 5.0, 0.0))
        expect(page.get_by_text("<5").first).to_be_visible()

    def test_tablets_wait_between_and_the_background_is_in_the_working(self):
        page = self.bench("chloride-tablets-50")
        for run in (1, 2):
            self.steps(page, 3)
            for _ in range(8):
                page.get_by_role("button", name="One tablet").click()
            if run == 1:
                expect(page.get_by_text("next in 0:")).to_be_visible()
                page.clock.fast_forward(21_000)
                expect(page.get_by_text("next in 0:")).to_be_hidden()
            page.get_by_role("button", name="One tablet").click()
            page.get_by_role("button", name="It stays: end").click()
            self.done(page)
            if run == 1:
                page.get_by_role("button", name="Begin run 2").click()
        self.write(page)
        expect(page.get_by_text("80 mg/L chloride as Cl")).to_be_visible()
        expect(page.get_by_text("(9 − 1 background) × 10 = 80 mg/L").first).to_be_visible()

    def test_a_colour_must_last_a_minute(self):
        page = self.bench("nitrite-tablets-10")
        self.steps(page, 3)
        page.get_by_role("button", name="One tablet").click()
        page.get_by_role("button", name="Does it stay? Wait 1 min").click()
        expect(page.get_by_role("complementary", name="Clocks that run")).to_contain_text("does the colour stay?")
        page.clock.fast_forward(61_000)
        expect(page.get_by_text("does the colour stay? Then call the end")).to_be_visible()

    def test_a_difference_is_two_counts_with_the_stretch_wanted(self):
        page = self.bench("inhibitor-difference", DESK)
        self.steps(page, 3)
        for name, drops in (("supply", 3), ("system", 13)):
            for _ in range(drops):
                page.get_by_role("button", name=f"One drop: {name}").click()
            if name == "supply":
                page.get_by_role("button", name="Take one back").click()
                page.get_by_role("button", name=f"One drop: {name}").click()
            page.get_by_role("button", name="It stays: end").click()
            if name == "supply":
                expect(page.get_by_text("wanted")).to_be_visible()
        self.done(page)
        self.write(page)
        expect(page.get_by_text("13 in the system − 3 in the supply = 10 drops").first).to_be_visible()
        expect(page.get_by_text("the inhibitor maker's window")).to_be_visible()
        self.assertEqual(Result.objects.for_team(self.team).get().verdict, "inside")

    def test_a_comparator_is_read_between_two_steps_in_its_time(self):
        page = self.bench("phosphate-comparator")
        self.done(page)
        page.get_by_role("button", name="Clear", exact=True).click()
        self.steps(page, 2)
        page.get_by_role("button", name="Start the clock").click()
        shelf = page.get_by_role("complementary", name="Clocks that run")
        expect(shelf).to_contain_text("yellow develops")
        # A clock survives a reload, and rings on whichever page is open.
        page.reload()
        expect(page.get_by_text("Go on before the time")).to_be_visible()
        page.get_by_role("link", name="Log", exact=True).click()
        expect(shelf).to_contain_text("yellow develops · Below the depot")
        page.clock.fast_forward(301_000)
        expect(shelf).to_contain_text("now")
        expect(page).to_have_title("● Now: yellow develops")
        shelf.get_by_role("link").click()
        self.done(page)
        expect(page.get_by_text("read now")).to_be_visible()
        self.keep(page)
        expect(page.get_by_text("Choose what it looks like first.")).to_be_visible()
        page.get_by_role("radio", name="between 20 and 30").check()
        self.assert_accessible(page)
        self.keep(page)
        self.done(page)
        page.get_by_role("button", name="Begin run 2").click()
        self.prepare(page)
        page.get_by_role("radio", name="30, straw").check()
        self.keep(page)
        self.done(page)
        self.write(page)
        self.assertEqual(Result.objects.for_team(self.team).get().value, 27.5)
        expect(page.get_by_text("As P: × 0.33 by the kit's own factor = 9.075 mg/L as P.")).to_be_visible()
        read = page.get_by_role("list", name="What was read")
        expect(read.get_by_text("Is the sample cloudy? Clear")).to_be_visible()

    def test_a_judged_part_of_the_way_by_house_rule(self):
        choose_house_rules(self.ines, house_rules(self.team), {"between_colours": "judged"})
        page = self.bench("ph-tablet")
        self.prepare(page)
        page.get_by_role("radio", name="between 7.2 and 7.4").check()
        page.get_by_label("How far from the first to the second").fill("75")
        self.keep(page)
        self.done(page)
        self.write(page, "Write it with one run only")
        self.assertAlmostEqual(Result.objects.for_team(self.team).get().value, 7.35)

    def test_five_pads_each_in_its_time(self):
        page = self.bench("strip-five-pads", DESK)
        self.done(page)
        page.get_by_role("button", name="Start the clock").click()
        page.get_by_role("button", name="Go on before the time").click()
        pads = page.get_by_role("group")
        # Too early, and said so; the pad can be looked at again.
        pads.filter(has_text="Alkalinity").get_by_role("radio", name="80, light green").check()
        expect(page.get_by_text("read, too early")).to_be_visible()
        page.clock.fast_forward(16_000)
        pads.filter(has_text="pH").first.get_by_role("radio", name="7.8, orange-red").check()
        page.clock.fast_forward(17_000)
        pads.filter(has_text="Total hardness").get_by_role("radio", name="between 50 and 120").check()
        pads.filter(has_text="Nitrite").get_by_role("radio", name="between 0 and 0.5").check()
        page.clock.fast_forward(120_000)
        expect(page.get_by_text("past its time")).to_be_visible()
        pads.filter(has_text="Nitrate").get_by_role("radio", name="20, pale pink").check()
        self.done(page)
        self.write(page)
        rows = Result.objects.for_team(self.team).exclude(determination=None)
        results = {result.parameter: result for result in rows}
        self.assertEqual(len(results), 5)
        self.assertEqual((results["total hardness"].value, round(results["nitrite"].value, 3)), (85, 0.076))
        self.assertEqual((round(results["pH"].low, 2), round(results["pH"].high, 2)), (7.12, 8.52))
        self.assertEqual((results["alkalinity"].flags, results["nitrate"].flags), (["read-early"], ["read-late"]))

    def test_a_mark_is_kept_first_and_written_when_its_lots_table_is(self):
        kit = stocked_kit(self.ines, families=["chloride-strip"], chloride_strip=9)
        lot = kit.lots.get(supply_key="chloride-strip")
        begun = begin(self.below, self.olek)
        page = self.open(PHONE)
        page.clock.install()
        page.goto(f"{self.address}/bench/sample/{begun.sample_id}/?family=chloride-strip")
        page.get_by_role("button", name="Begin").click()
        self.assert_saved(page)
        expect(page.get_by_text("another lot's table would be a guess")).to_be_visible()
        self.prepare(page)
        page.get_by_role("slider").fill("2.4")
        expect(page.get_by_label("Tip of the peak", exact=True)).to_have_value("2.4")
        self.keep(page)
        self.done(page)
        expect(page.get_by_role("heading", name="The mark is kept")).to_be_visible()
        page.get_by_role("button", name="Write it in the log").click()
        expect(page.get_by_role("heading", name="Waits for its lot's table")).to_be_visible()
        self.assertFalse(Result.objects.for_team(self.team).exists())
        page.get_by_role("link", name=f"Write the table of {lot}").click()
        page.get_by_label("Mark and value").fill("1.0, 30\n2.0, 55\n3.0, 90")
        page.get_by_role("button", name="Save the table").click()
        # It is written: another volunteer's word does not change it.
        expect(page.get_by_label("Mark and value")).to_be_hidden()
        result = Result.objects.for_team(self.team).get()
        self.assertEqual((result.value, result.low, result.high), (69, 55, 90))

    def test_over_range_is_carried_through_a_dilution_to_a_judged_result(self):
        page = self.bench("nitrate-photometer")
        self.answer_and_prepare(page)
        page.get_by_role("button", name="It says over the range").click()
        self.done(page)
        self.write(page)
        page.get_by_label("About how much may there be").fill("32")
        expect(page.get_by_text("10 mL of sample, 40 mL of deionised water: 1 in 5")).to_be_visible()
        page.get_by_role("button", name="Go on with the diluted sample").click()
        expect(page.get_by_text("diluted 1 in 5")).to_be_visible()
        for run, shown in ((1, "6.2"), (2, "6.4")):
            if run == 2:
                page.get_by_role("button", name="Begin run 2").click()
                self.prepare(page)
            else:
                self.answer_and_prepare(page)
            page.get_by_label("On the display").fill(shown)
            self.keep(page)
            self.done(page)
        self.write(page)
        expect(page.get_by_text("Sample diluted 1 in 5: × 5 = 31 mg/L as N").first).to_be_visible()
        expect(page.get_by_text("Written as NO3: × 4.43 by the kit's own factor").first).to_be_visible()
        result = Result.objects.for_team(self.team).latest("pk")
        self.assertAlmostEqual(result.value, 31.5 * 4.43)
        self.assertEqual((result.form, result.verdict), ("NO3", "outside"))

    def answer_and_prepare(self, page):
        self.done(page)
        # Warm enough, as it was told before, it is not asked for again.
        if page.get_by_role("textbox", name="°C", exact=True).is_visible():
            page.get_by_role("textbox", name="°C", exact=True).fill("18")
            page.get_by_role("button", name="Write it down").click()
        page.get_by_role("textbox", name="pH", exact=True).fill("11")
        page.get_by_role("button", name="Write it down").click()
        page.get_by_role("button", name="Clear", exact=True).click()
        self.prepare(page)

    def test_a_photometer_by_transmittance_in_a_longer_cell(self):
        page = self.bench("nitrate-photometer", DESK)
        self.answer_and_prepare(page)
        page.get_by_role("radio", name="Transmittance").check()
        page.get_by_role("textbox", name="Transmittance").fill("50")
        page.get_by_label("Length of the cell").select_option("25 mm")
        self.keep(page)
        self.done(page)
        self.write(page, "Write it with one run only")
        result = Result.objects.for_team(self.team).get()
        by_hand = (0.30103 * 10 / 25 - 0.004) / 0.085 * 4.43
        self.assertAlmostEqual(result.value, by_hand, 2)
        self.assertIn("ph-outside", result.flags)

    def test_a_meter_says_what_its_display_means_and_asks_for_the_unit(self):
        for days, shown in enumerate((190, 200, 210, 205, 220, 215, 230, 225, 240), 1):
            read(self.below, self.olek, "conductivity-meter", shown, days_ago=days)
        page = self.bench("conductivity-meter")
        self.prepare(page)
        display = page.get_by_label("On the display", exact=True)
        display.fill("620")
        page.get_by_label("Unit on the display").select_option("mS/cm")
        off = "620 mS/cm is 620000 µS/cm. Not on the scale: it runs from 0 to 200000 µS/cm."
        expect(page.get_by_text(off)).to_be_visible()
        self.keep(page)
        expect(display).to_be_focused()
        display.fill("1,43")
        expect(page.get_by_text("1.43 mS/cm is 1430 µS/cm. This place is usually")).to_contain_text(
            "Check the unit on the display."
        )
        self.keep(page)
        self.done(page)
        self.write(page)
        self.assertEqual(Result.objects.for_team(self.team).latest("pk").value, 1430)

    def test_a_disc_a_tube_and_a_pattern_by_eye(self):
        page = self.bench("secchi-depth")
        self.prepare(page)
        page.get_by_label("Lost at").fill("230")
        page.get_by_label("Seen again at").fill("120")
        self.keep(page)
        page.get_by_role("button", name="Take the last reading back").click()
        page.get_by_label("Lost at").fill("130")
        self.keep(page)
        self.done(page)
        self.write(page)
        for method, choice in (("clarity-tube", "between 40 and 50"), ("clarity-pattern", "blurred")):
            begun = begin(self.below, self.olek, method)
            page.goto(f"{self.address}/bench/{begun.pk}/")
            self.assert_saved(page)
            self.prepare(page)
            page.get_by_role("radio", name=choice).check()
            self.keep(page)
            self.done(page)
            self.write(page)
        results = list(Result.objects.for_team(self.team).order_by("pk").values_list("value", "low", "high", "unit"))
        # Between two marks the one that claims less clarity counts: the lower of a tube, the cloudier in JTU.
        results = [(value, round(low), round(high), unit) for value, low, high, unit in results]
        self.assertEqual(results, [(125, 120, 130, "cm"), (40, 31, 54, "cm"), (60, 0, 100, "JTU")])

    def test_oxygen_by_syringe_with_a_refill_and_arrow_keys(self):
        page = self.bench("oxygen-titration", DESK)
        self.prepare(page)
        slider = page.get_by_role("slider")
        slider.focus()
        for _ in range(6):
            slider.press("ArrowRight")
        expect(page.get_by_label("Ring of the plunger", exact=True)).to_have_value("0.12")
        page.get_by_label("Full syringes used before").fill("1")
        self.keep(page)
        self.done(page)
        self.write(page, "Write it with one run only")
        expect(page.get_by_text("(1 × 1 + 0.12) × 10 = 11.2 mg/L as O2").first).to_be_visible()

    def test_oxygen_by_burette_from_start_to_end(self):
        page = self.bench("oxygen-burette", DESK)
        self.prepare(page)
        page.get_by_label("Burette at the start", exact=True).fill("1.3")
        page.get_by_label("Burette at the end", exact=True).fill("0.4")
        self.keep(page)
        expect(page.get_by_text("The end lies above the start").first).to_be_visible()
        page.get_by_label("Burette at the end", exact=True).fill("10.5")
        self.keep(page)
        self.done(page)
        self.write(page, "Write it with one run only")
        expect(page.get_by_text("10.5 − 1.3 = 9.2 mL used").first).to_be_visible()
        self.assertAlmostEqual(Result.objects.for_team(self.team).get().value, 9.2)

    def test_a_staged_test_stopped_after_stage_two(self):
        page = self.bench("chlorine-dioxide-stages", DESK)
        expect(page.get_by_text("All of it needs 250 mL of sample.")).to_be_visible()
        self.prepare(page)
        stage = page.get_by_role("group", name="Chlorine dioxide")
        stage.get_by_label("On the display").fill("0.5")
        stage.get_by_label("Water's temperature").fill("11")
        stage.get_by_label("Number of the fresh sensor").fill("S-7")
        self.keep(page)
        # 4 min, and 3 min for each mg/L.
        page.get_by_role("button", name="Start the clock: 5:30").click()
        page.clock.fast_forward(331_000)
        self.done(page)
        self.prepare(page)
        page.get_by_role("group", name="Free chlorine").get_by_label("On the display").fill("0.1")
        self.keep(page)
        page.get_by_role("button", name="Stop here with what was read").click()
        self.done(page)
        self.write(page)
        results = {result.parameter: result for result in Result.objects.for_team(self.team)}
        self.assertEqual(set(results), {"chlorine dioxide", "free chlorine"})
        self.assertIn("part-missing", results["free chlorine"].flags)
        self.assertIn("sensor S-7, water at 11 °C", " ".join(results["chlorine dioxide"].working))

    def test_a_reading_taken_without_a_signal_is_kept_and_judged_when_there_is_one(self):
        page = self.bench("clarity-pattern")
        self.prepare(page)
        page.context.set_offline(True)
        page.get_by_role("radio", name="seen").check()
        self.keep(page)
        self.done(page)
        expect(page.get_by_text("taps waiting")).to_be_visible()
        page.get_by_role("button", name="Write it in the log").click()
        expect(page.get_by_role("heading", name="Being written in the log")).to_be_visible()
        page.context.set_offline(False)
        page.clock.fast_forward(31_000)
        expect(page.get_by_role("heading", name="The working")).to_be_visible()
        self.assertEqual(Result.objects.for_team(self.team).get().censor, "<")

    def test_a_method_made_in_the_editor_is_used(self):
        page = self.open(DESK, "Ines", to="/methods/")
        page.get_by_role("link", name="Write one of your own").click()
        page.get_by_role("button", name="Drops or tablets counted").click()
        for label, words in (
            ("What the method is called", "Zinc by dye, 10 mL"),
            ("What people call the test", "Zinc, drops"),
            ("How it works", "A dye lets go of zinc."),
            ("What to wear", "Goggles."),
            ("What becomes of the waste", "Collect it."),
            ("What it finds out", "zinc"),
            ("One drop or tablet is worth", "0.5"),
        ):
            page.get_by_label(label).fill(words)
        page.get_by_role("button", name="On to the steps").click()
        page.get_by_label("What to do").nth(0).fill("Fill to 10 mL")
        page.get_by_label("Wait, seconds").nth(0).fill("30")
        page.get_by_role("button", name="On to the check").click()
        page.get_by_label("Units counted to the end").fill("7")
        page.get_by_role("button", name="Work it out").click()
        expect(page.get_by_text("7 × 0.5 = 3.5 mg/L")).to_be_visible()
        page.get_by_role("button", name="Publish it for your team").click()
        expect(page.get_by_text("your team can use it from now on")).to_be_visible()
        self.begin(page, method="Begin: Zinc by dye, 10 mL", test="Zinc, drops")
        page.get_by_role("button", name="Start the clock: 30 s").click()
        page.get_by_role("button", name="Go on before the time").click()
        self.drops(page, 7)
        page.get_by_role("button", name="It stays: end").click()
        self.done(page)
        self.write(page, "Write it with one run only")
        expect(page.get_by_text("3.5 mg/L zinc")).to_be_visible()

    def test_steps_fold_into_one_line_each(self):
        page = self.bench("oxygen-titration")
        page.get_by_role("button", name="One line a step").click()
        page.get_by_role("button", name="All this is ready: go on").click()
        expect(page.get_by_text("let the floc settle below the shoulder", exact=False).first).to_be_visible()
        page.reload()
        expect(page.get_by_role("button", name="One line a step")).to_have_attribute("aria-pressed", "true")

    def test_one_line_a_step_is_offered_after_a_few_and_kept_for_that_test_alone(self):
        page = self.bench("oxygen-titration")
        expect(page.get_by_text("You have run this a few times")).to_be_hidden()
        person = page.evaluate("document.querySelector('meta[name=kessa-person]').content")
        page.evaluate(f"localStorage.setItem('kessa-tests-{person}-oxygen-titration', 3)")
        page.reload()
        page.get_by_role("button", name="One line a step from now on").click()
        expect(page.get_by_text("You have run this a few times")).to_be_hidden()
        expect(page.get_by_role("button", name="One line a step")).to_have_attribute("aria-pressed", "true")
        page.goto(f"{self.address}/bench/{begin(self.below, self.olek, 'ph-strip').pk}/")
        expect(page.get_by_role("button", name="One line a step")).to_have_attribute("aria-pressed", "false")

    def test_eyes_that_cannot_tell_it_are_told_so_and_the_number_says_so(self):
        page = self.bench("total-alkalinity-drops-25")
        expect(page.get_by_text("look alike to you")).to_have_count(0)
        bench = page.url
        page.goto(f"{self.address}/team/")
        page.get_by_label("Colours that look alike to me").select_option("red and green")
        page.get_by_role("button", name="Save how you see").click()
        page.goto(bench)
        self.assert_saved(page)
        for run, go_on in enumerate(("No deionised water", "Begin the first run", "Begin run 2")):
            page.get_by_role("button", name=go_on).click()
            if run:
                self.steps(page, 4)
                self.drops(page, 6)
                page.get_by_label("Green and rose look alike to you").set_checked(run == 2)
                page.get_by_role("button", name="It stays: end").click()
                self.done(page)
        self.write(page)
        expect(page.get_by_text("The end may lie as early as 4, so the truth may be lower")).to_be_visible()
        alone, together = Result.objects.for_team(self.team).get().runs.values()
        self.assertEqual((alone["first_change"], together["first_change"]), (4, None))

        strip = begin(self.below, self.olek, "hardness-strip")
        page.goto(f"{self.address}/bench/{strip.pk}/")
        self.assert_saved(page)
        self.prepare(page)
        page.get_by_role("radio", name="120, mauve").check(force=True)
        self.keep(page)
        self.done(page)
        self.write(page)
        expect(page.get_by_text("of the card could not be told from it").first).to_be_visible()
