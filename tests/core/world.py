"""Water of a known strength, a person and a kit as they are: what is read, and how often the interval holds it."""

import os
from itertools import pairwise
from math import ceil
from random import Random

from kessa.core.colours.eyes import LATE_BY
from kessa.core.methods import house_methods
from kessa.core.runs.conclusion import Blank, conclude

STRETCHES = 5
# Standard deviations of a bottle's drops and of a tablet, of a weighed bottle, of the titrant, of a run, of a volume.
DROP, TABLET, WEIGHED, TITRANT, RUN, VOLUME, BY_A_LINE = 0.05, 0.03, 0.015, 0.01, 0.01, 0.01, 0.05
# What a meter is off by in its own unit, over the 2 % of others: 0.25 degrees, 0.1 pH.
OFF = {"degC": 12.5, "pH": 5.0}


class Kit:
    """One bottle, one reagent, one pair of eyes: what is off by as much in every run."""

    def __init__(self, method, part, chance, weighed=False, eyes=""):
        self.eyes = eyes
        self.method, self.part, self.chance = method, part, chance
        self.numbers = part.numbers
        off = WEIGHED if weighed else TABLET if part.unit_of_count == "tablet" else DROP
        self.content = chance.gauss(1, off) * chance.gauss(1, TITRANT)
        chromate = "chromate" in method.principle
        self.indicator = chance.uniform(0.2, 0.5) if chromate else chance.uniform(0, 0.2)
        cadmium = "cadmium" in method.principle.lower()
        self.reagent = chance.gauss(1, {"scale": 0.05, "chart": 0.05}.get(part.kind, 0.05 if cadmium else 0.03))
        self.titrant = chance.gauss(1, TITRANT) * chance.gauss(1, 0.005)
        self.meter = chance.gauss(1, 0.02)

    def read(self, truth):
        """What one run shows; to eyes that do not tell its colours, what they make of it and say of it."""
        reading = getattr(self, f"_{self.part.kind}")(truth)
        if self.eyes and "count" in reading:
            # Late by up to as much, and said to be.
            late = min(reading["count"] + self.chance.randint(0, LATE_BY), self.numbers.stop_at)
            return {"count": late, "first_change": max(late - LATE_BY, 1)}
        if self.eyes and (alike := self.part.taken_for(reading, self.eyes)):
            steps = self.numbers.steps
            seen = self.chance.randint(steps.index(alike[0]), steps.index(alike[1]))
            reading = {"at": steps[seen]}
            alike = self.part.taken_for(reading, self.eyes)
            reading |= {"alike": alike} if alike else {}
        return reading

    def _count(self, truth):
        numbers, chance = self.numbers, self.chance
        titrant = self.part.titrant
        volume = getattr(titrant, "sample_ml", None) or 25
        of_volume = BY_A_LINE if volume <= 5 else VOLUME
        units = truth / self.part.per / self.content * chance.gauss(1, RUN) * chance.gauss(1, of_volume)
        units += self.indicator + getattr(numbers, "background", 0.0)
        count = max(ceil(units), 1)
        if self.part.counts == "further":
            # It begins where the first stage was called: at a whole unit, past its own end.
            first = chance.uniform(0, 10)
            count = max(ceil(first + units) - ceil(first + chance.uniform(0, 0.2)), 0)
        if numbers.stop_at and count > numbers.stop_at:
            return {"count": numbers.stop_at, "endpoint": False}
        return {"count": count, **({"first_change": count - 1} if count > 1 and chance.random() < 0.3 else {})}

    def _difference(self, truth):
        supply, system = self._count(4.5), self._count(4.5 + truth)
        return {"system": system["count"], "supply": supply["count"], "system_end": system.get("endpoint", True)}

    def _scale(self, truth):
        steps = self.numbers.steps
        strip = any(word in self.method.key for word in ("strip", "paper"))
        # A dye's hue is its own; what reagent there is bears on how deep a colour gets.
        seen = truth if self.part.unit in ("pH", "degC", "cm") else truth * self.reagent
        place = _place(steps, seen) + self.chance.gauss(0, 0.5 if strip else 0.35)
        half = round(place * 2) / 2
        if half < 0:
            return {"below": True} if steps[0] > 0 else {"at": steps[0]}
        if half > len(steps) - 1:
            return {"above": True}
        low = int(half)
        return {"at": steps[low]} if half == low else {"between": [steps[low], steps[low + 1]]}

    def _photometer(self, truth):
        low, high = self.numbers.range
        shown = truth * self.reagent + self.chance.gauss(0, (self.part.detects or low) / 3)
        shown = round(max(shown, 0.0), 2 if high < 10 else 1)
        return {"over": True} if shown > high else {"display": shown}

    def _volume(self, truth):
        numbers = self.numbers
        ml = truth * numbers.sample_ml / numbers.normality / numbers.eq_weight / 1000 / self.titrant
        return {"ml": max(ml + sum(self._mark(numbers.resolution_ml) for _ in range(2)), 0.0)}

    def _direct(self, truth):
        numbers = self.numbers
        scale = truth / numbers.multiplier / self.titrant + self._mark(numbers.resolution)
        full = numbers.full_scale or 1e9
        fills = int(max(scale, 0.0) // full)
        return {"scale": max(scale, 0.0) - fills * full, "fills": fills}

    def _mark(self, finest):
        return self.chance.uniform(-finest / 2, finest / 2)

    def _meter(self, truth):
        # A thermometer and an electrode are off by degrees and pH units, not by a share of what they show.
        shown = truth + (self.meter - 1) * OFF[self.part.unit] if self.part.unit in OFF else truth * self.meter
        finest = self.numbers.resolution or 0.01
        if self.numbers.per_degree:
            warm = self.chance.uniform(5, 25)
            shown *= 1 + self.numbers.per_degree * (warm - self.numbers.reference_c)
            return {"display": round(shown / finest) * finest, "temperature_c": warm}
        return {"display": round(shown / finest) * finest}


def _place(steps, value):
    """Where a value stands on a card: the first step at 0, the second at 1, nothing at −1."""
    if value < steps[0]:
        return (value - steps[0]) / max(steps[0], 1e-9) if steps[0] > 0 else 0.0
    for index, (low, high) in enumerate(pairwise(steps)):
        if value <= high:
            return index + (value - low) / (high - low)
    before, last = steps[-2:]
    return len(steps) - 1 + (value - last) / (last - before)


def written(method, part, truth, chance, weighed=False, blank=True, eyes=""):
    """What the bench writes for water of a strength: two runs, and a third where it is asked for."""
    kit = Kit(method, part, chance, weighed, eyes)
    if weighed:
        # This bottle's drops are off by 10 %, and are known to be.
        kit.content *= 1.1
        supply, drop_ml = method.drop_of
        method = method.with_weighed({supply: 20 * drop_ml * 1.1})
        part = method.part(part.key)
    took = None
    if method.blank:
        took = Blank(max(ceil(kit.indicator), 1), "good") if blank else Blank(None, "missing")
    readings = {}
    for number in (1, 2, 3):
        readings[number] = kit.read(truth)
        outcome = conclude(method, part, readings, took)
        if number >= 2 and outcome.state != "run again":
            return outcome.quantity
        if method.agreement is None:
            return outcome.quantity
    return outcome.quantity


def reach(method, part):
    """The stretch in which a part measures."""
    numbers = part.numbers
    if part.kind in ("count", "scale", "photometer"):
        return numbers.least, numbers.reach
    if part.kind == "difference":
        return 1.0, 20.0
    if part.parameter == "dissolved oxygen":
        return 1.0, 14.0
    if part.kind in ("volume", "direct"):
        return 2.0, numbers.reach or 40.0
    usual = {"pH": (4.0, 10.0), "degC": (0.5, 30.0), "uS/cm": (50.0, 3000.0), "NTU": (0.5, 100.0)}
    return usual.get(part.unit, (0.1, 2.0))


def coverage(method, part, trials, seed=7, **how):
    """In how many of 100 the interval holds the truth, and how wide it is against the truth, by stretch."""
    low, high = reach(method, part)
    shares = []
    for stretch in range(STRETCHES):
        chance = Random(f"{method.key}-{part.key}-{stretch}-{seed}")
        held, widths = 0, []
        for _ in range(trials):
            truth = low + (high - low) * (stretch + chance.random()) / STRETCHES
            found = written(method, part, truth, chance, **how)
            top = found.high if found.high is not None else float("inf")
            held += found.low - 1e-9 * truth <= truth <= top + 1e-9 * truth
            if found.high is not None:
                widths.append((found.high - found.low) / truth)
        shares.append((100 * held / trials, sum(widths) / len(widths) if widths else 0.0))
    return shares


def called_inside(method, part, trials):
    """Of 100 waters 20 % inside a limit, and 5 % above it, how many are called inside. Counts: from 12 units up."""
    low, high = reach(method, part)
    chance = Random(f"{method.key}-{part.key}-inside")
    called = {0.8: 0, 1.05: 0}
    for _ in range(trials):
        limit = low + (high - low) * chance.uniform(0.3, 0.9)
        if part.kind == "count":
            limit = part.per * chance.uniform(12, part.stop_at or 20)
        elif part.kind == "difference":
            limit = chance.uniform(10, 20)
        for times in called:
            found = written(method, part, times * limit, chance)
            called[times] += found.high is not None and found.high <= limit
    return tuple(100 * many / trials for many in called.values())


def measured_parts():
    """Every part of a house method whose interval can be held against a truth."""
    for method in house_methods().values():
        school = method.under({})
        for part in school.parts:
            if part.kind not in ("presence", "depth", "chart"):
                yield school, part


def seconds_of_children():
    """Processor seconds that processes which ended took so far: a busy machine makes them no more."""
    times = os.times()
    return times.children_user + times.children_system


if __name__ == "__main__":
    for method, part in measured_parts():
        shares = coverage(method, part, 2000)
        words = " ".join(f"{share:5.1f}/{width:4.2f}" for share, width in shares)
        print(f"{method.key + ' ' + part.key:42} {words}")
