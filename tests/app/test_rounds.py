"""Rounds, what is due today, occasions and the calendar."""

from datetime import timedelta

from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from django.utils import timezone
from icalendar import Calendar

from kessa.record.people.models import Membership
from kessa.record.places.models import Place
from kessa.record.rounds.models import CalendarFeed, Round, StopOutcome
from kessa.record.rounds.selectors import calls, dues_at, plan_of, weekly_use
from tests.app.pages import PageTest
from tests.world import measured, member, planned, safety, team_of

MONTHLY = {"name": "Monthly", "starts_on": "2026-01-01", "shape": "monthly", "which": "-1", "weekday": "SU"}


class Planning(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)

    def test_each_shape_of_rhythm_is_planned_and_changed(self):
        for change, rule in (
            ({}, "FREQ=MONTHLY;BYDAY=-1SU"),
            ({"shape": "daily"}, "FREQ=DAILY"),
            ({"shape": "weekly", "weekdays": ["MO", "TH"]}, "FREQ=WEEKLY;BYDAY=MO,TH"),
            ({"shape": "fortnightly", "weekday": "TU"}, "FREQ=WEEKLY;INTERVAL=2;BYDAY=TU"),
            ({"shape": "by_date", "month_day": "15"}, "FREQ=MONTHLY;BYMONTHDAY=15"),
            ({"shape": "own", "own_rule": "rrule:freq=yearly;bymonth=3"}, "FREQ=YEARLY;BYMONTH=3"),
            ({"shape": "none", "occasions": ["thaw"]}, ""),
        ):
            with self.subTest(rule):
                form = MONTHLY | change | {"name": f"Round {rule or 'thaw'}"}
                page = self.client.post("/today/rounds/new/", form, follow=True)
                each = Round.objects.for_team(self.membership.team).get(name=form["name"])
                self.assertEqual(each.rule, rule)
                self.assertContains(page, "No places yet")
                edit = self.client.get(reverse("rounds:edit", args=[each.pk]))
                self.assertEqual(edit.context["form"].initial["shape"], form["shape"])

    def test_a_rhythm_that_never_falls_due_is_refused_with_the_way_out(self):
        for change, words in (
            ({"shape": "own", "own_rule": "FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30"}, "never falls due"),
            ({"shape": "own", "own_rule": "FREQ=MINUTELY"}, "goes by days"),
            ({"shape": "own", "own_rule": ""}, "RFC 5545"),
            ({"shape": "own", "own_rule": "FREQ=YEARLY", "months": ["1"]}, "leave the season empty"),
            ({"shape": "weekly"}, "at least one day"),
            ({"shape": "none"}, "at least one occasion"),
            ({"starts_on": "someday"}, "valid date"),
            ({"name": ""}, "required"),
        ):
            with self.subTest(words):
                response = self.client.post("/today/rounds/new/", MONTHLY | change)
                self.assertContains(response, words, status_code=422)
                self.client.get("/today/rounds/preview/", MONTHLY | change)
        self.assertContains(self.client.get("/today/rounds/preview/", MONTHLY), "Last Sunday of the month")
        self.client.post("/today/rounds/new/", MONTHLY)
        self.assertContains(self.client.post("/today/rounds/new/", MONTHLY), "of this name already", status_code=422)

    def test_places_are_put_on_changed_and_taken_off(self):
        each = planned(self.membership, self.place)
        address = reverse("rounds:add_stops", args=[each.pk])
        tests = {"chloride-drops-wanted": "on", "chloride-drops-runs": 3}
        tests |= {"chloride-drops-blanks": 0, "chloride-drops-standards": 1}
        page = self.client.post(address, {"places": [self.place.pk], **tests}, follow=True)
        self.assertContains(page, '<span class="num">3</span> runs, <span class="num">1</span> standard')
        self.assertEqual(each.stops.get().in_place, [])
        self.assertContains(self.client.post(address, tests), "at least one place", status_code=422)
        bad = {"places": [self.place.pk], **tests, "chloride-drops-runs": 99}
        self.assertEqual(self.client.post(address, bad).status_code, 422)
        self.client.post(reverse("rounds:leave_out", args=[each.pk, each.stops.get().pk]))
        self.assertFalse(each.stops.exists())
        self.client.post(reverse("rounds:retire", args=[each.pk]))
        self.assertNotContains(self.client.get("/today/rounds/"), "<b>Brook</b>")

    def test_the_month_shows_what_is_planned(self):
        planned(self.membership, self.place, "FREQ=MONTHLY;BYDAY=-1SU", days_ago=400)
        page = self.client.get("/today/rounds/?month=2027-02")
        due = [cell for week in page.context["weeks"] for cell in week if cell and cell[1]]
        self.assertEqual([day.isoformat() for day, _ in due], ["2027-02-28"])
        for month in ("nonsense", "2027-13", "", "0000-01"):
            self.assertEqual(self.client.get(f"/today/rounds/?month={month}").status_code, 200)


