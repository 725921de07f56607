"""The examples in the core's docstrings run, and every public formula of it that has a source says so."""

import doctest
from importlib import import_module
from pathlib import Path
from pkgutil import walk_packages
from unittest import TestCase

import kessa.core
from kessa.core.methods.chemistry import chemistry_page

MODULES = [
    each.name for each in walk_packages(kessa.core.__path__, "kessa.core.") if not each.name.endswith("__main__")
]


class Examples(TestCase):
    def test_each_runs_and_says_what_it_shows(self):
        tried = 0
        for name in MODULES:
            outcome = doctest.testmod(import_module(name))
            tried += outcome.attempted
            self.assertEqual(outcome.failed, 0, name)
        self.assertGreater(tried, 12)

    def test_the_chemistry_is_written_from_the_methods(self):
        page = (Path(__file__).parents[2] / "docs" / "chemistry.md").read_text()
        self.assertEqual(page, chemistry_page(), "run manage.py write_chemistry")
