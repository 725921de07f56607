"""The demo world, and that nothing in it was written by hand."""

from unittest.mock import Mock, patch

from django.core.management import CommandError, call_command
from django.db import connection
from django.db.migrations.recorder import MigrationRecorder

from kessa.core import datafile
from kessa.core.datafile import BadDataFile
from kessa.core.readings import KINDS as KINDS_OF_READING
from kessa.demo import world
from kessa.record.determinations.models import Determination
from kessa.record.determinations.state import bench_of
from kessa.record.instruments.models import Instrument
from kessa.record.kits.models import Lot
from kessa.record.people.acts import act
from kessa.record.people.may import Case, Rule
from kessa.record.people.models import Membership, Team
from kessa.record.places.models import Place
from kessa.record.quality.models import QualityCheck
from kessa.record.reports.kind import KINDS as KINDS_OF_REPORT
from kessa.record.results.models import Result
from kessa.record.rounds.selectors import calls, plan_of
from kessa.record.taps.selectors import counted
from kessa.record.testing.judgement import judge_outcome
from kessa.record.visits.models import Observation, Visit
from kessa.web.checks import data_files
from kessa.web.checks import kinds as checked_kinds
from tests.app.pages import PageTest
from tests.speed.world import RARE, RARE_METHOD, fill

KINDS = {"stream": 4, "boiler": 1, "cooling-tower": 1, "closed-loop": 1, "heating-loop": 1, "supply": 1, "well": 5}


OPEN_PLACES = (
    ("per", {"Dairy, steam boiler", "Dairy, cooling tower", "Dairy, borehole supply"}),
    ("maud", {"Well, Hagg End", "Dairy, borehole supply"}),
    ("ines", {"Ashlin Brook, mill pond dam"}),
)


def spilt(test, results):
    """Chloride left its limits at the depot's foot only, and there it did."""
    spill = results.filter(verdict="outside", parameter="chloride")
    test.assertTrue(all(result.place.name.endswith("below the depot") for result in spill))
    test.assertTrue(any(150 <= result.value <= 230 for result in spill))
    above = results.filter(place__name__endswith="above the depot", parameter="chloride")
    test.assertFalse(above.exclude(verdict="inside").exists())


