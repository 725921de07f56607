"""From a row of a file to what was found: where, when, what; or what is doubtful about it."""

from collections import Counter
from collections.abc import Iterator, Sequence
from datetime import datetime, time
from functools import cache, cached_property
from typing import Any, NamedTuple

from django.utils import timezone

from kessa.core.errors import CannotCompute
from kessa.core.importing import heads
from kessa.core.importing.cells import MARKS, Cell, Mark, decimal_mark, read_cell, value_of
from kessa.core.importing.days import ORDERS, Clock, day_of, day_order, moment_of, read_clock, read_day, zone_of
from kessa.core.importing.evidence import Evidence
from kessa.core.importing.heads import Head, head_of
from kessa.core.importing.points import Point, metres_apart, point_of
from kessa.core.importing.words import plain, words
from kessa.core.importing.written_units import form_of, unit_and_form
from kessa.core.judging.plausible import can_be
from kessa.core.methods import house_methods
from kessa.core.quantities.parameters import parameter as known_parameter
from kessa.core.quantities.parameters import parameters
from kessa.core.quantities.quantity import Quantity
from kessa.core.quantities.units import convert, says_its_form
from kessa.record.imports.files import TYPED
from kessa.record.imports.models import Matching
from kessa.record.people.models import Team
from kessa.record.places.models import Place
from kessa.record.places.selectors import places

_NOON = Clock(time(12), None)
# So near a place is meant by its degrees alone; so far from them it is hardly the one that is named. In m.
_NEAR_M, _FAR_M = 100, 1000
_FRACTIONS = ("", "dissolved", "total")
# As what a file's numbers are kept, whatever they were written in.
_KEPT_IN = {
    "concentration": "mg/L", "temperature": "degC", "conductivity": "uS/cm", "pH": "pH", "presence": "presence",
}  # fmt: skip
# What a person may have to say before a file's numbers and days can be read.
_ASKED = {
    "mark": "Say what the decimal mark is",
    "order": "Say in which order day, month and year stand",
}


class ReadRow(NamedTuple):
    """One result of a row, as it will be kept."""

    row: int
    place: Place
    at: datetime
    parameter: str
    fraction: str
    quantity: Quantity
    # As it was written, with its unit.
    words: str
    remark: str
    # Whether a time of day stood with it; noon is kept where none did.
    is_timed: bool
    # Whether the file says between which ends it lies.
    has_ends: bool


class Doubt(NamedTuple):
    """A row that cannot be taken in as it stands, and why."""

    row: int
    cells: list[str]
    why: list[str]


def guess(
    head: Sequence[str], sample: Sequence[Sequence[str]], before: Matching | None = None
) -> tuple[list[dict[str, str]], dict[str, str]]:
    """Guess what columns are about by their heads, and how numbers and days are written by the first rows.

    What a person said `before` of a file with the same heads holds where this one does not show otherwise by itself;
    of which place it is they say of each. The reading has "mark" and "order"; empty where both ways are possible and
    make a difference: a person says.
    """
    columns = [Head(**each) for each in before.columns] if before else [head_of(text) for text in head]
    data: dict[str, Any] = {"found_from": "", **(before.reading if before else {}), "place": "", "said": []}

    def of(*subjects: str) -> list[str]:
        places = [nth for nth, each in enumerate(columns) if each.subject in subjects]
        return [row[nth] for row in sample for nth in places if nth < len(row)]

    numbers = [each for each in of(heads.RESULT, heads.VALUE, heads.LOW, heads.HIGH) if not each.startswith(TYPED)]
    mark, order = decimal_mark(numbers, data.get("mark") or None), day_order(of(heads.DAY), order_of(data))
    return [each._asdict() for each in columns], {**data, "mark": mark or "", "order": order or ""}


def order_of(reading: dict[str, str]) -> Any:
    """Return in which order the days of a file are read; files of before had a third, for a year that is first."""
    return reading.get("order", "").lower().replace("ymd", "dmy") or None


@cache
def forms_of(parameter: str) -> tuple[str, ...]:
    """Return as what the house methods write a parameter, the usual one first; nothing where it has no form."""
    found = dict.fromkeys(
        part.form or "" for method in house_methods().values() for part in method.parts if part.parameter == parameter
    )
    return tuple(form for form in found if form)


