"""How quick Kessa is: each page and post measured in turn with a bare view, and held to its goal. See bin/speed."""

import json
import os
import re
import statistics
import subprocess
import sys
import time
import uuid
from datetime import timedelta
from functools import partial
from itertools import cycle, islice

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kessa.web.settings.demo")
import kessa.web.wsgi  # noqa: F401, I001 # all is set up as it is served

from django.conf import settings
from django.db import transaction
from django.test import Client
from django.utils import timezone

settings.ROOT_URLCONF = "tests.speed.bare"
settings.ALLOWED_HOSTS = ["testserver"]

from kessa.record.determinations.models import Determination  # noqa: E402
from kessa.record.instruments.models import Instrument  # noqa: E402
from kessa.record.kits.models import Lot  # noqa: E402
from kessa.record.people.models import Membership  # noqa: E402
from kessa.record.places.models import Place  # noqa: E402
from kessa.record.results.models import Result  # noqa: E402
from kessa.record.rounds.models import Round  # noqa: E402
from kessa.record.rounds.services import plan_stop  # noqa: E402
from kessa.record.visits.models import Visit  # noqa: E402
from tests.speed import world  # noqa: E402
from tests.speed.browser import first_load, opened, ready_on_slow_line, tap_shown, tapped_before  # noqa: E402
from tests.speed.files import copied_out, package, taking_in  # noqa: E402
from tests.speed.memory import grown  # noqa: E402
from tests.speed.people import waited  # noqa: E402
from tests.world import Taps, begin, drawn, planned, visited  # noqa: E402

ROUNDS = int(os.environ.get("ROUNDS", "31"))
# What is measured in a row of pages or posts has this in its name.
_ONLY = os.environ.get("ONLY", "")
_PEOPLE = 200
# Why a row misses its goal, by what it is called: docs/scaling.md says more.
_WHY = {
    r"^log": "thirty rows with a scale each, and 13 filters",
    r"^trend": "each pair of readings is compared; a page of 50 rows is no measure for that",
    r"^(place |result|Today)": "a statement costs 0.7 ms before it has done anything; here are 12 to 20, there three",
    r"^(kits|review|taken along|places|map)": "so many rows, each written by a template",
    r"^(board|bench)": "what any reading would come to stands on it, for when there is no signal",
    r"^closing": "what follows is judged, derived and told in its transaction, so that a place and its list agree",
    r"^report": "each place is read through its month",
    r"^table": "1 ms of Python a row, which becomes a visit, a sample and a result",
    r"^10,000": "each is worked out with its interval and its words",
    r"^one": "units and parameters are read first",
    r"people tap": "workers, database and those who tap share the same cores",
    r"^first visit": "with all that a phone keeps for when there is no signal",
    r"slow 3G": "105 kB on 400 kbit a second, and three ways there and back",
}
_TWELVE = (
    "chloride-drops", "nitrate-ampoule", "ph-strip", "phosphate-comparator", "oxygen-burette", "ph-paper",
    "ammonia-comparator", "total-hardness-drops", "chloride-strip", "nitrate-strip", "iron-comparator",
    "copper-comparator",
)  # fmt: skip


def client_of(user, team, first):
    """Return a client that is signed in, whose handler has the middleware of now."""
    client = Client()
    client.force_login(user)
    session = client.session
    session["team"] = team.pk
    session.save()
    assert client.get(first).status_code == 200
    return client


def _missed(what):
    """Return what is printed of a row that misses its goal."""
    return "  MISSED: " + next((why for of, why in _WHY.items() if re.search(of, what)), "nobody has said why")


class Measured:
    """Two things done in turn."""

    def __init__(self, what, goal, ours, bare_one, rounds):
        self.what, self.goal = what, goal
        both = [(self._took(ours), self._took(bare_one)) for _ in range(rounds)][2:]
        self.ours, self.bare = (statistics.median(each) * 1000 for each in zip(*both, strict=True))
        self.ratio = self.ours / self.bare

    @staticmethod
    def _took(act):
        began = time.perf_counter()
        act()
        return time.perf_counter() - began

    def __str__(self):
        missed = "" if self.ratio <= self.goal else _missed(self.what)
        return f"{self.what:44} {self.ratio:6.2f} {self.goal:5.1f} {self.ours:8.1f} {self.bare:7.1f} ms{missed}"


