"""Control charts of a team's checks: one that breaks a rule marks results; lots, people and the spread compared."""

from datetime import timedelta

from django.test import TestCase
from django.utils import timezone

from kessa.record.kits.models import Lot
from kessa.record.kits.services import add_lot
from kessa.record.quality.models import OwnSpread, QualityCheck
from kessa.record.results.models import Result
from kessa.record.testing.services import begin_test
from tests.world import Taps, begin, member, read, send, stocked_kit, team_of

FAMILY = "nitrate-photometer"


class Charts(TestCase):
    def setUp(self):
        self.ines, self.place = team_of("Ines")
        self.team = self.ines.team
        self.kit = stocked_kit(self.ines)
        self.client.force_login(self.ines.user)

    def standard(self, found, days_ago, by=None):
        by = by or self.ines
        at = timezone.now() - timedelta(days=days_ago)
        data = {"method": FAMILY, "purpose": "standard", "kit": self.kit.pk, "against": {"expected": 2.0}}
        test = begin_test(by, data, at=at)
        send(by, test, Taps(days_ago=days_ago).read(found, found).close())
        return QualityCheck.objects.for_team(self.team).get(determination=test)

    def standards(self, *found, first=60):
        return [self.standard(each, first - n) for n, each in enumerate(found)]

    def result(self, days_ago):
        return read(self.place, self.ines, FAMILY, 2.0, 2.02, days_ago=days_ago, kit=self.kit.pk)

    def flags(self, result):
        return Result.objects.for_team(self.team).get(pk=result.pk).flags

    def charts(self, **asked):
        return self.client.get("/log/charts/", {"family": FAMILY, **asked})

    def test_a_chart_that_breaks_a_rule_says_which_and_marks_results(self):
        self.standards(2.0, 2.02, 1.98, 2.0, 2.04, 1.96, 2.0, 2.02, 1.98)
        self.assertEqual(QualityCheck.objects.for_team(self.team).exclude(breaks=[]).count(), 0)
        result = self.result(days_ago=5)
        # A recovery of 109 % is good by itself, and out of control by this team's own past.
        broken = self.standard(2.18, days_ago=2)
        self.assertTrue(broken.good)
        self.assertEqual(broken.breaks[0], "beyond")
        self.assertIn("chart-broken", self.flags(result))
        self.assertIn("chart-broken", self.flags(self.result(days_ago=1)))
        page = self.charts()
        self.assertContains(page, "outside the limits")
        self.assertContains(page, "Control chart of 10 values")
        self.client.post(f"/log/of/{broken.determination_id}/check/withdraw/", {"why": "wrong flask"})
        self.assertNotIn("chart-broken", self.flags(result))
        self.assertNotContains(self.charts(), "outside the limits")

    def test_narrowed_by_lot_instrument_and_person_and_empty_where_there_is_none(self):
        olek = member(self.team, "Olek")
        self.standards(*[2.0] * 4)
        self.standard(2.2, 3, by=olek)
        self.assertContains(self.charts(), "A chart wants eight of them: there are 5.")
        self.assertContains(self.charts(person="Olek"), "there is 1.")
        self.assertContains(self.charts(kind="blank"), "None yet.")
        for asked in ({"family": "no such"}, {"kind": "no such"}, {"lot": "x'\"<>"}):
            self.assertEqual(self.charts(**asked).status_code, 200)
        self.assertContains(self.charts(kind="duplicate"), "None yet.")
        for days in range(9):
            self.result(days_ago=days)
        self.assertContains(self.charts(kind="duplicate"), "Control chart of 9 values")

    def test_lots_and_people_are_compared(self):
        for lot, counts in (("L-si", (9, 9, 9, 10)), ("L-new", (7, 7, 8, 7))):
            if lot == "L-new":
                silver = Lot(team=self.team, kit=self.kit, supply_key="silver-nitrate", number=lot)
                Lot.objects.for_team(self.team).filter(kit=self.kit, supply_key="silver-nitrate").update(in_use=False)
                add_lot(self.ines, silver, 20)
            for count in counts:
                data = {"method": "chloride-drops-25", "purpose": "standard", "kit": self.kit.pk}
                test = begin_test(self.ines, data | {"against": {"expected": 36.0}})
                send(self.ines, test, Taps().run("sample-1", count).run("sample-2", count).close())
        self.assertContains(self.client.get("/log/charts/?family=chloride-drops"), "and that is no chance")
        olek = member(self.team, "Olek")
        for day in range(4):
            test = begin(self.place, self.ines, FAMILY, days_ago=day)
            send(self.ines, test, Taps(days_ago=day).read(2.0, 2.0).close())
            self.client.force_login(olek.user)
            again = f"/bench/sample/{test.sample_id}/?family={FAMILY}"
            page = self.client.get(f"/log/{Result.objects.for_team(self.team).get(determination=test).pk}/")
            (self.assertNotContains if day > 1 else self.assertContains)(page, again)
            other = begin_test(olek, {"sample": str(test.sample_id), "method": FAMILY})
            send(olek, other, Taps().read(2.2 + day / 50, 2.2 + day / 50).close())
        self.client.force_login(self.ines.user)
        page = self.charts()
        self.assertContains(page, "Olek")
        self.assertContains(page, "they read differently")
        self.assertContains(page, "on 4 samples")

    def test_the_interval_follows_the_teams_own_spread_where_a_coordinator_goes_by_it(self):
        before = self.result(days_ago=70)
        self.assertContains(self.charts(), "eight standards are wanted")
        self.client.post("/log/charts/spread/", {"family": FAMILY, "act": "go"})
        self.assertFalse(OwnSpread.objects.for_team(self.team).exists())
        self.standards(1.9, 2.2, 1.8, 2.1, 1.85, 2.2, 1.8, 2.15, 1.9, 2.2)
        self.client.force_login(member(self.team, "Olek").user)
        self.assertEqual(self.client.post("/log/charts/spread/", {"family": FAMILY, "act": "go"}).status_code, 403)
        self.client.force_login(self.ines.user)
        self.client.post("/log/charts/spread/", {"family": FAMILY, "act": "go"})
        spread = OwnSpread.objects.for_team(self.team).get()
        self.assertGreater(spread.percent, 15)
        after = self.result(days_ago=0)
        # And by what its zero is good to, 0.15 mg/L as N.
        zero = 0.15 * 4.427
        self.assertAlmostEqual(after.high - after.value, after.value * spread.percent / 100 + zero, delta=0.1)
        self.assertGreater(after.high - after.low, 1.5 * (before.high - before.low))
        self.assertContains(self.charts(), "your own, ±")
        self.client.post("/log/charts/spread/", {"family": FAMILY, "act": "leave"})
        self.assertAlmostEqual(self.result(days_ago=0).high, before.high)
        self.assertEqual(self.client.post("/log/charts/spread/", {"family": "?"}).status_code, 404)
