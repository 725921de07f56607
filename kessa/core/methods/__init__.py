"""Methods: versioned definitions of a test, as data."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache, reduce
from pathlib import Path
from typing import Any

from kessa.core.datafile import BadDataFile, data_file, plain_toml, read_record
from kessa.core.methods.schema import Method

LIBRARY = Path(__file__).parent / "library"


def expand(definition: dict[str, Any]) -> list[dict[str, Any]]:
    """Return a definition for each range of a method file, or the definition itself where it has none.

    A range replaces what it names, adds to the numbers and the titrant of the main part, and fills in "{vessel}" and
    what its `words`, over those of the file, say for any other name in braces.
    """
    ranges, words = definition.pop("ranges", None), definition.pop("words", {})
    return [definition] if ranges is None else [_in_range(definition, each, words) for each in ranges]


def _in_range(definition: dict[str, Any], changes: dict[str, Any], words: dict[str, str]) -> dict[str, Any]:
    main, *others = definition["parts"]
    added = {name: {**main.get(name, {}), **changes[name]} for name in ("numbers", "titrant") if name in changes}
    replaced = {name: value for name, value in changes.items() if name not in (*added, "words")}
    whole = {**definition, **replaced, "parts": [{**main, **added}, *others]}
    data = {**words, **changes.get("words", {}), "vessel": str(whole.get("vessel", ""))}
    return {key: _filled(value, data) for key, value in whole.items()}


def _filled(value: Any, data: dict[str, str]) -> Any:
    if isinstance(value, str):
        # The vessel comes last: other words name it too.
        return reduce(lambda text, name: text.replace(f"{{{name}}}", data[name]), data, value)
    if isinstance(value, list):
        return [_filled(each, data) for each in value]
    return {key: _filled(each, data) for key, each in value.items()} if isinstance(value, dict) else value


@data_file
def house_methods() -> dict[str, Method]:
    """Return the house methods by key, lowest range of a family first; raises BadDataFile on a faulty file."""
    read = [
        read_record(path.name, definition, Method)
        for path in sorted(LIBRARY.glob("*.toml"))
        for definition in expand(plain_toml(path))
    ]
    methods = {method.key: method for method in read}
    if len(methods) != len(read):
        raise BadDataFile("Two methods of the library have the same key.")
    for method in read:
        following = method.main.next_range
        if following and following not in methods:
            raise BadDataFile(f"{method.key}: numbers.next_range: no method {following}")
    return methods


def by_family(methods: Iterable[Method]) -> dict[str, list[Method]]:
    """Return methods by family, in order of what the families are called, the lowest range of each first."""
    found: dict[str, list[Method]] = {}
    for method in sorted(methods, key=lambda each: (each.test_name.lower(), each.family, each.reach or 0.0)):
        found.setdefault(method.family, []).append(method)
    return found


@cache
def families() -> dict[str, list[Method]]:
    """Return the house methods by family."""
    return by_family(house_methods().values())
