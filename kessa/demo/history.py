"""What happened in Tarrow Vale: visits with what was seen, samples, and determinations tapped through."""

import math
import uuid
from datetime import datetime, timedelta
from random import Random
from typing import Any, NamedTuple

from kessa.core.job.circumstances import scales, scales_for
from kessa.core.methods import families
from kessa.core.methods.schema import Method
from kessa.core.planning.dilution import dilute
from kessa.core.runs import events as runs
from kessa.core.runs.events import ANSWERED, CLOSED
from kessa.core.runs.state import Reading, RunState
from kessa.core.runs.timing import clock_seconds
from kessa.record.determinations.models import Determination
from kessa.record.instruments.models import Instrument
from kessa.record.kits.models import Kit
from kessa.record.people.models import Membership
from kessa.record.places.models import Place
from kessa.record.results.history import suggested_method, written_at
from kessa.record.taps.services import record
from kessa.record.testing.repeats import same_again
from kessa.record.testing.services import begin_test
from kessa.record.visits.models import Visit

# Read off the bottle, before kits were on the books.
_OLD_LOT = "SN-60"
_DOING = timedelta(seconds=25)


class Todo(NamedTuple):
    """One test of a visit: its family, how strong the water is in each of its parts, and runs that went otherwise."""

    family: str
    strengths: dict[str, float]
    counts: list[int] | None = None


class Stay(NamedTuple):
    """One visit: where, when, by whom, how strong in chloride the water was, which tests, and with which kit."""

    place: Place
    day: datetime
    strength: float
    person: Membership
    kit: Kit | None
    todo: list[Todo]


def season(day: datetime) -> float:
    """Return 1 in the cold of late January, 0 in late July: salted roads make the peak."""
    return (1 + math.cos(2 * math.pi * (day.timetuple().tm_yday - 25) / 365.25)) / 2


def live_through(stay: Stay, instruments: list[Instrument], chance: Random) -> Visit:
    """Visit, note, draw, test, close."""
    place, day, person = stay.place, stay.day, stay.person
    back_by = f"{day + timedelta(hours=3):%H:%M}"
    safety = {"company": "the other of the two", "told": "Ines", "back_by": back_by, "ready": "on"}
    safety |= {"plant_ready": "on"} if place.kind.is_plant else {}
    safety |= {"ice_or_flood": "none"} if place.kind.has_depth else {}
    number = uuid.UUID(_identity(chance))
    begun = _tap(chance, "", "visit_begun", 1, day, {"place": place.pk, "safety": safety})
    temperature = round(8.5 - 12 * (season(day) - 0.5) + chance.gauss(0, 0.8), 1)
    if place.kind.is_plant:
        temperature = round(24 + chance.gauss(0, 1.5), 1)
    noted = _noted(day, _seen(place, day, temperature, stay.strength, chance), instruments, chance)
    of_sample = {
        "depth_cm": place.sampling_depth_cm if place.kind.has_depth else None,
        "water_temperature_c": temperature,
        "way": place.usual_way,
    }

    def draw(seq: int, at: datetime, *before: dict[str, Any]) -> str:
        drawn = _tap(chance, "", "sample_drawn", seq, at, {"sample": _identity(chance), **of_sample})
        _recorded(person, "visit", number, [*before, drawn])
        return str(drawn["data"]["sample"])

    drawn_at = day + timedelta(minutes=6)
    sample = draw(90, drawn_at, begun, *noted)
    at = day + timedelta(minutes=8)
    for nth, todo in enumerate(stay.todo, 91):
        keeps = families()[todo.family][0].keeps_hours
        if keeps and at > drawn_at + timedelta(hours=keeps):
            # What does not keep is drawn afresh.
            sample, drawn_at = draw(nth, at), at
        at = _test(sample, stay, todo, at, instruments, chance)
    _recorded(person, "visit", number, [_tap(chance, "", "visit_closed", 199, at + timedelta(minutes=5), {})])
    found: Visit = Visit.objects.for_team(place.team_id).get(pk=number)
    return found


def _recorded(person: Membership, of: str, number: uuid.UUID, taps: list[dict[str, Any]]) -> Any:
    stored = record(person, of, number, taps)
    assert not stored.refused, stored.refused
    return stored.stream.row


def _tap(chance: Random, run: str, kind: str, seq: int, at: datetime, data: dict[str, Any]) -> dict[str, Any]:
    tap = {"id": _identity(chance), "run": run, "kind": kind, "seq": seq, "at": at.isoformat()}
    return {**tap, "data": data, "device": "simulated"}


