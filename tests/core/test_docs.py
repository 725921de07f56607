"""The examples in the core's docstrings run, and every public formula of it that has a source says so."""

import doctest
import re
import shutil
import subprocess
import sys
from importlib import import_module
from pathlib import Path
from pkgutil import walk_packages
from tempfile import TemporaryDirectory
from unittest import TestCase

import kessa.core
from kessa.core.methods.chemistry import chemistry_page

MODULES = [
    each.name for each in walk_packages(kessa.core.__path__, "kessa.core.") if not each.name.endswith("__main__")
]

ROOT = Path(__file__).parents[2]


def readme_of(site):
    return site / "kessa" / "core" / "README.md"


class Examples(TestCase):
    def test_each_runs_and_says_what_it_shows(self):
        tried = 0
        for name in MODULES:
            outcome = doctest.testmod(import_module(name))
            tried += outcome.attempted
            self.assertEqual(outcome.failed, 0, name)
        self.assertGreater(tried, 12)

    def test_the_readme_of_the_core_says_what_is(self):
        outcome = doctest.testfile(str(readme_of(ROOT)), module_relative=False)
        self.assertEqual(outcome.failed, 0)
        self.assertGreater(outcome.attempted, 20)

    def test_it_installs_alone_and_needs_no_django(self):
        with TemporaryDirectory() as folder:
            checkout, target = Path(folder, "checkout"), Path(folder, "site")
            shutil.copytree(ROOT / "kessa", checkout / "kessa", ignore=shutil.ignore_patterns("__pycache__"))
            shutil.copy(ROOT / "pyproject.toml", checkout)
            pip = [sys.executable, "-m", "pip", "install", "--quiet", "--no-deps", "--no-build-isolation", "--no-index"]
            subprocess.run([*pip, "--target", target, checkout], check=True, capture_output=True)
            self.assertFalse((target / "kessa" / "record").exists())
            alone = (
                "import sys; sys.modules['django'] = None\n"
                "import doctest; from kessa.core.datafile import faults_of_data_files as faults\n"
                f"print(faults('core'), doctest.testfile({str(readme_of(target))!r}, module_relative=False).failed)"
            )
            given = subprocess.run(
                [sys.executable, "-c", alone], cwd=target, capture_output=True, text=True, check=True
            )
        self.assertEqual(given.stdout.strip(), "[] 0")

    def test_every_file_that_the_docs_name_is_there(self):
        ours = subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=False).stdout.split()
        names = ours or [str(path.relative_to(ROOT)) for path in ROOT.rglob("*") if ".venv" not in path.parts]
        named = re.compile(r"`([\w./*-]+/[\w./-]*|[\w-]+\.(?:py|js|toml|html|css|json))`")
        missing = [
            (page.name, name)
            for page in (ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md")))
            for name in named.findall(page.read_text())
            if not name.startswith(("/", ".", "KESSA")) and not self.is_there(name, names)
        ]
        self.assertEqual(missing, [])

    def test_every_module_that_a_comment_names_is_there(self):
        named = [
            (path.name, ROOT.joinpath(*name.split(".")))
            for path in sorted((ROOT / "kessa").rglob("*.py"))
            for name in re.findall(r"[Ss]ee (kessa(?:\.[a-z_]+)+)", path.read_text())
        ]
        self.assertGreater(len(named), 10)
        self.assertEqual([each for each in named if not (each[1].is_dir() or each[1].with_suffix(".py").exists())], [])

    def is_there(self, name, names):
        end = name if name.startswith("kessa/") else f"/{name}"
        return any(
            f"/{each}".endswith(f"/{name.rstrip('/')}") or f"/{each}".find(f"{end.rstrip('/')}/") >= 0 for each in names
        )

    def test_the_chemistry_is_written_from_the_methods(self):
        page = (ROOT / "docs" / "chemistry.md").read_text()
        self.assertEqual(page, chemistry_page(), "run manage.py write_chemistry")
