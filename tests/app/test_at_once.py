"""Two people, two tabs or one impatient finger at the same moment: no error page, nothing twice, nothing lost."""

import io
import json
import threading
import time
import uuid
from concurrent.futures import ThreadPoolExecutor
from threading import Barrier
from unittest.mock import patch
from urllib.parse import urljoin, urlsplit

from django.contrib.auth.hashers import check_password, make_password
from django.core.exceptions import ValidationError
from django.db import OperationalError, connection, transaction
from django.http import HttpResponse
from django.test import Client, RequestFactory, TransactionTestCase, override_settings
from django.urls import reverse
from django.utils import timezone

from kessa.core.methods import house_methods
from kessa.pages.account.adapters import AccountAdapter
from kessa.pages.base.deadline import DeadlineMiddleware
from kessa.record.advice.place_status import restate
from kessa.record.determinations.models import Determination
from kessa.record.determinations.state import bench_of
from kessa.record.instruments.models import Instrument
from kessa.record.kits.models import Kit, Lot
from kessa.record.kits.services import archive_lot, use_lot
from kessa.record.methods.models import OwnMethod
from kessa.record.methods.services import begin_draft, keep_draft, publish
from kessa.record.people.models import Membership, User
from kessa.record.places.models import Place
from kessa.record.results.models import PlaceStatus
from kessa.record.rounds.models import Occasion, Round
from kessa.record.taps.models import Tap
from kessa.record.taps.selectors import counted
from kessa.record.taps.services import record, tapped
from kessa.record.testing.repeats import go_on
from kessa.record.testing.services import begin_test
from kessa.record.visits.models import Visit
from kessa.web.settings.base import TIMEOUTS
from tests.app.everything import named, one_of_each
from tests.app.test_hostile import SPARED, Forms
from tests.world import Taps, begin, drawn, led, measured, member, sealed, send, stocked_kit, team_of, visited


