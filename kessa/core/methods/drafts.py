"""Methods in the making: a start for each kind, and reading a method file with errors by line and field."""

from __future__ import annotations

import re
import tomllib
from typing import Any

from pydantic import ValidationError

from kessa.core.methods.schema import Method

# What each kind is for, in the words of the job, in the order in which one is asked.
KINDS_IN_WORDS = {
    "count": "Drops or tablets counted to a colour that stays",
    "scale": "A colour, disc or mark matched against printed steps",
    "photometer": "A photometer or colorimeter",
    "meter": "A meter with a display",
    "direct": "A syringe or other scale that reads the result",
    "volume": "A burette: millilitres of titrant",
    "chart": "A strip whose mark is converted by its lot's table",
    "difference": "The same drops on supply and on system water",
    "depth": "A disc lowered until it is lost",
}

_COLOURS = [
    {"role": "not yet", "name": "before the end", "value": "#ecc945"},
    {"role": "stays", "name": "at the end", "value": "#d98e3a"},
    {"role": "too far", "name": "past the end", "value": "#a4452c"},
]
_NUMBERS: dict[str, dict[str, Any]] = {
    "count": {"per": 10.0, "stop_at": 20},
    "volume": {"normality": 0.02, "eq_weight": 50.0, "sample_ml": 50.0, "resolution_ml": 0.05},
    "direct": {"multiplier": 1.0, "resolution": 0.02, "full_scale": 1.0},
    "difference": {"stop_at": 30},
    "scale": {"steps": [1.0, 2.0, 5.0]},
    "chart": {"rule": "interpolate"},
    "photometer": {"range": [0.1, 5.0]},
    "meter": {"resolution": 0.1},
    "depth": {},
}


def beginning(kind: str) -> dict[str, Any]:
    """Return a definition of a kind to start from: what one must say for oneself is left empty."""
    part: dict[str, Any] = {"parameter": "", "kind": kind, "unit": "mg/L", "numbers": dict(_NUMBERS[kind])}
    counted = kind in ("count", "difference")
    if counted:
        part["colours"] = [dict(colour) for colour in _COLOURS]
    act = {"kind": "count" if counted else "read", "text": "One drop, swirl, look" if counted else "Read"}
    definition: dict[str, Any] = {
        "name": "",
        "test_name": "",
        "principle": "",
        "wear": "",
        "waste": "",
        "parts": [part],
        "steps": [{"text": "Rinse and fill with sample"}, act, {"text": "Empty, rinse, waste as your local rules say"}],
    }
    if kind == "count":
        definition["agreement"] = {"rule": "units", "within": 1.0}
    return definition


def faults_of(definition: dict[str, Any]) -> list[tuple[tuple[str | int, ...], str]]:
    """Return what keeps a definition from being a method: where, and what is wrong, in words."""
    try:
        Method.model_validate(definition)
    except ValidationError as error:
        return [(fault["loc"], _plainly(fault["msg"])) for fault in error.errors()]
    return []


def _plainly(message: str) -> str:
    return message.removeprefix("Value error, ")


def read_file(text: str) -> tuple[dict[str, Any], list[str]]:
    """Read a method file: its definition, and its faults, each with its line and field where they can be told."""
    try:
        definition = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        return {}, [f"This is not TOML: {error}."]
    faults = []
    for where, what in faults_of(definition):
        line = _line_of(text, where)
        named = ".".join(str(each) for each in where) or "the file"
        faults.append(f"{f'Line {line}, ' if line else ''}{named}: {what}.".replace("..", "."))
    return definition, faults


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
