"""Being told: by one's own choice within the team's rule, once, by mail that is sent and tried again."""

import tempfile
from datetime import timedelta
from unittest import mock

import time_machine
from django.conf import settings
from django.core import mail
from django.urls import reverse
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from kessa.record.actions import services as actions
from kessa.record.actions.models import Action
from kessa.record.notifications.mail import deliver
from kessa.record.notifications.models import Notice, Wanted, Wish
from kessa.record.notifications.services import notify_of_follow_ups, notify_of_overdue
from kessa.record.notifications.tasks import look
from kessa.record.people.models import Role
from kessa.record.places.models import Place
from kessa.record.places.services import keep_place
from tests.app.pages import PageTest
from tests.world import member, read, team_of, visited


class Told(PageTest):
    def setUp(self):
        self.ines, self.brook = team_of("Ines")
        self.team = self.ines.team
        self.per, self.olek = member(self.team, "Per", Role.TECHNICIAN), member(self.team, "Olek")
        for each in (self.ines, self.per, self.olek):
            each.user.email = f"{each.user.username}@vale.example"
            each.user.save()
        data = {"limit_sets": ["eu-2020"], "feeds": ["people"]}
        self.well = keep_place(self.ines, Place(team=self.team, kind_key="well", name="Well", **data))
        facts = {"volume_l": 4200.0, "bleed_l_min": 12.0}
        data = {"limit_sets": ["programme-boiler-low"], "facts": facts}
        self.boiler = keep_place(self.ines, Place(team=self.team, kind_key="boiler", name="Boiler", **data))

    def told(self, kind):
        rows = Notice.objects.for_team(self.team).filter(kind=kind).select_related("person")
        return sorted((row.person.username, row.subject) for row in rows)

    def wishes(self, membership, up_to):
        Wish.objects.create(team=self.team, membership=membership, up_to=up_to)

    def test_each_hears_what_they_chose_and_coordinators_what_may_harm_at_once(self):
        self.wishes(self.ines, Wanted.NOTHING)
        self.wishes(self.per, Wanted.OUTSIDE)
        self.wishes(self.olek, Wanted.NOTHING)
        read(self.boiler, self.per, "conductivity-meter", 7500)
        self.assertEqual(self.told("found"), [("per", "Boiler: Bleed 115 min at 12 L/min")])
        read(self.well, self.per, "nitrate-photometer", 7.5, 7.5, dilution=2)
        heard = [name for name, subject in self.told("found") if "nitrate" in subject]
        self.assertEqual(heard, ["ines", "per"])
        self.client.force_login(self.ines.user)
        self.client.post(reverse("notifications:team_rule"), {"acute_to": "everybody"})
        read(self.well, self.per, "nitrate-photometer", 7.6, 7.6, dilution=2)
        self.assertEqual(len(self.told("found")), 3, "what is open already is not told again")
        sheet = Action.objects.for_team(self.team).open().get(place=self.well)
        actions.decline(self.ines, sheet, why="the well is shut")
        read(self.well, self.per, "nitrate-photometer", 7.7, 7.7, dilution=2)
        self.assertIn("olek", [name for name, subject in self.told("found") if "nitrate" in subject])

    def test_mail_is_sent_once_and_tried_again_where_the_server_does_not_answer(self):
        read(self.well, self.per, "nitrate-photometer", 7.5, 7.5, dilution=2)
        notice = Notice.objects.for_team(self.team).get(person=self.ines.user)
        waiting = ProcrastinateJob.objects.filter(task_name="notices.deliver")
        self.assertIn({"notice": notice.pk}, [job.args for job in waiting])
        with mock.patch("django.core.mail.EmailMessage.send", side_effect=OSError), self.assertRaises(OSError):
            deliver(notice=notice.pk)
        notice.refresh_from_db()
        self.assertIsNone(notice.sent_at)
        deliver(notice=notice.pk)
        deliver(notice=notice.pk)
        self.assertEqual([each.to for each in mail.outbox], [["ines@vale.example"]])
        for words in (
            "Infants do not drink this water",
            f"{settings.KESSA_ADDRESS}/actions/",
            "licensed people decide",
        ):
            self.assertIn(words, mail.outbox[0].subject + mail.outbox[0].body)
        self.assertNotIn("safe to drink", mail.outbox[0].body)

    def test_whoever_was_told_hears_of_a_visit_that_is_overdue_with_where_to_look(self):
        with time_machine.travel(timezone.now().replace(hour=9, minute=0)):
            visit = visited(self.brook, self.olek, told="Per, at the works", back_by="12:00")
            self.assertEqual(notify_of_overdue(timezone.now()), [])
        with time_machine.travel(timezone.now().replace(hour=14, minute=0)):
            look(timestamp=0)
            look(timestamp=60)
        heard = self.told("overdue")
        self.assertEqual([name for name, _ in heard], ["ines", "per"])
        self.assertIn("Ask after Olek", heard[0][1])
        notice = Notice.objects.for_team(self.team).filter(kind="overdue").first()
        deliver(notice.pk)
        for words in ("Ines's brook", f"/visits/{visit.pk}/", "you choose here: http"):
            self.assertIn(words, mail.outbox[-1].body)
        # Forgotten, it is read again by nobody; one of which nobody was told yet is, however old.
        days_later = timezone.now() + timedelta(days=3)
        with self.assertNumQueries(1):
            self.assertEqual(notify_of_overdue(days_later), [])
        Notice.objects.for_team(self.team).filter(kind="overdue").delete()
        self.assertEqual(len(notify_of_overdue(days_later)), 2)

    def test_who_did_something_hears_when_its_test_is_due(self):
        read(self.boiler, self.per, "conductivity-meter", 7500)
        (bleed,) = Action.objects.for_team(self.team).open().filter(place=self.boiler)
        done_at = timezone.now()
        actions.do(self.per, bleed, done_at, amount=115.0, again_at=done_at + timedelta(hours=2))
        self.assertEqual(notify_of_follow_ups(done_at + timedelta(hours=1)), [])
        notify_of_follow_ups(done_at + timedelta(hours=3))
        self.assertEqual(self.told("again"), [("per", "Boiler: test conductivity again")])
        with self.assertNumQueries(1):
            self.assertEqual(notify_of_follow_ups(done_at + timedelta(hours=4)), [])

    def test_one_chooses_what_one_is_told_and_without_an_address_nothing_is_sent(self):
        self.client.force_login(self.olek.user)
        page = self.client.get(reverse("notifications:wish"))
        self.assertContains(page, "olek@vale.example")
        self.assertNotContains(page, "The team&#x27;s rule</h2>")
        answer = self.client.post(reverse("notifications:wish"), {"email": "no address", "up_to": "6"})
        self.assertEqual(answer.status_code, 422)
        self.client.post(reverse("notifications:wish"), {"email": "", "up_to": "6"})
        self.olek.user.refresh_from_db()
        self.assertEqual((self.olek.user.email, self.olek.user.memberships.get().wish.up_to), ("", 6))
        self.assertEqual(
            self.client.post(reverse("notifications:team_rule"), {"acute_to": "everybody"}).status_code, 403
        )
        read(self.boiler, self.per, "conductivity-meter", 7500)
        self.assertEqual([name for name, _ in self.told("found")], [])

    def test_the_demo_shows_the_mail_that_it_caught_for_ones_own_team_only(self):
        maud, _ = team_of("Maud")
        with (
            tempfile.TemporaryDirectory() as folder,
            self.settings(EMAIL_BACKEND="django.core.mail.backends.filebased.EmailBackend", EMAIL_FILE_PATH=folder),
        ):
            read(self.well, self.per, "nitrate-photometer", 7.5, 7.5, dilution=2)
            deliver(notice=Notice.objects.for_team(self.team).get(person=self.ines.user).pk)
            self.client.force_login(self.ines.user)
            page = self.client.get(reverse("notifications:caught"))
            self.assertContains(page, "Well: Infants do not drink this water")
            self.assertContains(page, "No infant&#x27;s feed from this water")
            self.client.force_login(maud.user)
            self.assertNotContains(self.client.get(reverse("notifications:caught")), "Nitrate")
