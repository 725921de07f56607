"""Numbers as people write them in tables."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from typing import NamedTuple

from kessa.core.errors import CannotCompute

_NOT_FOUND = {"n.d.", "nd", "n.d", "not detected", "none detected", "bdl", "< lod", "<lod", "n.n.", "b.d.l."}
_NOTHING = {"", "-", "–", "—", "n/a", "na", "nan", "none", "null", "."}
_BELOW, _ABOVE = ("<", "≤", "‹"), (">", "≥", "›")
_NUMBER = re.compile(r"[+-]?(?:\d[\d   '’.,]*|[.,]\d+)(?:[eE][+-]?\d+)?")
_GROUPS = re.compile(r"(?<=\d)[   '’](?=\d{3}(?!\d))")
_MOST = 1e12


class Read(NamedTuple):
    """A number as it was written: how far its last digit goes, and whether it is a bound ("<" or ">")."""

    value: float
    off: float
    censor: str | None = None
    # What stands after it, such as a unit.
    rest: str = ""


def is_nothing(text: str) -> bool:
    """Whether a cell says nothing.

    >>> is_nothing(" - "), is_nothing("0")
    (True, False)
    """
    return text.strip().lower() in _NOTHING


def read_number(text: str, mark: str = ".", found_from: float | None = None) -> Read:
    """Read a number with a decimal `mark` ("." or ","); `found_from` is what "not detected" lies below.

    The last digit written says how far it is off: half of one. Raises CannotCompute with what is wrong with it: more
    than a number, none at all, "not detected" without a bound, a mark that may be either.

    >>> read_number("< 0,05", ",")
    Read(value=0.05, off=0.005, censor='<', rest='')
    """
    said = text.strip()
    if said.lower() in _NOT_FOUND:
        if found_from is None:
            raise CannotCompute(f"“{said}” says that nothing was found, not below which number.", "value")
        return Read(found_from, 0.0, "<")
    censor = "<" if said.startswith(_BELOW) else ">" if said.startswith(_ABOVE) else None
    said = said.lstrip("<≤‹>≥›= ").strip()
    found = _NUMBER.match(said)
    if found is None:
        raise CannotCompute(f"“{text.strip()}” is no number.", "value")
    rest = said[found.end() :].strip()
    if re.search(r"\d", rest) and not re.fullmatch(
        r"[^\d]*(?:CO3|NO[23]|PO4|SO[34]|NH[34]|O2|ClO2|Cl2|SiO2|H2S|/100 ?mL)?", rest
    ):
        raise CannotCompute(f"“{text.strip()}” holds more than one number.", "value")
    digits = _GROUPS.sub("", found[0].rstrip(" .,"))
    number = _plain(digits, mark, text)
    try:
        value = float(number)
    except ValueError:
        raise CannotCompute(f"“{text.strip()}” is no number.", "value") from None
    if not math.isfinite(value) or abs(value) > _MOST:
        raise CannotCompute(f"“{text.strip()}” is no number of water.", "value")
    return Read(value, _half_of_last(number), censor, rest)


def _plain(digits: str, mark: str, text: str) -> str:
    """Return a number with a point, and without what parts its thousands."""
    other = "," if mark == "." else "."
    # Where both stand, the last is the decimal mark, and the other parts thousands: it has to stand by threes.
    if other in digits:
        head = digits.split(mark, maxsplit=1)[0]
        if digits.count(mark) > 1 or not re.fullmatch(rf"[+-]?\d{{1,3}}(?:{re.escape(other)}\d{{3}})+", head):
            raise CannotCompute(f"“{text.strip()}” has a decimal mark other than “{mark}”.", "value")
        digits = digits.replace(other, "")
    if digits.count(mark) > 1:
        parts = digits.split(mark)
        if not all(len(part) == 3 for part in parts[1:]):
            raise CannotCompute(f"“{text.strip()}” is no number.", "value")
        return "".join(parts)
    return digits.replace(mark, ".").replace(" ", "")


def _half_of_last(number: str) -> float:
    mantissa, _, power = number.lower().partition("e")
    places = len(mantissa.partition(".")[2])
    return float(f"{0.5 * 10 ** (int(power or 0) - places):.3g}")


def decimal_mark(texts: Iterable[str]) -> str | None:
    """Return which decimal mark a column's numbers have; None where they may have either: "1,234" alone.

    >>> decimal_mark(["5,2", "1.234,5"]), decimal_mark(["5.2", "7"]), decimal_mark(["1,234"])
    (',', '.', None)
    """
    points = commas = 0
    either = False
    for text in texts:
        found = _NUMBER.search(text)
        digits = found[0].strip() if found else ""
        marks = [each for each in digits if each in ".,"]
        if not marks:
            continue
        last, tail = marks[-1], re.split(r"[.,]", digits)[-1]
        if len(set(marks)) == 2 or (len(marks) == 1 and len(tail) != 3):
            points += last == "."
            commas += last == ","
        elif len(marks) > 1:
            points += last == ","
            commas += last == "."
        else:
            either = True
    if points and commas:
        return "." if points >= commas else ","
    if not points and not commas:
        return None if either else "."
    return "." if points else ","
