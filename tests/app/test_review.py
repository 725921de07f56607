"""Reviews: a second person, never one's own, anew when numbers change; what counts and goes out meanwhile."""

from unittest.mock import patch

from django.core.exceptions import ValidationError
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from kessa.record.notifications.models import Notice
from kessa.record.people.acts import NotAllowed
from kessa.record.people.models import Act, Role
from kessa.record.places.models import Pair, Place
from kessa.record.results.models import Result
from kessa.record.review import services
from kessa.record.review.selectors import current_rows, hands_on, next_to_review, questions_to, seen_of, side_by_side
from kessa.record.rules.selectors import house_rules
from kessa.record.rules.services import choose_house_rules
from kessa.record.testing.corrections import correct_reading
from kessa.record.testing.exclusions import exclude
from kessa.record.visits.models import Visit
from tests.world import SETS, begin, led, measured, member, note, team_of, visited


class ReviewCase(TestCase):
    def setUp(self):
        self.ines, self.place = team_of("Ines")
        self.team = self.ines.team
        self.olek = member(self.team, "Olek")
        self.per = member(self.team, "Per", Role.TECHNICIAN)
        self.maud = member(self.team, "Maud", Role.TECHNICIAN)

    def visit_of(self, result):
        return Visit.objects.for_team(self.team).select_related("team").get(pk=result.visit_id)

    def accept(self, by, visit):
        visit.refresh_from_db()
        return services.accept(by, visit, seen=seen_of(visit))

    def state(self, visit):
        visit.refresh_from_db()
        return visit.review


