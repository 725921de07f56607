"""The bench through its services and its addresses."""

import json
import random
import uuid
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from unittest.mock import patch

from django.core.exceptions import ValidationError
from django.db import OperationalError, connection
from django.test import Client, TestCase, TransactionTestCase
from django.urls import reverse
from django.utils import timezone

from kessa.bench import selectors, services
from kessa.bench.models import Determination, Event
from kessa.core.methods import families
from kessa.core.runs.conclusion import Blank, conclude
from tests.world import Taps, begin, measured, member, team_of


class Recording(TestCase):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.person = self.membership.user
        self.determination = begin(self.place, self.person)

    def bench(self):
        return selectors.bench_of(self.determination, selectors.counted_events(self.determination))

    def record(self, taps):
        return services.record_events(self.determination, self.person, taps)

    def test_replayed_and_shuffled_batches_change_nothing(self):
        taps = Taps().run("blank-1", 1).run("sample-1", 8).run("sample-2", 7).made
        for seed in range(4):
            random.Random(seed).shuffle(taps)
            for start in range(0, len(taps), 5):
                stored = self.record(taps[start : start + 5] * 2)
                self.assertFalse(stored.refused)
        bench = self.bench()
        self.assertEqual(bench.outcomes["main"].quantity.value, 30)
        self.assertEqual(Event.objects.for_team(self.place.team).count(), len(taps))

    def test_bad_taps_are_refused_one_by_one_and_the_rest_is_kept(self):
        taps = Taps()
        good = taps.add("sample-1", "drop_added")
        bad = [
            "not a tap",
            {**good, "id": "7"},
            {**good, "id": str(uuid.uuid4()), "seq": -1},
            {**good, "id": str(uuid.uuid4()), "seq": True},
            {**good, "id": str(uuid.uuid4()), "run": "sample-0"},
            {**good, "id": str(uuid.uuid4()), "run": "sample-1'; --"},
            {**good, "id": str(uuid.uuid4()), "kind": "drop_removed"},
            {**good, "id": str(uuid.uuid4()), "at": "yesterday"},
            {**good, "id": str(uuid.uuid4()), "at": "2026-11-23T09:00:00"},
            {**good, "id": str(uuid.uuid4()), "kind": "step_done", "data": {"step": 99}},
            {**good, "id": str(uuid.uuid4()), "kind": "timer_started", "data": {"seconds": -30}},
            {**good, "id": str(uuid.uuid4()), "kind": "end_called", "data": {"endpoint": "yes"}},
            {**good, "id": str(uuid.uuid4()), "at": "0001-01-01T00:00:00+00:00"},
            {**good, "id": str(uuid.uuid4()), "device": "x" * 41},
            {**good, "id": str(uuid.uuid4()), "device": "\0"},
            {**good, "id": str(uuid.uuid4()), "device": "\ud800"},
        ]
        stored = self.record([*bad, good])
        self.assertEqual((len(stored.refused), stored.kept), (len(bad), [good["id"]]))
        self.assertEqual(self.bench().samples[1].count, 1)

    def test_a_tap_cannot_be_moved_to_another_determination(self):
        taps = Taps().run("sample-1", 3).made
        self.record(taps)
        other = begin(self.place, self.person)
        stored = services.record_events(other, self.person, taps)
        self.assertEqual((stored.kept, len(stored.refused)), ([], len(taps)))

    def test_beginning_twice_begins_once(self):
        begun = services.begin_determination(self.determination.sample, self.person, "chloride-drops-25")
        self.assertEqual(begun, self.determination)
        self.record(Taps().run("sample-1", 1).made)
        begun = services.begin_determination(self.determination.sample, self.person, "chloride-drops-25")
        self.assertNotEqual(begun, self.determination)

    def test_nothing_to_write_is_said_and_does_not_close(self):
        stored = self.record(Taps().close().made)
        self.assertIn("No run is finished", stored.refused[0][1])
        early = Taps()
        early.add("sample-1", "end_called", endpoint=True)
        self.assertIn("No run is finished", self.record(early.close().made).refused[0][1])
        self.determination.refresh_from_db()
        self.assertIsNone(self.determination.closed_at)

    def test_the_result_can_be_computed_again_from_what_it_keeps(self):
        result = measured(self.place, self.person, 8, 7)
        readings = {run.pop("number"): run for run in result.readings["runs"]}
        method = result.determination.method
        blank = Blank(**result.readings["blank"])
        again = conclude(method, method.main, readings, blank, result.readings["dilution"])
        self.assertEqual(again.quantity, result.quantity)
        self.assertEqual((result.value, result.low, result.high, result.verdict), (30, 20, 32, "inside"))

    def test_taps_after_closing_are_kept_and_marked_and_do_not_count(self):
        result = measured(self.place, self.person, 8, 7)
        stored = services.record_events(result.determination, self.person, Taps(seq=90).run("sample-3", 20).made)
        self.assertEqual(len(stored.late), 21)
        result.refresh_from_db()
        result.determination.refresh_from_db()
        self.assertEqual((result.value, result.determination.late_taps), (30, 21))

    def test_over_the_range_goes_on_with_everything_carried_over_and_in_the_top_range_dilutes(self):
        first = measured(self.place, self.person, 26, blank=2)
        self.assertEqual((first.censor, first.value), (">", 100))
        self.assertIn("10 mL", first.next_steps[0])
        second = services.continue_over_range(first.determination, self.person, None)
        self.assertEqual(services.continue_over_range(first.determination, self.person, None), second)
        self.assertEqual((second.sample, second.blank_carried), (first.determination.sample, 2))
        services.record_events(second, self.person, Taps().run("sample-1", 25, endpoint=False).close().made)
        third = services.continue_over_range(second, self.person, None)
        services.record_events(third, self.person, Taps().run("sample-1", 25, endpoint=False).close().made)
        self.assertIn("Dilute", third.results.get().next_steps[0])
        with self.assertRaisesMessage(ValidationError, "how far to dilute"):
            services.continue_over_range(third, self.person, None)
        diluted = services.continue_over_range(third, self.person, 10)
        taps = Taps().run("sample-1", 4).run("sample-2", 4).close().made
        services.record_events(diluted, self.person, taps)
        result = diluted.results.get()
        self.assertEqual((result.value, result.low, result.verdict), (2000, 500, "outside"))
        self.assertEqual(result.flags[:2], ["blank-questionable", "diluted"])

    def test_a_further_run_supersedes_only_when_it_is_written(self):
        before = measured(self.place, self.person, 8)
        services.add_further_run(before.determination, self.person, "was alone")
        before.refresh_from_db()
        self.assertIsNone(before.superseded_at)
        taps = Taps(seq=100).run("sample-2", 9).close().made
        services.record_events(before.determination, self.person, taps)
        before.refresh_from_db()
        after = before.determination.results.get(superseded_at=None)
        self.assertEqual((before.value, after.value, after.reason), (32, 34, "was alone"))
        self.assertIsNotNone(before.superseded_at)

    def test_superseding_takes_the_person_who_measured_or_someone_with_the_right(self):
        result = measured(self.place, self.person, 8, 8)
        olek = member(self.place.team, "Olek")
        with self.assertRaisesMessage(ValidationError, "technician or a coordinator"):
            services.supersede(result.determination, olek, "wrong bottle")
        again = services.supersede(result.determination, self.membership, "wrong bottle")
        result.refresh_from_db()
        self.assertEqual((again.supersedes, result.superseded_reason), (result.determination, "wrong bottle"))
        with self.assertRaises(ValidationError):
            services.supersede(result.determination, self.membership, "twice")

    def test_a_determination_outlives_its_method_and_the_rules_it_began_with(self):
        with patch("kessa.bench.services.methods_of", lambda team_id: {}):
            with self.assertRaisesMessage(ValidationError, "not among your team's"):
                begin(self.place, self.person)
            self.record(Taps().run("sample-1", 5).run("sample-2", 5).close().made)
        self.assertEqual(self.determination.results.get().value, 20)

    def test_usual_and_the_first_range_come_from_the_places_history(self):
        family = families()["chloride-drops"]
        self.assertIn("No history", selectors.suggested_method(self.place, family, "Cl")[1])
        for days in range(8, 0, -1):
            measured(self.place, self.person, 8, 8, days_ago=days)
        self.assertEqual(selectors.usual_at(self.place, selectors.series_of(family[0].main, "Cl")).median, 32)
        unusual = measured(self.place, self.person, 24, 24)
        self.assertEqual((unusual.flags, unusual.verdict), (["unusual"], "inside"))
        self.assertIn("Not usual", unusual.next_steps[0])
        for days in range(20):
            services.record_events(
                begun := begin(self.place, self.person, "chloride-drops-10", days_ago=days / 99),
                self.person,
                Taps().run("sample-1", 15).run("sample-2", 15).close().made,
            )
        self.assertEqual(selectors.suggested_method(self.place, family, "Cl")[0].key, begun.method_key)


