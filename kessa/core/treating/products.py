"""Products that people put into water: what each does, how strong it is, and what its label allows."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from kessa.core.checked import Checked, NotNegative, Positive, YesNo
from kessa.core.errors import CannotCompute, finite
from kessa.core.quantities.species import FORMS, no_form
from kessa.core.quantities.units import convert, sign
from kessa.core.treating.amounts import Kept
from kessa.core.treating.mixing import held_by_products

RAISES, LOWERS, CLEANS, HOLDS_SCALE, KILLS = "raises", "lowers", "cleans", "holds scale", "kills"
DOES = {
    RAISES: "raises a level",
    LOWERS: "lowers a level, as acid does alkalinity",
    CLEANS: "cleans a dirty system",
    HOLDS_SCALE: "holds scale in solution",
    KILLS: "kills bacteria",
}


class Product(Checked):
    """One product, by its label. Its strength is a part by weight of a known substance, or what one dose changes.

    `active_percent` of it is the substance, counted as `active_form`; a liquid needs its density for that. Or one L
    (kg) of it in 1 m³ changes the level by `step`, in `step_unit` as `step_form`. The label's usual dose, and the most
    of it at once, are in L (kg) for each m³ of the system; `most_level` is the most of it there may be in the water, in
    the unit of its strength. What kills bacteria acts for `contact_hours`. `approved_for_drinking`: the label says that
    it may go into water that people drink.
    """

    name: Annotated[str, Field(min_length=1, max_length=80)]
    does: Literal["raises", "lowers", "cleans", "holds scale", "kills"]
    parameter: Annotated[str, Field(max_length=60)] = ""
    liquid: YesNo = True
    active_percent: Annotated[Positive, Field(le=100)] | None = None
    active_form: str = ""
    density_kg_l: Annotated[Positive, Field(ge=0.5, le=3)] | None = None
    step: Positive | None = None
    step_unit: str = "mg/L"
    step_form: str = ""
    label_per_m3: Positive | None = None
    most_per_m3: Positive | None = None
    most_level: Positive | None = None
    hours_between: NotNegative = 4.0
    contact_hours: Positive | None = None
    holds: tuple[str, ...] = ()
    approved_for_drinking: YesNo = False

    @model_validator(mode="after")
    def _strength_is_said(self) -> Self:
        for form, field in ((self.active_form, "active_form"), (self.step_form, "step_form")):
            if form and form not in FORMS:
                raise CannotCompute(f"{field}: {no_form(form)}", field)
        if unknown := set(self.holds) - set(held_by_products()):
            raise CannotCompute(f"{', '.join(sorted(unknown))}: not known here.", "holds")
        if self.does in (CLEANS, HOLDS_SCALE, KILLS) and self.label_per_m3 is None:
            raise CannotCompute("Say how much of it the label gives for 1 m³.", "label_per_m3")
        if self.does in (RAISES, LOWERS):
            self._check_strength()
        if self.label_per_m3 and self.most_per_m3 and self.label_per_m3 > self.most_per_m3:
            raise CannotCompute("The usual dose is above the most of it at once.", "label_per_m3")
        return self

    def _check_strength(self) -> None:
        if not self.parameter:
            raise CannotCompute(f"Say what it {self.does}.", "parameter")
        if (self.active_percent is None) == (self.step is None):
            raise CannotCompute(
                "Give its strength one way: percent of what, or what one dose changes.", "active_percent"
            )
        if self.active_percent is not None and not self.active_form:
            raise CannotCompute("Say of what the percent are, such as Na2SO3.", "active_form")
        if self.active_percent is not None and self.liquid and self.density_kg_l is None:
            raise CannotCompute("A liquid's percent by weight need its density, as the label gives it.", "density_kg_l")

    @property
    def kept(self) -> Kept:
        """In what amounts of it are kept."""
        return "L" if self.liquid else "kg"

    @property
    def strength_unit(self) -> tuple[str, str]:
        """The unit and form in which its strength, and `most_level`, are given."""
        return ("mg/L", self.active_form) if self.active_percent is not None else (self.step_unit, self.step_form)

    def changes(self, unit: str, form: str | None) -> float:
        """Return by how much, in a unit as a form, one L (kg) of it changes the level of 1 m³.

        Percent by weight: percent·10·density mg/L. Raises CannotCompute where it does not speak of such a level.
        """
        if self.active_percent is not None:
            by = self.active_percent * 10 * ((self.density_kg_l or 1.0) if self.liquid else 1.0)
        else:
            by = self.step or 0.0
        return self._converted(by, unit, form)

    def most_in(self, unit: str, form: str | None) -> float | None:
        """Return the most of it there may be in the water, in a unit as a form; None where the label gives none."""
        return None if self.most_level is None else self._converted(self.most_level, unit, form)

    def _converted(self, level: float, unit: str, form: str | None) -> float:
        own_unit, own_form = self.strength_unit
        if (own_unit, own_form) == (unit, form or ""):
            return level
        return finite(convert(level, own_unit, own_form or None, unit, form), "active_form")

    @property
    def strength(self) -> str:
        """Its strength in words."""
        if self.active_percent is not None:
            density = f", {self.density_kg_l:g} kg/L" if self.liquid and self.density_kg_l else ""
            return f"{self.active_percent:g} % {self.active_form}{density}"
        if self.step is not None:
            form = f" as {self.step_form}" if self.step_form else ""
            return f"1 {self.kept} in 1 m³ {self.does} it by {self.step:g} {sign(self.step_unit)}{form}"
        return f"{self.label_per_m3:g} {self.kept} for 1 m³"
