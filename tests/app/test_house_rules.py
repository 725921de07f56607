"""House rules from the page to the result, and the units in which each person sees it."""

from types import SimpleNamespace

from django.urls import reverse
from django.utils.html import escape

from kessa.core.job.schools import complete, questions
from kessa.pages.bench.page import bench_payload, newest_of
from kessa.record.determinations.state import bench_of
from kessa.record.people.display import display_for
from kessa.record.places.models import Place
from kessa.record.places.services import keep_place
from kessa.record.rules.models import HouseRules
from tests.app.pages import PageTest
from tests.core.test_beforehand import on_the_page
from tests.world import begin, measured, member, read, team_of


class HouseRulesPage(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.person = self.membership.user
        self.client.force_login(self.person)

    def choose(self, **schools):
        return self.client.post("/rules/house/", complete(schools), follow=True)

    def test_every_question_is_asked_with_its_choices_and_the_reason_for_the_usual_one(self):
        page = self.client.get("/rules/")
        for question in questions().values():
            self.assertContains(page, question.ask)
            self.assertContains(page, escape(question.why))
            for choice in question.choices:
                self.assertContains(page, f'name="{question.key}" value="{choice.key}"')

    def test_an_answer_that_no_question_offers_is_refused_and_nothing_changes(self):
        self.choose(depth="hand")
        for change in ({"depth": "to the elbow"}, {"endpoint": ""}):
            response = self.client.post("/rules/house/", complete({}) | change)
            self.assertContains(response, "Choose one answer to every question.", status_code=422)
        self.assertEqual(HouseRules.objects.for_team(self.membership.team).get().chosen["depth"], "hand")
        self.client.force_login(member(self.membership.team, "Olek").user)
        self.assertContains(self.client.get("/rules/"), "A coordinator of your team can change this.")

    def test_a_result_and_its_page_follow_the_schools_of_the_day_it_began(self):
        plain = measured(self.place, self.membership, 8, 8)
        self.choose(endpoint="before", duplicates="first")
        before = measured(self.place, self.membership, 8, 7)
        self.assertEqual((plain.value, before.value, before.low, before.high), (32, 28, 20, plain.high))
        self.assertIn("House rule: the first run counts, 28 mg/L", before.working)
        self.assertTrue(any("− 1 (the unit before the end)" in line for line in before.working))
        page = self.client.get(f"/log/{before.pk}/")
        self.assertContains(page, "the one before it; ")
        self.assertContains(self.client.get(f"/log/{plain.pk}/"), "the first that changes the colour for good; ")

    def payload(self, begun):
        return bench_payload(begun, [], bench_of(begun, []), {"main": None}, newest_of(begun))

    def test_the_bench_speaks_by_the_schools_without_a_signal(self):
        values = {}
        for school in ("first", "before", "middle"):
            self.choose(endpoint=school)
            payload = self.payload(begin(self.place, self.membership))
            rung = payload["parts"][0]["ladder"]["rungs"][7]
            # However it is written, the truth lies below the same end.
            values[school] = [rung["value"], round(rung["high"], 1)]
        self.assertEqual(values, {"first": [32, 34.5], "before": [28, 34.5], "middle": [30, 34.5]})

    def test_the_bench_says_without_a_signal_what_the_result_will(self):
        well = Place(team=self.membership.team, name="Well", kind_key="well", limit_sets=["who-gdwq"], feeds=["people"])
        keep_place(self.membership, well)
        payload = self.payload(begin(well, self.membership, "nitrate-photometer", dilution=2))
        told = payload["parts"][0]["steps"]
        self.assertIn("next visit as planned", told["said"][told["by"]["0"]][0])
        # 50 mg/L as nitrate are 11.3 as nitrogen: about there, far above.
        for key, shown in (("2", 5.6), ("3", 7.5)):
            with self.subTest(shown):
                result = read(well, self.membership, "nitrate-photometer", shown, shown, dilution=2)
                page = self.client.get(reverse("results:result", args=[result.pk]))
                self.assertTrue(told["said"][told["by"][key]])
                for step in told["said"][told["by"][key]]:
                    self.assertContains(page, escape(step))

    def test_near_a_limit_the_value_alone_or_the_whole_interval_decides(self):
        self.place.limit_sets = ["ca-aquatic"]
        self.place.save()
        verdicts = {}
        for school in ("by-limit", "simple", "guarded"):
            self.choose(near_limit=school)
            result = measured(self.place, self.membership, 25, 26)
            verdicts[school] = {each["rule"] for each in result.judgements}
        self.assertEqual(verdicts["simple"], {"simple"})
        self.assertEqual(verdicts["guarded"], {"guarded"})
        begun = begin(self.place, self.membership, "chloride-drops-10")
        guarded = self.payload(begun)["parts"][0]
        self.choose(near_limit="simple")
        simple = self.payload(begin(self.place, self.membership, "chloride-drops-10"))["parts"][0]
        # 13 drops of 10 mg/L: between 120 and 130 where it turned at once.
        asked = [{"told": part, "runs": [[{"count": 13, "endpoint": True}]]} for part in (guarded, simple)]
        found = [test[0]["verdict"] for test in on_the_page({"tests": asked, "numbers": []})["tests"]]
        self.assertEqual(found, ["not settled", "outside"])


class Units(PageTest):
    def test_what_each_person_sees(self):
        person = SimpleNamespace(concentration_unit="ppm", temperature_unit="degF", hardness_unit="fH")
        for stored, wanted in (
            ((120.0, "mg/L", "Cl", "chloride"), (120, "ppm")),
            ((100.0, "mg/L", "CaCO3", "total hardness"), (10, "°fH")),
            ((100.0, "mg/L", "CaCO3", "calcium"), (100, "ppm")),
            ((20.0, "degC", "", ""), (68, "°F")),
            ((1430.0, "uS/cm", "", "conductivity"), (1430, "µS/cm")),
        ):
            value, unit, form, parameter = stored
            shown = display_for(unit, form, parameter, person)
            self.assertEqual((round(shown.number(value, unit, form), 3), shown.sign), wanted)

    def test_someone_without_a_choice_sees_what_was_stored(self):
        shown = display_for("mg/L", "CaCO3", "total alkalinity", SimpleNamespace())
        self.assertEqual((shown.number(80.0, "mg/L", "CaCO3"), shown.sign), (80.0, "mg/L"))


class LongLists(PageTest):
    def test_a_place_with_signs_in_its_name_is_written_safely_and_stays_chosen(self):
        membership, place = team_of("Ines")
        place.name = 'Under <b>the "bridge"</b>'
        place.save()
        measured(place, membership, 8, 8)
        self.client.force_login(membership.user)
        page = self.client.get(f"/log/?place={place.pk}")
        self.assertContains(
            page, f'<option value="{place.pk}" selected>Under &lt;b&gt;the &quot;bridge&quot;&lt;/b&gt;'
        )
        self.assertNotContains(page, "<b>the")
        self.assertEqual(len(page.context["page"].results), 1)

    def test_many_places_come_a_page_at_a_time_and_are_found_by_name(self):
        membership, place = team_of("Ines")
        type(place).objects.for_team(membership.team).bulk_create(
            [type(place)(team=membership.team, name=f"Weir {number:03}") for number in range(60)]
        )
        self.client.force_login(membership.user)
        first = self.client.get("/places/")
        self.assertEqual(len(first.context["places"]), 40)
        after = self.client.get("/places/", {"after": first.context["after"]})
        self.assertEqual(len(after.context["places"]), 21)
        self.assertEqual(
            {each.pk for each in first.context["places"]} & {each.pk for each in after.context["places"]}, set()
        )
        self.assertEqual(
            [each.name for each in self.client.get("/places/?name=weir+007").context["places"]], ["Weir 007"]
        )
        self.assertContains(self.client.get("/places/?name=%00nowhere"), "No place of this name.")
        self.assertContains(self.client.get("/bench/"), "Find another place")
        self.assertEqual(self.client.get(reverse("places:index"), {"after": "\0"}).status_code, 200)
