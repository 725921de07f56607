"""From a row of a notebook to what was found: where, when, what; or what is doubtful about it."""

from collections.abc import Iterator, Sequence
from datetime import datetime, time
from functools import cache
from typing import NamedTuple

from django.utils import timezone

from kessa.core.errors import CannotCompute
from kessa.core.judging.plausible import can_be
from kessa.core.methods import house_methods
from kessa.core.notebooks import heads
from kessa.core.notebooks.cells import Read, decimal_mark, is_nothing, read_number
from kessa.core.notebooks.days import is_unambiguous, orders_of, read_day, read_time
from kessa.core.notebooks.heads import Head, form_of, head_of, unit_of
from kessa.core.quantities.parameters import parameter as known_parameter
from kessa.core.quantities.parameters import parameters
from kessa.core.quantities.quantity import Quantity
from kessa.core.quantities.units import convert
from kessa.record.people.models import Team
from kessa.record.places.models import Place
from kessa.record.places.selectors import places

_NOON = time(12)
# As what a notebook's numbers are kept, whatever they were written in.
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


class Doubt(NamedTuple):
    """A row that cannot be taken in as it stands, and why."""

    row: int
    cells: list[str]
    why: list[str]


def guess(head: Sequence[str], sample: Sequence[Sequence[str]]) -> tuple[list[dict[str, str]], dict[str, str]]:
    """Guess what columns are about by their heads, and how numbers and days are written by the first rows.

    The reading has "mark" and "order"; empty where both ways are possible: a person says.
    """
    columns = [head_of(text) for text in head]
    numbers = [
        row[nth]
        for row in sample
        for nth, each in enumerate(columns)
        if each.subject in (heads.RESULT, heads.VALUE) and nth < len(row)
    ]
    days = [
        row[nth] for row in sample for nth, each in enumerate(columns) if each.subject == heads.DAY and nth < len(row)
    ]
    orders = orders_of(days)
    reading = {
        "mark": decimal_mark(numbers) or "",
        "order": (orders[0] if orders and (len(orders) == 1 or is_unambiguous(days)) else ""),
        "place": "",
        "found_from": "",
    }
    return [each._asdict() for each in columns], reading


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


