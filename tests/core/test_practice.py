"""Made-up water: its chemistry against textbooks, and what it says of a careful and of a careless hand."""

import math
from dataclasses import replace
from datetime import UTC, datetime
from unittest import TestCase

from kessa.core.colours.lab import lab_of_hex
from kessa.core.colours.match import Step, match
from kessa.core.methods import house_methods
from kessa.core.methods.schema import Method
from kessa.core.practice.curves import carbonate_ph, chromate_solid, free_metal
from kessa.core.practice.orders import order_of
from kessa.core.practice.scoring import Practised, held, scored
from kessa.core.practice.seen import displayed, end_of, strength_seen, turned
from kessa.core.practice.world import for_practice, made
from kessa.core.runs.conclusion import conclude
from kessa.core.runs.state import Reading, RunState

_NOW = datetime(2026, 5, 3, 9, tzinfo=UTC)


class Textbook(TestCase):
    def test_carbonate_water_ends_where_its_carbonic_acid_puts_it(self):
        # At the end only carbonic acid is left: pH = (pK1 − log c) / 2.
        for alkalinity in (6e-4, 3e-3, 1e-2):
            self.assertAlmostEqual(carbonate_ph(alkalinity, alkalinity), (6.35 - math.log10(alkalinity)) / 2, 1)
        # Half-way lies pK1; half of carbonate is bicarbonate, at (pK1 + pK2) / 2.
        self.assertAlmostEqual(carbonate_ph(3e-3, 1.5e-3), 6.35, 2)
        self.assertAlmostEqual(carbonate_ph(3e-3, 3e-3, carbonate=True), (6.35 + 10.33) / 2, 1)

    def test_edta_and_silver_leave_what_their_constants_say(self):
        # At the end pM = (log K' − log c) / 2, well before it what was not taken up.
        self.assertAlmostEqual(-math.log10(free_metal(5e-3, 5e-3, 10.6)), (10.6 - math.log10(5e-3)) / 2, 2)
        self.assertAlmostEqual(free_metal(5e-3, 2.5e-3, 10.6), 2.5e-3, 6)
        # Chromate falls out once silver passes the root of 1.1e-12 / 0.005, by halves of what is added then.
        self.assertEqual(chromate_solid(5e-3, 5e-3, 5e-3), 0)
        more = chromate_solid(5e-3, 5.2e-3, 5e-3) - chromate_solid(5e-3, 5.1e-3, 5e-3)
        self.assertAlmostEqual(more, 0.5e-4, 9)


def careful(method, world, number, shift=0):
    """What a careful hand does in a run: it counts to the end it sees, and reads what is shown when it is due."""
    state, first = RunState(), RunState()
    main = method.main
    if method.counted:
        end = end_of(turned(method, main, world, f"sample-{number}"))
        state.count, state.endpoint = (main.stop_at, False) if end is None else (max(end + shift, 1), True)
        if main.kind == "difference":
            first.count, first.endpoint = end_of(turned(method, main, world, f"supply-{number}")), True
        if method.staged:
            first = replace(state)
            second = method.parts[1]
            end = end_of(turned(method, second, world, f"sample-{number}"))
            state.count = end - first.count if second.counts == "all" else end
        return state, first
    for part in method.parts:
        state.readings[part.key] = Reading(
            _NOW, seen_rightly(part, displayed(method, part, world, f"sample-{number}")), ""
        )
    return state, None


def seen_rightly(part, there):
    if there["as"] == "display":
        shows = there["frames"][-1][1] if part.kind == "meter" else due(there["frames"])
        more = {"temperature_c": 20.0} if part.numbers.reading_keys().count("temperature_c") else {}
        if part.kind == "meter" and part.numbers.per_degree:
            more = {"temperature_c": part.numbers.reference_c}
        return {"over": True} if shows == "over" else {"display": float(shows), **more}
    if there["as"] == "depth":
        if part.kind == "depth":
            return {"down": there["lost"], "up": there["again"]}
        return {"at": max((step for step in part.numbers.card if step <= there["again"]), default=part.numbers.card[0])}
    if there["as"] == "bottle":
        return {"seen": "present" if there["colour"] == "#e2c230" else "absent"}
    return there["at"]