@cache
def unit_kept(parameter: str) -> str:
    """Return in which unit a parameter is kept."""
    known = known_parameter(parameter)
    if known.measured_in in _KEPT_IN:
        return _KEPT_IN[known.measured_in]
    units = [part.unit for method in house_methods().values() for part in method.parts if part.parameter == known.key]
    return units[0] if units else ""


def _number(cell: Cell, text: str) -> Cell:
    """Return a cell that holds a number by itself; raises CannotCompute on `value` where it does not."""
    if cell.says != "number" or cell.censor or cell.unit:
        raise CannotCompute(f"“{text}” is no number.", "value")
    return cell


def _is_of_presence(head: Head) -> bool:
    return known_parameter(head.parameter).measured_in == "presence"


def _half_a_digit(cell: Cell, may_be_negative: bool) -> tuple[float, float | None]:
    """Return the ends of a number by itself: half of its last digit off it."""
    if cell.censor == "<":
        return min(0.0, cell.value), cell.value
    if cell.censor == ">":
        return cell.value, None
    low = cell.value - cell.off
    return low if may_be_negative else max(low, min(0.0, cell.value)), cell.value + cell.off


def _given_ends(cell: Cell, low: Cell, high: Cell | None) -> tuple[float, float | None]:
    """Return the ends that the file gives; raises CannotCompute where the number is not between them."""
    if low.value > cell.value or (high is not None and high.value < cell.value):
        words = "none" if high is None else f"{high.value:g}"
        raise CannotCompute(f"its ends, {low.value:g} and {words}, are not on either side of it.", "low")
    return low.value, None if high is None else high.value


def _degrees(point: Point) -> str:
    return f"{point[0]:g}, {point[1]:g}"


def _is_to_say_its_form(head: Head) -> bool:
    """Whether numbers of a column mean another thing by as what they are written: as N or as NO3, as CaCO3 or HCO3."""
    return known_parameter(head.parameter).has_forms and not says_its_form(head.unit)


