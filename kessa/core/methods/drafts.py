"""Methods in the making: a start for each kind, and reading a method file with errors by line and field."""

from __future__ import annotations

import re
import tomllib
from typing import Any

from pydantic import ValidationError

from kessa.core.checked import faults
from kessa.core.methods.schema import Method
from kessa.core.readings import KINDS

_COLOURS = [
    {"role": "not yet", "name": "before the end", "value": "#ecc945"},
    {"role": "stays", "name": "at the end", "value": "#d98e3a"},
    {"role": "too far", "name": "past the end", "value": "#a4452c"},
]
_MOST_FAULTS = 20


def kinds_in_words() -> dict[str, str]:
    """Return what each kind of test is for, in the words of the job, in the order in which one is asked."""
    return {key: kind.asked_as for key, kind in KINDS.items()}


def beginning(kind: str) -> dict[str, Any]:
    """Return a definition of a kind to start from: what one must say for oneself is left empty."""
    of_kind = KINDS[kind]
    part: dict[str, Any] = {"parameter": "", "kind": kind, "unit": "mg/L", "numbers": dict(of_kind.to_start)}
    if of_kind.counted:
        part["colours"] = [dict(colour) for colour in _COLOURS]
    act = (
        {"kind": "count", "text": "One at a time, swirl, look"} if of_kind.counted else {"kind": "read", "text": "Read"}
    )
    definition: dict[str, Any] = {
        "name": "",
        "test_name": "",
        "principle": "",
        "wear": "",
        "waste": "",
        "parts": [part],
        "steps": [{"text": "Rinse and fill with sample"}, act, {"text": "Empty, rinse, waste as your local rules say"}],
    }
    if of_kind.has_blank:
        definition["agreement"] = {"rule": "units", "within": 1.0}
    return definition


def faults_of(definition: dict[str, Any]) -> list[tuple[tuple[str | int, ...], str]]:
    """Return what keeps a definition from being a method: where, and what is wrong, in words; the first 20."""
    try:
        Method.model_validate(definition)
    except ValidationError as error:
        return faults(error, "the method")[:_MOST_FAULTS]
    return []


def read_file(text: str) -> tuple[dict[str, Any], list[str]]:
    """Read a method file: its definition, and its faults, each with its line and field where they can be told."""
    try:
        definition = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        return {}, [f"This is not TOML: {error}."]
    said = []
    for where, what in faults_of(definition):
        line = _line_of(text, where)
        named = ".".join(str(each) for each in where) or "the file"
        said.append(f"{f'Line {line}, ' if line else ''}{named}: {what}")
    return definition, said


def _line_of(text: str, where: tuple[str | int, ...]) -> int | None:
    """Return the line on which a field stands: under the nth table of its list, or the nearest it is named before."""
    lines = text.splitlines()
    first = 0
    if len(where) > 1 and isinstance(where[1], int):
        headers = [n for n, line in enumerate(lines) if line.strip() == f"[[{where[0]}]]"]
        if where[1] < len(headers):
            first = headers[where[1]]
    names = [str(each) for each in where if isinstance(each, str)]
    for name in reversed(names):
        pattern = re.compile(rf"(^|[{{,\s]){re.escape(name)}\s*=")
        found = next((n for n, line in enumerate(lines[first:], first) if pattern.search(line)), None)
        if found is not None:
            return found + 1
    return first + 1 if first else None
