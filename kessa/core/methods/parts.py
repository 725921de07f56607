"""What a method finds out: a parameter by a kind of reading, with its numbers, and how the reading is seen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from random import Random
from typing import Annotated, Any, Literal, Self

from pydantic import Field, StringConstraints, field_serializer, model_validator

from kessa.core.checked import Checked, NotNegative, Number, Positive
from kessa.core.colours.eyes import alike_on_card
from kessa.core.errors import CannotCompute
from kessa.core.quantities.quantity import Quantity, plain
from kessa.core.quantities.species import FORMS, no_form
from kessa.core.quantities.units import UNITS, convert, sign
from kessa.core.readings import AnyKind
from kessa.core.readings.card_steps import place_on, value_at
from kessa.core.readings.kind import BESIDE, Determined, DrawnScale, Span, truth_in_words

# No NUL: PostgreSQL keeps none.
Text = Annotated[str, StringConstraints(min_length=1, max_length=600, strip_whitespace=True, pattern=r"^[^\x00]*$")]
MayBeEmpty = Annotated[str, StringConstraints(max_length=600, strip_whitespace=True, pattern=r"^[^\x00]*$")]
Name = Annotated[Text, StringConstraints(max_length=60)]
UnitName = Annotated[Text, StringConstraints(max_length=20)]
Key = Annotated[str, StringConstraints(pattern=r"^[a-z0-9-]+$", max_length=60)]
# More than anybody counts.
_MOST_UNITS = 200


class Titrant(Checked):
    """What one unit holds, and into how much sample it goes: the chemistry behind `numbers.per` or `multiplier`.

    A unit is a drop of `drop_ml` at `normality`, or holds `unit_meq` of titrant by itself, as a tablet does.
    """

    name: Text
    normality: Positive | None = None
    drop_ml: Positive | None = None
    unit_meq: Positive | None = None
    sample_ml: Positive
    equivalent_of: Text
    equivalents_per_mole: Annotated[int, Field(gt=0)] = 1

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if (self.unit_meq is None) == (self.normality is None or self.drop_ml is None):
            raise ValueError("give normality and drop_ml, or else unit_meq")
        if self.equivalent_of not in FORMS:
            raise ValueError(f"equivalent_of: {no_form(self.equivalent_of)}")
        return self

    def worth_of_a_unit(self) -> float:
        """Return mg/L a unit: milliequivalents in it × equivalent weight × 1000 / sample volume."""
        meq = self.unit_meq or (self.drop_ml or 0.0) * (self.normality or 0.0)
        return meq * FORMS[self.equivalent_of].molar_mass / self.equivalents_per_mole * 1000 / self.sample_ml


class Colour(Checked):
    """A colour to look for, with a name for readers who tell colours poorly."""

    role: Literal["not yet", "stays", "too far"]
    name: Text
    value: Annotated[str, StringConstraints(pattern=r"^#[0-9a-f]{6}$")]


class Chip(Checked):
    """The colour of a step on a screen, and its name; the kit's card decides."""

    name: Text
    value: Annotated[str, StringConstraints(pattern=r"^#[0-9a-f]{6}$")] = "#ffffff"


class Also(Checked):
    """Another form in which the kit itself gives the result: `times` the main one, as the kit rounds it."""

    form: Text = Field(alias="as")
    times: Positive


class Window(Checked):
    """A stretch that is wanted, in the part's unit: what a programme or maker asks for."""

    min: Number | None = None
    max: Number | None = None
    source: Text = "the method's own sheet"

    @model_validator(mode="after")
    def _a_stretch(self) -> Self:
        if self.min is None and self.max is None:
            raise ValueError("give min or max")
        if self.min is not None and self.max is not None and self.min > self.max:
            raise ValueError("min is above max")
        return self


def _check(what: str, unit: str, form: str | None, to_unit: str, to_form: str | None) -> None:
    try:
        convert(1.0, unit, form, to_unit, to_form)
    except CannotCompute as error:
        raise ValueError(f"{what}: {error.message}") from error


def _taken_for(determined: Determined, alike: Sequence[float], others: Sequence[Determined]) -> Determined:
    """Widen to the steps that the eye could not tell from what was read.

    Where one of them is beyond the card's end, all that is sure is a floor; below its beginning, what is highest.
    """
    found = determined.quantity
    every = [found, *(each.quantity for each in others)]
    low, highs = min(each.low for each in every), [each.high for each in every if each.high is not None]
    if len(highs) < len(every):
        wide = replace(found, value=low, low=low, high=None, censor=">")
    else:
        censor = "<" if all(each.censor == "<" for each in every) else None
        wide = replace(found, low=low, high=max(highs), censor=censor)
    line = f"Colours from {plain(alike[0])} to {plain(alike[1])} of the card could not be told from it"
    return determined._replace(quantity=wide, working=(*determined.working[:-1], line, truth_in_words(wide)))


