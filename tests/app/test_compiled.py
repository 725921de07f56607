"""Statements that are compiled once say what Django's own say, whatever they are asked."""

from datetime import timedelta
from uuid import uuid4

from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from kessa.record.compiled import compiled, prefetched, read_once
from kessa.record.different import different
from kessa.record.people.models import Team
from kessa.record.places.models import Place
from kessa.record.places.selectors import place_at
from kessa.record.results.marks import flags_carried
from kessa.record.results.models import Mark, Result
from kessa.record.visits.services import changed
from tests.world import measured, team_of


@compiled
def since(team, moment, numbers, **of):
    return Result.objects.for_team(team).filter(taken_at__gte=moment, pk__any=numbers, **of).newest_first()


@compiled
def of_it(team, parameter):
    return Result.objects.for_team(team).current().filter(parameter=parameter).newest_first()


class CompiledTest(TestCase):
    def setUp(self):
        self.ines, self.place = team_of("Ines")
        self.ulf, self.other = team_of("Ulf")
        self.mine = [measured(self.place, self.ines, 8, 8, days_ago=days) for days in (0, 3)]
        self.theirs = measured(self.other, self.ulf, 8, 8)

    def test_other_values_give_other_rows_as_the_queryset_does(self):
        every = [each.pk for each in [*self.mine, self.theirs]]
        for team, days, numbers, of in (
            (self.ines.team_id, 9, every, {}),
            (self.ines.team_id, 1, every, {}),
            (self.ines.team_id, 9, every[1:], {}),
            (self.ines.team_id, 9, [], {}),
            (self.ulf.team_id, 9, every, {"place": self.other.pk}),
            (self.ulf.team_id, 9, every, {"place": self.place.pk}),
            (self.ines.team_id, 9, every, {"parameter": "chloride", "unit": "mg/L"}),
        ):
            moment = timezone.now() - timedelta(days=days)
            rows = Result.objects.for_team(team).filter(taken_at__gte=moment, pk__in=numbers, **of).newest_first()
            with self.subTest(team=team, days=days, numbers=numbers, of=of):
                self.assertEqual(since(team=team, moment=moment, numbers=numbers, **of), list(rows))
        self.assertEqual(place_at(team=self.ulf.team_id, pk=self.place.pk), [])

    def test_there_may_be_more_numbers_than_a_statement_takes_parameters(self):
        every = {*range(-70_000, 0), *(each.pk for each in self.mine)}
        moment = timezone.now() - timedelta(days=9)
        self.assertEqual(since(team=self.ines.team_id, moment=moment, numbers=list(every)), self.mine)
        mine = [each.pk for each in self.mine]
        self.assertEqual(flags_carried(self.ines.team_id, every), flags_carried(self.ines.team_id, mine))
        changed(self.ines.team_id, [*(uuid4() for _ in range(70_000)), self.mine[0].visit_id])

    def test_different_values_are_those_that_distinct_gives(self):
        columns = ("parameter", "unit", "form", "fraction", "method_class")
        for n, (parameter, unit, fraction) in enumerate([("pH", "pH", ""), ("iron", "mg/L", "dissolved")] * 2):
            copy = Result.across_teams.get(pk=self.mine[0].pk)
            copy.pk, copy.parameter, copy.unit, copy.fraction = None, parameter, unit, fraction
            copy.person_id = copy.person_id if n else None
            Result.across_teams.bulk_create([copy])
        here = Result.objects.for_team(self.ines.team).filter(place=self.place).order_by()
        self.assertEqual(
            sorted(different(Result, "place", self.place.pk, *columns)), sorted(here.values_list(*columns).distinct())
        )
        self.assertEqual(different(Result, "team", self.ines.team_id, "person"), [(self.ines.user_id,)])
        self.assertEqual(different(Result, "place", self.other.pk + 1, "parameter"), [])

    def test_nothing_is_asked_for_by_null(self):
        with self.assertRaisesMessage(TypeError, "nothing equals NULL"):
            place_at(team=self.ines.team_id, pk=None)

    def test_what_is_typed_stays_a_value(self):
        typed = "chloride' OR 'a' = 'a"
        found = since(team=self.ines.team_id, moment=self.mine[1].taken_at, numbers=[self.mine[0].pk], parameter=typed)
        self.assertEqual(found, [])

    def asked(self, *values, ahead=()):
        """Return what is read within one read_once, and by how many statements."""
        with read_once(), CaptureQueriesContext(connection) as asked:
            of_it.ahead(ahead)
            found = [[each.pk for each in of_it(team=self.ines.team_id, parameter=value)] for value in values]
        return found, len(asked)

    def test_what_is_asked_twice_is_read_once_until_it_is_written_to_or_locked(self):
        mine, now = [each.pk for each in self.mine], timezone.now()
        self.assertEqual(self.asked("chloride", "chloride", "pH"), ([mine, mine, []], 2))
        ahead = [{"team": self.ines.team_id, "parameter": each} for each in ("pH", "chloride", "pH")]
        self.assertEqual(self.asked("chloride", "pH", ahead=ahead), ([mine, []], 1))
        marks = Mark.objects.for_team(self.ines.team)
        held = Place.objects.for_team(self.ines.team).select_for_update()
        for anew, between in (
            (0, lambda: Team.objects.filter(pk=self.ines.team_id).update(name="Brook")),
            (1, lambda: Mark.objects.create(team=self.ines.team, result=self.mine[0], flag="set-aside", at=now)),
            (1, lambda: marks.update(lifted_at=now)),
            (1, lambda: list(held)),
            (0, lambda: different(Result, "team", self.ines.team_id, "parameter")),
        ):
            with read_once(), self.subTest(anew=anew):
                of_it(team=self.ines.team_id, parameter="chloride")
                between()
                with CaptureQueriesContext(connection) as asked:
                    after = of_it(team=self.ines.team_id, parameter="chloride")
                self.assertEqual(len(asked), anew)
                standing = marks.filter(lifted_at=None, flag="set-aside").values_list("result", flat=True)
                self.assertEqual([each.pk for each in after], [pk for pk in mine if pk not in standing])
        # A list that its reader changes is no other reader's.
        with read_once():
            of_it(team=self.ines.team_id, parameter="chloride").clear()
            self.assertEqual(of_it(team=self.ines.team_id, parameter="chloride"), self.mine)

    def test_rows_laid_beside_are_not_asked_for_again(self):
        Mark.objects.create(team=self.ines.team, result=self.mine[0], flag="one-run", at=timezone.now())
        found = list(Result.objects.for_team(self.ines.team).order_by("-taken_at"))
        prefetched(found, "marks", "result_id", list(Mark.objects.for_team(self.ines.team)))
        with CaptureQueriesContext(connection) as asked:
            self.assertEqual([each.flags for each in found], [["one-run"], []])
        self.assertEqual(len(asked), 0)