class Reviewing(ReviewCase):
    def test_nobody_reviews_what_they_had_a_hand_in(self):
        result = measured(self.place, self.per, 7, 7)
        visit = self.visit_of(result)
        self.assertEqual(hands_on(visit), {self.per.user_id})
        for by in (self.per, self.olek):
            with self.assertRaises(NotAllowed):
                self.accept(by, visit)
        self.assertTrue(Act.objects.for_team(self.team).filter(refused=True, what="visit reviewed").exists())
        self.accept(self.maud, visit)
        self.assertEqual(self.state(visit), "reviewed")
        with self.assertRaisesMessage(ValidationError, "reviewed already"):
            self.accept(self.ines, visit)

    def test_whoever_tested_or_only_noted_had_a_hand_in_it(self):
        visit = visited(self.place, self.olek)
        note(self.maud, visit, ("air_temperature", 8.0))
        begin(self.place, self.ines)
        self.assertEqual(hands_on(visit), {self.olek.user_id, self.maud.user_id, self.ines.user_id})
        with self.assertRaisesMessage(ValidationError, "still open"):
            self.accept(self.per, visit)

    def test_two_others_where_the_team_wants_two_and_release_with_the_last(self):
        self.team.reviewers_needed, self.team.released_by = 2, "review"
        services.keep_rules(self.ines, self.team)
        visit = self.visit_of(measured(self.place, self.olek, 7, 7))
        self.per.refresh_from_db()
        self.ines.refresh_from_db()
        self.accept(self.per, visit)
        self.assertEqual(self.state(visit), "new")
        with self.assertRaisesMessage(ValidationError, "waits for somebody else"):
            self.accept(self.per, visit)
        self.accept(self.ines, visit)
        self.assertEqual(self.state(visit), "released")

    def test_technicians_do_not_where_only_coordinators_may(self):
        self.team.reviewers = "coordinator"
        services.keep_rules(self.ines, self.team)
        self.per.refresh_from_db()
        with self.assertRaises(NotAllowed):
            self.accept(self.per, self.visit_of(measured(self.place, self.olek, 7, 7)))

    def test_what_changed_is_reviewed_anew(self):
        result = measured(self.place, self.olek, 7, 7)
        visit = self.visit_of(result)
        before = seen_of(visit)
        correct_reading(self.olek, result.determination, 1, {"count": 8, "endpoint": True}, why="miscounted")
        with self.assertRaisesMessage(ValidationError, "look at it once more"):
            services.accept(self.per, visit, seen=before)
        self.accept(self.per, visit)
        services.release(self.ines, visit)
        self.assertEqual(self.state(visit), "released")
        now = Result.objects.for_team(self.team).current().get(visit=visit)
        exclude(self.per, now, why="the wrong bottle")
        self.assertEqual(self.state(visit), "new")
        with self.assertRaisesMessage(ValidationError, "what is reviewed can be released"):
            services.release(self.ines, visit)

    def test_an_observation_put_right_on_a_closed_visit_is_looked_at_anew(self):
        visit = visited(self.place, self.olek)
        note(self.olek, visit, ("air_temperature", 8.0))
        led(self.olek, visit, "visit_closed", remark="")
        self.accept(self.per, visit)
        self.client.force_login(self.olek.user)
        data = {"value": "9", "why": "read off by one"}
        self.client.post(f"/visits/{visit.pk}/circumstances/air_temperature/right/", data)
        self.assertEqual(self.state(visit), "new")

    def test_a_question_lands_on_todays_page_and_its_answer_with_the_visit(self):
        self.olek.user.email = "olek@tarrow-vale.example"
        self.olek.user.save()
        visit = self.visit_of(measured(self.place, self.olek, 7, 7))
        question = services.ask(self.per, visit, self.olek.user, words="Was it the blue bottle?")
        self.assertEqual(self.state(visit), "asked")
        self.assertEqual(Notice.objects.for_team(self.team).get().person, self.olek.user)
        with self.assertRaisesMessage(ValidationError, "A question is open"):
            self.accept(self.per, visit)
        self.client.force_login(self.olek.user)
        self.assertContains(self.client.get("/today/"), "Was it the blue bottle?")
        self.assertEqual(questions_to(team=self.team.pk, person=self.per.user_id), [])
        self.client.post(f"/review/questions/{question.pk}/", {"words": "The green one."})
        self.assertEqual(self.state(visit), "new")
        self.assertNotContains(self.client.get("/today/"), "Was it the blue bottle?")
        self.client.force_login(self.per.user)
        self.assertContains(self.client.get(f"/review/{visit.pk}/"), "The green one.")
        with self.assertRaisesMessage(ValidationError, "answered or withdrawn already"):
            services.withdraw(self.per, question)
        services.withdraw(self.per, services.ask(self.per, visit, self.olek.user, words="And cold?"))
        self.accept(self.per, visit)

    def test_only_who_was_asked_answers_among_volunteers(self):
        sanna = member(self.team, "Sanna")
        visit = self.visit_of(measured(self.place, self.olek, 7, 7))
        question = services.ask(self.per, visit, self.olek.user, words="Cold?")
        with self.assertRaises(NotAllowed):
            services.answer(sanna, question, words="Yes.")

    def test_beside_its_past_and_the_other_end_of_the_pair(self):
        measured(self.place, self.olek, 7, 7, days_ago=3)
        below = Place.objects.create(team=self.team, name="Below", limit_sets=SETS)
        Pair.objects.create(team=self.team, kind="stream", first=self.place, second=below)
        there = measured(self.place, self.olek, 9, 9)
        result = measured(below, self.olek, 14, 14)
        visit = self.visit_of(result)
        rows = current_rows(self.team.pk, [visit.pk])[visit.pk]
        (beside,) = side_by_side(visit, rows)
        self.assertEqual([(place, row.pk) for place, row in beside.pairs], [(self.place, there.pk)])
        mine = self.visit_of(there)
        (own,) = side_by_side(mine, current_rows(self.team.pk, [mine.pk])[mine.pk])
        self.assertEqual(own.before.value, 28.0)

    def test_many_at_once_and_the_pages(self):
        results = [
            measured(self.place, by, 7, 7, days_ago=day) for day, by in enumerate((self.olek, self.olek, self.per))
        ]
        visits = [self.visit_of(result) for result in results]
        self.client.force_login(self.per.user)
        page = self.client.get("/review/")
        self.assertEqual(page.context["lines"][2]["own"], True)
        chosen = [f"{visit.pk} {seen_of(visit)}" for visit in visits] + ["nonsense", "", "0" * 300]
        answer = self.client.post("/review/accept/", {"visit": chosen}, follow=True)
        self.assertContains(answer, "2 visits accepted.")
        self.assertContains(answer, "you had a hand in it")
        self.assertEqual([self.state(visit) for visit in visits], ["reviewed", "reviewed", "new"])
        self.assertEqual(next_to_review(self.ines, visits[0]), visits[2])
        self.client.force_login(self.ines.user)
        day = timezone.localdate().isoformat()
        self.assertContains(self.client.post("/review/release/", {"until": day}, follow=True), "2 visits released.")
        for address in (
            "/review/?state=released",
            "/review/?state=reviewed",
            "/review/?before=never",
            "/review/rules/",
        ):
            self.assertEqual(self.client.get(address).status_code, 200)
        self.assertEqual(self.client.get("/review/?state=lost").status_code, 404)

    def test_pages_miss_no_visit_of_the_same_moment(self):
        for value in (5, 6, 7):
            measured(self.place, self.olek, value, value)
        Visit.objects.for_team(self.team).update(started_at=timezone.now())
        self.client.force_login(self.maud.user)
        seen, before = [], ""
        with patch("kessa.pages.review.views.PAGE", 1):
            while before is not None:
                data = self.client.get(f"/review/?before={before}").context
                seen += [line["visit"].pk for line in data["lines"]]
                before = data["before"]
        self.assertCountEqual(seen, Visit.objects.for_team(self.team).values_list("pk", flat=True))

    def test_what_waits_asks_as_much_for_two_as_for_twenty(self):
        self.client.force_login(self.ines.user)
        measured(self.place, self.olek, 7, 7, days_ago=40)
        few = [self.queries(address) for address in ("/review/", "/today/")]
        for day in range(6):
            measured(self.place, self.olek, 7, 7, days_ago=day)
        self.assertEqual([self.queries(address) for address in ("/review/", "/today/")], few)

    def queries(self, address):
        Visit.objects.for_team(self.team).update(leader=self.olek.user, closed_at=timezone.now())
        with CaptureQueriesContext(connection) as queries:
            self.assertEqual(self.client.get(address).status_code, 200)
        return len(queries)


class Counting(ReviewCase):
    def test_what_is_not_reviewed_waits_where_the_team_says_so(self):
        for day in range(10, 1, -1):
            measured(self.place, self.olek, 7, 7, days_ago=day)
        self.client.force_login(self.ines.user)
        trend = f"/places/{self.place.pk}/trend/"
        self.assertContains(self.client.get(trend), "Of 9 results 0 are reviewed.")
        choose_house_rules(self.ines, house_rules(self.team), {"before_review": "waits"})
        self.assertIsNone(measured(self.place, self.olek, 7, 7).usual)
        Visit.objects.for_team(self.team).filter(
            results__taken_at__lt=timezone.now() - timezone.timedelta(days=1)
        ).update(review="reviewed")
        self.assertIsNotNone(measured(self.place, self.olek, 7, 7).usual)
        self.assertContains(
            self.client.get(trend), "It rests on the 9 that are reviewed; 2 more wait for their review."
        )