class Measure:
    """Measures pages and posts of a team's coordinator, each in turn with the bare view."""

    def __init__(self, team):
        self.team = team
        self.ines = Membership.objects.get(team=team, user__username="ines")
        self.kessa = client_of(self.ines.user, team, "/today/")
        self.plain = client_of(self.ines.user, team, "/bare/rows/")
        self.place = Place.objects.for_team(team).get(name="Reach 0007")
        self.often = Place.objects.for_team(team).get(name="Reach 0001")
        self.tests = [begin(self.place, self.ines) for _ in range(3)]
        self.sent = 1
        self.missed = 0

    def measured(self, what, goal, ours, bare_one, rounds=ROUNDS):
        """Measure, and print what it came to."""
        if not re.search(_ONLY, what):
            return
        one = Measured(what, goal, ours, bare_one, rounds)
        self.missed += one.ratio > one.goal
        print(one, flush=True)

    def held(self, what, goal, found, unit):
        """Print what was found, of what has nothing to be measured against."""
        self.missed += found > goal
        print(f"{what:44} {found:6.1f} {goal:5.0f} {unit}{'' if found <= goal else _missed(what)}", flush=True)

    def page(self, address):
        """Return what asks for a page."""

        def ask():
            answer = self.kessa.get(address)
            body = b"".join(answer) if answer.streaming else answer.content
            assert answer.status_code == 200, (address, answer.status_code, body[:300])

        return ask

    def bare_rows(self):
        """Ask for the bare page."""
        assert self.plain.get("/bare/rows/").status_code == 200

    def pages(self):
        """Measure the pages."""
        results = Result.objects.for_team(self.team)
        here = results.filter(place=self.place)
        middle = here.newest_first()[here.count() // 2]
        own = results.filter(readings__has_key="runs", family="chloride-drops").newest_first()[0]
        until = f"/log/?to_day={middle.taken_at:%Y-%m-%d}"
        deep = re.search(r"after=([^&\"]+)\"", self.kessa.get(until).content.decode())[1]
        # Whoever came after it has none.
        probe, lot = (model.objects.for_team(self.team).order_by("pk").last() for model in (Instrument, Lot))
        sample = f"/bench/sample/{self.tests[0].sample_id}/"
        for what, goal, address in (
            ("log, first page", 3, "/log/"),
            ("log, by place", 3, f"/log/?place={self.place.pk}"),
            ("log, by verdict", 3, "/log/?verdict=outside"),
            ("log, by person", 3, f"/log/?person={self.ines.user_id}"),
            ("log, by dates", 3, "/log/?from_day=2024-01-01&to_day=2024-06-01"),
            ("log, a test given up long ago", 3, f"/log/?parameter={world.RARE}"),
            ("log, a method given up long ago", 3, f"/log/?method={world.RARE_METHOD}"),
            ("log, a rare kind of place", 3, "/log/?kind=boiler"),
            ("log, an instrument given up long ago", 3, f"/log/?instrument={probe.pk if probe else 0}"),
            ("log, a rare flag", 3, "/log/?flag=diluted"),
            ("log, a rare flag of a method", 3, f"/log/?flag=diluted&method={world.RARE_METHOD}"),
            ("log, a lot", 3, f"/log/?lot={lot.pk if lot else 0}"),
            ("log, deep", 3, f"{until}&after={deep}"),
            ("places, the gravest first", 3, "/places/"),
            ("map of the places", 3, "/places/map/"),
            ("trend of 1,250 readings", 3, f"/places/{self.place.pk}/trend/?years="),
            ("trend of 10,000 readings", 5, f"/places/{self.often.pk}/trend/?years="),
            ("place with its trend", 3, f"/places/{self.place.pk}/"),
            ("result with its working", 2.5, f"/log/{own.pk}/"),
            ("Today", 2.5, "/today/"),
            ("kit check", 2.5, "/today/pack/"),
            ("kits", 3, "/kits/"),
            ("review list", 3, "/review/"),
            ("report of a month", 5, f"/reports/make/month/?month={timezone.localdate():%Y-%m}"),
            ("report of a year", 8, f"/reports/make/year/?place={self.place.pk}&year={timezone.localdate().year - 1}"),
            ("taken along, a place", 3, f"/visits/along/{self.place.pk}/"),
            ("bench, choosing the test", 2.5, sample),
            ("bench, choosing the range", 2.5, f"{sample}?family=chloride-drops"),
            ("bench of a test", 2.5, f"/bench/{self.tests[0].pk}/"),
            ("board of 12 tests", 4, f"/bench/visit/{self.with_many_tests().pk}/"),
        ):
            self.measured(what, goal, self.page(address), self.bare_rows)

    def drops(self, count):
        """Return so many taps that were not sent yet."""
        made = Taps(seq=self.sent)
        for _ in range(count):
            made.add("sample-1", "drop_added")
        return made.made

    def post(self, taps):
        """Post taps to the second test."""
        batch = {"taps": taps, "known": self.sent}
        return self.kessa.post(f"/taps/bench/{self.tests[1].pk}/", batch, content_type="application/json").json()

    def taps(self):
        """Measure posts of taps, and the look-around of a page where nothing happened."""
        other = str(uuid.uuid4())

        def post_many(count):
            assert len(self.post(self.drops(count))["kept"]) == count
            self.sent += count

        def bare_insert(count):
            made = [tap | {"stream": other} for tap in self.drops(count)]
            answer = self.plain.post("/bare/insert/", {"taps": made}, content_type="application/json")
            assert answer.status_code == 200

        for count in (1, 20):
            self.measured(f"post of {count} taps", 2, partial(post_many, count), partial(bare_insert, count))

        def look():
            assert self.post([]) == {"kept": [], "late": [], "refused": [], "waits": []}

        def bare_look():
            self.plain.post("/bare/poll/", {"stream": other}, content_type="application/json")

        self.measured("empty look-around", 1.5, look, bare_look)
        self.closing(bare_insert)

    def closing(self, bare_insert):
        """Measure the post of a whole test to its closing against one that writes as many rows."""
        waiting = [begin(self.place, self.ines) for _ in range(ROUNDS)]
        self.tests += waiting
        batches = [(test, Taps().run("blank-1", 1).run("sample-1", 8).run("sample-2", 8).close()) for test in waiting]

        def close():
            test, taps = batches.pop()
            body = {"taps": taps.made, "known": 0}
            answer = self.kessa.post(f"/taps/bench/{test.pk}/", body, content_type="application/json").json()
            assert "page" in answer, answer

        self.measured("closing a test of two runs", 3, close, partial(bare_insert, 20))

    def with_many_tests(self):
        """Return a visit for which twelve tests are planned, with its sample, where nothing else goes on."""
        place = Place.objects.for_team(self.team).get(name="Reach 0008")
        plans = {family: {"runs": 2, "blanks": 0, "standards": 0} for family in _TWELVE}
        # What was begun by an earlier measure is over.
        Round.objects.for_team(self.team).filter(name__startswith="Twelve").update(retired_at=timezone.now())
        Visit.objects.for_team(self.team).filter(place=place, closed_at=None).update(closed_at=timezone.now())
        of_twelve = planned(self.ines, place, days_ago=1, name=f"Twelve of {timezone.now():%d %b, %H:%M:%S}")
        plan_stop(self.ines, of_twelve, place, plans, [])
        visited(place, self.ines)
        return drawn(place, self.ines).visit

    def file(self):
        """Measure the log as a file, of a tenth of all, against PostgreSQL's own copy of the same rows."""
        until = timezone.now() - timedelta(days=365)
        address = f"/log/kessa-log.csv?from_day={until:%Y-%m-%d}&superseded=on"
        rows = f"SELECT * FROM log_result WHERE team_id = {self.team.pk} AND taken_at >= '{until:%Y-%m-%d}'"
        self.measured("log as a file, of a year", 4, self.page(address), partial(copied_out, rows), rounds=5)
        self.measured("data package of a year", 6, *package(self.ines), rounds=3)
        *both, erase = taking_in()
        self.measured("table of 100,000 results taken in", 5, *both, rounds=3)
        erase()

    def calc(self):
        """Measure the core in JSON lines, and one answer from a cold start."""
        known = (settings.ROOT / "tests/known/determine.jsonl").read_text(encoding="utf-8").splitlines()
        requests = [json.dumps(json.loads(line)["request"]) for line in known]
        many = list(islice(cycle(requests), 10_000))
        # Each of its own dilution, none is asked twice.
        unlike = [json.dumps({**json.loads(each), "dilution": 1 + nth / 1000}) for nth, each in enumerate(many)]
        one = b'{"op": "convert", "value": 1, "unit": "mg/L", "as": "N", "to_unit": "mg/L", "to_as": "NO3"}\n'
        calc, python = [str(settings.ROOT / "bin/calc")], [sys.executable, "-S", "-c"]

        def ran(command, given=b""):
            subprocess.run(command, input=given, stdout=subprocess.DEVNULL, check=True)

        through = "import json, sys\nfor line in sys.stdin: print(json.dumps(json.loads(line)))"
        for what, lines in (
            ("10,000 determinations, 52 kinds of", many),
            ("10,000 determinations, no two alike", unlike),
        ):
            given = "\n".join(lines).encode()
            self.measured(what, 2.5, partial(ran, calc, given), partial(ran, [*python, through], given), 9)
        self.measured("one conversion", 2, partial(ran, calc, one), partial(ran, [sys.executable, "-c", ""]), 15)

    def people(self):
        """Measure how long taps wait where as many people tap as two workers should carry."""
        tests = [begin(self.place, self.ines) for _ in range(_PEOPLE)]
        self.tests += tests
        self.held(f"{_PEOPLE} people tap once a second: 19 of 20 wait", 150, waited(self.ines, tests), "ms")

    def memory(self):
        """Measure by how much a worker grows."""
        self.held("a worker grows over 20,000 requests", 5, grown(self.ines), "%")

    def browser(self):
        """Measure first visits, and how soon a tap is shown."""
        self.tests += [tapped_before(self.place, self.ines) for _ in range(2)]
        with opened(self.ines) as new_page:
            for path in (
                "/today/",
                "/log/",
                "/places/",
                f"/places/{self.place.pk}/",
                "/bench/",
                "/kits/",
                "/methods/",
                "/rules/",
            ):
                self.held(f"first visit to {path}", 100, first_load(new_page(), path), "kB")
            self.held(
                "first visit to the bench of a test", 120, first_load(new_page(), f"/bench/{self.tests[0].pk}/"), "kB"
            )
            first, again = ready_on_slow_line(new_page(), self.tests[0])
            self.held("bench can be tapped by slow 3G, first", 2500, first, "ms")
            self.held("bench can be tapped by slow 3G, again", 1000, again, "ms")
            for test, slowed, most in zip(self.tests[-2:], (1, 4), (16.7, 33), strict=True):
                shown = tap_shown(new_page(), test, slowed)
                self.held(f"19 of 20 taps, 500 behind, slowed {slowed}-fold", most, shown, "ms")

    def crowd(self):
        """Measure the pages of one of many teams besides this one; it takes long to fill them, and 15 GB."""
        one = world.crowd(self.team)
        print(f"one of {world.TEAMS} teams, {world.OF_EACH} results each, besides the large one")
        measure = Measure(one)
        measure.pages()
        measure.leave()
        self.missed += measure.missed

    def wide(self):
        """Measure the pages where the team has ten times the places, people, lots and visits; then take them back."""
        with transaction.atomic():
            world.widen(self.team)
            print("with ten times the places, people, lots and visits")
            self.pages()
            transaction.set_rollback(True)

    def leave(self):
        """Leave nothing begun behind."""
        for test in self.tests:
            Determination.across_teams.filter(pk=test.pk).update(closed_at=test.started_at)


def main():
    """Fill the tables, measure, and say what misses its goal."""
    results = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    team = world.fill(results)
    count = Result.objects.for_team(team).count()
    print(f"{count} results in one team; medians of {ROUNDS - 2}, in turn with the bare view")
    print(f"{'':44} {'ratio':>6} {'goal':>5} {'Kessa':>8} {'bare':>7}")
    measure = Measure(team)
    for part in sys.argv[2:] or ("pages", "taps", "file", "calc", "people", "browser"):
        getattr(measure, part)()
    measure.leave()
    return measure.missed


sys.exit(1 if main() else 0)
