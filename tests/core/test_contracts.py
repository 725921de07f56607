"""What every kind, method, limit set, recipe and adapter keeps to, whoever adds one: found, not listed."""

import random
from collections.abc import Iterator
from contextlib import suppress
from importlib import import_module
from inspect import isfunction, signature
from pathlib import Path
from pkgutil import walk_packages
from unittest import TestCase
from unittest.mock import Mock, patch

import kessa.core
from kessa.core import adapters, found, readings
from kessa.core.adapters import ADAPTERS
from kessa.core.adapters.adapter import InstrumentReading
from kessa.core.derived.recipes import BEFORE, DAYS, FLOW, HEIGHT, OF_VISITS, RECIPES, SUPPLY, TANK_BEFORE, TANK_DAYS
from kessa.core.errors import CannotCompute
from kessa.core.job.supplies import supplies
from kessa.core.judging.limits import rule_sets
from kessa.core.methods import house_methods
from kessa.core.methods.schema import Method
from kessa.core.quantities.measured import UNIT_IN_NAME
from kessa.core.quantities.parameters import parameters
from kessa.core.readings import KINDS

ROOT = Path(__file__).parents[2]


def known(parameter):
    """Whether a parameter is one of Kessa's: a misspelt one would behave as any concentration does."""
    return parameter in parameters() or parameter.lower() in parameters()


def functions_with_units() -> Iterator[tuple[str, object, str]]:
    """Public functions of the core and those of their numbers whose names say a unit."""
    for module in walk_packages(kessa.core.__path__, "kessa.core."):
        for name, function in vars(import_module(module.name)).items():
            if isfunction(function) and function.__module__ == module.name and not name.startswith("_"):
                for given, parameter in signature(function).parameters.items():
                    if "float" in str(parameter.annotation) and (given == "ph" or UNIT_IN_NAME.search(given)):
                        yield f"{module.name}.{name}", function, given


class Contracts(TestCase):
    def test_every_function_checks_the_units_that_its_arguments_tell(self):
        found = list(functions_with_units())
        self.assertGreater(len(found), 30)
        self.assertEqual(
            [(name, given) for name, function, given in found if given not in getattr(function, "takes", {})], []
        )

    def test_every_kind_says_what_it_is_and_reads_what_it_simulates(self):
        docs = (ROOT / "docs/methods.md").read_text()
        self.assertEqual(len({kind.asked_as for kind in KINDS.values()}), len(KINDS))
        self.assertEqual({key for key in KINDS if f"`{key}`" not in docs}, set())
        parts = [part for method in house_methods().values() for part in method.parts]
        self.assertEqual({part.kind for part in parts}, set(KINDS), "a kind without a house method is not tried")
        chance = random.Random(7)
        # What is read by a lot's table is nothing before there is one.
        for part in (each for each in parts if not each.table_of):
            kind = part.numbers
            for strength in ((kind.reach or 10.0) * share for share in (0.1, 0.3, 0.7)):
                with self.subTest(part.kind, parameter=part.parameter, strength=strength):
                    reading = kind.simulated(strength, chance)
                    quantity = part.determine(reading).quantity
                    self.assertLessEqual(quantity.low, quantity.value)
                    self.assertTrue(quantity.high is None or quantity.value <= quantity.high)
                    self.assertTrue(kind.said(reading, part.unit_of_count).strip())

    def test_every_house_method_is_of_known_things_and_survives_its_snapshot(self):
        for method in house_methods().values():
            with self.subTest(method.key):
                self.assertEqual([each for each in method.parameters if not known(each)], [])
                self.assertEqual([use.supply for use in method.uses if use.supply not in supplies()], [])
                self.assertEqual(Method.model_validate(method.snapshot()), method)

    def test_every_limit_is_of_a_known_parameter_with_a_source(self):
        for rule_set in rule_sets().values():
            for limit in rule_set.limits:
                with self.subTest(rule_set.key, parameter=limit.parameter):
                    self.assertTrue(known(limit.parameter))
                    self.assertTrue(limit.source)

    def test_every_recipe_is_of_known_parameters_with_a_source(self):
        other = {HEIGHT, BEFORE, DAYS, FLOW, TANK_BEFORE, TANK_DAYS, *OF_VISITS}
        self.assertEqual(len({each.key for each in RECIPES}), len(RECIPES))
        for recipe in RECIPES:
            with self.subTest(recipe.key):
                self.assertTrue(known(recipe.parameter))
                names = [need.name.removeprefix(SUPPLY) for need in recipe.needs]
                self.assertEqual([name for name in names if name not in other and not known(name)], [])
                self.assertTrue(recipe.source)

    def test_every_adapter_reads_a_line_or_says_that_it_cannot(self):
        chance = random.Random(5)
        lines = ["", "x", "1", "-1;2", "nan", "9" * 400, "\0", "pH 7.00 25.0 C", "1,2,3", "2026-01-01 7.2"]
        lines += ["".join(chance.choices("0123456789.,;- +eEpHC\t", k=chance.randrange(30))) for _ in range(500)]
        for key, adapter in ADAPTERS.items():
            self.assertEqual(key, adapter.key)
            for line in lines:
                with self.subTest(key, line=line), suppress(CannotCompute):
                    self.assertIsInstance(adapter.read(line), InstrumentReading | None)

    def test_kinds_adapters_and_rule_sets_may_come_from_outside(self):
        brought = Mock(load=Mock(return_value=Mock(__path__=["/somewhere"])))
        with patch.object(found, "entry_points", return_value=[brought]) as asked:
            found.import_all(readings.__name__, "kessa.kinds")
            found.import_all(adapters.__name__, "kessa.adapters")
            self.assertEqual(found.folders_of("kessa.rule_sets"), [Path("/somewhere")])
        self.assertEqual(brought.load.call_count, 3)
        self.assertEqual(asked.call_args.kwargs, {"group": "kessa.rule_sets"})