class AtOnce(TransactionTestCase):
    def setUp(self):
        self.membership, self.place = team_of("Ines")

    def at_once(self, act, things):
        """Do something with each of these at the same moment."""

        def one(thing):
            try:
                return act(Membership.objects.get(pk=self.membership.pk), thing)
            finally:
                connection.close()

        with ThreadPoolExecutor(4) as pool:
            return list(pool.map(one, things))

    def test_two_phones_on_one_run_neither_lose_nor_double_a_tap(self):
        determination = begin(self.place, self.membership)
        phones = [Taps(device=f"phone {n}").run("blank-1", 1) for n in range(2)]
        for phone in phones:
            for _ in range(10):
                phone.add("sample-1", "drop_added")
        taps = [tap for pair in zip(*(phone.made for phone in phones), strict=True) for tap in pair]
        self.at_once(lambda by, tap: record(by, "bench", determination.pk, [tap] * 2), taps)
        # Neither has seen a tap of the other's: each made a run of its own.
        samples = bench_of(determination, counted(self.place.team_id, determination.pk)).samples
        self.assertEqual({number: state.count for number, state in samples.items()}, {1: 10, 2: 10})

    def test_tests_closed_at_once_at_one_place_all_count_for_how_it_stands(self):
        tests = [
            begin(self.place, self.membership, "nitrate-photometer", days_ago=1),
            begin(self.place, self.membership),
        ]
        closing = [Taps().read(5.5).close(), Taps().answer("ph", 7.2).run("blank-1", 1).run("sample-1", 5).close()]
        for number, (test, taps) in enumerate(zip(tests, closing, strict=True)):
            record(self.membership, "bench", test.pk, taps.made[:-1])
            closing[number] = taps.made[-1:]
        meet = Barrier(2)

        def met(place):
            # Both have written their results, and know nothing of one another's yet.
            meet.wait(20)
            return restate(place)

        with patch("kessa.record.testing.closing.restate", met):
            self.at_once(lambda by, n: record(by, "bench", tests[n].pk, closing[n]), range(2))
        kept = PlaceStatus.objects.for_team(self.place.team).get().advice
        restate(self.place)
        self.assertEqual(PlaceStatus.objects.for_team(self.place.team).get().advice, kept)

    def test_the_same_taps_sent_to_two_tests_at_once_are_acknowledged_where_they_stand(self):
        two = [begin(self.place, self.membership) for _ in range(2)]
        taps = Taps().run("sample-1", 20).made
        stored = self.at_once(lambda by, test: record(by, "bench", test.pk, taps), two)
        self.assertEqual(sum(len(each.kept) for each in stored), len(taps))
        kept = Tap.objects.for_team(self.place.team).filter(pk__in=[tap["id"] for tap in taps]).count()
        self.assertEqual(kept, len(taps))

    def test_going_on_at_once_begins_one_test(self):
        over = measured(self.place, self.membership, 26)
        begun = self.at_once(
            lambda by, _: go_on(by, Determination.across_teams.get(pk=over.determination_id), None), range(4)
        )
        self.assertEqual(len({each.pk for each in begun}), 1)

    def post_at_once(self, address, form):
        """Post a form four times at the same moment; return what was answered."""

        def post(by, _):
            client = Client(raise_request_exception=False)
            client.force_login(by.user)
            return client.post(address, form).status_code

        return self.at_once(post, range(4))

    def test_every_form_sent_four_times_at_once_is_answered_in_words(self):
        """Nothing is an error page, whoever else sends the same; what is unique is there once: the tables see to it."""
        client = Client()
        client.force_login(self.membership.user)
        addresses = [address for _, address in named(one_of_each(self.membership, self.place))]
        for page in (
            "/today/",
            "/rules/house/",
            "/kits/new/",
            "/instruments/new/",
            "/team/",
            "/visits/labels/",
            *addresses,
        ):
            answer = client.get(page)
            if not answer.get("Content-Type", "").startswith("text/html"):
                continue
            for form in Forms(answer.content.decode()).found:
                action = urlsplit(urljoin(f"http://testserver{page}", form["action"])).path
                if form["method"] == "post" and not action.startswith(SPARED):
                    data = {name: offered[0] for name, offered in form["fields"].items() if offered}
                    for status in self.post_at_once(action, data):
                        self.assertLess(status, 500, (action, data))

    def test_what_two_add_under_one_name_stands_once_and_the_others_are_told(self):
        kit = stocked_kit(self.membership)
        lot = {"supply_key": "ph-strip", "number": "B", "units": 20}
        place = {"name": "Weir", "sampling_depth_cm": 20, "usual_way": "wade", "without_limits": "on"}
        probe = {"name": "Probe", "measures": "conductivity", "resolution": "1", "check_every_days": "30"}
        monthly = {"name": "Monthly", "starts_on": "2026-01-01", "shape": "monthly", "which": "-1", "weekday": "SU"}
        for model, under, address, form in (
            (Lot, {"number": "B"}, reverse("kits:add_lot", args=[kit.pk]), lot),
            (Kit, {"name": "Case"}, "/kits/new/", {"name": "Case"}),
            (Place, {"name": "Weir"}, "/places/new/stream/", place),
            (Instrument, {"name": "Probe"}, "/instruments/new/", probe),
            (Round, {"name": "Monthly"}, "/today/rounds/new/", monthly),
        ):
            with self.subTest(address):
                self.assertEqual(sorted(self.post_at_once(address, form)), [302, 422, 422, 422])
                self.assertEqual(model.objects.for_team(self.place.team).filter(**under).count(), 1)

    def test_what_is_begun_or_noted_at_once_is_one(self):
        kit, team = stocked_kit(self.membership), self.place.team
        occasion = {"kind": "thaw", "happened_on": timezone.localdate().isoformat()}
        once = {"once": str(uuid.uuid4()), "purpose": "blank", "kit": kit.pk}
        for model, address, form in (
            (Occasion, "/today/occasion/", occasion),
            (Determination, reverse("bench:begin_check", args=["nitrate-photometer"]), once),
            (OwnMethod, reverse("methods:change", args=["chloride-drops-25"]), {}),
        ):
            with self.subTest(address):
                self.assertEqual(self.post_at_once(address, form), [302] * 4)
                self.assertEqual(model.objects.for_team(team).count(), 1)

    def test_a_lot_put_away_by_two_is_put_away_once_and_comes_into_use_no_more(self):
        lot = stocked_kit(self.membership).lots.get(supply_key="ph-strip")

        def away(by, _):
            try:
                return archive_lot(by, Lot.across_teams.get(pk=lot.pk), why="used up")
            except ValidationError:
                return None

        self.assertEqual(sum(done is not None for done in self.at_once(away, range(4))), 1)
        lot.refresh_from_db()
        self.assertEqual((lot.units_left, lot.in_use), (0, False))
        with self.assertRaisesMessage(ValidationError, "was put away"):
            use_lot(self.membership, lot, timezone.localdate())

    def test_only_a_draft_that_was_checked_comes_into_use(self):
        whole = house_methods()["chloride-drops-25"].snapshot()
        for _ in range(6):
            draft = begin_draft(self.membership, whole)

            def change(by, what, draft=draft):
                try:
                    return what(by, OwnMethod.across_teams.get(pk=draft.pk))
                except ValidationError:
                    return None

            broken = whole | {"steps": []}
            self.at_once(change, [publish, lambda by, held, broken=broken: keep_draft(by, held, broken)])
            draft.refresh_from_db()
            self.assertFalse(draft.published_at and not draft.definition["steps"])
        retired = OwnMethod.across_teams.exclude(published_at=None).first() or publish(
            self.membership, begin_draft(self.membership, whole)
        )
        client = Client()
        client.force_login(self.membership.user)
        following = begin_draft(self.membership, whole, retired.key)
        client.post(reverse("methods:retire", args=[retired.key]))
        client.post(reverse("methods:publish", args=[following.pk]))
        following.refresh_from_db()
        self.assertIsNone(following.published_at)

    def test_a_visit_is_not_paused_once_it_is_closed(self):
        for _ in range(4):
            visit = visited(self.place, self.membership)
            self.at_once(
                lambda by, kind, visit=visit: led(by, Visit.across_teams.get(pk=visit.pk), kind),
                ["paused", "visit_closed"],
            )
            visit.refresh_from_db()
            self.assertIsNotNone(visit.closed_at)
            self.assertIsNone(visit.paused_at)

    def test_going_on_after_each_of_two_over_the_range_begins_one_each(self):
        sample = drawn(self.place, self.membership)
        over = [
            begin_test(self.membership, {"sample": str(sample.pk), "method": "chloride-drops-25"}) for _ in range(2)
        ]
        for each in over:
            send(self.membership, each, Taps().run("blank-1", 1).run("sample-1", 25, endpoint=False).close())
        begun = self.at_once(lambda by, each: go_on(by, Determination.across_teams.get(pk=each.pk), None), over)
        self.assertEqual({each.continues_id for each in begun}, {each.pk for each in over})

    def test_of_a_pin_guessed_on_many_visits_at_once_five_tries_are_looked_at(self):
        olek, tried = member(self.place.team, "Olek"), []
        olek.user.pin = make_password("518236")
        olek.user.save()

        def slow(pin, kept):
            tried.append(pin)
            time.sleep(0.1)
            return check_password(pin, kept)

        def guess(by, pin):
            visit = visited(self.place, by)
            led(by, visit, "handed_over", taker=olek.user_id)
            data = {"taker": olek.user_id, "pin": sealed(pin, f"{visit.pk} {olek.user_id}")}
            return len(record(by, "visit", visit.pk, [tapped("took_over", data, seq=901)]).kept)

        with patch("kessa.record.people.pins.check_password", slow):
            kept = self.at_once(guess, [f"{n}" * 6 for n in range(8)])
            self.assertEqual((sum(kept), guess(self.membership, "518236")), (0, 0))
        self.assertEqual(len(set(tried)), 5)


