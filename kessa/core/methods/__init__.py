"""Methods: versioned definitions of a test, as data."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from kessa.core.datafile import BadDataFile, read_toml
from kessa.core.methods.schema import Method

LIBRARY = Path(__file__).parent / "library"


@cache
def house_methods() -> dict[str, Method]:
    """Return the house methods by key, lowest range of a family first; raises BadDataFile on a faulty file."""
    read = [read_toml(path, Method) for path in sorted(LIBRARY.glob("*.toml"))]
    methods = {method.key: method for method in sorted(read, key=lambda method: (method.family, method.reach))}
    if len(methods) != len(read):
        raise BadDataFile("Two methods of the library have the same key.")
    for method in read:
        if method.numbers.next_range and method.numbers.next_range not in methods:
            raise BadDataFile(f"{method.key}.toml: numbers.next_range: no method {method.numbers.next_range}")
    return methods


def families() -> dict[str, list[Method]]:
    """Return the house methods by family, the lowest range of each first."""
    found: dict[str, list[Method]] = {}
    for method in house_methods().values():
        found.setdefault(method.family, []).append(method)
    return found
