"""What instruments say: by a key, a file, a socket; offered on the bench, and named by the record."""

import json
import socket
import threading
import time
from datetime import timedelta
from itertools import islice
from queue import SimpleQueue
from unittest.mock import patch

from django.core.cache import cache
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.utils import timezone
from django.utils.html import escape

from kessa.core.adapters import ADAPTERS
from kessa.core.errors import CannotCompute
from kessa.doors.instruments import bridge
from kessa.doors.instruments.standins import STANDINS, memory, serve
from kessa.record.api_keys.models import Key
from kessa.record.api_keys.services import make_key, new_key_secret
from kessa.record.instruments.models import Instrument, ReceivedReading
from kessa.record.instruments.services import keep_instrument, take_readings
from kessa.record.instruments.tasks import clear
from kessa.record.methods.models import OwnMethod
from kessa.record.people.models import Act, Team
from kessa.record.results.models import Result
from tests.app.pages import sign_in
from tests.world import Taps, begin, send, stocked_kit, team_of


class Instruments(TestCase):
    def setUp(self):
        cache.clear()
        self.ines, self.place = team_of("Ines")
        self.team = self.ines.team
        self.photometer = self.kept("Photometer", "photometer", "mg/L")
        sign_in(self.client, self.ines.user)

    def kept(self, name, measures, unit):
        row = Instrument(team=self.team, name=name, measures=measures, unit=unit, resolution=0.01)
        return keep_instrument(self.ines, row)

    def key(self, instrument=None, scopes=("shown",)):
        secret = new_key_secret()
        ends = timezone.now() + timedelta(days=1)
        make_key(self.ines, Key(name="box", scopes=list(scopes), instrument=instrument, ends_at=ends), secret)
        return secret

    def send(self, rows, key, instrument=None):
        return self.client.post(
            f"/api/v1/instruments/{(instrument or self.photometer).pk}/shown",
            json.dumps(rows),
            content_type="application/json",
            HTTP_AUTHORIZATION=f"Bearer {key}",
        )

    def test_an_instrument_sends_by_its_own_key_and_no_other(self):
        other, key = self.kept("Second", "photometer", "mg/L"), self.key(self.photometer)
        shown = [{"display": 2.13, "unit": "mg/L", "at": timezone.now().isoformat()}]
        self.assertEqual(self.send(shown, key).json(), {"new": 1})
        self.assertEqual(self.send(shown, key).json(), {"new": 0})
        # A clock that is ahead: twice is harmless all the same.
        ahead = [{"display": 2.2, "unit": "mg/L", "at": (timezone.now() + timedelta(minutes=1)).isoformat()}]
        self.assertEqual([self.send(ahead, key).json()["new"] for _ in range(2)], [1, 0])
        self.assertEqual(self.send(shown, key, other).status_code, 403)
        self.assertEqual(self.client.get("/api/v1/results", HTTP_AUTHORIZATION=f"Bearer {key}").status_code, 403)
        self.assertEqual(self.send(shown, self.key(scopes=["read"])).status_code, 403)
        for wrong, words in (
            ([{"unit": "mg/L"}], "shows a number"),
            ([{"display": 1, "unit": "uS/cm"}], "shows mg/L, not uS/cm"),
            ([{"display": 1, "unit": "mg/L", "at": "2190-01-01T00:00:00Z"}], "clock is wrong"),
        ):
            answer = self.send(wrong, key)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.json()["error"])
        self.assertEqual(self.send(shown * 501, key).status_code, 422)
        stranger, _ = team_of("Maud")
        self.client.force_login(stranger.user)
        self.assertEqual(self.client.get("/instruments/shown/?measures=photometer").json(), {"shown": []})
        sign_in(self.client, self.ines.user)
        data = {"name": "x", "scopes": ["read", "shown"], "days": 7, "instrument": self.photometer.pk}
        self.assertContains(self.client.post("/api/", data), "and nothing else", status_code=422)

    def test_what_it_shows_is_offered_and_the_record_says_where_it_came_from(self):
        key = self.key(self.photometer)
        old = (timezone.now() - timedelta(hours=2)).isoformat()
        self.send([{"display": 9.9, "unit": "mg/L", "at": old}, {"display": 2.1, "unit": "mg/L"}], key)
        offered = self.client.get("/instruments/shown/?measures=photometer").json()["shown"]
        self.assertEqual([(each["display"], each["instrument"]) for each in offered], [(2.1, "Photometer")])
        self.assertEqual(self.client.get("/instruments/shown/?measures=ph").json()["shown"], [])
        test = begin(self.place, self.ines, "nitrate-photometer", instrument=self.photometer.pk)
        foreign = ReceivedReading.objects.create(
            team=team_of("Maud")[0].team, instrument=self.photometer, at=timezone.now(), display=1.0, unit="mg/L"
        )
        taps = Taps()
        for run, shown in (("sample-1", offered[0]["id"]), ("sample-2", foreign.pk)):
            taps.add(run, "reading_taken", part="main", reading={"display": 2.1}, shown=shown)
        self.assertEqual(send(self.ines, test, taps.close()).refused, [])
        told = self.client.get(f"/log/of/{test.pk}/taps/")
        self.assertContains(told, "taken over from Photometer", count=1)
        # A month later what nobody took over is forgotten, and no act was left for each.
        self.assertEqual(Act.objects.for_team(self.team).filter(what__startswith="readings of an instr").count(), 0)
        ReceivedReading.across_teams.update(came_at=timezone.now() - timedelta(days=31))
        self.send([{"display": 2.2, "unit": "mg/L"}], key)
        clear(timestamp=0)
        kept = ReceivedReading.objects.for_team(self.team).order_by("display")
        self.assertEqual([row.display for row in kept], [2.1, 2.2])

    def test_a_device_that_posts_each_second_costs_the_same_each_time(self):
        key = self.key(self.photometer)
        begun = timezone.now() - timedelta(hours=1)
        queries = []
        for many in (1, 1, 300):
            rows = [
                {"display": 2.0, "unit": "mg/L", "at": (begun + timedelta(seconds=len(queries) * 1000 + n)).isoformat()}
                for n in range(many)
            ]
            with CaptureQueriesContext(connection) as asked:
                self.assertEqual(self.send([*rows, rows[0]], key).json(), {"new": many})
            queries.append(asked.captured_queries)
        self.assertEqual(len(queries[1]), len(queries[2]))
        said = [each["sql"] for each in queries[2] if each["sql"].split()[0] in ("SELECT", "INSERT", "UPDATE")]
        self.assertLessEqual(len(said), 5, said)
        about = [each["sql"] for each in queries[2] if "receivedreading" in each["sql"]]
        self.assertEqual(len(about), 2, "what is there of these, and what is new")
        self.assertFalse(any("COUNT(" in sql for sql in about))

    def calibrate(self, instrument, **data):
        return self.client.post(f"/instruments/{instrument.pk}/calibrate/", data, follow=True)

    def test_a_calibration_that_fails_marks_what_was_read_since_the_last_good_one(self):
        meter = self.kept("pH meter", "ph", "pH")
        Instrument.objects.for_team(self.team).filter(pk=meter.pk).update(
            calibrate_every_uses=2, calibrate_every_days=30
        )
        good = self.calibrate(meter, points="4.01 171\n7.00 -2\n10,01; -172", temperature_c=22, lots="B-7, C-1")
        self.assertContains(good, "It passed.")
        self.assertContains(good, "97.6")
        take_readings(self.ines, meter, ADAPTERS["ph"].read_all(["pH=7.31 mV=-18.2 T=18.4"]), "its key")
        now, of_none = (f"/instruments/{each.pk}/calibrate/shown/" for each in (meter, self.photometer))
        fills = escape('{"points": "-18.2", "temperature_c": 18.4}')
        self.assertContains(self.client.get(f"/instruments/{meter.pk}/calibrate/"), fills)
        self.assertContains(self.client.get(now), fills)
        self.assertEqual(self.client.get(f"{now}?newest={meter.readings.get().pk}").status_code, 204)
        self.assertEqual(self.client.get(f"{of_none}?newest=").status_code, 204)
        meter.refresh_from_db()
        self.assertEqual(meter.calibration_due, timezone.localdate() + timedelta(days=30))
        results = []
        for _ in range(3):
            test = begin(self.place, self.ines, "ph-meter", instrument=meter.pk)
            taps = Taps().read({"display": 7.3, "temperature_c": 12.0}, {"display": 7.31, "temperature_c": 12.0})
            send(self.ines, test, taps.close())
            results.append(Result.objects.for_team(self.team).current().get(determination=test))
        self.assertNotIn("check-overdue", results[0].flags)
        self.assertIn("check-overdue", results[2].flags)
        bad = self.calibrate(meter, points="4.01 150\n7.00 -2\n10.01 -150", temperature_c=22)
        meter.refresh_from_db()
        self.assertEqual(meter.calibration_due, timezone.localdate())
        self.assertContains(bad, "It failed")
        self.assertIn("check-failed", Result.objects.for_team(self.team).get(pk=results[0].pk).flags)
        self.assertContains(self.client.get(f"/instruments/{meter.pk}/"), "calibration: slope, %")
        for given in ({}, {"points": "4 x", "temperature_c": 22}, {"points": "4 1\n4.1 2", "temperature_c": 22}):
            self.assertEqual(self.client.post(f"/instruments/{meter.pk}/calibrate/", given).status_code, 422)
        logger = self.kept("Logger", "water_temperature", "degC")
        self.assertEqual(self.client.get(f"/instruments/{logger.pk}/calibrate/").status_code, 404)

    def test_a_photometers_line_is_drawn_and_a_method_is_begun_by_it(self):
        points = "0 0.003\n0.5 0.102\n1 0.201\n2 0.398\n3 0.602\n4 0.797"
        self.assertContains(self.calibrate(self.photometer, points=points), "Good from 0.14 to 4")
        page = self.client.post(
            f"/instruments/{self.photometer.pk}/line/", {"method": "nitrate-photometer"}, follow=True
        )
        self.assertEqual(page.status_code, 200)
        own = OwnMethod.objects.for_team(self.team).get().definition["parts"][0]["numbers"]
        self.assertEqual((own["slope"], own["intercept"], own["range"]), (0.198884, 0.002453, [0.14, 4.0]))
        bent = "0 0\n1 0.188\n2 0.352\n3 0.492\n4 0.608\n5 0.701"
        self.assertContains(self.calibrate(self.photometer, points=bent), "The points bend")
        self.assertEqual(self.client.post(f"/instruments/{self.photometer.pk}/line/", {}).status_code, 404)

    def test_conductivity_and_oxygen(self):
        cell, probe = self.kept("Cell", "conductivity", "uS/cm"), self.kept("Probe", "oxygen", "mg/L")
        data = {"standard": 1413, "shown": 1390, "constant": 1, "temperature_c": 25, "compensated": "on"}
        self.assertContains(self.calibrate(cell, **data), "1.02")
        self.assertContains(self.calibrate(cell, **data | {"shown": 900}), "It failed")
        self.assertContains(self.calibrate(probe, shown=9.0, temperature_c=20, pressure_kpa=101.3), "would hold 9.09")
        self.assertEqual(self.calibrate(probe, shown=9, temperature_c=90, pressure_kpa=101).status_code, 422)

    def test_a_balance_is_offered_where_drops_are_weighed(self):
        balance = self.kept("Balance", "weight", "g")
        bottle = stocked_kit(self.ines).lots.get(supply_key="silver-nitrate")
        self.assertNotContains(self.client.get(f"/kits/lots/{bottle.pk}/"), "The balance shows")
        self.send([{"display": 1.0213, "unit": "g"}], self.key(balance), balance)
        self.assertContains(self.client.get(f"/kits/lots/{bottle.pk}/"), 'value="1.0213"')

    def test_what_is_another_parameters_is_not_offered(self):
        ReceivedReading.objects.for_team(self.team).delete()
        key = self.key(self.photometer)
        for minute, what in enumerate(("nitrate", "NO3-N", "program 7", "")):
            at = (timezone.now() - timedelta(seconds=minute)).isoformat()
            self.send([{"display": minute + 1.0, "unit": "mg/L", "what": what, "at": at}], key)
        for of, found in (("", 4), ("&of=copper", 3), ("&of=copper&of=nitrate", 4)):
            shown = self.client.get(f"/instruments/shown/?measures=photometer{of}").json()["shown"]
            with self.subTest(of):
                self.assertEqual(len(shown), found)

    def test_a_memory_is_taken_in_once_and_its_faults_are_named(self):
        logger = self.kept("Logger", "water_temperature", "degC")

        def taken(text, speaks="logger"):
            file = SimpleUploadedFile("memory.csv", text.encode("utf-16" if text == "binary" else "utf-8"))
            address = f"/instruments/{logger.pk}/memory/"
            return self.client.post(address, {"speaks": speaks, "file": file}, follow=True)

        text = memory("logger", 96)
        self.assertContains(taken(text), "96 readings are taken in; 0 were there already.")
        self.assertContains(taken(text), "0 readings are taken in; 96 were there already.")
        self.assertContains(taken("time,degC\n2024-05-03T09:00:00Z,12\nyesterday,12\n"), "Line 3: “yesterday,12”")
        self.assertContains(taken("COND 512 uS/cm 18 C\n", "conductivity"), "shows degC, not uS/cm")
        self.assertContains(taken("binary"), "This is no text.")
        # An hour that the clocks had twice would lose half of its readings.
        Team.objects.filter(pk=self.team.pk).update(time_zone="Europe/London")
        twice = "time,degC\n2023-10-29T00:45:00,12\n2023-10-29T01:30:00,12\n2023-10-29T01:30:00,12\n"
        self.assertContains(taken(twice), "was twice on the clocks of Europe/London")
        self.assertEqual(ReceivedReading.objects.for_team(self.team).count(), 96)

    def test_every_stand_in_is_understood_by_its_adapter(self):
        for name in STANDINS:
            with self.subTest(name):
                found = ADAPTERS[name].read_all(memory(name, 40, seed=3).splitlines())
                self.assertGreater(len(found), 25)
                self.assertTrue(all(each.over or each.display is not None for each in found))
                for wrong in (
                    "?",
                    "pH=99 mV=0 T=1",
                    "COND x uS/cm 1 C",
                    "pH=1e400 mV=0 T=1",
                    "DO,1,mg/L",
                    "ST nan g",
                    "a;b;c;d",
                ):
                    with self.assertRaises(CannotCompute):
                        ADAPTERS[name].read_all([wrong])

    def test_the_bridge_carries_what_is_said_over_a_socket_to_the_bench(self):
        key = self.key(self.photometer)
        with serve("photometer", 0, every=0.01) as server:
            threading.Thread(target=server.serve_forever, daemon=True).start()
            given = bridge.said_by(ADAPTERS["photometer"], *server.server_address)
            first = list(islice(given, 3))
            given.close()
            server.shutdown()
        for each in first:
            asked = []
            with patch.object(
                bridge.urllib.request, "urlopen", lambda request, timeout, kept=asked: _Kept(kept, request)
            ):
                bridge.send("http://kessa.test", key, self.photometer.pk, [each])
            self.assertEqual(asked[0].full_url, f"http://kessa.test/api/v1/instruments/{self.photometer.pk}/shown")
            self.send(json.loads(asked[0].data), key)
        self.assertGreaterEqual(ReceivedReading.objects.for_team(self.team).count(), 1)

    def test_what_a_silent_line_says_late_has_its_own_time_and_a_lost_network_loses_nothing(self):
        lines = ["pH=7.31 mV=-18.2 T=18.4\n", "pH=99 mV=0 T=18\n", "pH=7.32 mV=-18.2 T=18.4\n"]
        waits = patch.multiple(bridge, _WAIT=0.01, _CONNECTS_WITHIN=0.2)
        with socket.create_server(("127.0.0.1", 0)) as server, waits:
            heard = SimpleQueue()
            listening = (ADAPTERS["ph"], *server.getsockname(), heard)
            listener = threading.Thread(target=bridge.listen, args=listening, daemon=True)
            listener.start()
            for each in lines:
                # One line a connection, that breaks each time.
                taken, _ = server.accept()
                time.sleep(0.5)
                taken.sendall(each.encode())
                taken.close()
            shown = [heard.get(timeout=8), heard.get(timeout=8)]
            with patch.object(bridge, "said_by", side_effect=SystemExit):
                server.close()
                listener.join(20)
        self.assertFalse(listener.is_alive())
        self.assertEqual([each["display"] for each in shown], [7.31, 7.32])
        self.assertLess(shown[0]["at"], shown[1]["at"])
        for each in shown:
            heard.put(each)
        sent, lost = [], [OSError("no network"), OSError("no network")]

        def urlopen(request, timeout):
            if lost:
                raise lost.pop()
            return _Kept(sent, request)

        with patch.object(bridge.urllib.request, "urlopen", urlopen), patch.object(bridge, "_WAIT", 0.01):
            bridge.send("http://kessa.test", "key", 7, bridge.waiting(heard))
        self.assertEqual([json.loads(each.data) for each in sent], [shown])

    def test_what_cannot_be_is_refused_by_the_api_too(self):
        meter = self.kept("Meter", "ph", "pH")
        self.assertContains(self.send([{"display": 99, "unit": "pH"}], self.key(meter), meter), "99", status_code=422)
        self.assertEqual(ReceivedReading.objects.for_team(self.team).count(), 0)


class _Kept:
    def __init__(self, kept, request):
        kept.append(request)

    def __enter__(self):
        return self

    def __exit__(self, *_):
        return None
