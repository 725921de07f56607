"""Cells of results in other people's tables. Nothing is guessed: what could be read in two ways is refused."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from functools import cache
from typing import Literal, NamedTuple

from kessa.core.errors import CannotCompute
from kessa.core.importing.evidence import one_way
from kessa.core.importing.words import plain, words
from kessa.core.importing.written_units import unit_and_form

Mark = Literal[".", ","]
MARKS: tuple[Mark, Mark] = (".", ",")
_CENSORS = {"<": "<", "≤": "<", "‹": "<", "<=": "<", ">": ">", "≥": ">", "›": ">", ">=": ">"}
_BEGINS = re.compile(r"([<>]=?|[≤≥‹›])?\s*([+-]?)(.*)", re.DOTALL)
# A plain, a no-break, a narrow and a thin space; and apostrophes.
_SPACES, _APOSTROPHES = re.compile("[\u0020\u00a0\u202f\u2009]"), re.compile("[\u2019\u02bc]")
_MOST, _LONGEST = 1e12, 200


class Cell(NamedTuple):
    """What a cell says: "empty", "not detected", or "number" with how far half of its last digit is."""

    says: Literal["empty", "not detected", "number"]
    value: float = 0.0
    off: float = 0.0
    censor: Literal["<", ">"] | None = None
    unit: str | None = None
    form: str | None = None


@cache
def _number(mark: Mark) -> re.Pattern[str]:
    """A number with this decimal mark, its thousands grouped by one kind of separator or by none."""
    point, other = re.escape(mark), re.escape("," if mark == "." else ".")
    grouped = "|".join(f"[1-9][0-9]{{0,2}}(?:{parted}[0-9]{{3}})+" for parted in (other, " ", "'"))
    whole, part = f"(?P<whole>{grouped}|[0-9]+|(?={point}[0-9]))", f"(?:{point}(?P<part>[0-9]+))?"
    return re.compile(rf"{whole}{part}(?P<power>[eE][+-]?[0-9]{{1,3}})?(?![0-9.,'])")


def read_cell(text: str, mark: Mark) -> Cell:
    """Read a cell of results in a table whose decimal mark is `mark`.

    Thousands are grouped by the other mark, a space or an apostrophe; "≤" is "<"; a unit behind the number is read
    where it is known. Raises CannotCompute (on `text`) for anything else: marks, ranges, unknown units, other words.

    >>> read_cell("< 0,05 mg/L", ",")
    Cell(says='number', value=0.05, off=0.005, censor='<', unit='mg/L', form=None)
    """
    given = _APOSTROPHES.sub("'", _SPACES.sub(" ", text)).replace("\u2212", "-").strip()
    if not given[:1].isdecimal():
        said = plain(given)
        if said in words().empty:
            return Cell("empty")
        if said in words().not_detected:
            return Cell("not detected")
    begins = _BEGINS.fullmatch(given)
    assert begins is not None
    if len(given) > _LONGEST:
        raise _refused(text, "is no number")
    found = _number(mark).match(begins[3])
    if found is None:
        other = _number("," if mark == "." else ".").match(begins[3])
        raise _refused(text, f"has a decimal mark other than “{mark}”" if other else "is no number")
    rest = begins[3][found.end() :]
    known = unit_and_form(rest) if rest.strip() else (None, None)
    if known is None:
        raise _refused(text, f"has “{rest.strip()[:40]}” behind its number, which is no unit that Kessa knows")
    part, power = found["part"] or "", int((found["power"] or "e0")[1:])
    whole = re.sub("[^0-9]", "", found["whole"]) or "0"
    value = float(f"{begins[2]}{whole}.{part or 0}e{power}")
    if not math.isfinite(value) or abs(value) > _MOST:
        raise _refused(text, "is no number of water")
    off = float(f"{0.5 * 10.0 ** (power - len(part)):.3g}")
    censor: Literal["<", ">"] | None = _CENSORS.get(begins[1] or "")  # type: ignore[assignment]
    return Cell("number", value, off, censor, *known)


def _refused(text: str, why: str) -> CannotCompute:
    return CannotCompute(f"“{text.strip()[:60]}” {why}.", "text")


def decimal_mark(texts: Iterable[str], usual: Mark | None = None) -> Mark | None:
    """Return which decimal mark a column's numbers have; None where they may have either and then say other things.

    Where they say the same with either it is `usual`.

    >>> [decimal_mark(each) for each in (["5,2", "1.234,5"], ["5.2", "7"], ["1,234"], ["1,2", "1.2"])]
    [',', '.', None, None]
    """
    return one_way(texts, MARKS, value_of, usual)


def value_of(text: str, mark: Mark) -> float | None:
    """Return the number of a cell; None where it is none with this mark."""
    try:
        return read_cell(text, mark).value
    except CannotCompute:
        return None
