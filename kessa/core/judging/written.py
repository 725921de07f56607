"""Which schools bear on a result, and in which form one of nitrogen, phosphorus or nitrite is written."""

from __future__ import annotations

from collections.abc import Sequence

from kessa.core.errors import CannotCompute
from kessa.core.judging.limits import RuleSet, speaking_of
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.species import FORMS
from kessa.core.quantities.units import convert

_FAMILIES = {"nitrogen": "N", "phosphorus": "P"}


def written_form(part: Part, school: str, sets: Sequence[RuleSet]) -> str | None:
    """Return the form in which a part's results are written under a school of `written_as`.

    "limit" is the form of the first limit in `sets` that speaks of the parameter. Where a school says nothing of
    the parameter, the part's own form stands.
    """
    if part.form is None or FORMS[part.form].family not in _FAMILIES:
        return part.form
    chosen = {
        "element": _FAMILIES[FORMS[part.form].family],
        "ion": parameter(part.parameter).ion,
        "salt": parameter(part.parameter).salt,
        "limit": next((limit.form for _, limit in speaking_of(part.parameter, sets) if not limit.formula), None),
    }[school]
    return chosen if chosen and converts(part, chosen) else part.form


def bearing_on(method: Method, part: Part) -> set[str]:
    """Return the questions of kessa.core.job.schools whose answers bear on a result of a part of a method."""
    bearing = {"near_limit", "new_lots"} if method.main.numbers.can_be_checked else {"near_limit"}
    if method.agreement:
        bearing |= {"duplicates", "agreement"}
    if hasattr(part.numbers, "report"):
        bearing |= {"blank", "good_blank", "endpoint"} if method.blank else {"endpoint"}
    if part.numbers.has_gaps:
        bearing.add("between_colours" if part.more_is_clearer is None else "clarity_tube")
    if part.form and FORMS[part.form].family in _FAMILIES:
        bearing.add("written_as")
    return bearing


def converts(part: Part, form: str) -> bool:
    """Whether a part's results can be written in a form."""
    try:
        convert(1.0, part.unit, part.form, part.unit, form)
    except CannotCompute:
        return False
    return True


def other_forms(part: Part, written: str | None) -> list[str]:
    """Return the forms besides `written` in which people of the job write what a part finds out."""
    if part.form is None:
        return []
    usual = [
        part.form,
        *(other.form for other in part.also),
        parameter(part.parameter).ion,
        parameter(part.parameter).salt,
    ]
    if FORMS[part.form].family in _FAMILIES:
        usual.append(_FAMILIES[FORMS[part.form].family])
    return [form for form in dict.fromkeys(usual) if form and form != written and converts(part, form)]