class Reader:
    """Reads rows by what their columns are about: see guess."""

    def __init__(self, team: Team, columns: Sequence[dict[str, str]], reading: dict[str, str]) -> None:
        self.columns = [Head(**each) for each in columns]
        self.reading = reading
        self.places = {each.name.strip().lower(): each for each in places(team)}
        self.fixed = next((each for each in self.places.values() if str(each.pk) == reading.get("place")), None)
        self._seen: set[int] = set()
        bound = reading.get("found_from", "")
        self.found_from = read_number(bound, reading["mark"] or ".").value if bound else None

    def faults(self) -> list[str]:
        """Return what has to be said before any row can be read."""
        subjects = [each.subject for each in self.columns]
        faults = []
        if heads.DAY not in subjects:
            faults.append("Say which column holds the day.")
        if heads.PLACE not in subjects and self.fixed is None:
            faults.append("Say which column names the place, or choose one place for the whole file.")
        if heads.RESULT not in subjects and not {heads.TEST, heads.VALUE} <= set(subjects):
            faults.append("Say which columns hold results: one a test, or one with the test and one with the number.")
        faults += [
            f"{each.parameter}: say {'in which unit it is' if not each.unit else 'as what it is written'}."
            for each in self.columns
            if each.subject == heads.RESULT
            and (not each.unit or (known_parameter(each.parameter).ion and not each.form))
        ]
        twice = {
            name for name in (heads.DAY, heads.PLACE, heads.CLOCK, heads.VALUE, heads.TEST) if subjects.count(name) > 1
        }
        faults += [f"Two columns are said to hold the {name}." for name in sorted(twice)]
        if not self.reading.get("mark"):
            faults.append("Say what the decimal mark is: these numbers may have either.")
        if not self.reading.get("order"):
            faults.append("Say in which order day, month and year stand: these days may be read either way.")
        return faults

    def read(self, number: int, cells: Sequence[str]) -> list[ReadRow] | Doubt:
        """Return what was found by a row; what is doubtful about it instead, where anything is."""
        said = {
            each.subject: cells[nth].strip()
            for nth, each in enumerate(self.columns)
            if nth < len(cells) and each.subject
        }
        why: list[str] = []
        place, at = self._where(said, why), self._when(said, why)
        found = []
        for head, text in self._results(said, cells, why):
            try:
                quantity, words = self._quantity(head, text, said)
                self._check(place, head.parameter, quantity, words)
            except CannotCompute as fault:
                why.append(f"{head.parameter}: {fault.message}")
                continue
            if place and at:
                found.append(
                    ReadRow(
                        number, place, at, head.parameter, head.fraction, quantity, words, said.get(heads.REMARK, "")
                    )
                )
        why += self._twice(found) if not why else []
        return Doubt(number, list(cells), why) if why else found

    def _where(self, said: dict[str, str], why: list[str]) -> Place | None:
        name = said.get(heads.PLACE, "")
        place = self.places.get(name.lower()) if name else self.fixed
        if place is None:
            why.append(f"“{name}” is no place of your team." if name else "No place stands here.")
        return place

    def _when(self, said: dict[str, str], why: list[str]) -> datetime | None:
        try:
            day, clock = read_day(said.get(heads.DAY, ""), self.reading["order"])
            clock = read_time(said.get(heads.CLOCK, "")) or clock or _NOON
            at = timezone.make_aware(datetime.combine(day, clock.replace(tzinfo=None)))
        except (CannotCompute, ValueError) as fault:
            why.append(getattr(fault, "message", "This is no moment."))
            return None
        if at > timezone.now():
            why.append("This day is still to come.")
        return at

    def _results(self, said: dict[str, str], cells: Sequence[str], why: list[str]) -> Iterator[tuple[Head, str]]:
        for nth, each in enumerate(self.columns):
            text = cells[nth] if nth < len(cells) else ""
            if each.subject == heads.RESULT and not is_nothing(text):
                yield each, text
        if heads.TEST in said:
            test, text = said[heads.TEST], said.get(heads.VALUE, "")
            named = parameters().get(test) or parameters().get(test.lower())
            head = head_of(test) if named is None else Head(heads.RESULT, named.key)
            if head.subject != heads.RESULT:
                why.append(f"“{test}” is no test that Kessa knows.")
            elif not is_nothing(text):
                unit = unit_of(said.get(heads.UNIT, "")) or head.unit
                form = form_of(said.get(heads.FORM, "")) or head.form
                yield (
                    head._replace(unit=unit, form=form or "", fraction=said.get(heads.FRACTION, "") or head.fraction),
                    text,
                )

    def _quantity(self, head: Head, text: str, said: dict[str, str]) -> tuple[Quantity, str]:
        """Return a number as it is kept, with its interval: that of the file, else half of the last digit written."""
        read = read_number(text, self.reading["mark"], self.found_from)
        unit = unit_of(read.rest.split(" as ")[0]) or head.unit
        form = form_of(read.rest.partition(" as ")[2]) or head.form
        known = known_parameter(head.parameter)
        if not unit and known.measured_in != "concentration":
            unit = unit_kept(head.parameter)
        if not unit:
            raise CannotCompute("no unit stands with it.", "unit")
        if known.measured_in == "concentration":
            if known.ion and not form:
                raise CannotCompute("as what is it written? As N, as the ion?", "form")
            form = form or next(iter(forms_of(head.parameter)), "")
        low, high = self._ends(read, said)
        quantity = Quantity(read.value, low, high, read.censor, unit, form or None)
        return self._kept(head.parameter, quantity), text.strip()

    def _ends(self, read: Read, said: dict[str, str]) -> tuple[float, float | None]:
        low, high = (said.get(name, "") for name in (heads.LOW, heads.HIGH))
        mark = self.reading["mark"]
        if low:
            return read_number(low, mark).value, read_number(high, mark).value if high else None
        if read.censor == "<":
            return min(0.0, read.value), read.value
        return read.value - (0.0 if read.censor else read.off), None if read.censor else read.value + read.off

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
        keys = [hash((each.place.pk, each.at, each.parameter, each.fraction)) for each in found]
        again = [each.parameter for each, key in zip(found, keys, strict=True) if key in self._seen]
        self._seen |= set(keys)
        return [f"{name}: a row before this one has it for the same place and time." for name in again]
