"""The practice bench: nothing of it reaches the record; lessons, verdicts, and who may do which test alone."""

from datetime import timedelta
from unittest.mock import patch

from django.test import TestCase
from django.utils import timezone

from kessa.core.methods import house_methods
from kessa.core.practice.lessons import lessons
from kessa.core.practice.seen import end_of, turned
from kessa.record.determinations.models import Determination, LotUse
from kessa.record.people.models import Act
from kessa.record.practice.models import Practised
from kessa.record.practice.selectors import proofs
from kessa.record.practice.services import begin, sign_off
from kessa.record.results.models import Result
from kessa.record.taps.models import Tap
from kessa.record.taps.services import record
from tests.world import Taps, drawn, member, stocked_kit, team_of


class Practice(TestCase):
    def setUp(self):
        self.ines, self.place = team_of("Ines")
        self.team = self.ines.team
        self.sanna = member(self.team, "Sanna")
        self.client.force_login(self.sanna.user)
        # Always the same water.
        seed = patch("kessa.record.practice.services.secrets.randbelow", return_value=5)
        seed.start()
        self.addCleanup(seed.stop)

    def begun(self, lesson, looked="nothing", first="first"):
        self.client.post("/practice/begin/", {"lesson": lesson})
        go = Practised.objects.for_team(self.team).first()
        if go.family and looked is not None:
            self.client.post(f"/practice/{go.pk}/", {"looked": looked, "first": first})
            # Anew, as what was said may change how the bench leads it.
            go = Practised.objects.for_team(self.team).first()
        return go

    def end(self, go, role, number=1):
        return end_of(turned(go.method, go.method.main, go.world, f"{role}-{number}"))

    def count(self, go, shift=0, runs=2, blank=True):
        taps = Taps()
        if blank:
            taps.run("blank-1", self.end(go, "blank"))
        for number in range(1, runs + 1):
            taps.run(f"sample-{number}", self.end(go, "sample", number) + shift)
        stored = record(self.sanna, "practice", go.pk, taps.close().made)
        go.refresh_from_db()
        return stored

    def told(self, go):
        return {point["key"]: point for point in go.points if not point["right"]}

    def test_a_test_on_made_up_water_is_scored_and_never_reaches_the_record(self):
        stocked_kit(self.ines)
        go = self.begun("blank")
        # What was seen before stands: it is not said anew once the bench is open.
        self.assertRedirects(self.client.post(f"/practice/{go.pk}/", {"looked": "iron"}), f"/practice/{go.pk}/bench/")
        self.assertContains(self.client.get(f"/practice/{go.pk}/bench/"), "Practice.")
        stored = self.count(go)
        self.assertEqual((stored.refused, stored.stream.page), ([], f"/practice/{go.pk}/told/"))
        self.assertEqual(self.told(go), {})
        self.assertFalse(go.passed, "it waits for its verdict")
        page = self.client.get(f"/practice/{go.pk}/told/")
        self.assertContains(page, "at most 250 mg/L as Cl")
        self.assertNotContains(page, "The water, as it was made")
        self.client.post(f"/practice/{go.pk}/told/", {"judged": "outside"})
        go.refresh_from_db()
        self.assertEqual(set(self.told(go)), {"judgement"})
        self.assertContains(
            self.client.get(f"/practice/{go.pk}/told/"), "You said outside: by this limit it is inside."
        )
        again = self.begun("blank")
        self.count(again)
        self.client.post(f"/practice/{again.pk}/told/", {"judged": "inside"})
        self.assertContains(self.client.get("/practice/"), "passed")
        self.assertContains(self.client.get(f"/practice/{again.pk}/told/"), "your interval holds it")
        for model in (Determination, LotUse, Result):
            self.assertFalse(model.objects.for_team(self.team).exists(), model)
        # A tap after the end is kept, and changes nothing.
        late = Taps(seq=300)
        late.add("sample-1", "drop_added")
        self.assertEqual(len(record(self.sanna, "practice", again.pk, late.made).late), 1)

    def test_slips_are_told_with_what_they_did_to_the_number(self):
        over = self.begun("blank", looked="cloudy")
        self.count(over, shift=3, runs=1, blank=False)
        slips = self.told(over)
        self.assertEqual(set(slips), {"looked", "blank", "end", "duplicate"})
        self.assertEqual(slips["end"]["effect"], "12 mg/L too much.")
        self.assertIn("run it twice", slips["duplicate"]["effect"])
        expired = self.begun("kit", looked="expired")
        self.count(expired, blank=False)
        self.assertTrue(expired.passed)
        self.assertContains(self.client.get(f"/practice/{expired.pk}/told/"), "does not hold it")

    def test_a_coordinator_sees_how_a_go_went_tap_by_tap_and_changes_nothing(self):
        go = self.begun("blank")
        self.client.force_login(self.ines.user)
        self.assertRedirects(self.client.get(f"/practice/{go.pk}/told/"), "/practice/people/")
        self.count(go)
        self.assertContains(self.client.get("/practice/people/"), f"/practice/{go.pk}/told/")
        page = self.client.post(f"/practice/{go.pk}/told/", {"judged": "inside"})
        self.assertContains(page, "Tap by tap")
        self.assertContains(page, "it stays: end", count=3)
        self.assertNotContains(page, "Once more")
        given = self.client.post(f"/practice/{go.pk}/remark/", {"remark": "Slower near the end"}, follow=True)
        self.assertContains(given, "Sanna reads it")
        self.assertContains(
            self.client.post(f"/practice/{go.pk}/remark/", {"remark": "x" * 501}, follow=True), "At most"
        )
        go.refresh_from_db()
        self.assertNotIn("judged", go.said)
        self.client.force_login(self.sanna.user)
        self.assertEqual(self.client.post(f"/practice/{go.pk}/remark/", {"remark": "Well done"}).status_code, 403)
        self.assertContains(self.client.get("/practice/"), "a word from")
        judged = self.client.post(f"/practice/{go.pk}/told/", {"judged": "inside"}, follow=True)
        self.assertContains(judged, "Slower near the end")
        self.client.force_login(self.ines.user)
        self.assertEqual(self.client.get(f"/practice/{go.pk}/bench/").status_code, 403)

    def test_no_end_is_an_answer_where_the_range_has_none(self):
        go = self.begun("over")
        most = go.method.main.stop_at
        taps = Taps().run("blank-1", self.end(go, "blank")).run("sample-1", most, endpoint=False).close()
        record(self.sanna, "practice", go.pk, taps.made)
        go.refresh_from_db()
        self.assertTrue(go.passed, go.points)

    def test_a_reading_is_taken_in_its_time_or_told_of(self):
        go = self.begun("colours")
        step = go.method.step_reading("main")
        wait = max(n for n in range(step) if go.method.steps[n].wait)
        taps = Taps()
        for number in (1, 2):
            taps.add(f"sample-{number}", "timer_started", step=wait, seconds=go.method.steps[wait].wait.seconds)
            near = min(go.method.main.numbers.steps, key=lambda each: abs(each - go.world.strengths["main"]))
            taps.add(f"sample-{number}", "reading_taken", part="main", reading={"at": near})
        record(self.sanna, "practice", go.pk, taps.close().made)
        go.refresh_from_db()
        self.assertEqual(self.told(go)["clocks"]["words"], "Read too early.")

    def test_reagents_go_in_in_the_order_that_was_said_and_are_told_of(self):
        right = self.begun("colours")
        wrong = self.begun("colours", first="then")
        texts = [[step.text[:4] for step in go.method.steps] for go in (right, wrong)]
        self.assertEqual((texts[0][2], texts[0][4]), (texts[1][4], texts[1][2]))
        self.assertEqual((right.world.left, wrong.world.left), (1, 0.05))
        self.assertNotContains(self.client.get(f"/practice/{self.begun('count', looked=None).pk}/"), "goes in first")
        unsaid = self.begun("colours", looked=None)
        self.assertContains(self.client.get(f"/practice/{unsaid.pk}/"), "Which of the two goes in first?")
        answer = self.client.post(f"/practice/{unsaid.pk}/", {"looked": "nothing"})
        self.assertContains(answer, "Answer everything", status_code=422)
        taps, palest = Taps(), {"at": wrong.method.main.numbers.card[0]}
        for number in (1, 2):
            taps.add(f"sample-{number}", "reading_taken", part="main", reading=palest)
        record(self.sanna, "practice", wrong.pk, taps.close().made)
        wrong.refresh_from_db()
        self.assertIn("finds next to none", self.told(wrong)["order"]["effect"])
        self.assertContains(self.client.get(f"/practice/{wrong.pk}/told/"), "does not hold it")

    def test_lessons_without_a_test_say_what_was_right_and_why(self):
        order = self.begun("rinse")
        steps = lessons()["rinse"].order
        data = {f"step{n}": n + 1 for n in range(len(steps))}
        swapped = data | {"step0": 2, "step1": 1}
        self.assertEqual(self.client.post(f"/practice/{order.pk}/", {"step0": 1}).status_code, 422)
        self.assertContains(self.client.post(f"/practice/{order.pk}/", swapped, follow=True), f"At 1 comes: {steps[0]}")
        right = self.client.post(f"/practice/{self.begun('rinse').pk}/", data, follow=True)
        self.assertContains(right, "All of it right")
        people = self.client.get("/practice/people/")
        self.assertContains(people, f"1 of {len(lessons())}", count=1)
        self.assertContains(people, f"0 of {len(lessons())}", count=1)
        questions = self.begun("judge")
        answers = {
            f"question{n}": next(i for i, choice in enumerate(each.choices) if choice.right)
            for n, each in enumerate(lessons()["judge"].questions)
        }
        wrong = answers | {"question0": 0}
        told = self.client.post(f"/practice/{questions.pk}/", wrong, follow=True)
        self.assertContains(told, "Not “Inside”: Not settled")
        self.assertContains(told, "The truth may well be 52.")

    def test_what_one_practises_is_ones_own(self):
        go = self.begun("count")
        other = member(self.team, "Olek")
        refused = record(other, "practice", go.pk, Taps().run("sample-1", 3).made[:1]).refused
        self.assertIn("their own", refused[0][1])
        self.client.force_login(other.user)
        for address in ("", "bench/", "outcome/", "told/"):
            self.assertEqual(self.client.get(f"/practice/{go.pk}/{address}").status_code, 403, address)
        self.client.force_login(self.sanna.user)
        for given in ({"lesson": "no such"}, {"method": "no such"}, {}):
            self.assertEqual(self.client.post("/practice/begin/", given).status_code, 404)
        self.client.post("/practice/begin/", {"method": "chloride-strip"})
        tabled = Practised.objects.for_team(self.team).first()
        self.assertTrue(28 < tabled.world.strengths["main"] < 486)
        self.assertRedirects(self.client.get(f"/practice/{self.begun('count', looked=None).pk}/bench/"), self.last())
        order = self.begun("rinse")
        self.assertEqual(self.client.get(f"/practice/{order.pk}/outcome/").status_code, 404)

    def last(self):
        return f"/practice/{Practised.objects.for_team(self.team).first().pk}/"

    def test_what_the_runs_come_to_is_said_before_it_is_written_down(self):
        go = self.begun("blank")
        taps = Taps().run("blank-1", self.end(go, "blank"))
        for number in (1, 2):
            taps.run(f"sample-{number}", self.end(go, "sample", number))
        record(self.sanna, "practice", go.pk, taps.made)
        for address in ("outcome/", "bench/"):
            self.assertContains(self.client.get(f"/practice/{go.pk}/{address}"), 'class="result"')

    def test_every_house_method_can_be_practised(self):
        for method in house_methods().values():
            with self.subTest(method=method.key):
                go = begin(self.sanna, method)
                go.said = {"looked": ""}
                go.save()
                self.assertEqual(self.client.get(f"/practice/{go.pk}/bench/").status_code, 200)