class Reader:
    """Reads rows by what their columns are about: see guess.

    The reading may hold "tests": of a test by its name in the file, which it is, in which unit, as what it is written
    and below what "not detected" lies; and "said": of what it holds a person was asked, and said it.
    """

    def __init__(self, team: Team, columns: Sequence[dict[str, str]], reading: dict[str, Any]) -> None:
        self.columns = [Head(**each) for each in columns]
        self.reading = reading
        every = list(places(team))
        self.places = {each.name.strip(): each for each in every}
        alike = Counter(each.name.strip().lower() for each in every)
        self.by_letters = {name: each for each in every if alike[name := each.name.strip().lower()] == 1}
        self.fixed = next((each for each in every if str(each.pk) == reading.get("place")), None)
        self.points = [
            (each, (each.latitude, each.longitude))
            for each in every
            if each.latitude is not None and each.longitude is not None
        ]
        self._seen: set[int] = set()
        self.mark: Mark = reading.get("mark") or "."
        self.order = order_of(reading)
        self.tests: dict[str, dict[str, str]] = reading.get("tests") or {}
        # How often each test is named, as it stands in the file.
        self.named: Counter[str] = Counter()
        # Whether what nobody was asked is seen from what the file holds.
        self.evidence: dict[str, Evidence[Any]] = {
            "mark": Evidence(MARKS, self.mark, value_of), "order": Evidence(ORDERS, self.order, day_of)
        }  # fmt: skip
        self.ends = self._columns_of_ends()

    @cached_property
    def bounds(self) -> dict[str, float]:
        """Below what "not detected" lies, by how a person wrote it; raises CannotCompute where that is no number."""
        given = {each.found_from for each in self.columns} | {self.reading.get("found_from", "")}
        given |= {each.get("found_from", "") for each in self.tests.values()}
        # What a person writes shows nothing of how the file is written.
        return {text: _number(read_cell(text, self.mark), text).value for text in given if text}

    def unclear(self) -> dict[str, str]:
        """Return what a person has to say after all, now that the rows are read, each with why.

        Where the first rows of a file did not show how it is written, those behind them may be readable in two ways.
        """
        found = {name: each.unclear for name, each in self.evidence.items() if name not in self.reading.get("said", [])}
        return {name: f"{_ASKED[name]}: “{text}” may be read either way." for name, text in found.items() if text}

    def _columns_of_ends(self) -> dict[int, dict[str, int]]:
        """Return where the ends of each column of results are: behind it, or anywhere where there is only one."""
        held = [nth for nth, each in enumerate(self.columns) if each.subject in (heads.RESULT, heads.VALUE)]
        found: dict[int, dict[str, int]] = {}
        for nth, each in enumerate(self.columns):
            if each.subject in (heads.LOW, heads.HIGH):
                before = held if len(held) == 1 else [column for column in held if column < nth]
                ends = found.setdefault(before[-1] if before else -1, {})
                # Of two that claim to be the same end of one column neither is taken: see faults.
                ends[each.subject] = -1 if each.subject in ends else nth
        return found

    def faults(self) -> list[str]:
        """Return what has to be said before any row can be read."""
        subjects = [each.subject for each in self.columns]
        faults = []
        if heads.DAY not in subjects:
            faults.append("Say which column holds the day.")
        if not {heads.PLACE, heads.LATITUDE} & set(subjects) and self.fixed is None:
            faults.append(
                "Say which column names the place or holds its latitude, or choose one place for the whole file."
            )
        if (heads.LATITUDE in subjects) != (heads.LONGITUDE in subjects):
            faults.append("Say which column holds the other of latitude and longitude.")
        if heads.RESULT not in subjects and not {heads.TEST, heads.VALUE} <= set(subjects):
            faults.append("Say which columns hold results: one a test, or one with the test and one with the number.")
        faults += [
            f"{each.parameter}: say {'in which unit it is' if not each.unit else 'as what it is written'}."
            for each in self.columns
            if each.subject == heads.RESULT
            and ((not each.unit and not _is_of_presence(each)) or (_is_to_say_its_form(each) and not each.form))
        ]
        twice = {
            name
            for name in heads.SUBJECTS
            if name not in (heads.LOW, heads.HIGH, heads.REMARK) and subjects.count(name) > 1
        }
        faults += [f"Two columns are said to hold the {name}." for name in sorted(twice)]
        if -1 in self.ends or any(-1 in each.values() for each in self.ends.values()):
            faults.append("Lower and upper ends are those of the column of results before them: one of each for it.")
        if not self.reading.get("mark"):
            faults.append(f"{_ASKED['mark']}: these numbers may have either.")
        if not self.reading.get("order"):
            faults.append(f"{_ASKED['order']}: these days may be read either way.")
        if not faults:
            try:
                _ = self.bounds
            except CannotCompute as fault:
                faults.append(fault.message)
        return faults

    def read(self, number: int, cells: Sequence[str]) -> list[ReadRow] | Doubt:
        """Return what was found by a row; what is doubtful about it instead, where anything is."""
        data = {
            each.subject: cells[nth].strip().removeprefix(TYPED)
            for nth, each in enumerate(self.columns)
            if nth < len(cells) and each.subject
        }
        why: list[str] = []
        place, (at, is_timed) = self._where(data.get(heads.PLACE, ""), cells, why), self._when(data, why)
        remarks = dict.fromkeys(filter(None, self._all_of(heads.REMARK, cells)))
        found = []
        for head, column in self._results(data, cells, why):
            text = cells[column].strip() if column < len(cells) else ""
            if not text[:1].isdecimal() and plain(text) in words().empty:
                continue
            written = text.removeprefix(TYPED)
            try:
                low, high = self._ends(column, cells)
                quantity = self._quantity(head, text, low, high)
                self._check(place, head.parameter, quantity, written)
            except CannotCompute as fault:
                why.append(f"{head.parameter}: {fault.message}")
                continue
            if place and at:
                found.append(
                    ReadRow(
                        number,
                        place,
                        at,
                        head.parameter,
                        head.fraction,
                        quantity,
                        written,
                        "; ".join(remarks),
                        is_timed,
                        low is not None,
                    )
                )
        why += self._twice(found) if not why else []
        return Doubt(number, list(cells), why) if why else found

    def _where(self, name: str, cells: Sequence[str], why: list[str]) -> Place | None:
        """Return the place of a row by its name, else by where it lies; where both are given they must agree."""
        try:
            point = self._point(cells)
        except CannotCompute as fault:
            why.append(fault.message)
            return None
        place = self.places.get(name) or self.by_letters.get(name.lower()) if name else self.fixed
        if place is None and (name or point is None):
            why.append(f"“{name}” is no place of your team." if name else "No place stands here.")
        elif place is None and point:
            near = [each for each, there in self.points if metres_apart(there, point) <= _NEAR_M]
            place = near[0] if len(near) == 1 else None
            if place is None:
                named = " and ".join(map(str, near)) or "no place of your team"
                why.append(f"Within {_NEAR_M} m of {_degrees(point)} lies {named}.")
        elif place and point:
            away = next((metres_apart(there, point) for each, there in self.points if each == place), 0.0)
            if away > _FAR_M:
                why.append(f"“{place}” lies {away / 1000:.3g} km from {_degrees(point)}.")
        return place

    def _point(self, cells: Sequence[str]) -> Point | None:
        """Return where a row lies; None where that is not given."""
        north, east = (self._of(subject, cells) for subject in (heads.LATITUDE, heads.LONGITUDE))
        if not north and not east:
            return None
        if not north or not east:
            raise CannotCompute("A latitude without its longitude is no place.", "place")
        return point_of(*(_number(self._cell(each), each).value for each in (north, east)))

    def _when(self, data: dict[str, str], why: list[str]) -> tuple[datetime | None, bool]:
        day_said, clock_said = data.get(heads.DAY, ""), data.get(heads.CLOCK, "")
        # A day whose year comes first is the same in any order.
        if not day_said[:4].isdecimal():
            self.evidence["order"].note(day_said)
        try:
            day, clock = read_day(day_said, self.order)
            clock = read_clock(clock_said) if clock_said else clock
            at = moment_of(
                day, clock or _NOON, zone_of(timezone.get_current_timezone_name()), f"{day_said} {clock_said}"
            )
        except CannotCompute as fault:
            why.append(fault.message)
            return None, False
        if at > timezone.now():
            why.append("This day is still to come.")
        return at, clock is not None

    def head_of_test(self, test: str) -> Head:
        """Return what a test is that a row names, by what a person said of it, else by its name."""
        said = self.tests.get(plain(test), {})
        known = said.get("parameter") or known_parameter(test).key
        head = Head(heads.RESULT, known) if known in parameters() else head_of(test)
        return head._replace(**{name: each for name, each in said.items() if each})

    def _results(self, data: dict[str, str], cells: Sequence[str], why: list[str]) -> Iterator[tuple[Head, int]]:
        """Give what is asked of a row, with the column in which its number stands."""
        column_of_value = -1
        for nth, each in enumerate(self.columns):
            if each.subject == heads.RESULT:
                yield each, nth
            elif each.subject == heads.VALUE:
                column_of_value = nth
        if heads.TEST not in data:
            return
        test = data[heads.TEST]
        self.named[test] += 1
        head = self.head_of_test(test)
        if head.subject != heads.RESULT:
            why.append(f"“{test}” is no test that Kessa knows.")
            return
        unit, form = data.get(heads.UNIT, ""), data.get(heads.FORM, "")
        fraction = plain(data.get(heads.FRACTION, "")) or head.fraction
        written = unit_and_form(unit) if unit and not _is_of_presence(head) else (head.unit, None)
        if written is None:
            why.append(f"“{unit}” is no unit that Kessa knows.")
        elif form and form_of(form) is None:
            why.append(f"“{form}” is no form that Kessa knows.")
        elif fraction not in _FRACTIONS:
            why.append(f"“{data[heads.FRACTION]}” is neither dissolved nor total.")
        else:
            form = form_of(form) or written[1] or head.form
            yield head._replace(unit=written[0], form=form, fraction=fraction), column_of_value

    def _all_of(self, subject: str, cells: Sequence[str]) -> list[str]:
        """The cells of a row that are about something, as they were written."""
        found = [nth for nth, each in enumerate(self.columns) if each.subject == subject and nth < len(cells)]
        return [cells[nth].strip() for nth in found]

    def _of(self, subject: str, cells: Sequence[str]) -> str:
        return next(iter(self._all_of(subject, cells)), "")

    def _cell(self, text: str) -> Cell:
        text = text.strip()
        if text.startswith(TYPED):
            return read_cell(text.removeprefix(TYPED), ".")
        self.evidence["mark"].note(text)
        return read_cell(text, self.mark)

    def _quantity(self, head: Head, text: str, low: Cell | None, high: Cell | None) -> Quantity:
        """Return a number as it is kept, with its interval: that of the file, else half of the last digit written."""
        if _is_of_presence(head):
            return self._presence(text)
        cell = self._cell(text)
        if cell.says == "not detected":
            bound = self.bounds.get(head.found_from or self.reading.get("found_from", ""))
            if bound is None:
                raise CannotCompute("nothing was found; say below which number that is.", "value")
            cell = Cell("number", bound, censor="<")
        unit, form = self._unit_and_form(head, cell)
        known = known_parameter(head.parameter)
        ends = _half_a_digit(cell, known.may_be_negative) if low is None else _given_ends(cell, low, high)
        return self._kept(head.parameter, Quantity(cell.value, *ends, cell.censor, unit, form))

    def _unit_and_form(self, head: Head, cell: Cell) -> tuple[str, str | None]:
        """Return in which unit a number is, and as what it is written, by its cell or else by its column."""
        known = known_parameter(head.parameter)
        unit, form = cell.unit or head.unit, cell.form or head.form
        if not unit and known.key == "pH":
            unit = unit_kept(head.parameter)
        if not unit:
            raise CannotCompute("no unit stands with it.", "unit")
        if known.measured_in != "concentration":
            return unit, form or None
        if _is_to_say_its_form(head._replace(unit=unit)) and not form:
            raise CannotCompute("as what is it written? As N, as the ion, as CaCO3?", "form")
        return unit, form or next(iter(forms_of(head.parameter)), None)

    def _presence(self, text: str) -> Quantity:
        """Return whether something was found at all, by a word or by how many were counted."""
        said = plain(text)
        if said in words().present or said in words().absent:
            found = said in words().present
        else:
            cell = self._cell(text)
            if cell.value < 0:
                raise CannotCompute(f"“{text}” lies below nothing.", "value")
            found = cell.says == "number" and cell.censor != "<" and (cell.value > 0 or cell.censor == ">")
        return Quantity(float(found), float(found), float(found), None, "presence")

    def _ends(self, column: int, cells: Sequence[str]) -> tuple[Cell | None, Cell | None]:
        """Return between which ends the file says that a column's number lies; None for what it does not say."""
        if column not in self.ends:
            return None, None
        given = [self._end(each, column, cells) for each in (heads.LOW, heads.HIGH)]
        if given[0] is None and given[1] is not None:
            raise CannotCompute("an upper end stands with it, and no lower one.", "low")
        return given[0], given[1]

    def _end(self, which: str, column: int, cells: Sequence[str]) -> Cell | None:
        nth = self.ends[column].get(which, -1)
        text = cells[nth].strip() if 0 <= nth < len(cells) else ""
        cell = self._cell(text)
        return None if cell.says == "empty" else _number(cell, text)

    def _kept(self, parameter: str, quantity: Quantity) -> Quantity:
        kept = unit_kept(parameter)
        if not kept or kept == quantity.unit:
            return quantity

        def to(value: float) -> float:
            return float(f"{convert(value, quantity.unit, quantity.form, kept, quantity.form):.10g}")

        high = None if quantity.high is None else to(quantity.high)
        return Quantity(to(quantity.value), to(quantity.low), high, quantity.censor, kept, quantity.form)

    def _check(self, place: Place | None, parameter: str, quantity: Quantity, words: str) -> None:
        if quantity.value < 0 and not known_parameter(parameter).may_be_negative:
            raise CannotCompute(f"“{words}” lies below nothing.", "value")
        if place and not can_be(known_parameter(parameter).key, quantity.value, place.water):
            raise CannotCompute(f"“{words}” can hardly be in such water.", "value")

    def _twice(self, found: list[ReadRow]) -> list[str]:
        again = []
        for each in found:
            key = hash((each.place.pk, each.at, each.parameter, each.fraction))
            if key in self._seen:
                again.append(f"{each.parameter}: it stands here already for the same place and time.")
            self._seen.add(key)
        return again