class Addresses(TestCase):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)
        self.determination = begin(self.place, self.membership.user)

    def post(self, body, **kwargs):
        address = reverse("bench:events", args=[self.determination.pk])
        body = body if isinstance(body, bytes | str) else json.dumps(body)
        return self.client.post(address, body, content_type="application/json", **kwargs)

    def test_a_batch_is_answered_with_what_others_tapped_and_what_it_comes_to(self):
        first = Taps().run("sample-1", 8).made
        self.post({"events": first, "known": 0})
        reply = self.post({"events": [], "known": 0}).json()
        self.assertEqual({event["id"] for event in reply["events"]}, {tap["id"] for tap in first})
        self.assertIn("32", reply["outcome"])
        self.assertNotIn("events", self.post({"events": [], "known": 9}).json())
        closed = self.post({"events": Taps(seq=50).close().made, "known": 9}).json()
        page = self.client.get(closed["result"], follow=True)
        self.assertContains(page, "one run only")

    def test_what_is_no_batch_gets_a_clear_answer(self):
        for body in ("{", "[]", '{"events": 3, "known": 0}', "[" * 100_000, {"events": [{}] * 501, "known": 0}):
            response = self.post(body)
            self.assertEqual((response.status_code, "error" in response.json()), (400, True))
        response = self.post(b"x" * 10_000_000)
        self.assertEqual((response.status_code, "Send less" in response.json()["error"]), (413, True))
        self.client.logout()
        self.assertEqual(self.post({"events": [], "known": 0}).status_code, 401)

    def test_a_lost_database_is_said_and_no_traceback_shown(self):
        self.client.raise_request_exception = False
        with patch("kessa.bench.services.record_events", side_effect=OperationalError("gone")):
            response = self.post({"events": [], "known": 0})
        self.assertEqual(response.status_code, 503)
        self.assertIn("kept in your browser", response.json()["error"])
        with patch("kessa.bench.views.log_of", side_effect=OperationalError("gone")):
            self.assertContains(self.client.get("/bench/"), "cannot reach its database", status_code=503)

    def test_every_post_needs_its_token(self):
        strict = Client(enforce_csrf_checks=True)
        strict.force_login(self.membership.user)
        for name in ("events", "further_run", "supersede", "go_on"):
            response = strict.post(reverse(f"bench:{name}", args=[self.determination.pk]))
            self.assertEqual(response.status_code, 403, name)

    def test_a_sample_of_the_future_or_below_nothing_is_refused_with_the_field(self):
        address = reverse("bench:sample", args=[self.place.pk])
        tomorrow = timezone.localtime() + timedelta(days=1)
        good = {"drawn_at": f"{timezone.localtime():%Y-%m-%dT%H:%M}", "drawn_by": self.membership.user_id}
        for change, words in (
            ({"drawn_at": f"{tomorrow:%Y-%m-%dT%H:%M}"}, "still to come"),
            ({"drawn_at": "1026-11-23T10:00"}, "more than a year ago"),
            ({"drawn_at": "soon"}, "valid date"),
            ({"depth_cm": "-3"}, "greater than or equal to 0"),
            ({"water_temperature_c": "400"}, "less than or equal to 100"),
            ({"drawn_by": "999999"}, "valid choice"),
        ):
            with self.subTest(change):
                self.assertContains(self.client.post(address, {**good, **change}), words, status_code=422)
        self.assertEqual(self.client.post(address, good).status_code, 302)

    def test_closing_and_reopening_over_the_web(self):
        result = measured(self.place, self.membership.user, 26)
        page = self.client.get(reverse("log:result", args=[result.pk]))
        self.assertContains(page, "Go on with the 10 mL vessel")
        self.assertContains(page, "above <span")
        on = self.client.post(reverse("bench:go_on", args=[result.determination_id]))
        self.assertContains(self.client.get(on.url), "Blank carried over")
        refused = self.client.post(reverse("bench:further_run", args=[result.determination_id]), follow=True)
        self.assertContains(refused, "Say why")
        reopened = self.client.post(reverse("bench:further_run", args=[result.determination_id]), {"reason": "doubt"})
        self.assertRedirects(reopened, reverse("bench:determination", args=[result.determination_id]))


class Together(TransactionTestCase):
    def test_two_phones_on_one_run_neither_lose_nor_double_a_tap(self):
        membership, place = team_of("Ines")
        determination = begin(place, membership.user)
        phones = [Taps(device=f"phone {n}").run("blank-1", 1) for n in range(2)]
        for phone in phones:
            for _ in range(10):
                phone.add("sample-1", "drop_added")

        def send(tap):
            try:
                services.record_events(Determination.across_teams.get(pk=determination.pk), membership.user, [tap] * 2)
            finally:
                connection.close()

        with ThreadPoolExecutor(4) as pool:
            list(pool.map(send, [tap for pair in zip(*(phone.made for phone in phones), strict=True) for tap in pair]))
        bench = selectors.bench_of(determination, selectors.counted_events(determination))
        self.assertEqual(bench.samples[1].count, 20)
