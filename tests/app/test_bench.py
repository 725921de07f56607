"""The bench through its services and its addresses."""

import json
import random
import uuid
from datetime import timedelta
from unittest.mock import patch

from django.core.exceptions import ValidationError
from django.db import OperationalError
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from kessa.core.methods import families
from kessa.core.runs.conclusion import Blank, conclude
from kessa.record.determinations.state import bench_of
from kessa.record.people.acts import NotAllowed
from kessa.record.results import history
from kessa.record.results.models import Result
from kessa.record.taps.hands import whose
from kessa.record.taps.models import Tap
from kessa.record.taps.selectors import counted
from kessa.record.taps.services import record
from kessa.record.testing.repeats import go_on, repeat
from kessa.record.testing.services import begin_test, reopen
from kessa.record.testing.stream import TestStream
from tests.app.pages import PageTest
from tests.world import Taps, begin, drawn, measured, member, send, standing, team_of


class Recording(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.determination = begin(self.place, self.membership)

    def bench(self):
        return bench_of(self.determination, counted(self.place.team_id, self.determination.pk))

    def record(self, taps, by=None):
        return send(by or self.membership, self.determination, taps)

    def test_replayed_and_shuffled_batches_change_nothing(self):
        taps = Taps().run("blank-1", 1).run("sample-1", 8).run("sample-2", 7).made
        for seed in range(4):
            random.Random(seed).shuffle(taps)
            for start in range(0, len(taps), 5):
                stored = self.record(taps[start : start + 5] * 2)
                self.assertFalse(stored.refused)
        self.assertEqual(self.bench().outcomes["main"].quantity.value, 30)
        # The first tap is the one by which the test began.
        self.assertEqual(
            Tap.objects.for_team(self.place.team).filter(stream=self.determination.pk).count(), len(taps) + 1
        )

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
            {**good, "id": str(uuid.uuid4()), "kind": "timer_started", "data": {"step": 0, "seconds": 30}},
            {**good, "id": str(uuid.uuid4()), "kind": "end_called", "data": {"endpoint": "yes"}},
            {**good, "id": str(uuid.uuid4()), "at": "0001-01-01T00:00:00+00:00"},
            {**good, "id": str(uuid.uuid4()), "device": "x" * 41},
            {**good, "id": str(uuid.uuid4()), "device": "\0"},
            {**good, "id": str(uuid.uuid4()), "device": "\ud800"},
            {**good, "id": str(uuid.uuid4()), "whose": "Olek's"},
            {**good, "id": str(uuid.uuid4()), "kind": "corrected", "data": {"count": 3}},
            {**good, "id": str(uuid.uuid4()), "run": "", "kind": "reopened"},
        ]
        stored = self.record([*bad, good])
        self.assertEqual((len(stored.refused), stored.kept), (len(bad), [good["id"]]))
        self.assertEqual(self.bench().samples[1].count, 1)

    def test_what_no_instrument_shows_is_refused_where_it_is_typed_and_by_the_server_alike(self):
        for method, reading, refusal in (
            ("conductivity-meter", {"display": 620, "display_unit": "mS/cm"}, "from 0 to 200000 µS/cm"),
            ("conductivity-meter", {"display": 500, "temperature_c": 250}, "from -40 to 120 °C"),
            ("temperature-thermometer", {"display": 300, "display_unit": "degF"}, "from -40 to 120 °C"),
            ("nitrate-photometer", {"display": 45}, "from 0 to 40 mg/L"),
            ("nitrate-photometer", {"absorbance": 30}, "from -1 to 6"),
            ("nitrate-photometer", {"absorbance": 0.3, "path_mm": 1000}, "from 1 to 100 mm"),
            ("secchi-depth", {"down": 20_000, "up": 90}, "from 0 to 10000 cm"),
            ("oxygen-burette", {"start": 0, "end": 92}, "from 0 to 25 mL"),
            ("oxygen-burette", {"start": 0, "end": 9, "used_before": 2000}, "from 0 to 1000 mL"),
        ):
            with self.subTest(method, reading=reading):
                test = begin(self.place, self.membership, method)
                ((_, given),) = send(self.membership, test, Taps().read(reading).made).refused
                self.assertIn(f"not on the scale. It runs {refusal}.", given)
        meter = begin(self.place, self.membership, "conductivity-meter")
        for strange in ({"display": 1, "display_unit": [1, 2]}, {"display": "1"}, {"display": [3, 4]}):
            self.assertEqual(len(send(self.membership, meter, Taps().read(strange).made).refused), 1)
        burette = test.method.main.model_copy(update={"holds_ml": 10.0})
        self.assertEqual((burette.spans["start"].most, burette.spans["end"].most), (10, 10))
        self.client.force_login(self.membership.user)
        page = self.client.get(reverse("bench:determination", args=[test.pk])).content.decode()
        self.assertIn('data-min="0" data-max="1000" data-field="used_before"', page)
        self.assertIn('data-min="0.0" data-max="25.0"', page)

    def test_a_tap_cannot_be_moved_to_another_test(self):
        taps = Taps().run("sample-1", 3).made
        self.record(taps)
        other = begin(self.place, self.membership)
        stored = send(self.membership, other, taps)
        self.assertEqual((stored.kept, len(stored.refused)), ([], len(taps)))

    def test_a_page_sent_twice_begins_once_and_two_tests_are_two(self):
        data = {"sample": str(self.determination.sample_id), "method": "chloride-drops-25"}
        number = uuid.uuid4()
        begun = [begin_test(self.membership, data, number=number).pk for _ in range(2)]
        self.assertEqual(begun, [number, number])
        self.assertNotEqual(begin_test(self.membership, data).pk, number)

    def test_a_whole_test_can_come_at_once_from_a_browser_that_had_no_signal(self):
        sample = drawn(self.place, self.membership)
        number, taps = uuid.uuid4(), Taps(seq=0)
        data = {"sample": str(sample.pk), "method": "chloride-drops-25", "version": 2, "rules": {"endpoint": "before"}}
        taps.add("", "test_begun", **data)
        taps.run("blank-1", 1).run("sample-1", 8).run("sample-2", 8).close()
        random.Random(3).shuffle(taps.made)
        stored = record(self.membership, "bench", number, taps.made)
        self.assertEqual((stored.refused, len(stored.kept)), ([], len(taps.made)))
        # The house rules are the team's, whatever a browser says.
        self.assertEqual(Result.objects.for_team(self.place.team).get(determination=number).value, 32)

    def test_what_begins_nothing_is_said(self):
        for change, words in (
            ({"method": "alchemy"}, "not among your team's"),
            ({"sample": str(uuid.uuid4())}, "no such sample"),
            ({"sample": "x"}, "UUID"),
            ({"dilution": 0.5}, "1 in 1 or more"),
            ({"dilution": "much"}, "must be a number"),
            ({"method": "ph-meter", "dilution": 2}, "says nothing by this method"),
            ({"kit": 4711}, "no such kit"),
            ({"instrument": "x"}, "no such instrument"),
            ({"purpose": "fun"}, "is run on"),
            ({"continues": str(self.determination.pk)}, "no such closed test"),
            ({"against": {"expected": "x"}}, "held against"),
        ):
            data = {"sample": str(self.determination.sample_id), "method": "chloride-drops-25", **change}
            with self.subTest(change), self.assertRaisesMessage(ValidationError, words):
                begin_test(self.membership, data)

    def test_a_closing_is_always_kept_and_closes_nothing_where_nothing_is_finished(self):
        early = Taps()
        early.add("sample-1", "drop_added")
        for taps in (Taps().close(), early.close()):
            stored = self.record(taps)
            self.assertEqual((stored.refused, self.determination.closed_at), ([], None))
        later = Taps(seq=40).run("sample-1", 8).run("sample-2", 8)
        self.assertEqual(self.record(later.close()).refused, [])
        self.assertIsNotNone(self.determination.closed_at)

    def test_a_test_takes_taps_without_end_from_nobody_but_its_closing_always(self):
        determination = begin(self.place, self.membership)
        taps = Taps().run("blank-1", 1).run("sample-1", 8)
        with patch.object(TestStream, "most", 6):
            stored = send(self.membership, determination, taps.close())
            late = send(self.membership, determination, Taps(seq=50).run("sample-1", 20))
        self.assertEqual({reason for _, reason in stored.refused}, {"There is no room for more taps here."})
        self.assertEqual((len(stored.kept), len(late.kept)), (6, 0))
        self.assertIn(taps.made[-1]["id"], stored.kept)

    def test_runs_that_cannot_be_compared_block_nothing(self):
        cold = {"steps": [{"kind": "read", "text": "Read"}], "agreement": {"rule": "relative", "within": 10}}
        determination = begin(self.place, self.membership, "temperature-thermometer")
        determination.method_definition |= cold
        determination.save()
        stored = send(self.membership, determination, Taps().read(-0.5, 0.5))
        page = reverse("bench:determination", args=[determination.pk])
        self.client.force_login(self.membership.user)
        self.assertEqual((stored.refused, self.client.get(page).status_code), ([], 200))
        send(self.membership, determination, Taps(seq=9).close())
        result = standing(determination)
        self.assertIn("not-comparable", result.flags)
        self.assertContains(self.client.get(reverse("results:result", args=[result.pk])), "too unlike to compare")

    def test_the_result_can_be_computed_again_from_what_it_keeps(self):
        result = measured(self.place, self.membership, 8, 7)
        readings = {run.pop("number"): run for run in result.readings["runs"]}
        method = result.determination.method
        blank = Blank(**result.readings["blank"])
        again = conclude(method, method.main, readings, blank, result.readings["dilution"])
        self.assertEqual(again.quantity, result.quantity)
        self.assertEqual((result.value, result.low, round(result.high, 1), result.verdict), (30, 22, 32.3, "inside"))
        ends = Tap.objects.for_team(self.place.team).filter(kind="end_called", stream=result.determination_id)
        made_from = set(result.made_from["taps"])
        self.assertEqual(made_from, {str(tap.pk) for tap in ends if tap.run.startswith("sample")})

    def test_taps_after_closing_are_kept_and_marked_and_do_not_count(self):
        result = measured(self.place, self.membership, 8, 7)
        late = Taps(seq=90).run("sample-3", 20)
        for _ in range(2):
            stored = send(self.membership, result.determination, late)
            self.assertEqual(len(stored.late), 21)
        again = Result.objects.for_team(self.place.team).get(pk=result.pk)
        self.assertEqual((again.value, again.determination.late_taps), (30, 21))

    def test_over_the_range_goes_on_with_everything_carried_over_and_in_the_top_range_dilutes(self):
        first = measured(self.place, self.membership, 26, blank=2)
        self.assertEqual((first.censor, first.value), (">", 100))
        self.assertIn("10 mL", first.test_asks[0])
        second = go_on(self.membership, first.determination, None)
        self.assertEqual(go_on(self.membership, first.determination, None), second)
        self.assertEqual((second.sample, second.blank_carried), (first.determination.sample, 2))
        send(self.membership, second, Taps().run("sample-1", 25, endpoint=False).close())
        third = go_on(self.membership, second, None)
        send(self.membership, third, Taps().run("sample-1", 25, endpoint=False).close())
        self.assertIn("Dilute", standing(third).test_asks[0])
        with self.assertRaisesMessage(ValidationError, "how far to dilute"):
            go_on(self.membership, third, None)
        diluted = go_on(self.membership, third, 10)
        send(self.membership, diluted, Taps().run("sample-1", 4).run("sample-2", 4).close())
        result = standing(diluted)
        self.assertEqual((result.value, result.low, result.verdict), (2000, 500, "outside"))
        self.assertEqual(result.flags[:2], ["blank-questionable", "diluted"])
        with self.assertRaisesMessage(ValidationError, "not over its range"):
            go_on(self.membership, diluted, 2)

    def test_a_further_run_supersedes_only_when_it_is_written(self):
        before = measured(self.place, self.membership, 8)
        reopen(self.membership, before.determination, why="was alone")
        self.assertEqual(standing(before.determination), before)
        send(self.membership, before.determination, Taps(seq=100).run("sample-2", 9).close())
        after = standing(before.determination)
        self.assertEqual((before.value, after.value), (32, 34))
        further = after.marks.get(flag="further-run")
        self.assertEqual((further.why, further.by), ("was alone", self.membership.user))
        self.assertEqual(before.marks.get(flag="superseded").replaced_by, after)

    def test_opening_again_and_repeating_take_who_ran_it_or_someone_with_the_right(self):
        result = measured(self.place, self.membership, 8, 8)
        olek = member(self.place.team, "Olek")
        for act in (repeat, reopen):
            with self.assertRaisesMessage(NotAllowed, "tests they ran"):
                act(olek, result.determination, why="wrong bottle")
        again = repeat(self.membership, result.determination, why="wrong bottle")
        aside = result.marks.get(flag="set-aside")
        self.assertEqual((again.supersedes, aside.why), (result.determination, "wrong bottle"))
        with self.assertRaisesMessage(ValidationError, "Nothing of this test stands"):
            repeat(self.membership, result.determination, why="twice")

    def test_what_another_tapped_is_theirs_to_take_back(self):
        olek, per = member(self.place.team, "Olek"), member(self.place.team, "Per", "technician")
        drop = Taps().add("sample-1", "drop_added")
        self.record([drop])
        back = Taps(seq=5)
        back.add("sample-1", "taken_back", of=drop["id"])
        self.assertIn("somebody else's", self.record(back, by=olek).refused[0][1])
        self.assertEqual(self.bench().samples[1].count, 1)
        again = Taps(seq=6)
        again.add("sample-1", "taken_back", of=drop["id"])
        self.assertEqual(self.record(again, by=per).refused, [])
        self.assertEqual(self.bench().samples[1].count, 0)

    def test_a_tap_stays_whose_it_is_whoever_sends_it_and_every_run_names_its_reader(self):
        olek, per = member(self.place.team, "Olek"), member(self.place.team, "Per", "technician")
        mine = [{**tap, "whose": whose(olek)} for tap in Taps().run("sample-1", 8).made]
        self.record(mine, by=per)
        self.record(Taps(seq=30).run("sample-2", 8).close(), by=per)
        taps = Tap.objects.for_team(self.place.team).filter(pk__in=[tap["id"] for tap in mine])
        self.assertEqual({(tap.person_id, tap.sent_by_id) for tap in taps}, {(olek.user_id, per.user_id)})
        result = standing(self.determination)
        self.assertEqual((result.tested_by, result.person), ("Olek (sent by Per) and Per", per.user))
        stranger = whose(team_of("Ulf")[0])
        foreign = [{**tap, "whose": stranger} for tap in Taps(seq=90).run("sample-3", 1).made]
        self.assertIn("another team's", self.record(foreign, by=per).waits[0][1])

    def test_a_wrong_clock_moves_nothing_to_another_day(self):
        taps = Taps(days_ago=9000).run("sample-1", 8).run("sample-2", 8).close()
        sent_at = timezone.now() - timedelta(days=9000)
        record(self.membership, "bench", self.determination.pk, taps.made, sent_at)
        self.determination.refresh_from_db()
        self.assertLess(timezone.now() - self.determination.closed_at, timedelta(minutes=1))
        other = begin(self.place, self.membership)
        late = Taps(days_ago=-400).run("sample-1", 8).close()
        send(self.membership, other, late)
        self.assertLessEqual(other.closed_at, timezone.now())

    def test_a_determination_outlives_its_method_and_the_rules_it_began_with(self):
        with patch("kessa.record.testing.services.methods_of", lambda team_id: {}):
            with self.assertRaisesMessage(ValidationError, "not among your team's"):
                begin(self.place, self.membership)
            self.record(Taps().run("sample-1", 5).run("sample-2", 5).close())
        self.assertEqual(standing(self.determination).value, 20)

    def test_usual_and_the_first_range_come_from_the_places_history(self):
        family = families()["chloride-drops"]
        self.assertIn("No history", history.suggested_method(self.place, family, "Cl")[1])
        for days in range(8, 0, -1):
            measured(self.place, self.membership, 8, 8, days_ago=days)
        self.assertEqual(history.usual_at(self.place, history.series_of(family[0], family[0].main, "Cl")).median, 32)
        unusual = measured(self.place, self.membership, 24, 24)
        self.assertEqual((unusual.flags, unusual.verdict), (["unusual"], "inside"))
        self.client.force_login(self.membership.user)
        page = self.client.get(reverse("results:result", args=[unusual.pk]))
        self.assertContains(page, "Not usual for this place")
        for days in range(20):
            begun = begin(self.place, self.membership, "chloride-drops-10", days_ago=days / 99)
            send(self.membership, begun, Taps().run("sample-1", 15).run("sample-2", 15).close())
        self.assertEqual(history.suggested_method(self.place, family, "Cl")[0].key, begun.method_key)

    def test_too_little_history_to_be_usual_still_tells_the_range(self):
        family = families()["chloride-drops"]
        measured(self.place, self.membership, 24, 24)
        suggested, why = history.suggested_method(self.place, family, "Cl")
        self.assertEqual((suggested.key, why), ("chloride-drops-10", "The last one here was 96 mg/L as Cl."))

    def test_what_cannot_be_trusted_teaches_nothing(self):
        for days in range(9, 0, -1):
            measured(self.place, self.membership, 8, 8, days_ago=days)
        lowest = families()["chloride-drops"][0]
        series = history.series_of(lowest, lowest.main, "Cl")
        self.assertEqual(history.usual_at(self.place, series).n, 9)
        for result in Result.objects.for_team(self.place.team)[:2]:
            result.marks.create(team=self.place.team, flag="lot-expired", at=timezone.now())
        self.assertIsNone(history.usual_at(self.place, series))


