"""From a row of a file to what was found: where, when, what; or what is doubtful about it."""

from collections.abc import Iterator, Sequence
from datetime import datetime, time
from functools import cache
from typing import Any, NamedTuple

from django.utils import timezone

from kessa.core.errors import CannotCompute
from kessa.core.importing import heads
from kessa.core.importing.cells import Cell, decimal_mark, read_cell
from kessa.core.importing.days import Clock, day_order, moment_of, read_clock, read_day, zone_of
from kessa.core.importing.heads import Head, head_of
from kessa.core.importing.points import Point, metres_apart, point_of
from kessa.core.importing.words import plain
from kessa.core.importing.written_units import form_of, unit_and_form
from kessa.core.judging.plausible import can_be
from kessa.core.methods import house_methods
from kessa.core.quantities.parameters import parameter as known_parameter
from kessa.core.quantities.parameters import parameters
from kessa.core.quantities.quantity import Quantity
from kessa.core.quantities.units import convert
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
_KEPT_IN = {"concentration": "mg/L", "temperature": "degC", "conductivity": "uS/cm", "pH": "pH"}


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

    What a person said `before` of a file with the same heads holds where this one does not show otherwise by itself.
    The reading has "mark" and "order"; empty where both ways are possible: a person says.
    """
    columns = [Head(**each) for each in before.columns] if before else [head_of(text) for text in head]
    data: dict[str, Any] = before.reading if before else {"place": "", "found_from": ""}

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


def _degrees(point: Point) -> str:
    return f"{point[0]:g}, {point[1]:g}"


class Reader:
    """Reads rows by what their columns are about: see guess."""

    def __init__(self, team: Team, columns: Sequence[dict[str, str]], reading: dict[str, str]) -> None:
        self.columns = [Head(**each) for each in columns]
        self.reading = reading
        self.places = {each.name.strip().lower(): each for each in places(team)}
        self.fixed = next((each for each in self.places.values() if str(each.pk) == reading.get("place")), None)
        self.points = [
            (each, (each.latitude, each.longitude))
            for each in self.places.values()
            if each.latitude is not None and each.longitude is not None
        ]
        self._seen: set[int] = set()
        self.mark: Any = reading.get("mark") or "."
        self.order = order_of(reading)
        bounds = {each.found_from for each in self.columns} | {reading.get("found_from", "")}
        self.bounds = {given: self._number(given).value for given in bounds if given}

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
            and (not each.unit or (known_parameter(each.parameter).ion and not each.form))
        ]
        twice = {
            name
            for name in (heads.DAY, heads.PLACE, heads.LATITUDE, heads.LONGITUDE, heads.CLOCK, heads.VALUE, heads.TEST)
            if subjects.count(name) > 1
        }
        faults += [f"Two columns are said to hold the {name}." for name in sorted(twice)]
        if not self.reading.get("mark"):
            faults.append("Say what the decimal mark is: these numbers may have either.")
        if not self.reading.get("order"):
            faults.append("Say in which order day, month and year stand: these days may be read either way.")
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
        found = []
        for head, text in self._results(data, cells, why):
            try:
                cell = self._cell(text)
                if cell.says == "empty":
                    continue
                words = text.strip().removeprefix(TYPED)
                quantity = self._quantity(head, cell, cells)
                self._check(place, head.parameter, quantity, words)
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
                        words,
                        data.get(heads.REMARK, ""),
                        is_timed,
                        bool(data.get(heads.LOW)),
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
        place = self.places.get(name.lower()) if name else self.fixed
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
        return point_of(self._number(north).value, self._number(east).value)

    def _when(self, data: dict[str, str], why: list[str]) -> tuple[datetime | None, bool]:
        day_said, clock_said = data.get(heads.DAY, ""), data.get(heads.CLOCK, "")
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

    def _results(self, data: dict[str, str], cells: Sequence[str], why: list[str]) -> Iterator[tuple[Head, str]]:
        for nth, each in enumerate(self.columns):
            if each.subject == heads.RESULT:
                yield each, cells[nth] if nth < len(cells) else ""
        if heads.TEST not in data:
            return
        test = data[heads.TEST]
        known = known_parameter(test).key
        head = Head(heads.RESULT, known) if known in parameters() else head_of(test)
        if head.subject != heads.RESULT:
            why.append(f"“{test}” is no test that Kessa knows.")
            return
        unit, form = data.get(heads.UNIT, ""), data.get(heads.FORM, "")
        fraction = plain(data.get(heads.FRACTION, "")) or head.fraction
        written = unit_and_form(unit) if unit else (head.unit, None)
        if written is None:
            why.append(f"“{unit}” is no unit that Kessa knows.")
        elif form and form_of(form) is None:
            why.append(f"“{form}” is no form that Kessa knows.")
        elif fraction not in _FRACTIONS:
            why.append(f"“{data[heads.FRACTION]}” is neither dissolved nor total.")
        else:
            form = form_of(form) or written[1] or head.form
            yield head._replace(unit=written[0], form=form, fraction=fraction), self._of(heads.VALUE, cells)

    def _of(self, subject: str, cells: Sequence[str]) -> str:
        """The cell of a row that is about something, as it was written."""
        found = (cells[nth] for nth, each in enumerate(self.columns) if each.subject == subject and nth < len(cells))
        return next(found, "").strip()

    def _cell(self, text: str) -> Cell:
        text = text.strip()
        return read_cell(text.removeprefix(TYPED), "." if text.startswith(TYPED) else self.mark)

    def _number(self, text: str) -> Cell:
        """A cell that holds a number by itself."""
        cell = self._cell(text)
        if cell.says != "number" or cell.censor or cell.unit:
            raise CannotCompute(f"“{text}” is no number.", "value")
        return cell

    def _quantity(self, head: Head, cell: Cell, cells: Sequence[str]) -> Quantity:
        """Return a number as it is kept, with its interval: that of the file, else half of the last digit written."""
        if cell.says == "not detected":
            bound = self.bounds.get(head.found_from or self.reading.get("found_from", ""))
            if bound is None:
                raise CannotCompute("nothing was found; say below which number that is.", "value")
            cell = Cell("number", bound, censor="<")
        unit, form = cell.unit or head.unit, cell.form or head.form
        known = known_parameter(head.parameter)
        if not unit and known.key == "pH":
            unit = unit_kept(head.parameter)
        if not unit:
            raise CannotCompute("no unit stands with it.", "unit")
        if known.measured_in == "concentration":
            if known.ion and not form:
                raise CannotCompute("as what is it written? As N, as the ion?", "form")
            form = form or next(iter(forms_of(head.parameter)), "")
        low, high = self._ends(cell, cells)
        return self._kept(head.parameter, Quantity(cell.value, low, high, cell.censor, unit, form or None))

    def _ends(self, cell: Cell, cells: Sequence[str]) -> tuple[float, float | None]:
        low_said, high_said = self._of(heads.LOW, cells), self._of(heads.HIGH, cells)
        if not low_said:
            low = min(0.0, cell.value) if cell.censor == "<" else cell.value - (0.0 if cell.censor else cell.off)
            return low, None if cell.censor == ">" else cell.value + (0.0 if cell.censor else cell.off)
        low = self._number(low_said).value
        high = self._number(high_said).value if high_said else None
        if low > cell.value or (high is not None and high < cell.value):
            raise CannotCompute(f"its ends, {low_said} and {high_said or 'none'}, are not on either side of it.", "low")
        return low, high

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
