"""Whose hand it was, and that nothing is lost: batches in order, hand-overs, numbers, what waits and what is mended."""

import uuid
from datetime import timedelta

from django.contrib.auth.hashers import make_password
from django.core.cache import cache
from django.test import TestCase
from django.urls import reverse
from django.utils import timezone

from kessa.record.determinations.models import Determination
from kessa.record.exports.resources import resources
from kessa.record.people.models import Act, Role
from kessa.record.people.pins import WRONG_TRIES
from kessa.record.review.selectors import hands_on
from kessa.record.taps.hands import whose
from kessa.record.taps.models import Tap
from kessa.record.taps.services import NoSuchStream, add_tap, record, tapped
from kessa.record.testing.services import begin_test
from kessa.record.visits.models import Sample, Visit
from tests.world import begin, drawn, measured, member, safety, sealed, seen, send, standing, team_of, visited

PIN = "404127"


class Hands(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.ines, cls.place = team_of("Ines")
        cls.team = cls.ines.team
        cls.olek, cls.sanna = member(cls.team, "Olek"), member(cls.team, "Sanna")
        cls.per = member(cls.team, "Per", Role.TECHNICIAN)
        cls.sanna.user.pin = make_password(PIN)
        cls.sanna.user.save()

    def setUp(self):
        cache.clear()
        self.number, self.seq, self.now = uuid.uuid4(), 0, timezone.now() - timedelta(hours=2)

    def tap(self, kind, data=None, run="", of=None, to=None):
        """A tap on Olek's phone, each a minute after the one before; `to` is who has the visit there."""
        self.seq += 1
        at = self.now + timedelta(minutes=self.seq)
        made = tapped(kind, data or {}, run=run, at=at, seq=self.seq, device="olek") | {"whose": whose(of or self.olek)}
        return made | ({"lent": {"visit": str(self.number), "to": to.user_id}} if to else {})

    def begun(self):
        return self.tap("visit_begun", {"place": self.place.pk, "safety": safety()})

    def handed(self, to):
        return self.tap("handed_over", {"taker": to.user_id, "remark": ""})

    def took_over(self, by, pin=PIN):
        return self.tap("took_over", {"taker": by.user_id, "pin": sealed(pin, f"{self.number} {by.user_id}")})

    def was_me(self, tap):
        """What Sanna says of a tap, signed in."""
        data = {"taker": self.sanna.user_id, "phone_of": self.olek.user_id, "since": tap["at"]}
        return self.tap("took_over", data, of=self.sanna) | {"at": tap["at"], "seq": 1}

    def send(self, *taps, by=None, of="visit", number=None):
        return record(by or self.olek, of, number or self.number, list(taps))

    def visit(self):
        return Visit.objects.for_team(self.team).get(pk=self.number)

    def test_a_visit_handed_over_on_one_phone_is_closed_by_who_took_it_whenever_it_is_sent(self):
        def made():
            self.number, self.seq = uuid.uuid4(), 0
            return [
                self.begun(),
                self.tap("observed", {"value": 1}, run="flow"),
                self.handed(self.sanna),
                self.took_over(self.sanna),
                self.tap("observed", {"value": 2}, run="flow", to=self.sanna),
                self.tap("visit_closed", {"remark": "rain came"}, to=self.sanna),
                self.tap("observed", {"value": 0}, run="flow", to=self.sanna),
            ]

        for name, batches in (
            ("together", lambda taps: [taps]),
            ("one by one", lambda taps: [[each] for each in taps]),
            ("out of order", lambda taps: [taps[::-1]]),
        ):
            with self.subTest(name):
                stored = [self.send(*batch) for batch in batches(made())]
                self.assertEqual({len(each.refused) + len(each.waits) for each in stored}, {0})
                visit = self.visit()
                self.assertEqual((visit.closed_by, visit.closing_remark), (self.sanna.user, "rain came"))
                self.assertEqual(len(stored[-1].late), 1)
                [flow] = visit.observations.all()
                self.assertEqual((flow.value, flow.person, flow.sent_by), (2, self.sanna.user, self.olek.user))
                self.assertEqual(hands_on(visit), {self.olek.user_id, self.sanna.user_id})
                kept = Tap.objects.for_team(self.team).get(stream=self.number, kind="took_over")
                self.assertEqual(kept.data, {"taker": self.sanna.user_id, "phone_of": self.olek.user_id})

    def test_no_name_is_lent_without_its_pin_and_what_was_tapped_in_it_waits_for_the_person(self):
        begun, handed, wrong = self.begun(), self.handed(self.sanna), self.took_over(self.sanna, "111111")
        lent = self.tap("observed", {"value": 2}, run="flow", to=self.sanna)
        stored = self.send(begun, handed, wrong, lent)
        self.assertEqual([pk for pk, _ in stored.refused + stored.waits], [wrong["id"], lent["id"]])
        # Nobody else may say that it was she, nor may she be made to say it: she says so, signed in herself.
        for author, sender in ((self.olek, self.ines), (self.ines, self.ines), (self.sanna, self.olek)):
            data = self.was_me(lent) | {"whose": whose(author)}
            self.assertEqual(len(self.send(data, lent, by=sender).refused), 1)
        # What is typed on one phone lends nothing on another.
        typed = self.took_over(self.sanna)
        typed["data"]["phone_of"] = self.per.user_id
        self.assertEqual(len(self.send(typed).refused), 1)
        # A wrong PIN is none either when she is signed in.
        self.assertEqual(len(self.send(self.took_over(self.sanna, "111111"), lent, by=self.sanna).refused), 1)
        self.assertEqual(len(self.send(lent, by=self.sanna).waits), 1)
        data = self.was_me(lent)
        self.assertEqual(self.send(data, by=self.sanna).kept, [data["id"]])
        self.assertEqual(len(self.send(lent, by=self.per).waits), 1)
        self.assertEqual(self.send(lent, by=self.sanna).kept, [lent["id"]])
        self.assertEqual(self.visit().observations.get().person, self.sanna.user)

    def test_a_lent_name_holds_for_its_visit_on_its_phone_until_it_closes_or_a_day_is_over(self):
        self.send(self.begun(), self.handed(self.sanna), self.took_over(self.sanna))
        # Handed on elsewhere and back meanwhile, by whatever clock: here the phone is still in her hands.
        elsewhere = [self.handed(to) | {"device": "ines", "whose": whose(self.ines)} for to in (self.per, self.sanna)]
        self.assertEqual(len(self.send(*elsewhere, by=self.ines).kept), 2)
        sample = drawn(self.place, self.ines)
        Sample.objects.for_team(self.team).filter(pk=sample.pk).update(visit=self.number)
        chloride = {"method": "chloride-drops-25"}
        mine = self.tap("test_begun", {"sample": str(sample.pk), **chloride}, to=self.sanna)
        self.assertEqual(self.send(mine, of="bench", number=uuid.uuid4()).kept, [mine["id"]])
        elsewhere = visited(self.place, self.olek)
        other = self.tap("observed", {"value": 2}, run="flow", to=self.sanna)
        self.assertEqual(len(self.send(other, number=elsewhere.pk).waits), 1)
        foreign = drawn(self.place, self.ines)
        Sample.objects.for_team(self.team).filter(pk=foreign.pk).update(visit=elsewhere)
        theirs = self.tap("test_begun", {"sample": str(foreign.pk), **chloride}, to=self.sanna)
        with self.assertRaises(NoSuchStream):
            self.send(theirs, of="bench", number=uuid.uuid4())
        before, after = self.now - timedelta(hours=1), self.now + timedelta(days=1, hours=1)
        for change, by in (
            ({"at": before.isoformat()}, self.olek),
            ({"at": after.isoformat()}, self.olek),
            ({"whose": whose(self.per)}, self.per),
            ({"device": "tablet"}, self.olek),
            ({"lent": {"visit": str(self.number), "to": self.ines.user_id}}, self.olek),
        ):
            with self.subTest(change):
                self.assertEqual(len(self.send(other | change, by=by).waits), 1)
        self.send(self.tap("visit_closed", to=self.sanna))
        self.seq += 30
        after = self.tap("observed", {"value": 2}, run="flow", to=self.sanna)
        self.assertEqual(len(self.send(after).waits), 1)
        data = self.was_me(after)
        self.assertEqual(self.send(data, after, by=self.sanna).late, [data["id"], after["id"]])

    def test_an_earlier_taking_over_does_not_lend_the_name_again(self):
        self.send(self.begun(), self.handed(self.sanna), self.took_over(self.sanna))
        back = self.tap("handed_over", {"taker": self.olek.user_id, "remark": ""}, to=self.sanna)
        self.assertEqual(self.send(back).kept, [back["id"]])
        wrong = self.took_over(self.sanna, "111111")
        guessed = self.tap("observed", {"value": 2}, run="flow", to=self.sanna)
        self.assertEqual(len(self.send(self.handed(self.sanna), wrong, guessed).waits), 1)

    def test_who_has_the_phone_of_a_visit_that_was_closed_elsewhere_is_known(self):
        self.send(self.begun(), self.tap("visit_closed"))
        self.seq += 30
        on = [self.handed(self.sanna), self.took_over(self.sanna), self.tap("observed", {"value": 2}, to=self.sanna)]
        on[2]["run"] = "flow"
        self.assertEqual(self.send(*on).late, [each["id"] for each in on])
        self.assertEqual(self.visit().leader, self.olek.user)

    def test_pins_are_not_guessed(self):
        self.send(self.begun(), self.handed(self.sanna))
        for _ in range(WRONG_TRIES):
            self.assertEqual(len(self.send(self.took_over(self.sanna, "111111")).refused), 1)
        self.assertEqual(len(self.send(self.took_over(self.sanna)).refused), 1)
        cache.clear()
        # Neither is it what was sealed for another visit, or not at all.
        other = self.tap("took_over", {"taker": self.sanna.user_id, "pin": sealed(PIN, f"{uuid.uuid4()} 1")})
        bare = self.tap("took_over", {"taker": self.sanna.user_id, "pin": PIN})
        self.assertEqual(len(self.send(other, bare).refused), 2)
        self.assertEqual(len(self.send(self.took_over(self.sanna)).kept), 1)

    def test_what_only_its_author_may_do_waits_until_they_are_signed_in(self):
        self.send(self.begun(), by=self.sanna)
        # A coordinator may close it, but not from a phone on which somebody else is signed in.
        self.assertEqual(len(self.send(self.tap("visit_closed", of=self.ines), by=self.sanna).waits), 1)
        self.assertFalse(Act.objects.for_team(self.team).filter(refused=True).exists())
        self.assertEqual(len(self.send(self.tap("visit_closed", of=self.sanna), by=self.sanna).refused), 1)
        self.assertTrue(Act.objects.for_team(self.team).filter(refused=True).exists())
        # So it is on a page, which keeps nothing of what is refused but that.
        Act.objects.for_team(self.team).delete()
        self.client.force_login(self.sanna.user)
        self.client.post(reverse("visits:close", args=[self.number]), {"remark": "mine"})
        self.assertEqual(Act.objects.for_team(self.team).get(refused=True).what, "visit closed")
        self.assertFalse(Tap.objects.for_team(self.team).filter(stream=self.number, kind="visit_closed").exists())
        own = self.tap("visit_closed")
        self.assertEqual(self.send(own, by=self.sanna).kept, [own["id"]])
        self.assertEqual(self.visit().closed_by, self.olek.user)

    def run_and_closed(self):
        """A whole test by Olek's hand."""
        return [
            *(self.tap("drop_added", run=f"{kind}-1") for kind in ("blank", "sample", "sample")),
            *(self.tap("end_called", {"endpoint": True}, run=f"{kind}-1") for kind in ("blank", "sample")),
            self.tap("closed"),
        ]

    def test_who_sent_is_named_and_reviews_nothing_of_it(self):
        test = begin(self.place, self.olek)
        self.send(*self.run_and_closed(), by=self.per, of="bench", number=test.pk)
        result = standing(Determination.objects.for_team(self.team).get(pk=test.pk))
        self.assertEqual((result.person, result.tested_by), (self.olek.user, "Olek (sent by Per)"))
        self.assertIn(self.per.user_id, hands_on(result.visit))
        # So it is of a check, on its page and in files.
        data = {"method": "chloride-drops-25", "purpose": "standard", "against": {"expected": 8.0}}
        check = begin_test(self.olek, data)
        self.send(*self.run_and_closed(), by=self.per, of="bench", number=check.pk)
        self.client.force_login(self.olek.user)
        self.assertContains(self.client.get(reverse("quality:check", args=[check.pk])), "Olek, sent by Per")
        checks = next(each for each in resources() if each.name == "quality_checks")
        told = dict(
            zip(
                [each.name for each in checks.table],
                checks.rows(self.team.pk, None).values_list(*checks.paths)[0],
                strict=True,
            )
        )
        self.assertEqual((told["person"], told["sent_by"]), ("olek", "per"))

    def test_a_beginning_that_is_refused_is_named_and_what_comes_after_it_waits(self):
        first = self.tap("visit_begun", {"place": self.place.pk, "safety": safety(told=None)})
        after = self.tap("observed", {"value": 1}, run="flow")
        with self.assertRaises(NoSuchStream) as missing:
            self.send(first, after)
        self.assertEqual([pk for pk, _ in missing.exception.refused], [first["id"]])
        stored = self.send(first, after, self.begun())
        self.assertEqual([pk for pk, _ in stored.refused], [first["id"]])
        self.assertEqual(len(stored.kept), 2)

    def test_no_sequence_number_stops_a_test_or_a_visit(self):
        result = measured(self.place, self.olek, 8, 8)
        far, near = self.tap("drop_added", run="sample-3"), self.tap("drop_added", run="sample-3")
        for tap, seq in ((far, 10**9), (near, 5000)):
            tap["seq"] = seq
        stored = self.send(far, near, of="bench", number=result.determination_id)
        self.assertEqual(([pk for pk, _ in stored.refused], stored.late), ([far["id"]], [near["id"]]))
        # However it came to be there, the server's own goes on behind it.
        Tap.objects.for_team(self.team).filter(pk=near["id"]).update(seq=2_000_000_000)
        own = add_tap(self.olek, result.determination_id, "reopened", {"why": "one more"})
        self.assertEqual(own.seq, 2_000_000_001)

    def test_another_teams_numbers_are_like_unknown_ones_and_hold_up_nobody(self):
        ulf, theirs = team_of("Ulf")
        their_visit, their_test = visited(theirs, ulf), measured(theirs, ulf, 8, 8).determination
        mine = visited(self.place, self.olek)
        begun, test = self.begun(), begin(self.place, self.olek)
        begin_test = self.tap("test_begun", {"sample": str(test.sample_id), "method": "chloride-drops-25"})
        for of, number, tap in (
            ("visit", their_visit.pk, begun),
            ("visit", their_test.pk, begun),
            ("visit", test.pk, begun),
            ("bench", their_test.pk, begin_test),
            ("bench", mine.pk, begin_test),
            ("bench", their_visit.pk, begin_test),
        ):
            with self.subTest(of=of, number=number), self.assertRaises(NoSuchStream):
                self.send(tap, of=of, number=number)
        data = {"place": self.place.pk, "sample": str(their_test.sample_id)}
        good = seen(("flow", 1))[0]
        stored = self.send(self.tap("sample_drawn", data), good, number=mine.pk)
        self.assertEqual((len(stored.refused), stored.kept), (1, [good["id"]]))

    def test_a_test_waits_for_its_sample(self):
        early = self.tap("test_begun", {"sample": str(uuid.uuid4()), "method": "chloride-drops-25"})
        with self.assertRaises(NoSuchStream) as missing:
            self.send(early, of="bench", number=uuid.uuid4())
        self.assertEqual(missing.exception.refused, [])
        self.assertIn("no such sample", str(missing.exception))

    def test_a_closing_in_the_middle_of_a_batch_writes_what_came_before_it(self):
        test = begin(self.place, self.olek)
        made = [
            *(self.tap("drop_added", run=f"{kind}-1") for kind in ("blank", "sample")),
            *(self.tap("end_called", {"endpoint": True}, run=f"{kind}-1") for kind in ("blank", "sample")),
            self.tap("closed"),
            self.tap("drop_added", run="sample-2"),
        ]
        stored = send(self.olek, test, made)
        self.assertEqual((len(stored.kept), stored.late, test.late_taps), (6, [made[-1]["id"]], 1))
        self.assertEqual(standing(test).readings["used"], [1])

    def test_what_was_refused_is_mended_or_dropped_with_a_reason_and_either_is_noted(self):
        self.client.force_login(self.olek.user)
        visit = visited(self.place, self.olek)
        wrong = self.tap("observed", {"value": 620, "unit": "mS/cm", "instrument": None}, run="conductivity")
        [[_, why]] = self.send(wrong, number=visit.pk).refused
        self.assertIn("not on the scale", why)
        data = {"of": "visit", "stream": str(visit.pk), "taps": [wrong], "why": "the display said µS/cm"}
        for change in ({"why": " "}, {"stream": "x"}, {"of": "boat"}, {"instead": [1]}, {"taps": [{}]}, {"taps": 1}):
            answer = self.client.post("/taps/dropped/", {"instead": None} | data | change, "application/json")
            self.assertEqual(answer.status_code, 400, change)
        instead = {"value": 620, "unit": "uS/cm", "instrument": None}
        for new in (instead, None):
            answer = self.client.post("/taps/dropped/", data | {"instead": new}, "application/json")
            self.assertEqual(answer.status_code, 200)
        acts = Act.objects.for_team(self.team).filter(on_id=str(visit.pk)).order_by("pk")
        noted = [(act.what, act.person, act.changes, act.why) for act in acts]
        was = {"value": 620, "unit": "mS/cm", "instrument": None}
        self.assertEqual(
            noted,
            [
                (what, self.olek.user, {"observed conductivity": [was, new]}, "the display said µS/cm")
                for what, new in (("refused tap corrected", instead), ("waiting taps dropped", None))
            ],
        )