class TarrowVale(PageTest):
    @classmethod
    def setUpTestData(cls):
        world.build()
        cls.team = Team.objects.get(name="Tarrow Vale")
        cls.results = Result.objects.for_team(cls.team).select_related("determination__sample__visit__place")

    def test_every_result_follows_from_its_taps(self):
        self.assertGreater(len(self.results), 250)
        for result in self.results.exclude(determination=None):
            determination = result.determination
            bench = bench_of(determination, counted(self.team, determination.pk))
            self.assertEqual(bench.outcomes[result.part].quantity, result.quantity)
            again = judge_outcome(determination, determination.method.part(result.part), bench)
            flags = [flag for flag in result.flags if flag not in ("quality-bad", "lot-unproven", "contradicts")]
            self.assertEqual((again.assessed.verdict, again.flags), (result.verdict, flags))

    def test_there_may_be_as_many_results_as_are_wanted_to_measure_with(self):
        more = self.results.count() + 400
        with patch("kessa.demo.world.build"):
            fill(more)
        self.assertEqual(self.results.count(), more)
        self.client.force_login(Membership.objects.get(team=self.team, user__username="ines").user)
        for rare in ({"method": RARE_METHOD}, {"kind": "boiler"}, {"parameter": RARE}):
            self.assertEqual(self.client.get("/log/", rare).status_code, 200)

    def test_two_years_at_three_places_with_what_happened(self):
        first, last = self.results.earliest("taken_at"), self.results.latest("taken_at")
        self.assertGreater((last.taken_at - first.taken_at).days, 700)
        kinds = list(Place.objects.for_team(self.team).values_list("kind_key", flat=True))
        self.assertEqual({kind: kinds.count(kind) for kind in kinds}, KINDS)
        spilt(self, self.results)
        self.assertTrue(self.results.marked("not-agreed").exists())
        over = Determination.objects.for_team(self.team).exclude(continues=None)
        self.assertTrue(all(each.continues.results.get().censor == ">" for each in over))

    def test_every_kind_of_test_was_run_and_what_went_wrong_shows(self):
        kinds = {
            result.determination.method.part(result.part).kind for result in self.results.exclude(determination=None)
        }
        # A kind that is new need not have been run there yet.
        self.assertEqual(kinds & set(KINDS_OF_READING), kinds)
        self.assertGreaterEqual(len(kinds), 9)
        nitrate = self.results.filter(parameter="nitrate", place__name="Well, The Old Forge", verdict="outside")
        diluted = nitrate.marked("diluted")
        self.assertTrue(diluted.exists())
        # The limit at wells is written as nitrate, the photometer's display as nitrogen.
        self.assertEqual({result.form for result in diluted}, {"NO3"})
        checks = {(check.family, check.good) for check in QualityCheck.objects.for_team(self.team)}
        self.assertEqual({family for family, good in checks if not good}, {"iron-photometer"})
        self.assertIn(("nitrate-photometer", True), checks)
        marked = self.results.marked("quality-bad")
        self.assertEqual({result.parameter for result in marked}, {"iron"})
        short = self.results.filter(place__name="Village hall, heating loop", parameter="inhibitor")
        self.assertEqual({result.verdict for result in short}, {"outside"})
        staged = self.results.filter(parameter="chlorite").values("determination")
        self.assertEqual(
            self.results.filter(determination__in=staged, parameter="chlorine dioxide").count(), len(staged)
        )

    def test_it_is_built_once(self):
        before = Result.objects.for_team(self.team).count()
        call_command("load_demo", stdout=open("/dev/null", "w"))  # noqa: SIM115, PTH123
        self.assertEqual(Result.objects.for_team(self.team).count(), before)

    def test_its_people_sign_in_and_its_pages_open(self):
        self.client.post("/account/in/", {"login": "maud", "password": world.DATA["password"]})
        for address in (
            "/today/",
            "/bench/",
            "/log/",
            "/places/",
            "/kits/",
            "/today/pack/",
            "/methods/",
            "/today/rounds/",
            "/rules/",
            "/team/",
        ):
            self.assertContains(self.client.get(address), "Maud")
        for place in Place.objects.for_team(self.team):
            known = place.results.filter(parameter="chloride").count()
            words = "Usual here:" if known >= 8 else "after 8 results"
            page = self.client.get(f"/places/{place.pk}/?test=chloride-mgl-cl")
            self.assertContains(page, words)
            # What has no unit, such as cycles of concentration, leaves no gap where others write theirs.
            self.assertNotRegex(page.content.decode(), r",\s+,")
        of_each = self.results.order_by("family", "part", "censor", "verdict", "-pk")
        for result in of_each.distinct("family", "part", "censor", "verdict"):
            self.assertContains(self.client.get(f"/log/{result.pk}/"), "The working")

    def test_lots_stand_in_every_state_with_what_the_world_says_is_left(self):
        lots = {lot.number: lot for lot in Lot.objects.for_team(self.team)}
        for each in world.DATA["lots"]:
            self.assertAlmostEqual(lots[each["number"]].units_left, each["units"], msg=each["number"])
        states = {fault for lot in lots.values() for fault in lot.faults}
        self.assertEqual(states, {"lot-expired", "lot-opened-too-long", "lot-damp"})
        self.assertTrue(any(lot.opened_on is None for lot in lots.values()))
        self.assertEqual(len(lots["CS-12"].table), 15)
        for lot in lots.values():
            booked = sum(use.units for use in lot.uses.all())
            self.assertAlmostEqual(sum(change.units for change in lot.changes.all()) - booked, lot.units_left)

    def test_the_probe_drifts_until_it_fails_and_what_it_read_since_is_flagged(self):
        probe = Instrument.objects.for_team(self.team).get(name="Conductivity meter, streams")
        checks = list(probe.checks.order_by("at"))
        self.assertTrue(checks[0].passed)
        self.assertFalse(checks[-1].passed)
        read = Observation.objects.for_team(self.team).filter(instrument=probe).order_by("at")
        self.assertTrue(read.filter(at__gt=checks[-1].at).exists())
        for each in read:
            last = max((check for check in checks if check.at <= each.at), key=lambda check: check.at)
            self.assertEqual("check-failed" in each.flags, not last.passed)

    def test_every_visit_was_led_noted_and_closed(self):
        visits = Visit.objects.for_team(self.team)
        self.assertFalse(visits.filter(leader=None).exists() or visits.filter(closed_at=None).exists())
        self.assertFalse(visits.filter(observations=None).exists())
        self.assertFalse(visits.filter(samples=None).exists())
        self.assertEqual(visits.values("place").distinct().count(), 14)

    def test_each_person_finds_the_places_left_open_on_today(self):
        plan = plan_of(self.team)
        for name, open_places in OPEN_PLACES:
            found = calls(self.team, self.team.members.get(username=name), plan)
            self.assertEqual({call.place.name for call in found.mine}, open_places, name)


class BeforeTheFirstPage(PageTest):
    def test_a_world_of_an_older_kessa_is_told(self):
        call_command("check_world")
        MigrationRecorder(connection).record_applied("bench", "0099_gone")
        with self.assertRaisesMessage(CommandError, "bin/demo --fresh"):
            call_command("check_world")

    def test_a_broken_data_file_is_told_with_its_name(self):
        self.assertEqual(data_files(), [])
        with patch.object(datafile, "_READERS", [Mock(side_effect=BadDataFile("supplies.toml: unit: is needed."))]):
            self.assertEqual([str(each.msg) for each in data_files()], ["supplies.toml: unit: is needed."])

    def test_a_data_file_that_nothing_reads_is_told(self):
        with patch.object(datafile, "_READ", {path for path in datafile._READ if path.name != "mixing.toml"}):
            self.assertEqual([str(each.msg) for each in data_files()], ["core/treating/mixing.toml: nothing reads it."])

    def test_a_kind_without_a_template_is_told(self):
        with patch.dict(KINDS_OF_READING, {"turbidity stick": KINDS_OF_READING["direct"]}):
            (told,) = checked_kinds()
        self.assertIn("bench/read/turbidity stick.html", told.msg)

    def test_a_report_without_a_page_is_told(self):
        with patch.dict(KINDS_OF_REPORT, {"week": KINDS_OF_REPORT["month"]._replace(key="week")}):
            (told,) = checked_kinds()
        self.assertIn("reports/week.html", told.msg)

    def test_a_rule_that_cannot_be_asked_with_what_its_act_is_about_is_told(self):
        never = Rule(volunteer=Case("lots of their own", lambda by, lot: False), technician=True)
        with self.assertRaisesMessage(TypeError, "lots of their own"):
            act("table written", never)(lambda by, lot, text: None)
