"""What a column of a table is about, by what stands above it."""

from __future__ import annotations

import re
from functools import cache
from typing import NamedTuple

from kessa.core.importing.words import plain, words
from kessa.core.importing.written_units import form_of, unit_and_form, unit_of
from kessa.core.quantities.parameters import parameters

PLACE, LATITUDE, LONGITUDE, DAY, CLOCK, TEST, VALUE, UNIT, FORM, FRACTION, LOW, HIGH, REMARK, RESULT, NOTHING = (
    "place", "latitude", "longitude",
    "date", "time", "test", "value", "unit", "form", "fraction", "low", "high", "remark", "result", "",
)  # fmt: skip
# What a column may be about; the words for each are in words.toml.
SUBJECTS = (PLACE, LATITUDE, LONGITUDE, DAY, CLOCK, TEST, VALUE, UNIT, FORM, FRACTION, LOW, HIGH, REMARK)
_HAS_NO_UNIT = {"pH": "pH"}
_FORMULA = re.compile(r"[a-z]{1,3}[0-9][a-z0-9]*")
_FILLING = ("total", "dissolved", "free", "water", "sample")
_LEAST_PART = 4


class Head(NamedTuple):
    """What a column is about; of results by which name, in which unit, written as what, and which fraction.

    `found_from` is below which number, as it is written, "not detected" lies in this column; a person says.
    """

    subject: str
    parameter: str = ""
    unit: str = ""
    form: str = ""
    fraction: str = ""
    found_from: str = ""


def head_of(text: str) -> Head:
    """Return what a column is about by its head; a subject of NOTHING where that is not to be seen.

    >>> head_of("Nitrate (mg/L as N)")[:4], head_of("Leitfähigkeit mS")[:3]
    (('result', 'nitrate', 'mg/L', 'N'), ('result', 'conductivity', ''))
    """
    phrase = " ".join(re.sub(r"[\s_]+", " ", text).split())
    lowered = plain(phrase)
    for subject, names in words().heads.items():
        if lowered in names:
            return Head(subject)
    named = _named(phrase)
    if named:
        unit, form = _unit_and_form(named)
        fraction = next(
            (each for each in ("dissolved", "total") if re.search(rf"\b{each}\b", lowered) and each not in named.name),
            "",
        )
        return Head(RESULT, named.key, unit or _HAS_NO_UNIT.get(named.key, ""), form, fraction)
    for subject, names in words().heads.items():
        if any(re.search(rf"\b{re.escape(each)}\b", lowered) for each in names if len(each) >= _LEAST_PART):
            return Head(subject)
    return Head(NOTHING)


@cache
def _names() -> tuple[tuple[str, str, bool], ...]:
    """Return by what tests are called, the longest first; what they are; and whether only a head's beginning counts."""
    found = {plain(name): (known.key, False) for name, known in parameters().items()}
    for key, names in words().tests.items():
        found |= {plain(name): (key, len(name) < _LEAST_PART) for name in names if plain(name) not in found}
    return tuple((name, *found[name]) for name in sorted(found, key=len, reverse=True))


class _Named(NamedTuple):
    """Which test a head names, by which name, and what stands before and behind that."""

    key: str
    name: str
    before: str
    behind: str


def _named(text: str) -> _Named | None:
    lowered = plain(text)
    # Only then do places in one tell places in the other.
    as_long = lowered if len(lowered) == len(text) else text.lower()
    for name, key, begins in _names():
        found = re.search(rf"(?<![a-z0-9]){re.escape(name)}(?![a-z0-9])", as_long)
        if found and not (begins and found.start()):
            return _Named(key, name, text[: found.start()].strip(), text[found.end() :].strip())
    return None


def _unit_and_form(named: _Named) -> tuple[str, str]:
    """Return the unit and the form that a head says; no unit where not all of what stands behind is known."""
    form = ""
    behind = named.behind
    of = re.match(r"-([NP])\b", behind)
    if of:
        form, behind = of[1], behind[2:].strip()
    elif _FORMULA.fullmatch(named.name):
        # A formula is a form, too.
        form = form_of(named.name) or ""
    unit = ""
    for piece in re.split(r"[()\[\],;:]|(?:^|\s)(?:as|in|als|en|como|come|jako)\s", behind):
        if not piece.strip(" ."):
            continue
        known = unit_and_form(piece.strip())
        parts = piece.split()
        if known:
            unit, form = known[0], known[1] or form
        elif all(unit_of(part) or form_of(part) or plain(part) in _FILLING for part in parts):
            unit = next((found for found in map(unit_of, parts) if found), unit)
            form = next((found for found in map(form_of, parts) if found), form)
        else:
            # Perhaps a unit that is not known here: another would be guessed.
            return "", form
    return unit, form
