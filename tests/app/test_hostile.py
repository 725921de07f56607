"""Whatever is sent by whomever: no error page, no other team's rows, no script, and no page broken for those after.

Seeded, so that a failure comes again; KESSA_FUZZ_SECONDS and KESSA_FUZZ_SEED make it longer or another: see bin/fuzz.
"""

import json
import os
import random
import re
import time
import traceback
import uuid
from copy import deepcopy
from datetime import UTC, date, datetime
from html.parser import HTMLParser
from itertools import islice
from urllib.parse import urljoin, urlsplit

from django.apps import apps
from django.core.signals import got_request_exception
from django.db import DataError, IntegrityError, models, transaction
from django.test import Client, TestCase, override_settings
from django.utils import timezone

from kessa.record.determinations.models import Determination
from kessa.record.people.models import Act, TeamOwned
from kessa.record.places.models import Place
from kessa.record.taps.models import Tap
from kessa.web.permissions import addresses
from tests.app.everything import named, one_of_each
from tests.world import Taps, begin, measured, member, team_of, visited

SECONDS = float(os.environ.get("KESSA_FUZZ_SECONDS", "24"))
SEED = int(os.environ.get("KESSA_FUZZ_SEED", "1"))
LONGEST = 5.0
SCRIPT = "<script>kessa</script>"
# By kind of field, the worst first.
NUMBERS = [
    "2147483647", "1e308", "-1", "0", "9" * 400, "NaN", "1e-320", "2147483648", "9223372036854775808", "-1e308",
    "1e400", "inf", "1,5", "٣", "½", "",
]  # fmt: skip
DATES = [
    "9999-12-31", "0001-01-01", "9999-12-31T23:59", "0001-01-01T00:00", "10000-01-01", "2026-02-30", "1969-12-31", "",
    "2026-01-01T24:00",
]  # fmt: skip
TEXTS = [
    SCRIPT, "x" * 301, "a\x00b", "x" * 70_000, "{{ 7 }}{% now %}", " ", "", "🧪\u202eabc\ud7ff", "1\n" * 2000,
    "1, 1\n" * 5000,
    "FREQ=YEARLY;BYMONTHDAY=-31", "FREQ=SECONDLY", "[]", "{}", "null", "true", "\r\n", "=1+1", "' OR 1=1 --", "%00",
    "../../etc/passwd", "//elsewhere.example", "javascript:alert(1)", str(uuid.UUID(int=0)),
]  # fmt: skip
HOSTILE = [*NUMBERS, *DATES, *TEXTS]
STRANGE = [
    None, True, False, 0, -1, 1.5, 10**30, 10**400, -(10**400), 1e308, float("nan"), float("inf"), "", "x" * 100_000,
    "\x00", SCRIPT, [], {}, [[]], [None], {"a": {}}, [1, 2, 3], [10**400, 1], {"display": 10**400}, "2026-02-30",
    "9999-12-31T23:59:59Z", "0001-01-01T00:00:00+14:00", "1970-01-01T00:00:00Z", str(uuid.UUID(int=0)),
]  # fmt: skip
EXTREMES = {
    "FloatField": [1e308, -1e308, 0, 5e-324],
    "PositiveIntegerField": [2147483647, 0],
    "PositiveSmallIntegerField": [32767, 0],
    "IntegerField": [2147483647, -2147483648],
    "DateField": [date.max, date.min],
    "DateTimeField": [datetime(9999, 12, 30, tzinfo=UTC), datetime(1, 1, 2, tzinfo=UTC)],
    "CharField": ["", "{% x", "x" * 20],
    "TextField": ["", "x" * 70_000],
    "JSONField": [{}, [], {"a": [None]}],
}
PIECES = {
    "int": ["0", "1", "9223372036854775807", "9223372036854775808", "9" * 300],
    "uuid": [str(uuid.UUID(int=0)), str(uuid.UUID(int=2**128 - 1))],
    "slug": ["x", "-", "x" * 3000],
    "str": ["%00", "x", "x" * 3000, "..%2f..%2fetc", "%ff", "%F0%9F%A7%AA", "%0d%0aX: y", "{{7}}"],
}
# What everybody opens: none of it may break by what somebody wrote.
MAIN = ("/today/", "/today/rounds/", "/kits/", "/log/", "/places/", "/methods/", "/bench/", "/team/")
PARAMETERS = ("month", "after", "before", "place", "family", "next", "key", "day", "purpose", "page", "test", "limit")
# What ends the session or the world that is tried.
SPARED = ("/account/out/", "/demo/enter/", "/account/where/", "/account/password/")


