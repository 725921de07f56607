"""What happened in Tarrow Vale: visits with what was seen, samples, and determinations tapped through."""

import math
import uuid
from datetime import datetime, timedelta
from decimal import Decimal
from random import Random
from typing import Any, NamedTuple

from kessa.bench import services as bench
from kessa.bench.batches import CLOSED
from kessa.bench.models import Determination
from kessa.bench.selectors import suggested_method
from kessa.core import runs
from kessa.core.methods import families
from kessa.core.simulate import drops_to_end
from kessa.kits.models import Instrument, Kit
from kessa.people.models import User
from kessa.places.models import Place
from kessa.visits import services as visits
from kessa.visits.models import Visit

# Read off the bottle, before kits were on the books.
_OLD_LOT = "SN-60"


class Stay(NamedTuple):
    """One visit: where, when, by whom, how strong the water was, and with which kit."""

    place: Place
    day: datetime
    strength: float
    person: User
    kit: Kit | None
    counts: list[int] | None = None


def season(day: datetime) -> float:
    """Return 1 in the cold of late January, 0 in late July: salted roads make the peak."""
    return (1 + math.cos(2 * math.pi * (day.timetuple().tm_yday - 25) / 365.25)) / 2


def live_through(stay: Stay, family: str, instruments: list[Instrument], chance: Random) -> Visit:
    """Visit, note, draw, test, close."""
    place, day, person = stay.place, stay.day, stay.person
    safety = {"company": "the other of the two", "told": "Ines", "back_by": f"{day + timedelta(hours=3):%H:%M}"}
    visit = visits.begin_visit(place, person, safety | {"ready": True}, day)
    temperature = round(8.5 - 12 * (season(day) - 0.5) + chance.gauss(0, 0.8), 1)
    if place.kind.is_plant:
        temperature = round(24 + chance.gauss(0, 1.5), 1)
    _note(visit, person, _seen(place, day, temperature, stay.strength, chance), instruments, chance)
    sample = visits.draw_sample(
        place,
        person,
        day + timedelta(minutes=6),
        Decimal(place.sampling_depth_cm) if place.kind.has_depth else None,
        Decimal(temperature).quantize(Decimal("0.1")),
        way=place.usual_way,
        visit=visit,
    )
    method, _ = suggested_method(place, families()[family])
    begun = bench.begin_determination(
        sample, person, method.key, kit=stay.kit, lot=_OLD_LOT, at=day + timedelta(minutes=10)
    )
    _run_through(begun, stay, chance)
    visits.close_visit(visit, person, [], at=day + timedelta(minutes=40))
    return visit


def _seen(place: Place, day: datetime, temperature: float, strength: float, chance: Random) -> dict[str, float]:
    cold = season(day)
    wet = chance.choice([0, 0, 1, 1, 2, 3])
    seen = {"temperature": temperature, "conductivity": float(round(110 + 3.1 * strength + chance.gauss(0, 6)))}
    if place.kind_key == "stream":
        air = round(9 - 18 * (cold - 0.5) + chance.gauss(0, 2), 1)
        seen |= {"weather_now": 6 if air < 0 else [0, 2, 4, 5][wet], "rain_past_day": 4 if air < 1 and wet else wet}
        seen |= {"air_temperature": air, "flow": min(2 + wet // 2, 4), "level": min(1 + wet, 3), "foam": wet // 3}
        seen |= {"ice": 1 if air < -3 else 0, "colour": 1 if wet > 2 else 0, "smell": 0, "oil": 0}
        seen |= {"weed": 0 if cold > 0.6 else 2, "thread_algae": 0 if cold > 0.4 else 1, "drains_in": 2 if wet else 0}
        seen |= {"water_depth": float(32 + 9 * wet)}
    elif place.kind.is_plant:
        seen |= {"load": float(chance.randrange(55, 92, 5)), "days_since_dose": float(chance.randrange(1, 7))}
        seen |= {"colour": 0, "make_up": float(4000 + (day.toordinal() % 1000) * 3)}
    else:
        seen |= {"colour": 0, "smell": 0}
    return seen


def _note(visit: Visit, person: User, seen: dict[str, float], instruments: list[Instrument], chance: Random) -> None:
    by = {each.measures: each.pk for each in instruments}
    taps = [
        {
            "id": _identity(chance),
            "run": key,
            "seq": number,
            "at": (visit.started_at + timedelta(seconds=20 * number)).isoformat(),
            "data": {"value": value, "instrument": by.get(key)},
            "device": "simulated",
        }
        for number, (key, value) in enumerate(seen.items(), 1)
    ]
    stored = visits.record_observations(visit, person, taps)
    assert not stored.refused, stored.refused


def _run_through(determination: Determination, stay: Stay, chance: Random) -> None:
    """Tap through a determination as a person would, over the range and on into the next one."""
    taps = _Taps(chance, determination.started_at)
    method, counts = determination.method, stay.counts
    if determination.blank_first and determination.continues_id is None:
        taps.run("blank-1", 2 if chance.random() < 0.04 else 1, None, len(method.steps))
    over = False
    for number in range(1, len(counts) + 1 if counts else 3):
        count, turned = (counts[number - 1], None) if counts else drops_to_end(method, stay.strength, chance)
        over = count > method.numbers.stop_at
        taps.run(f"sample-{number}", min(count, method.numbers.stop_at), turned, len(method.steps), endpoint=not over)
        if over:
            break
    taps.add("", CLOSED)
    bench.record_events(determination, stay.person, taps.made)
    if over:
        following = bench.continue_over_range(determination, stay.person, None, taps.at + timedelta(minutes=2))
        _run_through(following, stay, chance)


def _identity(chance: Random) -> str:
    return str(uuid.UUID(int=chance.getrandbits(128), version=4))


class _Taps:
    """Taps in the making, a few seconds apart."""

    def __init__(self, chance: Random, at: datetime) -> None:
        self.made: list[dict[str, Any]] = []
        self.at = at
        self._chance = chance

    def add(self, run: str, kind: str, **data: Any) -> None:
        self.at += timedelta(seconds=self._chance.randint(3, 9))
        tap = {"id": _identity(self._chance), "run": run, "kind": kind, "seq": len(self.made) + 1}
        self.made.append({**tap, "at": self.at.isoformat(), "data": data, "device": "simulated"})

    def run(self, name: str, count: int, turned: int | None, steps: int, *, endpoint: bool = True) -> None:
        for step in range(steps - 2):
            self.add(name, runs.STEP, step=step)
        for drop in range(1, count + 1):
            self.add(name, runs.DROP)
            if drop == turned and drop < count:
                self.add(name, runs.TURN)
        self.add(name, runs.END, endpoint=endpoint)
        self.add(name, runs.STEP, step=steps - 1)