class Proven(TestCase):
    def setUp(self):
        self.ines, self.place = team_of("Ines")
        self.team = self.ines.team
        self.sanna = member(self.team, "Sanna")
        self.family = "chloride-drops"

    def rule(self, times, days=""):
        self.client.force_login(self.ines.user)
        data = {"practised_times": times, "practised_again_days": days}
        answer = self.client.post("/practice/people/rules/", data)
        self.team.refresh_from_db()
        return answer

    def passed(self, days_ago=0):
        go = begin(self.sanna, house_methods()["chloride-drops-25"])
        Practised.objects.for_team(self.team).filter(pk=go.pk).update(
            passed=True, closed_at=timezone.now() - timedelta(days=days_ago)
        )

    def proof(self):
        return proofs(self.team).get((self.sanna.user_id, self.family))

    def bench(self):
        self.client.force_login(self.sanna.user)
        sample = drawn(self.place, self.sanna)
        return self.client.get(f"/bench/sample/{sample.pk}/?family={self.family}")

    def test_the_teams_rule_says_who_does_a_test_alone_and_when_it_is_proven_again(self):
        self.passed(days_ago=80)
        self.assertIsNone(self.proof().alone)
        self.assertNotContains(self.bench(), "Not alone yet")
        self.rule(2, 60)
        self.assertFalse(self.proof().alone)
        self.assertContains(self.bench(), "with somebody who has proven")
        self.passed(days_ago=70)
        self.assertTrue(self.proof().ran_out)
        self.assertContains(self.bench(), "time to prove it again")
        self.passed()
        self.assertTrue(self.proof().alone)
        self.assertNotContains(self.bench(), "Not alone yet")
        self.assertContains(self.client.get("/practice/people/"), "well 3 times")
        self.assertEqual(self.rule(9).status_code, 422)
        self.assertEqual(self.rule(1, 0).status_code, 422)

    def test_a_coordinator_vouches_and_nobody_else(self):
        self.rule(3)
        data = {"person": self.sanna.user_id, "family": self.family, "words": "At the brook, twice"}
        self.client.force_login(self.sanna.user)
        self.assertEqual(self.client.post("/practice/people/vouch/", data).status_code, 403)
        self.assertEqual(self.client.post("/practice/people/rules/", {"practised_times": 0}).status_code, 403)
        self.client.force_login(self.ines.user)
        self.assertEqual(self.client.post("/practice/people/vouch/", data | {"family": "?"}).status_code, 422)
        self.assertRedirects(self.client.post("/practice/people/vouch/", data), "/practice/people/")
        self.assertTrue(self.proof().alone)
        self.assertTrue(Act.objects.for_team(self.team).filter(what="vouched for").exists())
        stranger, _ = team_of("Maud")
        with self.assertRaisesMessage(Exception, "Only members"):
            sign_off(self.ines, stranger.user, self.family)
        self.assertFalse(Tap.objects.for_team(self.team).exists())