class Forms(HTMLParser):
    """The forms of a page: how and where each is sent, and what its fields hold or offer."""

    def __init__(self, page):
        super().__init__()
        self.found, self.form, self.select = [], None, None
        self.feed(page)

    def handle_starttag(self, tag, attrs):
        """Take in a form or one of its fields."""
        given = dict(attrs)
        if tag == "form":
            self.form = {"method": given.get("method", "get"), "action": given.get("action") or ""}
            self.form |= {"fields": {}, "kinds": {}}
            self.found.append(self.form)
        elif self.form is not None and tag in ("input", "textarea", "select", "button") and given.get("name"):
            offered = self.form["fields"].setdefault(given["name"], [])
            kind = self.form["kinds"][given["name"]] = given.get("type", tag)
            offered.append(given.get("value") or _plausible(kind))
            self.select = offered if tag == "select" else None
        elif self.select is not None and tag == "option":
            self.select.append(given.get("value", ""))

    def handle_endtag(self, tag):
        """Leave a form."""
        if tag == "form":
            self.form = None


def _plausible(kind):
    today = timezone.localdate()
    return {
        "number": "5",
        "date": f"{today}",
        "datetime-local": f"{today}T10:00",
        "checkbox": "on",
        "time": "10:00",
    }.get(kind, "Weir")