_SHARED = ("kind", "unit", "as")
_BY_COLOUR = ("chips", "pad")


class Part(Checked):
    """One thing a method finds out. Most methods have one part; a strip has one a pad, a staged test one a stage.

    `numbers` are the kind of test with its numbers: in a file they stand beside `kind`, `unit` and `as`.
    """

    key: Key = "main"
    parameter: Name
    kind: str
    unit: UnitName
    form: Text | None = Field(default=None, alias="as")
    numbers: AnyKind
    draw: str = ""
    unit_of_count: UnitName = "drop"
    titrant: Titrant | None = None
    also: tuple[Also, ...] = ()
    wanted: Window | None = None
    detects: Positive | None = None
    # By how many steps of its card the eye may be off.
    eye_steps: NotNegative = 0.0
    # Of a vessel that is counted in two stages: whether it is the first count, what came on top, or both together.
    counts: Literal["", "first", "further", "all"] = ""
    colours: tuple[Colour, ...] = ()
    chips: tuple[Chip, ...] = ()
    # Of a clarity tube: whether a higher mark claims more clarity. None where the scale is not one of clarity.
    more_is_clearer: bool | None = None
    # When it may be read, in seconds since the last clock was started: from, to.
    read_s: tuple[Annotated[int, Field(ge=0)], Annotated[int, Field(gt=0)]] | None = None
    # The supply whose lot brings the conversion table along.
    table_of: Key | None = None
    # Units a display may show besides the part's own.
    display_units: tuple[Text, ...] = ()
    # Whether the water's temperature is read with it.
    with_temperature: bool = False
    # Whether each reading uses a sensor of its own, whose number is noted.
    with_sensor: bool = False
    # mL in a full burette; a refill is read as a further start and end.
    holds_ml: Positive | None = None
    # Cell lengths, in mm, that the instrument takes.
    paths_mm: tuple[Positive, ...] = ()

    @model_validator(mode="before")
    @classmethod
    def _with_its_kind(cls, given: Any) -> Any:
        """Let the numbers know their kind, unit and form, which stand beside them."""
        if not isinstance(given, Mapping) or "kind" not in given:
            return given
        numbers = given.get("numbers") or {}
        if not isinstance(numbers, Mapping):
            return given
        shared = {key: given[key] for key in _SHARED if given.get(key) is not None}
        return {**given, "numbers": {**numbers, **shared}}

    @field_serializer("numbers")
    def _without_its_kind(self, numbers: AnyKind) -> dict[str, Any]:
        data = numbers.model_dump(mode="json", by_alias=True, exclude_none=True)
        return {key: value for key, value in data.items() if key not in _SHARED}

    @model_validator(mode="after")
    def _whole(self) -> Self:
        kind = self.numbers
        if self.draw not in ("", *kind.drawings):
            raise ValueError(f"draw: a {self.kind} is drawn as {' or '.join(kind.drawings)}")
        if self.table_of is None and getattr(kind, "pairs", ()) is None:
            raise ValueError("numbers.pairs: a table is missing, or table_of that names the lot it comes with")
        if self.counted and not 0 < self.stop_at <= _MOST_UNITS:
            raise ValueError(f"numbers.stop_at: a count needs the number at which the range ends, up to {_MOST_UNITS}")
        if self.counted and {colour.role for colour in self.colours} != {"not yet", "stays", "too far"}:
            raise ValueError("colours: one each of not yet, stays and too far")
        on_card = sum(option.place is not None for option in kind.options)
        if self.chips and len(self.chips) != on_card:
            raise ValueError("chips: one for each step")
        if self.eye_steps and not kind.card and self.table_of is None:
            raise ValueError("eye_steps: only of what is matched against a card")
        self._check_units()
        return self

    @property
    def lacks_table(self) -> bool:
        """Whether the conversion table of the lot it is read with is still to come."""
        return self.table_of is not None and getattr(self.numbers, "pairs", ()) is None

    def _check_units(self) -> None:
        if self.form is not None and self.form not in FORMS:
            raise ValueError(f"as: {no_form(self.form)}")
        for unit in self.display_units:
            _check(f"display_units: {unit}", unit, None, self.unit, None)
        for other in self.also:
            _check(f"also: {other.form}", self.unit, self.form, self.unit, other.form)
        if self.form is not None and self.unit in UNITS:
            _check("as", self.unit, self.form, self.unit, self.form)

    def snapshot(self) -> dict[str, Any]:
        """Return the whole part as plain data."""
        return self.model_dump(mode="json", by_alias=True, exclude_none=True)

    @property
    def drawn_as(self) -> str:
        """How the reading is drawn on the bench."""
        return self.draw or self.numbers.drawings[0]

    @property
    def drawn_scales(self) -> tuple[DrawnScale, ...]:
        """The scales that are read off a drawing, a burette as long as it is."""
        scales, holds = self.numbers.drawn_scales(self.drawn_as), self.holds_ml
        return tuple(each._replace(most=holds) if holds and each.unit == "mL" else each for each in scales)

    @property
    def spans(self) -> dict[str, Span]:
        """Within what each field of a reading can be, as it is typed."""
        drawn = {each.field: Span(each.words, each.least, each.most, each.unit) for each in self.drawn_scales}
        return self.numbers.spans | drawn

    def check_typed(self, raw: Mapping[str, Any]) -> None:
        """Raise CannotCompute where a number was typed that nothing shows: a slip of the hand, or another unit."""
        for name, span in self.spans.items():
            value = raw.get(name)
            if not isinstance(value, int | float):
                continue
            if not span.least <= self.numbers.in_own_unit(name, value, raw) <= span.most:
                runs = f"It runs from {plain(span.least)} to {plain(span.most)} {sign(span.unit)}".strip()
                raise CannotCompute(f"{span.words}: not on the scale. {runs}.", name)

    @property
    def counted(self) -> bool:
        """Whether units are counted one by one."""
        return self.numbers.counted

    @property
    def stop_at(self) -> int:
        """The count at which a counted range ends; 0 where nothing is counted."""
        return int(getattr(self.numbers, "stop_at", None) or 0)

    @property
    def per(self) -> float:
        """What one unit counted is worth, in the part's unit; 1 where units are not worth anything."""
        return float(getattr(self.numbers, "worth", 1.0))

    @property
    def next_range(self) -> str | None:
        """The method of the next higher range, where there is one."""
        return getattr(self.numbers, "next_range", None)

    @property
    def reading_keys(self) -> tuple[str, ...]:
        """What may be sent of a reading of this part."""
        keys = self.numbers.reading_keys()
        extras = {"sensor": self.with_sensor, "temperature_c": self.with_temperature}
        return (*keys, *(key for key in BESIDE if extras[key] and key not in keys))

    def determine(
        self, raw: Mapping[str, Any], dilution: float = 1.0, *, blank: float = 0.0, of_blank: str = "widens"
    ) -> Determined:
        """Turn a reading, as a person took it, into a result with its interval.

        `blank` are the units a blank took, `of_blank` the school by which it bears on the result. Raises CannotCompute.
        """
        given = {key: value for key, value in raw.items() if value is not None}
        reading, lines = self.numbers.brought(given)
        kind, reading = self.numbers.as_read(reading).with_blank(reading, blank, of_blank)
        determined = self._as_good_as_it_is(kind, kind.determine(reading, dilution), dilution)
        if alike := given.get("alike"):
            determined = _taken_for(determined, alike, [self.determine({"at": each}, dilution) for each in alike])
        return determined._replace(working=(*lines, *determined.working))

    def _as_good_as_it_is(self, kind: AnyKind, determined: Determined, dilution: float) -> Determined:
        """Widen by what the eye may be off on a card; where the range was left, by the method's precision too.

        Otherwise the errors of a count are put together; not of a further one: its beginning is as unsure as its end.
        """
        found = determined.quantity
        if found.words:
            return determined
        if not (found.censor or self.eye_steps or self.counts == "further"):
            good, line = kind.likely(found, dilution)
            if good == found:
                return determined
            return determined._replace(quantity=good, working=(*determined.working[:-1], line, truth_in_words(good)))
        wide = kind.half_width(found.value, dilution)
        low, high = found.value - wide, found.value + wide
        if self.eye_steps:
            by_eye = self._by_eye(kind, found, dilution)
            low, high = min(low, by_eye[0]), max(high, by_eye[1])
        low = low if kind.floor is None else max(low, kind.floor)
        low = 0.0 if found.censor == "<" else min(low, found.low)
        good = replace(found, low=low, high=None if found.high is None else max(high, found.high))
        if good == found:
            return determined
        lines = determined.working[:-1]
        if self.eye_steps:
            steps = f"step{'' if self.eye_steps == 1 else 's'}"
            lines += (f"By eye it is good to ± {plain(self.eye_steps)} {steps} of the card",)
        return determined._replace(quantity=good, working=(*lines, truth_in_words(good)))

    def _by_eye(self, kind: AnyKind, found: Quantity, dilution: float) -> tuple[float, float]:
        """Return both ends of what is on the card within reach of the eye; beyond its end that is half a step less."""
        place, off = place_on(kind.card, found.value / dilution), self.eye_steps
        if found.censor:
            first, last, off = place, place, max(off - 0.5, 0.0)
        else:
            # A gap of which one end is written is as wide to the other side.
            ends = (place_on(kind.card, end / dilution) for end in (found.low, found.high or found.value))
            first, last = (end + half for end, half in zip(ends, (0.5, -0.5), strict=True))
        least, most = min(place, first) - off, max(place, last) + off
        return value_at(kind.card, least) * dilution, value_at(kind.card, most) * dilution

    def taken_for(self, reading: Mapping[str, Any], eyes: str) -> tuple[float, float] | None:
        """Return the first and last step of its card that such eyes (see colours.eyes) take for what they read.

        None where that is no other step, or nothing is matched by colour. Of a card whose colours
        nobody wrote down any may look alike.
        """
        steps = self.numbers.card
        if self.drawn_as not in _BY_COLOUR or not steps:
            return None
        end = steps[0] if reading.get("below") else steps[-1]
        places = [steps.index(each) for each in reading.get("between") or [reading.get("at", end)]]
        colours, off = [chip.value for chip in self.chips], max(self.eye_steps, 0.5)
        known = len(set(colours)) > 1
        found = [alike_on_card(colours, place, off, eyes) if known else (0, len(steps) - 1) for place in places]
        first, last = min(each[0] for each in found), max(each[1] for each in found)
        return (steps[first], steps[last]) if first < min(places) or last > max(places) else None

    def said(self, raw: Mapping[str, Any]) -> str:
        """Say a reading of this part as people write it."""
        return self.numbers.said({key: value for key, value in raw.items() if value is not None}, self.unit_of_count)

    def said_together(self, readings: Sequence[Mapping[str, Any]]) -> str:
        """Say the readings of several runs, such as "8, 7 drops"."""
        plainly = [{key: value for key, value in raw.items() if value is not None} for raw in readings]
        return self.numbers.said_together(plainly, self.unit_of_count)

    def simulated(self, strength: float, chance: Random) -> dict[str, Any]:
        """Return what a careful person would read in water of `strength` (the part's unit)."""
        reading = self.numbers.simulated(strength, chance)
        return {key: value for key, value in reading.items() if key in self.reading_keys and value is not None}

    @property
    def reach(self) -> float | None:
        """The highest result of the range, in the part's unit; None where there is no end to it."""
        return self.numbers.reach

    @property
    def least(self) -> float | None:
        """The lowest result that is told apart from nothing, in the part's unit."""
        return self.detects or self.numbers.least

    def own(self, quantity: Quantity) -> Quantity:
        """Bring a result back from another form to the part's own, by the kit's own factor where it was written by it.

        Raises CannotCompute where the two forms share nothing.
        """
        if quantity.form == self.form:
            return quantity
        return quantity.times(1 / self.factor(quantity.form)[0], self.form)

    def factor(self, form: str | None) -> tuple[float, str]:
        """Return by what a result of this part is multiplied to be written as `form`, and whose factor that is."""
        own = next((other for other in self.also if other.form == form), None)
        if own:
            return own.times, "by the kit's own factor"
        return convert(1.0, self.unit, self.form, self.unit, form), "by chemistry"

    def written_as(self, quantity: Quantity, form: str | None) -> tuple[Quantity, str]:
        """Return a result of this part in another form, and the line of working: the kit's own factor where it has one.

        Raises CannotCompute where the two forms share nothing.
        """
        if form == self.form:
            value = f"{quantity.censor or ''}{plain(quantity.value)}"
            return quantity, f"as the kit gives it: {value} {quantity.unit} as {form}"
        times, whose = self.factor(form)
        there = quantity.times(times, form)
        line = f"× {plain(times)} {whose} = {there.censor or ''}{plain(there.value)} {there.unit} as {form}"
        return there, line
