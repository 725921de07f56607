"""Two years in Tarrow Vale."""

import math
import tomllib
import uuid
from datetime import datetime, timedelta
from decimal import Decimal
from pathlib import Path
from random import Random
from typing import Any

from django.db import transaction
from django.utils import timezone

from kessa.bench import services as bench
from kessa.bench.batches import CLOSED
from kessa.bench.models import Determination
from kessa.bench.selectors import suggested_method
from kessa.core import runs
from kessa.core.limits import rule_sets
from kessa.core.methods import house_methods
from kessa.core.simulate import drops_to_end
from kessa.people.models import Membership, Team, User
from kessa.people.services import start_team
from kessa.places.models import Pair, Place
from kessa.places.services import keep_pair, keep_place
from kessa.visits.services import draw_sample

DATA = tomllib.loads((Path(__file__).parent / "tarrow_vale.toml").read_text(encoding="utf-8"))
# What is said of a place for the world's sake; all else is the place's own fields.
_NOT_FIELDS = ("kind", "summer", "winter")
_DAY = timedelta(days=1)


@transaction.atomic
def build() -> bool:
    """Build the demo world; return whether there was anything to do."""
    if Team.objects.filter(name=DATA["team"]).exists():
        return False
    people = _people()
    places = _places(people["ines"].memberships.get().team)
    chance = Random(DATA["seed"])
    for day, place, strength, person, counts in _visits(places, people, chance):
        _measure(places[place], strength, people[person], day, chance, counts)
    return True


def _people() -> dict[str, User]:
    people = {}
    for each in DATA["people"]:
        user = User(username=each["username"], first_name=each["name"])
        user.set_password(DATA["password"])
        user.save()
        people[user.username] = user
        if len(people) == 1:
            team = start_team(user, DATA["team"], DATA["time_zone"]).team
        else:
            Membership.objects.create(team=team, user=user, role=each["role"])
    return people


def _places(team: Team) -> dict[str, Place]:
    places: dict[str, Place] = {}
    for each in DATA["places"]:
        places[each["name"]] = keep_place(
            Place(
                team=team,
                kind_key=each["kind"],
                limit_sets=list(rule_sets()) if each["kind"] == "stream" else [],
                **{name: value for name, value in each.items() if name not in _NOT_FIELDS},
            )
        )
    for each in DATA["pairs"]:
        pair = Pair(team=team, kind=each["kind"], first=places[each["first"]], second=places[each["second"]])
        keep_pair(pair)
    return places


def _visits(places: dict[str, Place], people: dict[str, User], chance: Random) -> list[Any]:
    """Every visit in order of time: the monthly rounds, and what happened besides."""
    today = timezone.localtime().replace(hour=9, minute=10, second=0, microsecond=0)
    visits: list[Any] = []
    for month in range(DATA["months"], 0, -1):
        day = today - _DAY * (round(month * 30.4) - 12)
        person = chance.choice(["olek", "olek", "ines", "sanna"])
        for nth, each in enumerate(place for place in DATA["places"] if "summer" in place):
            strength = chance.gauss(1.0, 0.07) * _season(each, day)
            visits.append((day + timedelta(minutes=50 * nth), each["name"], strength, person, None))
    for event in DATA["events"]:
        day = today - _DAY * event["days_ago"] + timedelta(minutes=chance.randrange(90))
        visits.append((day, event["place"], event["strength"], event["person"], event.get("runs")))
    return sorted(visits, key=lambda visit: visit[0])


def _season(place: dict[str, Any], day: datetime) -> float:
    """Between the summer and the winter strength: salted roads make the peak in late January."""
    winter = (1 + math.cos(2 * math.pi * (day.timetuple().tm_yday - 25) / 365.25)) / 2
    return float(place["summer"] + (place["winter"] - place["summer"]) * winter**2)


def _measure(
    place: Place, strength: float, person: User, day: datetime, chance: Random, counts: list[int] | None
) -> None:
    cold = math.cos(2 * math.pi * (day.timetuple().tm_yday - 25) / 365.25)
    temperature = Decimal(round(8.5 - 6 * cold + chance.gauss(0, 0.8), 1)).quantize(Decimal("0.1"))
    sample = draw_sample(place, person, day, Decimal(place.sampling_depth_cm), temperature)
    family = [method for method in house_methods().values() if method.family == DATA["method_family"]]
    method, _ = suggested_method(place, family)
    determination = bench.begin_determination(sample, person, method.key, at=day + timedelta(minutes=4))
    _run_through(determination, strength, person, chance, counts)


def _run_through(
    determination: Determination,
    strength: float,
    person: User,
    chance: Random,
    counts: list[int] | None,
) -> None:
    """Tap through a determination as a person would, over the range and on into the next one."""
    taps = _Taps(chance, determination.started_at)
    method = determination.method
    if determination.blank_first and determination.continues_id is None:
        taps.run("blank-1", 2 if chance.random() < 0.04 else 1, None, len(method.steps))
    over = False
    for number in range(1, len(counts) + 1 if counts else 3):
        count, turned = (counts[number - 1], None) if counts else drops_to_end(method, strength, chance)
        over = count > method.numbers.stop_at
        taps.run(f"sample-{number}", min(count, method.numbers.stop_at), turned, len(method.steps), endpoint=not over)
        if over:
            break
    taps.add("", CLOSED)
    bench.record_events(determination, person, taps.made)
    if over:
        following = bench.continue_over_range(determination, person, None, at=taps.at)
        _run_through(following, strength, person, chance, None)


class _Taps:
    """Taps in the making, a few seconds apart."""

    def __init__(self, chance: Random, at: datetime) -> None:
        self.made: list[dict[str, Any]] = []
        self.at = at
        self._chance = chance

    def add(self, run: str, kind: str, **data: Any) -> None:
        self.at += timedelta(seconds=self._chance.randint(3, 9))
        identity = str(uuid.UUID(int=self._chance.getrandbits(128), version=4))
        tap = {"id": identity, "run": run, "kind": kind, "seq": len(self.made) + 1, "at": self.at.isoformat()}
        self.made.append({**tap, "data": data, "device": "simulated"})

    def run(self, name: str, count: int, turned: int | None, steps: int, *, endpoint: bool = True) -> None:
        for step in range(steps - 2):
            self.add(name, runs.STEP, step=step)
        for drop in range(1, count + 1):
            self.add(name, runs.DROP)
            if drop == turned and drop < count:
                self.add(name, runs.TURN)
        self.add(name, runs.END, endpoint=endpoint)
        self.add(name, runs.STEP, step=steps - 1)