class Today(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.team = self.membership.team
        self.client.force_login(self.membership.user)

    def test_what_is_due_late_mine_and_the_teams(self):
        olek = member(self.team, "Olek").user
        other = Place.objects.create(team=self.team, name="The mill")
        planned(self.membership, self.place, "FREQ=WEEKLY", days_ago=9, people=[self.membership.user])
        planned(self.membership, other, "FREQ=DAILY", people=[olek], name="Daily")
        page = self.client.get("/today/")
        self.assertContains(page, "Welcome, Ines.")
        self.assertContains(page, "Start the visit: Ines&#x27;s brook")
        self.assertContains(page, "2 days late")
        self.assertContains(page, "Due for others of the team")
        # At the place itself it is the next thing, where nothing found there presses more.
        at_place = self.client.get(reverse("places:place", args=[self.place.pk]))
        self.assertRegex(at_place.content.decode(), r'<p class="next">Due:\s+.+\s+\(2 days late\)\.</p>')
        found = calls(self.team, olek, plan_of(self.team))
        self.assertEqual(
            [(call.place, call.mine) for some in found[:2] for call in some], [(other, True), (self.place, False)]
        )

    def test_a_visit_settles_what_is_due_and_a_reason_does_too(self):
        planned(self.membership, self.place, days_ago=3)
        self.assertEqual(len(dues_at(self.place)), 1)
        refused = self.client.post("/today/not-going/", {"place": self.place.pk, "reason": "  "}, follow=True)
        self.assertContains(refused, "Say why")
        self.client.post("/today/not-going/", {"place": self.place.pk, "reason": "flood"}, follow=True)
        self.assertContains(self.client.get("/today/"), "Nothing is due today")
        StopOutcome.objects.for_team(self.team).delete()
        page = self.client.post(reverse("visits:begin", args=[self.place.pk]), safety(), follow=True)
        self.assertEqual(dues_at(self.place), [])
        self.assertContains(page, "Chloride, drops")
        self.assertContains(self.client.get("/today/"), "Go on: Ines&#x27;s brook")

    def test_a_thaw_makes_the_rounds_due_that_wait_for_it(self):
        planned(self.membership, self.place, "", occasions=["thaw"])
        self.assertContains(self.client.get("/today/"), "Nothing is due today")
        day = timezone.localdate()
        noted = {"kind": "thaw", "happened_on": day.isoformat()}
        for _ in range(2):
            page = self.client.post("/today/occasion/", noted, follow=True)
        self.assertContains(page, "Due now: Brook.")
        self.assertContains(page, "thaw on")
        self.assertEqual(len(dues_at(self.place)), 1)
        for change, words in (
            ({"happened_on": "1999-01-01"}, "Check the date"),
            ({"kind": "dose"}, "at which place"),
            ({"kind": "earthquake"}, "valid choice"),
        ):
            self.assertContains(self.client.post("/today/occasion/", noted | change, follow=True), words)
        late = (day - timedelta(days=4)).isoformat()
        self.client.post("/today/occasion/", noted | {"happened_on": late})
        self.assertContains(self.client.get("/today/"), "3 days late")

    def test_a_dose_makes_only_its_own_place_due(self):
        other = Place.objects.create(team=self.team, name="The tower", kind_key="cooling-tower")
        planned(self.membership, self.place, "", occasions=["dose"])
        planned(self.membership, other, "", occasions=["dose"], name="Tower")
        noted = {"kind": "dose", "happened_on": timezone.localdate().isoformat(), "place": other.pk}
        self.client.post("/today/occasion/", noted)
        self.assertEqual((len(dues_at(other)), len(dues_at(self.place))), (1, 0))

    def test_what_waits_for_a_follow_up(self):
        over = measured(self.place, self.membership, 26, days_ago=3)
        self.assertContains(self.client.get("/today/"), f'href="/log/{over.pk}/"')
        measured(self.place, self.membership, 8, 8)
        self.assertNotContains(self.client.get("/today/"), f'href="/log/{over.pk}/"')

    def test_five_hundred_places_cost_the_same_queries(self):
        each = planned(self.membership, self.place)

        def count():
            with CaptureQueriesContext(connection) as captured:
                self.client.get("/today/")
            return len(captured)

        few = count()
        for number in range(40):
            place = Place.objects.create(team=self.team, name=f"Place {number}")
            self.client.post(
                reverse("rounds:add_stops", args=[each.pk]),
                {"places": [place.pk], "in_place": ["temperature"]}
                | {f"chloride-drops-{key}": value for key, value in (("runs", 2), ("blanks", 1), ("standards", 0))},
            )
        self.assertEqual(count(), few)
        self.assertLess(few, 22)

    def test_the_rounds_say_what_they_use_up_a_week(self):
        planned(self.membership, self.place, "FREQ=WEEKLY")
        self.assertEqual(round(weekly_use(self.team)["chromate-packet"], 1), 3.2)


class CalendarFiles(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)

    def events(self, response):
        self.assertEqual(response["Content-Type"], "text/calendar; charset=utf-8")
        return {str(each["SUMMARY"]): each for each in Calendar.from_ical(response.content).walk("VEVENT")}

    def test_the_file_reads_back_with_rhythm_season_and_occasion(self):
        planned(self.membership, self.place, "FREQ=MONTHLY;BYDAY=-1SU", days_ago=300, months=[1, 2], occasions=["thaw"])
        olek = member(self.membership.team, "Olek").user
        planned(self.membership, self.place, "FREQ=DAILY", people=[olek], name="Not mine")
        thaw = {"kind": "thaw", "happened_on": timezone.localdate().isoformat()}
        self.client.post("/today/occasion/", thaw)
        events = self.events(self.client.get("/today/kessa.ics"))
        self.assertEqual(set(events), {"Brook", "Ines's brook: Thaw"})
        rule = events["Brook"]["RRULE"]
        self.assertEqual((rule["FREQ"], rule["BYDAY"], rule["BYMONTH"]), (["MONTHLY"], ["-1SU"], [1, 2]))
        first = events["Brook"]["DTSTART"].dt
        self.assertEqual((first.month in (1, 2), first.weekday()), (True, 6))
        self.assertIn("Chloride, drops", events["Brook"]["DESCRIPTION"])

    def test_the_secret_address_is_revocable_and_dies_with_the_membership(self):
        planned(self.membership, self.place)
        page = self.client.post("/today/feed/", follow=True).content.decode()
        address = page.split("shown this once: ")[1].split("</div>")[0].strip()
        self.client.logout()
        self.assertIn("Brook", self.events(self.client.get(address)))
        self.assertEqual(self.client.get(address.replace("/kessa.ics", "x/kessa.ics")).status_code, 404)
        self.assertNotIn(address.split("/")[-2], CalendarFeed.across_teams.get().digest)
        Membership.objects.filter(pk=self.membership.pk).delete()
        self.assertEqual(self.client.get(address).status_code, 404)
        Membership.objects.create(team=self.membership.team, user=self.membership.user, role="coordinator")
        self.client.force_login(self.membership.user)
        self.client.post("/today/feed/", {"revoke": "yes"})
        self.assertEqual(self.client.get(address).status_code, 404)
