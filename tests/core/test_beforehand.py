"""What the page makes of readings without a signal is what the core makes of them, over the scale of every test."""

import json
import math
import subprocess
from collections.abc import Iterator
from random import Random
from typing import Any
from unittest import TestCase

from playwright._impl._driver import compute_driver_executable

from kessa.core.errors import CannotCompute
from kessa.core.judging.holding import judge_part, rule_for, side_of, verdict_by
from kessa.core.judging.judge import VERDICTS
from kessa.core.judging.limits import rule_sets
from kessa.core.judging.written import other_forms
from kessa.core.methods import house_methods
from kessa.core.quantities.quantity import plain
from kessa.core.readings.straight_lines import straight_lines
from kessa.core.runs.beforehand import beforehand, cases
from kessa.core.runs.conclusion import Blank, conclude

SETS = tuple(rule_sets().values())
PAIRS = tuple((mark / 10, mark * mark / 2 + 20 * mark) for mark in range(10, 70, 3))
NODE = compute_driver_executable()[0]


def on_the_page(asked: dict[str, Any]) -> Any:
    """Return what the page's own script makes of cases."""
    done = subprocess.run(
        [NODE, "tests/scripts/comes_to.mjs"], input=json.dumps(asked), capture_output=True, text=True, check=True
    )
    return json.loads(done.stdout)


def parts() -> Iterator[tuple[Any, Any]]:
    """Yield every house method with each of its parts, a lot's table filled in."""
    for method in house_methods().values():
        for part in method.parts:
            table = {"pairs": PAIRS} if getattr(part.numbers, "pairs", ()) is None else {}
            yield method, part.model_copy(update={"numbers": part.numbers.model_copy(update=table)})


def readings(part: Any, chance: Random) -> list[dict[str, Any]]:
    """Return readings as the bench sends them: at every mark, to either side of it, and anywhere."""
    made = [
        {"count": count, "endpoint": end, "first_change": chance.choice([None, *range(max(count - 3, 1), count + 1)])}
        for count in range(part.stop_at + 1 if part.numbers.has_blank else 0)
        for end in (True, False)
        if count or end
    ]
    for axis in part.numbers.axes(part.display_units, part.paths_mm):
        reach = min(axis.most, 4 * (part.reach or 2500.0)) if not axis.marks else axis.most
        places = {axis.least, *(mark for mark in axis.marks if axis.least <= mark <= axis.most)}
        places |= {round(mark + side, 6) for mark in places for side in (0.01, 0.5) if mark + side <= axis.most}
        places |= {round(chance.uniform(max(axis.least, -reach), reach), chance.randint(0, 3)) for _ in range(12)}
        places = {round(x) for x in places} if axis.whole else places
        raws = [axis.reading(x) for x in sorted(places) if axis.least <= x <= axis.most]
        if "transmittance" in axis.logs:
            raws = [{**raw, "transmittance": round(10 ** (2 - raw["absorbance"]), 2)} for raw in raws]
            raws = [
                {k: v for k, v in raw.items() if k != "absorbance"} for raw in raws if 0 < raw["transmittance"] <= 100
            ]
        for raw in raws:
            if axis.covers:
                raw["up"] = round(max(raw["down"] - chance.uniform(0, 9), 0), 1)
            if "temperature_c" in raw:
                raw["temperature_c"] = round(chance.uniform(0, 40), 1)
            if "display_unit" in axis.when and axis.when["display_unit"] != part.unit:
                raw["display_unit"], raw["display"] = axis.when["display_unit"], round(raw["display"] / 50, 3)
            if "end" in raw:
                raw |= {"start": 1.5, "end": min(raw["end"], 1000) + 1.5, "used_before": 25.0}
        made += raws
    if "alike" in part.numbers.Reading.model_fields:
        # What some eyes cannot tell from it reaches over further steps.
        made += [{**raw, "alike": sorted(chance.choices(part.numbers.card, k=2))} for raw in made]
    return made


