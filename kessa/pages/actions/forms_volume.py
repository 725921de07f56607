"""Forms by which it is worked out how much a system holds."""

from typing import Any

from django import forms

from kessa.core.errors import CannotCompute
from kessa.core.job.place_kinds import measure_of
from kessa.core.quantities.spread import Spread, exactly, within_percent
from kessa.core.quantities.units import convert
from kessa.core.treating.amounts import MEASURES, METRIC
from kessa.core.treating.volumes import Counted, Pipe, volume_by_parts, volume_by_salt
from kessa.pages.base.number_field import NumberField

PIPES, RADIATORS, VESSELS = 4, 4, 2
# A salt, and the part of it that is measured.
_SALTS = [
    ("NaCl Cl", "table salt (NaCl), measured as chloride"),
    ("NaNO2 NO2", "sodium nitrite, measured as NO2"),
    ("NaNO2 NaNO2", "sodium nitrite, measured as NaNO2"),
    ("Na2SO3 SO3", "sodium sulfite, measured as SO3"),
    ("", "something else, measured as what was weighed"),
]

# In which parameter and form each is seen.
SEEN_IN = {"NaCl Cl": ("chloride", "Cl"), "NaNO2 NO2": ("nitrite", "NO2"), "NaNO2 NaNO2": ("nitrite", "NaNO2")}


def _part(salt: str) -> float:
    """Return which part of a salt is measured, by weight."""
    weighed, _, measured = salt.partition(" ")
    return convert(1.0, "mg/L", weighed, "mg/L", measured) if measured else 1.0


def _number(label: str, most: float) -> NumberField:
    return NumberField(label=label, min_value=0, max_value=most, required=False)


class PartsForm(forms.Form):
    """Its pipes, radiators and vessels."""

    def __init__(self, system: str, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.measures = {unit: measure_of(unit, system) for unit in ("mm", "m", "L")}
        width, length, each = (self.measures[unit].unit for unit in ("mm", "m", "L"))
        for n in range(1, PIPES + 1):
            self.fields[f"mm_{n}"] = _number(f"Pipe {n}: inner width, {width}", 5000)
            self.fields[f"m_{n}"] = _number(f"Pipe {n}: length, {length}", 100_000)
        for what, count in (("radiator", RADIATORS), ("vessel", VESSELS)):
            for n in range(1, count + 1):
                self.fields[f"{what}s_{n}"] = _number(f"{what.title()}s of kind {n}: how many", 100_000)
                self.fields[f"{what}_l_{n}"] = _number(f"{what.title()}s of kind {n}: {each} each", 1_000_000)

    @property
    def rows(self) -> list[tuple[str, list[list[Any]]]]:
        """The fields as they stand beside one another."""
        return [
            ("Pipes", [[self[f"mm_{n}"], self[f"m_{n}"]] for n in range(1, PIPES + 1)]),
            ("Radiators", self._pairs("radiator", RADIATORS)),
            ("Vessels, exchangers and boilers", self._pairs("vessel", VESSELS)),
        ]

    def _pairs(self, what: str, count: int) -> list[list[Any]]:
        return [[self[f"{what}s_{n}"], self[f"{what}_l_{n}"]] for n in range(1, count + 1)]

    def clean(self) -> dict[str, Any]:
        """Work the volume out."""
        cleaned: dict[str, Any] = super().clean() or {}
        wide, long, litres = (self.measures[unit].kept for unit in ("mm", "m", "L"))
        pipes = [Pipe(wide(width), long(length)) for width, length in _both(cleaned, "mm", "m", PIPES)]
        counted = {
            what: _both(cleaned, f"{what}s", f"{what}_l", n)
            for what, n in (("radiator", RADIATORS), ("vessel", VESSELS))
        }
        try:
            parts = ([Counted(n, litres(each)) for n, each in counted[what]] for what in ("radiator", "vessel"))
            self.volume: Spread = volume_by_parts(pipes, *parts)
        except CannotCompute as error:
            raise forms.ValidationError(error.message) from None
        return cleaned


def _both(cleaned: dict[str, Any], one: str, other: str, count: int) -> list[tuple[float, float]]:
    pairs = ((cleaned.get(f"{one}_{n}"), cleaned.get(f"{other}_{n}")) for n in range(1, count + 1))
    return [(a, b) for a, b in pairs if a is not None and b is not None]


class SaltForm(forms.Form):
    """A known weight of a salt, and its level before and after it was mixed."""

    salt = forms.ChoiceField(
        label="What was weighed, and as what it is measured", choices=_SALTS, required=False, initial="NaCl Cl"
    )
    added_g = NumberField(label="Put in, g", min_value=1e-6, max_value=1e9)
    before = NumberField(label="Before, mg/L", min_value=0, max_value=1e7)
    after = NumberField(label="After mixing, mg/L", min_value=0, max_value=1e7)
    off = NumberField(label="Each level may be off by, %", min_value=0, max_value=50, initial=5)

    def __init__(self, system: str, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.weighed = MEASURES["g" if system == METRIC else "oz"]
        self.fields["added_g"].label = f"Put in, {self.weighed.sign}"

    def clean(self) -> dict[str, Any]:
        """Work the volume out."""
        cleaned: dict[str, Any] = super().clean() or {}
        if self.errors:
            return cleaned
        grams = cleaned["added_g"] * self.weighed.size * 1000
        before, after = (within_percent(cleaned[name], cleaned["off"]) for name in ("before", "after"))
        try:
            self.volume: Spread = volume_by_salt(exactly(grams * _part(cleaned["salt"])), before, after)
        except CannotCompute as error:
            raise forms.ValidationError({error.field: error.message}) from None
        return cleaned


class VolumeForm(forms.Form):
    """A volume to be written down, with its ends."""

    value = NumberField(min_value=1e-3, max_value=1e8)
    low = NumberField(min_value=0, max_value=1e8)
    high = NumberField(min_value=1e-3, max_value=1e9)

    def clean(self) -> dict[str, Any]:
        """The ends stand on both sides."""
        cleaned: dict[str, Any] = super().clean() or {}
        if not self.errors and not cleaned["low"] <= cleaned["value"] <= cleaned["high"]:
            raise forms.ValidationError("A volume lies between its ends.")
        return cleaned