def due(frames):
    return frames[len(frames) // 3][1]


def outcomes_of(method, states, firsts):
    found = {}
    for part in method.parts:
        readings = {}
        for number, state in states.items():
            if not part.counted:
                readings[number] = state.readings[part.key].raw
            elif part.kind == "difference":
                supply = firsts[number]
                readings[number] = {
                    "system": state.count, "supply": supply.count, "system_end": state.endpoint, "supply_end": True,
                }  # fmt: skip
            elif method.staged:
                counts = {"first": firsts[number].count, "further": state.count}
                count = counts.get(part.counts, sum(counts.values()))
                readings[number] = {"count": count, "endpoint": True}
            else:
                readings[number] = {"count": state.count, "endpoint": state.endpoint}
        found[part.key] = conclude(method, part, readings)
    return found


def practised(method, world, shift=0, **more):
    both = {number: careful(method, world, number, shift) for number in (1, 2)}
    states = {number: state for number, (state, _) in both.items()}
    firsts = {number: first for number, (_, first) in both.items() if first}
    blanks = (
        {1: RunState(count=max(end_of(turned(method, method.main, world, "blank-1")) or 1, 1), endpoint=True)}
        if method.blank
        else {}
    )
    outcomes = outcomes_of(method, states, firsts) if not more.pop("empty", False) else {}
    return Practised(states, firsts, blanks, outcomes, **more)


class Worlds(TestCase):
    def read_by_choice(self, method):
        return any(
            displayed(method, part, made(method, 1), "sample-1")["as"] in ("colour", "words", "level")
            for part in method.parts
            if not part.counted
        )

    def test_a_careful_hand_is_right_and_its_interval_holds_the_water(self):
        tried, within = 0, []
        for method in map(for_practice, house_methods().values()):
            if not method.counted and self.read_by_choice(method):
                continue
            for seed in range(3):
                with self.subTest(method=method.key, seed=seed):
                    world = made(method, seed)
                    done = practised(method, world, looked="")
                    points = scored(method, world, done, asks_blank=method.blank is not None)
                    self.assertEqual([point for point in points if not point.right], [])
                    within += held(world, done.outcomes).values()
                    tried += 1
        self.assertGreater(tried, 100)
        self.assertGreater(sum(within) / len(within), 0.93)

    def test_a_careless_hand_is_told_of_each_slip(self):
        method = for_practice(house_methods()["total-hardness-drops-25"])
        world = made(method, 5)
        slips = [p for p in scored(method, world, practised(method, world, shift=3), asks_blank=False) if not p.right]
        self.assertEqual([p.key for p in slips], ["end", "end"])
        self.assertEqual(slips[0].effect, "15 mg/L too much.")
        # Old titrant makes the count too high; what is wrong shows in the number, however careful the hand.
        for trait, more in (("expired", 1.2), ("dirty", 1.02)):
            spoilt = made(method, 5, trait)
            self.assertGreater(
                practised(method, spoilt).outcomes["main"].quantity.value,
                more * practised(method, world).outcomes["main"].quantity.value,
            )
        oxygen = for_practice(house_methods()["oxygen-meter"])
        plain, bubble = (practised(oxygen, made(oxygen, 2, trait)) for trait in ("", "bubble"))
        self.assertGreater(bubble.outcomes["main"].quantity.value, plain.outcomes["main"].quantity.value + 1)

    def test_reagents_in_the_wrong_order_find_less(self):
        families = set()
        for method in map(for_practice, house_methods().values()):
            if not (order := order_of(method)):
                continue
            with self.subTest(method=method.key):
                families.add(method.family)
                other = order.swapped
                # Both ways round it is a method that a bench can lead, and back again it is the same.
                self.assertEqual(Method.model_validate(other.snapshot()).steps[order.first], method.steps[order.then])
                self.assertEqual(order_of(other).swapped, method)
                self.assertLess(order.first, order.then)
                world = made(method, 3)
                part = method.main
                found = strength_seen(part, world.model_copy(update={"left": order.left}), "sample-1")
                self.assertAlmostEqual(found, order.left * strength_seen(part, world, "sample-1"))
        self.assertEqual(
            families,
            {
                *("nitrate-ampoule", "nitrate-low-photometer", "nitrate-tablet", "silica-photometer"),
                *("oxygen-titration", "oxygen-burette", "phosphonate-photometer", "sulfide-comparator"),
            },
        )

    def test_a_colour_comes_on_in_its_time_and_goes_on_after_it(self):
        method = for_practice(house_methods()["nitrate-ampoule"])
        world = made(method, 4)
        frames = displayed(method, method.main, world, "sample-1")["lights"]["window"]
        steps = [
            Step(step, lab_of_hex(chip.value))
            for step, chip in zip(method.main.numbers.steps, method.main.chips, strict=True)
        ]
        found = [match(steps, lab_of_hex(colour)).value for _, colour in frames]
        self.assertEqual(found, sorted(found))
        ready = next(step.wait.seconds for step in reversed(method.steps) if step.wait)
        due_at = next(n for n, (at, _) in enumerate(frames) if at >= ready)
        truth = world.strengths["main"]
        self.assertLess(found[due_at // 3], 0.8 * truth)
        self.assertAlmostEqual(found[due_at] / truth, 1, delta=0.1)
        self.assertGreater(found[-1], found[due_at])