class Stuck(TransactionTestCase):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client = Client(raise_request_exception=False)
        self.client.force_login(self.membership.user)

    def taps_to(self, determination):
        """Send three drops."""
        batch = {"taps": Taps().run("sample-1", 3).made, "known": 0}
        address = f"/taps/bench/{determination.pk}/"
        return self.client.post(address, batch, content_type="application/json").status_code

    def test_a_row_that_is_held_costs_one_test_and_not_the_site(self):
        held, free = (begin(self.place, self.membership) for _ in range(2))
        holding, let_go = threading.Event(), threading.Event()

        def hold():
            with transaction.atomic():
                Determination.across_teams.select_for_update().get(pk=held.pk)
                holding.set()
                let_go.wait(20)
            connection.close()

        holder = threading.Thread(target=hold)
        holder.start()
        holding.wait(10)
        # As long as the application waits: the tests, on a busy machine, wait longer.
        self.addCleanup(connection.close)
        with connection.cursor() as cursor:
            cursor.execute(f"SET lock_timeout = '{TIMEOUTS['lock_timeout']}'")
        # It does not wait until the lock is free.
        self.assertEqual(self.taps_to(held), 503)
        self.assertEqual(self.taps_to(free), 200)
        self.assertEqual(self.client.get("/today/").status_code, 200)
        let_go.set()
        holder.join()
        self.assertEqual(self.taps_to(held), 200)

    def test_neither_hashing_nor_a_slow_line_is_held_against_a_request(self):
        def slowly(*_, **__):
            time.sleep(0.4)
            return True

        class Slow(io.BytesIO):
            def read(self, *size):
                time.sleep(0.4)
                return super().read(*size)

        body = json.dumps({"taps": [], "known": 0}).encode()
        address = reverse("taps:receive", args=["visit", uuid.uuid4()])
        with override_settings(REQUEST_SECONDS=0.3):
            how = {"wsgi.input": Slow(body), "CONTENT_LENGTH": len(body), "CONTENT_TYPE": "application/json"}
            self.assertEqual(self.client.post(address, **how).status_code, 404)
            with patch("kessa.pages.account.adapters.DefaultAccountAdapter.authenticate", side_effect=slowly):
                adapter = AccountAdapter(None)

                def view(request):
                    adapter.authenticate(request, username="per", password="white tile")
                    return HttpResponse(User.objects.count())

                middleware = DeadlineMiddleware(view)
                request = RequestFactory().get("/")
                middleware.process_view(request)
                self.assertEqual(middleware(request).status_code, 200)

    def test_what_takes_too_long_is_ended_and_tried_again(self):
        with override_settings(REQUEST_SECONDS=0):
            page = self.client.get("/today/")
        self.assertContains(page, "tries again by itself", status_code=503)
        self.assertEqual(page["Retry-After"], "5")
        with connection.cursor() as cursor:
            cursor.execute("SHOW statement_timeout")
            self.assertNotEqual(cursor.fetchone(), ("0",))
            cursor.execute("SET statement_timeout = 50")
            with self.assertRaises(OperationalError):
                cursor.execute("SELECT pg_sleep(5)")
        connection.close()

        def slow(*_):
            with connection.cursor() as cursor:
                cursor.execute("SET statement_timeout = 50")
                cursor.execute("SELECT pg_sleep(5)")

        # Narrowed so that no answer comes, it would not come the next time.
        with patch("kessa.pages.log.views.page_after", side_effect=slow):
            page = self.client.get("/log/?kind=boiler")
            self.assertContains(page, "Ask for less at once", status_code=503)
            self.assertNotIn("Retry-After", page)
            connection.close()
            self.assertContains(self.client.get("/log/"), "tries again by itself", status_code=503)
        connection.close()