@override_settings(MEDIA_ROOT="/tmp/kessa-test-files")
class Hostile(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.ines, cls.place = team_of("Ines")
        cls.ulf, theirs = team_of("Ulfhild")
        cls.rows = one_of_each(cls.ines, cls.place)
        cls.theirs = [str(value) for row in one_of_each(cls.ulf, theirs).values() for value in row.values()]
        cls.result = measured(cls.place, cls.ines, 8, 8)
        cls.people = [cls.ines.user, member(cls.ines.team, "Olek").user]

    def setUp(self):
        self.random = random.Random(SEED)
        self.errors = []
        self.clients = []
        for user in self.people:
            client = Client(raise_request_exception=False)
            client.force_login(user)
            self.clients.append(client)
        got_request_exception.connect(self.remember)
        self.addCleanup(got_request_exception.disconnect, self.remember)
        plain = [pattern for pattern, _ in addresses() if "<" not in pattern]
        self.pages = [
            *plain,
            *(address for _, address in named(self.rows)),
            *(f"/places/new/{key}/" for key in ("well", "boiler")),
        ]
        self.pages = [page for page in self.pages if not page.startswith(SPARED)]
        self.ends = time.monotonic() + SECONDS / 4

    def remember(self, sender, **kwargs):
        """Keep what went wrong in a view."""
        self.errors.append(traceback.format_exc(limit=-6))

    def ask(self, method, address, data=None, client=None, **how):
        """Send a request; whatever it is, it is answered in words and in time."""
        client = client or self.clients[0]
        began = time.process_time()
        self.errors.clear()
        with transaction.atomic():
            answer = getattr(client, method)(address, data, **how)
            body = b"".join(answer) if answer.streaming else answer.content
        asked = f"seed {SEED}: {method} {address[:200]} {str(data)[:1500]}"
        self.assertLess(answer.status_code, 500, f"{asked}\n{''.join(self.errors)}")
        self.assertLess(time.process_time() - began, LONGEST, asked)
        self.assertFalse(b"Ulfhild" in body, asked)
        if answer.get("Content-Type", "").startswith("text/html"):
            self.assertFalse(SCRIPT.encode() in body, asked)
        return answer

    def tried(self):
        """Return each turn, until the time is up; what a turn has done is undone after it."""
        while time.monotonic() < self.ends:
            with transaction.atomic():
                yield
                transaction.set_rollback(True)

    def look_around(self, done, others=4):
        """The pages open, whatever was taken before."""
        for page in (*MAIN, *self.random.sample(self.pages, others)):
            with transaction.atomic():
                answer = self.clients[0].get(page)
            self.assertLess(answer.status_code, 500, f"seed {SEED}: {page} after {done}\n{''.join(self.errors)}")

    def forms(self):
        """Return every form of every page, once for each address and set of fields."""
        found = {}
        for page in self.pages:
            answer = self.ask("get", page)
            if not answer.get("Content-Type", "").startswith("text/html"):
                continue
            for form in Forms(answer.content.decode()).found:
                form["action"] = urlsplit(urljoin(f"http://testserver{page}", form["action"])).path
                key = (re.sub(r"\d+|[0-9a-f-]{36}", "#", form["action"]), form["method"], *sorted(form["fields"]))
                if form["method"] in ("get", "post") and not form["action"].startswith(SPARED):
                    found.setdefault(key, form)
        return list(found.values())

    def filled(self, form):
        """Fill a form as a person would."""
        data = {name: self.random.choice(offered) for name, offered in form["fields"].items() if offered}
        data.pop("csrfmiddlewaretoken", None)
        return data

    def spoilt(self, forms):
        """Return each form with each of its fields spoilt, the worst values of all fields first."""
        tries = []
        for form in forms:
            names = sorted(self.filled(form))
            # Of a form that asks the same of each of many tests, a few.
            for name in self.random.sample(names, min(len(names), 12)):
                kind = form["kinds"][name]
                worst = DATES if "date" in kind else NUMBERS if kind == "number" else TEXTS
                values = list(dict.fromkeys([*worst, self.random.choice(self.theirs), *HOSTILE]))
                tries += [(nth + self.random.random(), form, name, value) for nth, value in enumerate(values)]
        return sorted(tries, key=lambda each: each[0])

    def test_forms_filled_with_anything(self):
        forms = self.forms()
        self.assertGreater(len(forms), 60)
        tries = iter(self.spoilt(forms))
        for _ in self.tried():
            done = []
            for _nth, form, name, value in islice(tries, 12):
                data = self.filled(form) | {name: value}
                if self.random.random() < 0.1:
                    data.pop(self.random.choice(sorted(data)))
                done.append((form["action"], name, value[:60]))
                client = self.clients[self.random.random() < 0.15]
                self.ask(form["method"], form["action"], data, client)
                if self.random.random() < 0.1:
                    self.ask(form["method"], form["action"], data, client)
            if not done:
                return
            self.look_around(done)

    def test_rows_that_hold_anything(self):
        """Whatever the tables hold, by an older release or by hand: what can be shown is shown."""
        tries = [
            (row, field, value)
            for model in apps.get_models()
            if model.__module__.startswith("kessa.") and issubclass(model, TeamOwned) and model is not Act
            for row in model.across_teams.filter(team=self.ines.team).order_by("pk")[:2]
            for field in model._meta.concrete_fields
            for value in EXTREMES.get(field.get_internal_type(), ())
            # What is stored as a list or as named values never becomes something else.
            if field.get_internal_type() != "JSONField" or type(value) is type(getattr(row, field.attname))
        ]
        self.random.shuffle(tries)
        for (row, field, value), _ in zip(tries, self.tried(), strict=False):
            rows = type(row)._base_manager.filter(pk=row.pk)
            try:
                with transaction.atomic():
                    models.QuerySet.update(rows, **{field.attname: value})
            except (IntegrityError, DataError):
                continue
            self.look_around([(type(row).__name__, field.name, value)], others=0)

    def test_a_place_of_a_kind_that_this_release_does_not_know_says_so(self):
        Place.across_teams.filter(pk=self.place.pk).update(kind_key="of a later release")
        for page in ("/places/", f"/places/{self.place.pk}/", f"/visits/begin/{self.place.pk}/"):
            self.assertContains(self.clients[0].get(page), "does not know")
        for page in ("/today/", f"/bench/{begin(self.place, self.ines).pk}/", "/kits/"):
            self.assertEqual(self.clients[0].get(page).status_code, 200)

    def test_a_test_that_this_release_cannot_read_says_so_and_stands_in_nobodys_way(self):
        begun = begin(self.place, self.ines)
        Determination.across_teams.filter(pk=begun.pk).update(method_definition={"key": "of a later release"})
        for page in ("/today/", "/bench/"):
            self.assertContains(self.clients[0].get(page), begun.method_key)
        answer = self.clients[0].get(f"/bench/{begun.pk}/")
        self.assertContains(answer, "cannot be read by this release", status_code=500)

    def test_addresses_made_of_anything(self):
        for _ in self.tried():
            pattern, _view = self.random.choice(addresses_tried())
            address = re.sub(r"<(\w+):\w+>", lambda piece: self.random.choice(PIECES[piece[1]]), pattern)
            if "<" not in pattern or self.random.random() < 0.5:
                address = self.random.choice(self.pages)
                query = {
                    name: self.random.choice([*HOSTILE, *self.theirs]) for name in self.random.sample(PARAMETERS, 2)
                }
                self.ask("get", address, query)
            else:
                self.ask(self.random.choice(("get", "post")), address)

    def test_taps_that_hold_anything(self):
        begun, visit = begin(self.place, self.ines), visited(self.place, self.ines)
        drawn = begin(self.place, self.ines, "hardness-strip")
        whole = Taps().answer("ph", 7.2).run("blank-1", 1).run("sample-1", 3).read(7.0).close().made
        whole += self.visits_taps(visit)
        streams = [("bench", begun.pk), ("bench", drawn.pk), ("visit", visit.pk), ("bench", uuid.uuid4())]
        for _ in self.tried():
            of, stream = self.random.choice(streams)
            taps = json.loads(json.dumps(self.random.sample(whole, self.random.randint(1, len(whole)))))
            for tap in taps:
                tap["id"] = str(uuid.UUID(int=self.random.getrandbits(128)))
            for _spoilt in range(self.random.randint(1, 4)):
                self.spoil(self.random.choice(taps))
            batch = {"taps": taps, "known": self.random.choice([0, 0, 0, *STRANGE]), "now": timezone.now().isoformat()}
            if self.random.random() < 0.2:
                batch["now"] = self.random.choice(STRANGE)
            body = json.dumps(batch)
            answer = self.ask("post", f"/taps/{of}/{stream}/", body, content_type="application/json")
            self.assertEqual(answer["Content-Type"], "application/json")
            for page in (f"/bench/{begun.pk}/", f"/visits/{visit.pk}/", f"/bench/{begun.pk}/outcome/"):
                self.ask("get", page)

    def visits_taps(self, visit):
        """Return the taps with which the visit was led."""
        sent = [tap.as_sent() for tap in Tap.objects.for_team(self.ines.team).filter(stream=visit.pk)]
        return [{**tap, "whose": ""} for tap in sent]

    def spoil(self, thing):
        """Put something strange somewhere into what would be plain."""
        keys = list(thing) if isinstance(thing, dict) else list(range(len(thing)))
        key = self.random.choice(keys)
        if isinstance(thing[key], dict | list) and thing[key] and self.random.random() < 0.7:
            self.spoil(thing[key])
        else:
            thing[key] = deepcopy(self.random.choice(STRANGE))


def addresses_tried():
    """Return every address but those that end what is tried."""
    return [each for each in addresses() if not each[0].startswith(SPARED)]
