"""What is found by being there: the modules of a folder, and what other packages bring.

A package from outside names what it brings under an entry point (`kessa.kinds`, `kessa.adapters`, `kessa.rule_sets`) of
its own `pyproject.toml`: see docs/extending.md.
"""

from __future__ import annotations

from importlib import import_module
from importlib.metadata import entry_points
from pathlib import Path
from pkgutil import iter_modules


def import_all(package: str, group: str = "") -> None:
    """Import every module of a package, and those that other packages name under an entry point, if it has one."""
    for module in iter_modules(import_module(package).__path__):
        import_module(f"{package}.{module.name}")
    for point in entry_points(group=group) if group else ():
        point.load()


def folders_of(group: str) -> list[Path]:
    """Return the folders of the packages that others name under an entry point."""
    return [Path(folder) for point in entry_points(group=group) for folder in point.load().__path__]
