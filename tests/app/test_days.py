"""What hangs on the day and the hour, under days and hours on which such things break."""

from datetime import datetime
from unittest.mock import patch
from zoneinfo import ZoneInfo

import time_machine
from django.db import transaction

from kessa.demo import world
from kessa.record.people.models import Team
from kessa.record.results.models import Result
from kessa.record.rounds.selectors import calls, plan_of
from tests.app.pages import PageTest
from tests.app.test_demo import OPEN_PLACES, spilt
from tests.world import drawn, measured, planned, stocked_kit, team_of, visited

LONDON = ZoneInfo("Europe/London")
DAYS = [
    datetime(2024, 2, 29, 9, 0, tzinfo=LONDON),
    datetime(2025, 3, 30, 0, 59, tzinfo=LONDON),
    datetime(2025, 3, 30, 2, 1, tzinfo=LONDON),
    datetime(2025, 10, 26, 1, 30, tzinfo=LONDON, fold=0),
    datetime(2025, 10, 26, 1, 30, tzinfo=LONDON, fold=1),
    datetime(2025, 12, 31, 23, 59, tzinfo=LONDON),
    datetime(2026, 1, 1, 0, 1, tzinfo=LONDON),
    datetime(2026, 1, 15, 12, 0, tzinfo=LONDON),
    datetime(2026, 7, 15, 12, 0, tzinfo=LONDON),
    datetime(2026, 5, 1, 6, 0, tzinfo=LONDON),
    datetime(2027, 9, 30, 23, 58, tzinfo=LONDON),
    datetime(2028, 2, 29, 0, 3, tzinfo=LONDON),
]


class _Undone(Exception):
    """So that nothing of a day is left for the next."""


class OnOtherDays(PageTest):
    def on_each(self, days, living):
        for day in days:
            undone = self.assertRaises(_Undone)
            with self.subTest(day.isoformat()), undone, time_machine.travel(day), transaction.atomic():
                living()
                raise _Undone


class OtherDays(OnOtherDays):
    def test_a_visit_a_test_and_its_page(self):
        def living():
            membership, place = team_of("Ines")
            self.client.force_login(membership.user)
            planned(membership, place)
            kit = stocked_kit(membership)
            self.assertContains(self.client.get("/today/"), "Start the visit")
            visited(place, membership)
            sample = drawn(place, membership)
            result = measured(place, membership, 8, 8)
            self.assertEqual(sample.visit_id, result.determination.sample.visit_id)
            self.assertNotIn("sample-too-old", result.flags)
            for address in ("/today/", "/log/", f"/log/{result.pk}/", f"/places/{place.pk}/", f"/kits/{kit.pk}/"):
                self.assertEqual(self.client.get(address).status_code, 200)
            self.assertEqual(len(self.client.get("/log/?from_day=2020-01-01").context["page"].results), 1)

        self.on_each(DAYS, living)


class DemoOnOtherDays(OnOtherDays):
    def build(self, days, *kinds):
        """Build the world, with visits to those places only whose kind or name says so; besides chloride nothing."""
        places = [
            {name: [] if name == "tests" else value for name, value in place.items()
             if name != "summer" or not kinds or any(kind in place["name"] for kind in kinds)}
            for place in world.DATA["places"]
        ]  # fmt: skip
        with patch.dict(world.DATA, places=places):
            world.build(days)
        return Team.objects.get(name="Tarrow Vale")

    def living(self):
        team = self.build(31)
        plan = plan_of(team)
        for name, places in OPEN_PLACES:
            found = calls(team, team.members.get(username=name), plan)
            self.assertEqual({call.place.name for call in found.mine}, places, name)

    def test_the_demo_world_has_its_shape(self):
        self.on_each((DAYS[2], DAYS[5]), self.living)

    def test_in_summer_the_winter_before_has_its_spill(self):
        summer = [datetime(2026, 7, 15, 12, 0, tzinfo=LONDON)]
        self.on_each(summer, lambda: spilt(self, Result.objects.for_team(self.build(243, "depot"))))
