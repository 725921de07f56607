"""What a proposal follows from: the system, its make-up water, findings, bands, products, and what was done before."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, ConfigDict, Field, model_validator

from kessa.core.checked import Checked, Number, YesNo
from kessa.core.errors import CannotCompute
from kessa.core.importing.written_units import unit_of
from kessa.core.proposing.plan import GALLON_L
from kessa.core.proposing.substances import grams_for
from kessa.core.quantities.species import FORMS, no_form
from kessa.core.quantities.units import CUBIC_FOOT_L, POUND_KG, PSI_BAR, UNITS, convert, usual_unit
from kessa.core.treating.amounts import Kept
from kessa.core.treating.steam import steam_of

_FOOT_M, _GRAIN_G = UNITS["ft"].size, 0.06479891
# Facts in US customary units: which fact of ours each is, and how much one of it.
_CUSTOMARY = {
    "volume_gal": ("volume_l", GALLON_L), "evaporation_gpm": ("evaporation_l_h", 60 * GALLON_L),
    "bleed_gpm": ("bleed_l_min", GALLON_L), "bleed_now_gpm": ("bleed_now_l_h", 60 * GALLON_L),
    "drift_gpm": ("drift_l_h", 60 * GALLON_L), "steam_lb_h": ("steam_kg_h", POUND_KG),
    "gas_ft3_h": ("gas_m3_h", CUBIC_FOOT_L / 1000), "oil_lb_h": ("oil_kg_h", POUND_KG),
    "feed_lb_h": ("feed_kg_h", POUND_KG), "blowdown_lb_h": ("blowdown_kg_h", POUND_KG),
    "pressure_psi": ("pressure_bar", PSI_BAR), "depth_ft": ("depth_m", _FOOT_M), "water_ft": ("water_m", _FOOT_M),
    "bore_in": ("bore_mm", 25.4), "pipes_gal": ("pipes_l", GALLON_L), "use_gal_day": ("use_l_day", GALLON_L),
    "capacity_grains": ("capacity_g_caco3", _GRAIN_G), "make_up_gal_month": ("make_up_l_month", GALLON_L),
    "resin_ft3": ("resin_l", CUBIC_FOOT_L), "drop_clean_psi": ("drop_clean_bar", PSI_BAR),
    "drop_most_psi": ("drop_most_bar", PSI_BAR), "backwash_gal": ("backwash_l", GALLON_L),
    "tank_gal": ("tank_l", GALLON_L),
}  # fmt: skip
# Make-up water's hardness in degrees.
_HARDNESS = {"hardness_dh": "dH", "hardness_gpg": "gpg", "hardness_fh": "fH"}
_ALIKE = {
    "total hardness": "hardness", "ph": "pH", "chlorine": "free chlorine", "cycles": "cycles of concentration",
    "total dissolved solids": "tds", "propylene glycol": "glycol", "ethylene glycol": "glycol",
    "e coli": "E. coli", "e. coli": "E. coli", "oxygen": "feed oxygen", "dissolved oxygen": "feed oxygen",
}  # fmt: skip
# No system of water, and nothing found in one, is larger.
_LARGEST = 1e9
DAYS_A_MONTH = 30.4
Positive = Annotated[Number, Field(gt=0, le=_LARGEST)]
NotNegative = Annotated[Number, Field(ge=0, le=_LARGEST)]
Amount = Annotated[Number, Field(ge=-_LARGEST, le=_LARGEST)]
# How often the make-up water is concentrated, which itself is once.
CYCLES = "cycles of concentration"
# Above nothing lime falls out.
SCALING = "langelier index"
Percent = Annotated[Number, Field(ge=0, le=100)]
Strength = Annotated[Number, Field(gt=0, le=100)]
Acidity = Annotated[Number, Field(ge=0, le=14)]
_MOST = 200
# What may be below nothing.
_BELOW_NOTHING = ("temperature", "freezing", "index")


def _as_kept(unit: str) -> str:
    return unit_of(unit) or unit


def called(parameter: str) -> str:
    """Return by what a parameter is known here, whatever its capitals."""
    name = " ".join(parameter.lower().split())
    return _ALIKE.get(name, name)


class _Open(Checked):
    """Facts may be given that are not used here; they are named in the answer, so that none is ignored in silence."""

    model_config = ConfigDict(extra="allow")

    @property
    def not_used(self) -> list[str]:
        """The names of what was given and is not used."""
        return sorted(self.model_extra or {})


class SystemFacts(_Open):
    """What is known of a system: litres, hours, kg, bar, m, mm, percent, as the names say; see also `_CUSTOMARY`."""

    kind: str
    volume_l: Positive | None = None
    volume_off_percent: Percent = 0.0
    evaporation_l_h: NotNegative | None = None
    drift_l_h: NotNegative = 0.0
    # What the valve lets out fully open, and what runs now.
    bleed_l_min: Positive | None = None
    bleed_now_l_h: NotNegative | None = None
    steam_kg_h: Positive | None = None
    feed_kg_h: Positive | None = None
    # Where its steam is not written down, by what is burnt: natural gas, heating oil.
    gas_m3_h: Positive | None = None
    oil_kg_h: Positive | None = None
    efficiency_percent: Annotated[Number, Field(gt=0, le=110)] | None = None
    blowdown_kg_h: NotNegative | None = None
    condensate_return_percent: Percent = 0.0
    condensate_tds_mg_l: NotNegative = 0.0
    feed_oxygen_mg_l: NotNegative | None = None
    feed_temperature_c: Annotated[Number, Field(ge=0, le=250)] | None = None
    vented_tank: YesNo = False
    pressure_bar: Annotated[Number, Field(ge=0, le=250)] | None = None
    glycol: Literal["propylene", "ethylene", "unknown"] | None = None
    glycol_percent: Percent | None = None
    metals: tuple[str, ...] = ()
    cycles_now: Positive | None = None
    depth_m: Positive | None = None
    water_m: Positive | None = None
    bore_mm: Positive | None = None
    pipes_l: NotNegative = 0.0
    feeds: tuple[str, ...] = ()
    # What flows past the dosing pump, and what that gives at full stroke.
    flow_l_h: Positive | None = None
    pump_l_h: Positive | None = None
    is_softened: YesNo = False
    disinfectant: str = ""
    feeds_chlorine: YesNo = False
    use_l_day: Positive | None = None
    resin_l: Positive | None = None
    capacity_g_caco3_per_l: Positive | None = None
    capacity_g_caco3: Positive | None = None
    salt_g_per_l_resin: Positive | None = None
    blend_to_mg_l_caco3: NotNegative = 0.0
    make_up_l_month: NotNegative | None = None
    # Of a filter: its pressure drop when clean and when it is to be backwashed, how often, with how much.
    drop_clean_bar: NotNegative | None = None
    drop_most_bar: Positive | None = None
    backwash_days: Positive | None = None
    backwash_l: Positive | None = None
    # Of a dosing station: its tank, what its pump is set to, and how long the tank lasts when it is filled up.
    tank_l: Positive | None = None
    stroke_percent: Percent | None = None
    refill_days: Positive | None = None
    # Whether its facts are in US customary units: the answer is, too.
    is_customary: YesNo = False

    @model_validator(mode="before")
    @classmethod
    def _converted(cls, given: Any) -> Any:
        if not isinstance(given, Mapping):
            return given
        facts = dict(given)
        for name in _CUSTOMARY.keys() & facts.keys():
            ours, one = _CUSTOMARY[name]
            value = facts.pop(name)
            if isinstance(value, bool) or not isinstance(value, int | float):
                raise CannotCompute(f"{name} must be a number.", name)
            if ours in facts:
                raise CannotCompute(f"{name} is given twice: as {ours} too.", name)
            facts |= {ours: value * one, "is_customary": True}
        return facts if facts.get("steam_kg_h") is not None else facts | {"steam_kg_h": steam_of(facts)}

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.depth_m is not None and self.water_m is not None and self.water_m > self.depth_m:
            raise CannotCompute("More water stands in the well than it is deep.", "water_m")
        return self

    @property
    def flows_past_l_h(self) -> float | None:
        """What flows past the dosing pump of a supply, L/h; None where nobody knows, and of what goes round."""
        if self.kind != "supply" or self.flow_l_h is not None:
            return self.flow_l_h
        return None if self.use_l_day is None else self.use_l_day / 24

    @property
    def feeds_people(self) -> bool:
        """Whether people drink of it, or eat what its steam touches; of a supply, unless it feeds something else."""
        return "people" in self.feeds or self.kind == "well" or (self.kind == "supply" and not self.feeds)


class Level(_Open):
    """A parameter with its unit and the form in which it is written."""

    parameter: str
    unit: Annotated[str, AfterValidator(_as_kept)] = ""
    form: str | None = Field(None, alias="as")

    @property
    def name(self) -> str:
        """By what the parameter is known here."""
        return called(self.parameter)

    def in_usual(self, value: float | None) -> float | None:
        """Return a number of it in the unit in which balances are reckoned."""
        unit, form = usual_unit(self.unit, self.form)
        same = (unit, form) == (self.unit, self.form)
        return value if value is None or same else convert(value, self.unit, self.form, unit, form)

    def usual(self, *numbers: str) -> Self:
        """Return it in the unit in which balances are reckoned; `numbers` are those of it that are converted."""
        unit, form = usual_unit(self.unit, self.form)
        converted = {name: self.in_usual(getattr(self, name)) for name in numbers}
        return self.model_copy(update={"unit": unit, "form": form, **converted})


class Finding(Level):
    """What was found, with the interval in which it lies where that is known."""

    value: Amount
    low: Amount | None = None
    high: Amount | None = None

    @model_validator(mode="after")
    def _can_be(self) -> Self:
        if (
            self.value < 0
            and "temperature" not in self.name
            and "freezing" not in self.name
            and "index" not in self.name
        ):
            raise CannotCompute("It cannot be below nothing.", "value")
        if self.name == "pH" and self.value > 14:
            raise CannotCompute("A pH lies between 0 and 14.", "value")
        if self.unit == "%" and self.value > 100:
            raise CannotCompute("It cannot be more than all of it.", "value")
        low, high = self.low if self.low is not None else self.value, self.high if self.high is not None else self.value
        if not low <= self.value <= high:
            raise CannotCompute("low, value and high rise in this order.", "value")
        return self

    @property
    def off(self) -> float:
        """How far the truth may lie from the value."""
        ends = (each for each in (self.low, self.high) if each is not None)
        return max((abs(each - self.value) for each in ends), default=0.0)


class Band(Level):
    """Between what a parameter is to be; `for` says that it holds for something else than every day."""

    least: Amount | None = None
    most: Amount | None = None
    # Where to bring what lies outside, where that was chosen.
    aim: Amount | None = None
    purpose: str = Field("", alias="for")

    @model_validator(mode="after")
    def _rises(self) -> Self:
        if self.least is None and self.most is None:
            raise CannotCompute("A band has a least or a most.", "bands")
        if self.least is not None and self.most is not None and self.least > self.most:
            raise CannotCompute("The least of a band is above its most.", "least")
        ends = (self.least is None or self.aim is None or self.aim >= self.least) and (
            self.most is None or self.aim is None or self.aim <= self.most
        )
        if not ends:
            raise CannotCompute("The aim of a band lies within it.", "aim")
        return self


class Product(_Open):
    """What is on the shelf, as its label has it."""

    name: str
    raises: str = ""
    lowers: str = ""
    cleans: str = ""
    kills: str = ""
    prevents: str = ""
    active_percent: Strength | None = None
    form_as: str | None = Field(None, alias="as")
    density_kg_l: Annotated[Number, Field(gt=0.3, le=4)] | None = None
    form: str = ""
    # What a litre (of a powder a kilogram) changes a cubic metre by, where that is counted in another unit.
    raises_mg_l_per_l_m3: Positive | None = None
    step_unit: str = "mg/L"
    # The most of it there may be in the water, counted as `as`; hours from one portion to the next.
    most_level: Positive | None = None
    hours_between: NotNegative = 4.0
    label_l_m3: tuple[NotNegative, Positive] | None = None
    most_l_m3_at_once: Positive | None = None
    # Of a powder the same by mass.
    label_kg_m3: tuple[NotNegative, Positive] | None = None
    most_kg_m3_at_once: Positive | None = None
    contact_h: NotNegative | None = None
    stock_l: NotNegative | None = None
    stock_kg: NotNegative | None = None
    ph: Acidity | None = None
    holds: tuple[str, ...] = ()
    approved_for_drinking: YesNo | None = None
    stabilised: YesNo = False
    glycol: Literal["propylene", "ethylene"] | None = None
    # Why it must not go in here, where whoever asks knows of a reason.
    refused: str = ""

    @model_validator(mode="after")
    def _rises(self) -> Self:
        if self.label is not None and self.label[0] > self.label[1]:
            raise CannotCompute("A label gives from the least to the most.", "label_l_m3")
        return self

    @property
    def unit(self) -> Kept:
        """In what amounts of it are given."""
        return "kg" if self.is_powder else "L"

    @property
    def label(self) -> tuple[float, float] | None:
        """What its label gives for a cubic metre, from and to, L (of a powder kg)."""
        return self.label_kg_m3 if self.is_powder else self.label_l_m3

    @property
    def said_most_at_once(self) -> float | None:
        """What its label names as the most at once for a cubic metre, L (of a powder kg); None where it names none."""
        most = self.most_kg_m3_at_once if self.is_powder else self.most_l_m3_at_once
        if most is None and self.is_powder and self.most_l_m3_at_once and self.density_kg_l:
            return self.most_l_m3_at_once * self.density_kg_l
        return most

    @property
    def most_at_once(self) -> float | None:
        """The most of it at once for a cubic metre, as its label names it, else the most that it gives."""
        return self.said_most_at_once or (self.label[1] if self.label else None)

    @property
    def stock(self) -> float | None:
        """What of it is on the shelf, L (of a powder kg); None where nobody counts it."""
        if self.is_powder and self.stock_kg is None and self.stock_l is not None and self.density_kg_l:
            return self.stock_l * self.density_kg_l
        return self.stock_kg if self.is_powder else self.stock_l

    @property
    def is_powder(self) -> bool:
        """Whether it is weighed."""
        return self.form == "powder"

    @property
    def is_hypochlorite(self) -> bool:
        """Whether it is bleach of any kind."""
        return any("ocl" in each.lower() or "hypochlor" in each.lower() for each in (*self.holds, self.name))

    @property
    def is_acid(self) -> bool:
        """Whether it is an acid."""
        words = " ".join((*self.holds, self.name)).lower()
        return (self.ph is not None and self.ph < 4) or "acid" in words or "hcl" in words

    @property
    def is_alkaline(self) -> bool:
        """Whether it is a lye."""
        words = " ".join(self.holds).lower()
        return (self.ph is not None and self.ph > 10) or any(each in words for each in ("naoh", "koh", "lye"))


class Event(_Open):
    """What was done or tested before, so many days ago."""

    done: str
    days_ago: NotNegative = 0.0
    amount: NotNegative | None = None
    unit: str = ""
    product: str = ""
    findings: dict[str, NotNegative] = Field(default_factory=dict)
    form: str | None = Field(None, alias="as")
    # How far each of its findings may be off.
    off: NotNegative = 0.0

    def level(self, parameter: str, written_as: str | None) -> float:
        """Return what was found of a parameter, as another form where it was written as one of the same family."""
        try:
            return self.levels[parameter] * grams_for(written_as, self.form)
        except CannotCompute:
            return self.levels[parameter]

    @property
    def levels(self) -> dict[str, float]:
        """What was found, by what it is known as here."""
        return {called(name): value for name, value in self.findings.items()}


class Request(_Open):
    """Everything that a proposal follows from; see kessa.core.proposing.propose."""

    system: SystemFacts
    make_up: dict[str, NotNegative] = Field(default_factory=dict, max_length=_MOST)
    # How far what it holds of each may be off.
    make_up_off: dict[str, NotNegative] = Field(default_factory=dict, max_length=_MOST)
    findings: tuple[Finding, ...] = Field((), max_length=_MOST)
    bands: tuple[Band, ...] = Field((), max_length=_MOST)
    products: tuple[Product, ...] = Field((), max_length=_MOST)
    history: tuple[Event, ...] = Field((), max_length=_MOST)

    @model_validator(mode="after")
    def _written_in_known_forms(self) -> Self:
        for each in (*self.findings, *self.bands):
            if each.form is not None and each.form not in FORMS:
                raise CannotCompute(f"There is {no_form(each.form)}.", "as")
        return self

    def usual(self) -> Request:
        """Return it with findings and bands in the units of make-up and history: mg/L and µS/cm."""
        return self.model_copy(update={
            "findings": tuple(each.usual("value", "low", "high") for each in self.findings),
            "bands": tuple(each.usual("least", "most", "aim") for each in self.bands),
        })  # fmt: skip

    def knowing(self, parameter: str, value: float | None, unit: str) -> Request:
        """Return it with a fact of the system as what was found, where a band asks for it and nobody tested it."""
        if value is None or self.found(parameter) is not None or self.band(parameter) is None:
            return self
        known = Finding.model_validate({"parameter": parameter, "value": value, "unit": unit})
        return self.model_copy(update={"findings": (*self.findings, known)})

    def holding(self, litres: float | None) -> Request:
        """Return it with another volume of the system."""
        return self.model_copy(update={"system": self.system.model_copy(update={"volume_l": litres})})

    def supplied(self, parameter: str) -> float | None:
        """Return what the make-up water holds of a parameter, of hardness as CaCO3; None where that is not known."""
        if parameter == CYCLES:
            return 1.0
        levels = {called(name): value for name, value in self.make_up.items()}
        if parameter == "hardness" and parameter not in levels:
            for name, unit in _HARDNESS.items():
                if name in levels:
                    return convert(levels[name], unit, None, "mg/L", "CaCO3")
        return levels.get(parameter)

    def last(self, *done: str) -> Event | None:
        """Return what was done last of these."""
        return next((each for each in reversed(self.history) if each.done in done), None)

    def found(self, parameter: str) -> Finding | None:
        """Return what was found of a parameter."""
        return next((each for each in self.findings if each.name == parameter), None)

    def band(self, parameter: str) -> Band | None:
        """Return between what a parameter is to be, every day."""
        return next((each for each in self.bands if each.name == parameter and not each.purpose), None)