class Addresses(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)
        self.determination = begin(self.place, self.membership)

    def post(self, body, **kwargs):
        address = reverse("taps:receive", args=["bench", self.determination.pk])
        body = body if isinstance(body, bytes | str) else json.dumps(body)
        return self.client.post(address, body, content_type="application/json", **kwargs)

    def test_a_batch_is_answered_with_what_others_tapped_and_the_outcome_when_it_is_asked_for(self):
        first = Taps().run("sample-1", 8).made
        self.assertNotIn("taps", self.post({"taps": first, "known": 1}).json())
        reply = self.post({"taps": [], "known": 0}).json()
        self.assertEqual({tap["id"] for tap in reply["taps"]} - {tap["id"] for tap in first}, {reply["taps"][0]["id"]})
        self.assertNotIn("taps", self.post({"taps": [], "known": 10}).json())
        self.assertContains(self.client.get(reverse("bench:outcome", args=[self.determination.pk])), "32")
        closed = self.post({"taps": Taps(seq=50).close().made, "known": 10}).json()
        self.assertContains(self.client.get(closed["page"], follow=True), "one run only")

    def test_a_drop_and_an_empty_poll_are_cheap(self):
        self.post({"taps": Taps().run("blank-1", 1).run("sample-1", 8).made, "known": 1})
        drop = Taps(seq=60)
        drop.add("sample-2", "drop_added")
        with self.assertNumQueries(7):  # one of them is this test's own savepoint
            self.post({"taps": drop.made, "known": 12})
        with self.assertNumQueries(2):
            self.post({"taps": [], "known": 13})

    def test_what_is_no_batch_gets_a_clear_answer(self):
        for body in ("{", "[]", '{"taps": 3, "known": 0}', "[" * 100_000, {"taps": [{}] * 501, "known": 0}):
            response = self.post(body)
            self.assertEqual((response.status_code, "error" in response.json()), (400, True))
        response = self.post(b"x" * 10_000_000)
        self.assertEqual((response.status_code, "Send less" in response.json()["error"]), (413, True))
        self.client.logout()
        self.assertEqual(self.post({"taps": [], "known": 0}).status_code, 401)

    def test_a_lost_database_is_said_and_no_traceback_shown(self):
        self.client.raise_request_exception = False
        with patch("kessa.record.taps.services.record", side_effect=OperationalError("gone")):
            response = self.post({"taps": [], "known": 0})
        self.assertEqual(response.status_code, 503)
        self.assertIn("kept in your browser", response.json()["error"])
        with patch("kessa.pages.bench.views.open_determinations", side_effect=OperationalError("gone")):
            self.assertContains(self.client.get("/bench/"), "tries again by itself", status_code=503)

    def test_every_post_needs_its_token(self):
        strict = Client(enforce_csrf_checks=True)
        strict.force_login(self.membership.user)
        for name in ("results:further_run", "results:repeat", "results:go_on", "quality:withdraw_check"):
            response = strict.post(reverse(name, args=[self.determination.pk]))
            self.assertEqual(response.status_code, 403, name)
        taps = strict.post(reverse("taps:receive", args=["bench", self.determination.pk]))
        self.assertEqual(taps.status_code, 403)

    def test_a_sample_of_the_future_or_below_nothing_is_refused_with_the_field(self):
        address = reverse("samples:sample", args=[self.place.pk])
        tomorrow = timezone.localtime() + timedelta(days=1)
        good = {"drawn_at": f"{timezone.localtime():%Y-%m-%dT%H:%M}", "drawn_by": self.membership.user_id}
        for change, words in (
            ({"drawn_at": f"{tomorrow:%Y-%m-%dT%H:%M}"}, "still to come"),
            ({"drawn_at": "1026-11-23T10:00"}, "more than a year ago"),
            ({"drawn_at": "soon"}, "valid date"),
            ({"depth_cm": "-3"}, "greater than or equal to 0"),
            ({"water_temperature_c": "400"}, "less than or equal to 120"),
            ({"drawn_by": "999999"}, "valid choice"),
        ):
            with self.subTest(change):
                self.assertContains(self.client.post(address, {**good, **change}), words, status_code=422)
        self.assertEqual(self.client.post(address, good).status_code, 302)

    def test_closing_and_reopening_over_the_web(self):
        result = measured(self.place, self.membership, 26)
        page = self.client.get(reverse("results:result", args=[result.pk]))
        self.assertContains(page, "Go on with the 10 mL vessel")
        self.assertContains(page, "above <span")
        on = self.client.post(reverse("results:go_on", args=[result.determination_id]))
        self.assertContains(self.client.get(on.url), "Blank carried over")
        refused = self.client.post(reverse("results:further_run", args=[result.determination_id]), follow=True)
        self.assertContains(refused, "Say why")
        reopened = self.client.post(reverse("results:further_run", args=[result.determination_id]), {"why": "doubt"})
        self.assertRedirects(reopened, reverse("bench:determination", args=[result.determination_id]))
