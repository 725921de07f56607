"""Methods in the making: a start for each kind, and reading a method file with errors by line and field."""

from __future__ import annotations

import re
import tomllib
from copy import deepcopy
from difflib import get_close_matches
from typing import Any

from pydantic import ValidationError

from kessa.core.checked import faults
from kessa.core.methods import expand
from kessa.core.methods.parts import Part, Titrant
from kessa.core.methods.schema import Method
from kessa.core.methods.steps import Ask, Step, Use, Wait
from kessa.core.readings import KINDS

_COLOURS = [
    {"role": "not yet", "name": "before the end", "value": "#ecc945"},
    {"role": "stays", "name": "at the end", "value": "#d98e3a"},
    {"role": "too far", "name": "past the end", "value": "#a4452c"},
]
_MOST_FAULTS = 20
# The longest of the house's has some 6 kB.
MOST_BYTES = 40_000
# Names within names are read at a cost that grows with the square of how many there are.
_DEEP_NAME = re.compile(r"""(?<![\w"'-])(?:["'\w-]+\s*\.\s*){30,}""")
# How the things are called of which there are several.
_COUNTED = {"steps": "Step", "parts": "Part", "uses": "Supply", "ranges": "Range", "computes": "Computed"}
TEXTS = {
    "name": "What the method is called",
    "test_name": "What people call the test",
    "principle": "How it works",
    "wear": "What to wear, and why",
    "waste": "What becomes of the waste",
}
_LABELS = TEXTS | {
    "parameter": "What it finds out",
    "unit": "Unit of the result",
    "as": "Written as",
    "unit_of_count": "What is counted",
    "keeps_hours": "A sample keeps for, hours",
    "interferences": "What disturbs it",
    "agreement": "Two runs agree",
    "text": "what to do",
    "detail": "how, and why",
    "within_s": "then read within, seconds",
    **{name: field.title for kind in KINDS.values() for name, field in kind.model_fields.items() if field.title},
}
_WRITTEN = (Method, Part, Step, Use, Wait, Ask, Titrant)
_NAMES = sorted({field.alias or name for each in _WRITTEN for name, field in each.model_fields.items()})


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


def in_ranges(definition: dict[str, Any]) -> list[dict[str, Any]]:
    """Return a team's own definition for each of its ranges by sample volume, the lowest first, or itself alone.

    A range of several is called by its volume, and leads on to the next.
    """
    own = deepcopy(definition)
    ranges = own.get("ranges")
    if not ranges:
        return [own]
    key = own.get("key", "")
    for nth, each in enumerate(ranges):
        each["key"] = _key_of(key, each) if nth else key
        each.setdefault("range_name", str(each.get("vessel", "")))
        if nth + 1 < len(ranges):
            following = _key_of(key, ranges[nth + 1])
            each["numbers"] = {**each.get("numbers", {}), "next_range": following}
    return expand(own)


def _key_of(key: str, of_range: dict[str, Any]) -> str:
    return f"{key[:40]}-{re.sub('[^a-z0-9]+', '-', str(of_range.get('vessel', '')).lower()).strip('-')}"[:60]


def faults_of(definition: dict[str, Any]) -> list[tuple[tuple[str | int, ...], str]]:
    """Return what keeps a definition from being a method: where, and what is wrong, in words; the first 20."""
    try:
        for each in in_ranges(definition):
            Method.model_validate(each)
        if definition.get("ranges") and "{vessel}" not in str(definition["steps"]):
            return [(("steps",), "With ranges by volume a step says how far to fill: write {vessel} there.")]
    except ValidationError as error:
        return [(where, _meant(where, what)) for where, what in faults(error, "the method")[:_MOST_FAULTS]]
    except (TypeError, AttributeError, KeyError, ValueError):
        return [(("ranges",), "A range has a vessel and numbers of its own.")]
    return []


def _meant(where: tuple[str | int, ...], what: str) -> str:
    """Add what a misspelt name may have meant."""
    name = next((each for each in reversed(where) if isinstance(each, str)), "")
    near = get_close_matches(name, _NAMES, 1) if "not known here" in what else []
    return f"{what} Did you mean {near[0]}?" if near else what


def place_in_words(where: tuple[str | int, ...]) -> str:
    """Say where in a definition something stands, as a technician reads it.

    >>> place_in_words(("steps", 1, "wait", "seconds")), place_in_words(("parts", 0, "numbers", "per"))
    ('Step 2, wait, seconds', 'One drop or tablet is worth')
    """
    text = []
    for name, following in zip(where, (*where[1:], None), strict=True):
        if isinstance(name, int) or name == "numbers":
            continue
        counted = _COUNTED.get(name)
        if counted and isinstance(following, int):
            text += [f"{counted} {following + 1}"] if name != "parts" or following else []
        else:
            text.append(_LABELS.get(name, name.replace("_", " ")))
    words = ", ".join(text)
    return f"{words[:1].upper()}{words[1:]}" or "The method"


def read_file(text: str) -> tuple[dict[str, Any], list[str]]:
    """Read a method file: its definition, and its faults, each with its line and field where they can be told."""
    if len(text.encode()) > MOST_BYTES:
        return {}, [f"A method file holds at most {MOST_BYTES // 1000} kB."]
    if _DEEP_NAME.search(text):
        return {}, ["This is no method file: a name in it has dozens of dots."]
    try:
        definition = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError, ValueError) as error:
        return {}, [f"This is not TOML: {error}."]
    given = []
    for where, what in faults_of(definition):
        line = _line_of(text, where)
        given.append(f"{f'Line {line}: ' if line else ''}{place_in_words(where)}: {what}")
    return definition, given


def _line_of(text: str, where: tuple[str | int, ...]) -> int | None:
    """Return the line on which a field stands: under the nth table of its list, or the nearest it is named before."""
    lines = text.splitlines()
    first = 0
    if len(where) > 1 and isinstance(where[1], int):
        headers = [n for n, line in enumerate(lines) if line.strip() == f"[[{where[0]}]]"] or _items(lines, where[0])
        if where[1] < len(headers):
            first = headers[where[1]]
    names = [str(each) for each in where if isinstance(each, str)]
    for name in reversed(names):
        pattern = re.compile(rf"(^|[{{,\s]){re.escape(name)}\s*=")
        found = next((n for n, line in enumerate(lines[first:], first) if pattern.search(line)), None)
        if found is not None:
            return found + 1
    return first + 1 if first else None


def _items(lines: list[str], name: str | int) -> list[int]:
    """Return where the items of a list begin that is written between brackets, an item a line."""
    begins = next((n for n, line in enumerate(lines) if re.match(rf"{re.escape(str(name))}\s*=\s*\[\s*$", line)), None)
    if begins is None:
        return []
    ends = next((n for n, line in enumerate(lines[begins:], begins) if line.rstrip() == "]"), len(lines))
    return [n for n in range(begins + 1, ends) if lines[n].lstrip().startswith("{")]