class PageAndCore(TestCase):
    maxDiff = None

    def test_every_house_method_comes_to_the_same_over_its_whole_scale(self):
        chance = Random(12)
        tests, expected = [], []
        for number, (house_method, part) in enumerate(parts()):
            method = house_method.model_copy(update={"of_blank": chance.choice(["widens", "off", "checks"])})
            dilution = (1.0, 10.0)[number % 2]
            form = chance.choice([None, *other_forms(part, None)])
            rule = rule_for(part.parameter, (None, "simple", "guarded")[number % 3], screened=method.screening)
            blank = Blank(number % 3, "good") if part.numbers.has_blank else None
            raws = readings(part, chance)
            if blank and method.of_blank != "checks":
                bearing = {"took": blank.units, "off": blank.units if method.of_blank == "off" else 0}
                raws = [raw | bearing for raw in raws]
            runs = [[raw] for raw in raws] + [chance.choices(raws, k=2 + k % 2) for k in range(30)]
            # Runs of one sample mostly read nearly alike.
            runs += [raws[at : at + 3] for at in range(0, len(raws) - 3, 2)]
            told = beforehand(part, method.agreement, dilution, form, SETS, rule)
            tests.append({"told": told, "runs": runs})
            expected.append([self.by_the_core(method, part, each, blank, dilution, form, rule) for each in runs])
        found = on_the_page({"tests": tests, "numbers": []})["tests"]
        compared = 0
        for (method, part), test, ours, theirs in zip(parts(), tests, expected, found, strict=True):
            for raws, core, page in zip(test["runs"], ours, theirs, strict=True):
                with self.subTest(method.key, part=part.key, raws=raws):
                    self.same(core, page)
                    compared += core is not None
        self.assertGreater(compared, 9000)

    def by_the_core(self, method, part, raws, blank, dilution, form, rule):
        """Return state, quantity, verdict and words of runs; None where the core has no result."""
        raws = [{key: value for key, value in raw.items() if key not in ("took", "off")} for raw in raws]
        try:
            outcome = conclude(method, part, dict(enumerate(raws, 1)), blank, dilution, form)
        except CannotCompute:
            return None
        judgements = judge_part(outcome.quantity, part, SETS, rule, agreed=outcome.may_agree)
        return outcome.state, outcome.quantity, verdict_by(part.parameter, judgements)

    def same(self, core, page):
        self.assertEqual(core is None, page is None)
        if core is None:
            return
        state, quantity, verdict = core
        self.assertEqual(
            (page["state"], page["censor"] or None, page["words"] or None), (state, quantity.censor, quantity.words)
        )
        for name in ("value", "low", "high"):
            ours = getattr(quantity, name)
            if ours is None:
                self.assertIsNone(page[name])
            else:
                self.assertTrue(math.isclose(page[name], ours, rel_tol=1e-8, abs_tol=1e-9), (name, page[name], ours))
        self.assertEqual(page["verdict"], verdict)
        self.assertIn(verdict, (None, *VERDICTS))

    def test_what_is_to_be_done_is_looked_up_by_how_each_limit_judges(self):
        chance = Random(21)
        tests, expected = [], []
        for _, part in parts():
            sets, rule = tuple(chance.sample(SETS, 3)), chance.choice([None, "simple", "guarded"])
            by_key = cases(part, None, sets, rule)
            told = beforehand(part, None, 1.0, None, sets, rule)
            told |= {"steps": {"said": list(by_key), "by": {key: at for at, key in enumerate(by_key)}}}
            raws = readings(part, chance)
            tests.append({"told": told, "runs": [[raw] for raw in raws]})
            expected.append([(part, sets, rule, by_key, raw) for raw in raws])
        found = on_the_page({"tests": tests, "numbers": []})["tests"]
        compared = 0
        for cases_of, pages in zip(expected, found, strict=True):
            for (part, sets, rule, by_key, raw), page in zip(cases_of, pages, strict=True):
                if page and page["steps"] is not None and not page["words"]:
                    judgements = judge_part(part.determine(raw).quantity, part, sets, rule)
                    self.assertEqual(self.how_judged(judgements), self.how_judged(by_key[page["steps"]][1]))
                    compared += 1
        self.assertGreater(compared, 2000)

    def how_judged(self, judgements):
        """Return how each limit that rests on this reading alone judges it, and on which side."""
        return [
            (each["verdict"], each["verdict"] != "inside" and side_of(each))
            for each in judgements
            if not each["rests_on"] and not each["against_average"] and not each["needs"] and not each["than"]
        ]

    def test_numbers_are_written_alike(self):
        chance = Random(4)
        numbers = [0.0, 2.5, 0.125, 1234.5, 1235.5, 99999.5, 123456.0, 5e-5, -0.25, 0.30000000000000004]
        numbers += [chance.uniform(0.1, 1) * 10 ** chance.randint(-4, 6) for _ in range(500)]
        numbers += [chance.randint(-9999, 9999) / 2 ** chance.randint(0, 6) for _ in range(500)]
        self.assertEqual(on_the_page({"tests": [], "numbers": numbers})["numbers"], [plain(each) for each in numbers])

    def test_what_is_no_straight_line_is_refused(self):
        with self.assertRaises(CannotCompute):
            straight_lines(lambda x: ((x * x,), ""), 0.0, 1000.0)