def _test(sample: str, stay: Stay, todo: Todo, at: datetime, instruments: list[Instrument], chance: Random) -> datetime:
    """Run one test from the first step to the log; return when it was done."""
    family = families()[todo.family]
    method, _ = suggested_method(stay.place, family, written_at(stay.place, family[0].main))
    kit = stay.kit if stay.kit and todo.family in stay.kit.families else None
    instrument = next((each for each in instruments if each.measures == method.instrument), None)
    data = {
        "sample": sample,
        "method": method.key,
        "kit": kit.pk if kit else None,
        "lot": "" if kit else _OLD_LOT,
        "instrument": instrument.pk if instrument else None,
    }
    begun = begin_test(stay.person, data, number=uuid.UUID(_identity(chance)), at=at)
    return run_through(begun, stay.person, todo, chance)


# Conductivity for each mg/L of chloride, where more than salt is dissolved; m³ made up a day.
_SALTS = {"boiler": 45.0, "cooling-tower": 17.0}
_MADE_UP = {"boiler": 3.0, "cooling-tower": 8.0, "supply": 60.0}


def _seen(place: Place, day: datetime, temperature: float, strength: float, chance: Random) -> dict[str, float]:
    cold = season(day)
    wet = chance.choice([0, 0, 1, 1, 2, 3])
    seen = {
        "temperature": temperature,
        "conductivity": float(round(110 + _SALTS.get(place.kind_key, 3.1) * strength + chance.gauss(0, 6))),
    }
    if place.kind_key == "stream":
        air = round(9 - 18 * (cold - 0.5) + chance.gauss(0, 2), 1)
        seen |= {"weather_now": 6 if air < 0 else [0, 2, 4, 5][wet], "rain_past_day": 4 if air < 1 and wet else wet}
        seen |= {"air_temperature": air, "flow": min(2 + wet // 2, 4), "level": min(1 + wet, 3), "foam": wet // 3}
        seen |= {"ice": 1 if air < -3 else 0, "colour": 1 if wet > 2 else 0, "smell": 0, "oil": 0}
        seen |= {"wind": wet // 2, "weather_yesterday": [0, 2, 3, 4][wet]}
        seen |= {"weed": 0 if cold > 0.6 else 2, "thread_algae": 0 if cold > 0.4 else 1}
        drains = scales()["drains_in"].of_several([[0], [2], [2], [2, 3]][wet])
        seen |= {"drains_in": drains or 0.0}
        seen |= {"water_depth": float(32 + 9 * wet)}
    elif place.kind.is_plant:
        seen |= {"load": float(chance.randrange(55, 92, 5)), "days_since_dose": float(chance.randrange(1, 7))}
        seen |= {"colour": 0, "make_up": round(41 + (day.toordinal() % 1000) * _MADE_UP.get(place.kind_key, 0.004), 1)}
    else:
        seen |= {"colour": 0, "smell": 0}
    asked = {scale.key for scale in scales_for(place.kind_key)}
    return {key: value for key, value in seen.items() if key in asked}


def _noted(
    day: datetime, seen: dict[str, float], instruments: list[Instrument], chance: Random
) -> list[dict[str, Any]]:
    by = {each.measures: each.pk for each in instruments}
    return [
        _tap(
            chance,
            key,
            "observed",
            number,
            day + timedelta(seconds=20 * number),
            {"value": value, "instrument": by.get(key)},
        )
        for number, (key, value) in enumerate(seen.items(), 2)
    ]


# What is asked of a sample, and what it is in a boiler.
_ASKED = {"ph": 7.4, "ph-after": 8.2, "temperature": 19.0}
_BOILER = {"ph": 11.2}


def run_through(determination: Determination, person: Membership, todo: Todo, chance: Random) -> datetime:
    """Tap through a determination as a person would, over the range and on into the next one or diluted."""
    method = determination.method
    asked_of = _ASKED | (_BOILER if determination.sample and determination.sample.place.kind_key == "boiler" else {})
    answers = {key: ask.answers[0].key if ask.answers else asked_of[key] for key, ask in method.asks.items()}
    taps = _Taps(chance, determination.started_at, method, answers)
    if determination.asks_blank:
        taps.counted("blank-1", {"count": 2 if chance.random() < 0.04 else 1})
    for key, answer in answers.items():
        taps.add("", ANSWERED, key=key, value=answer)
    over = False
    for number in range(1, len(todo.counts) + 1 if todo.counts else (3 if method.agreement else 2)):
        if todo.counts:
            over = taps.counted(f"sample-{number}", {"count": todo.counts[number - 1]})
        else:
            over = taps.run(number, todo.strengths, determination.dilution)
        if over:
            break
    taps.add("", CLOSED)
    _recorded(person, "bench", determination.pk, taps.made)
    if not over or not (method.may_dilute or method.main.next_range):
        return taps.at
    part = method.main
    strength = todo.strengths[part.key] / determination.dilution
    plan = dilute(strength, part.least or 0.0, part.reach or 1.0, 50.0)
    data = same_again(determination) | {"continues": str(determination.pk)}
    if part.next_range:
        data["method"] = part.next_range
    else:
        data["dilution"] = determination.dilution * plan.factor
    at = taps.at + timedelta(minutes=2)
    return run_through(begin_test(person, data, number=uuid.UUID(_identity(chance)), at=at), person, todo, chance)


def _identity(chance: Random) -> str:
    return str(uuid.UUID(int=chance.getrandbits(128), version=4))


class _Taps:
    """Taps in the making, a few seconds apart; clocks are waited for."""

    def __init__(self, chance: Random, at: datetime, method: Method, answers: dict[str, Any]) -> None:
        self.made: list[dict[str, Any]] = []
        self.at = at
        self._chance, self._method, self._answers = chance, method, answers
        self._clocked = False

    def add(self, run: str, kind: str, **data: Any) -> None:
        self.at += timedelta(seconds=self._chance.randint(3, 9))
        # What is done takes its time; once a clock runs, one goes on when it rings.
        if kind in (runs.STEP, runs.TIMER) and not self._clocked:
            self.at += _DOING
        self._clocked = kind == runs.TIMER or (self._clocked and kind != runs.READ)
        # The test itself began with the first tap.
        self.made.append(_tap(self._chance, run, kind, len(self.made) + 2, self.at, data))

    def run(self, number: int, strengths: dict[str, float], dilution: float) -> bool:
        """Run one replicate in water of these strengths, by part; return whether it went over the range."""
        name, main = f"sample-{number}", self._method.main
        if main.counted and main.numbers.has_blank:
            return self.counted(name, main.simulated(strengths[main.key] / dilution, self._chance))
        if main.counted:
            reading = main.simulated(strengths[main.key], self._chance)
            self.counted(f"supply-{number}", {"count": reading["supply"]})
            return self.counted(name, {"count": reading["system"]})
        return self._read(name, strengths, dilution)

    def counted(self, name: str, reading: dict[str, Any]) -> bool:
        most = self._method.main.stop_at
        count, over = min(reading["count"], most), reading["count"] > most
        steps = self._method.steps
        for step in range(next(n for n, each in enumerate(steps) if each.kind == "count")):
            if steps[step].kind == "do" and self._method.applies(steps[step], self._answers):
                self.add(name, runs.STEP, step=step)
        for drop in range(1, count + 1):
            self.add(name, runs.DROP)
            if drop == reading.get("first_change") and drop < count:
                self.add(name, runs.TURN)
        self.add(name, runs.END, endpoint=not over)
        self.add(name, runs.STEP, step=len(steps) - 1)
        return over

    def _read(self, name: str, strengths: dict[str, float], dilution: float) -> bool:
        """Do each step, wait for its clock, and read each part in its time."""
        over, begun, state = False, self.at, RunState()
        for number, step in enumerate(self._method.steps):
            if not self._method.applies(step, self._answers):
                continue
            if step.wait:
                seconds = clock_seconds(self._method, number, state) or 300
                self.add(name, runs.TIMER, step=number, seconds=seconds)
                begun, self.at = self.at, self.at + timedelta(seconds=0 if self._timed else seconds)
            if step.kind == "do":
                self.add(name, runs.STEP, step=number)
            for key in self._method.read_at(number):
                part = self._method.part(key)
                reading = part.simulated(strengths[key] / dilution, self._chance)
                if part.read_s:
                    self.at = max(self.at, begun + timedelta(seconds=part.read_s[0]))
                if part.with_sensor:
                    reading["sensor"] = f"S{self._chance.randint(100, 999)}"
                self.add(name, runs.READ, part=key, reading=reading)
                state.readings[key] = Reading(self.at, reading, "")
                over = over or part.determine(reading).next is not None
        return over

    @property
    def _timed(self) -> bool:
        """Whether its parts are read each in a time of its own, counted from the clock's start."""
        return any(part.read_s for part in self._method.parts)
