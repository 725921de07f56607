"""Which schools bear on a result, and in which form one of nitrogen, phosphorus or nitrite is written."""

from __future__ import annotations

from kessa.core.arguments import CannotCompute
from kessa.core.limits import limits_for
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.species import FORMS
from kessa.core.units import convert

_FAMILIES = {"nitrogen": "N", "phosphorus": "P"}
_IONS = {"nitrate": "NO3", "nitrite": "NO2", "ammonia": "NH4", "phosphate": "PO4"}
_SALTS = {"nitrite": "NaNO2"}


def written_form(part: Part, school: str, limit_sets: list[str]) -> str | None:
    """Return the form in which a part's results are written under a school of `written_as`.

    "limit" is the form of the first limit in `limit_sets` that speaks of the parameter. Where a school says nothing of
    the parameter, the part's own form stands.
    """
    if part.form is None or FORMS[part.form].family not in _FAMILIES:
        return part.form
    chosen = {
        "element": _FAMILIES[FORMS[part.form].family],
        "ion": _IONS.get(part.parameter),
        "salt": _SALTS.get(part.parameter),
        "limit": next((limit.form for _, limit in limits_for(part.parameter, limit_sets)), None),
    }[school]
    return chosen if chosen and converts(part, chosen) else part.form


def bearing_on(method: Method, part: Part) -> set[str]:
    """Return the questions of kessa.core.schools whose answers bear on a result of a part of a method."""
    bearing = {"near_limit"}
    if method.agreement:
        bearing |= {"duplicates", "agreement"}
    if part.kind == "count":
        bearing |= {"blank", "endpoint"} if method.blank else {"endpoint"}
    if part.kind == "scale":
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
    usual = [part.form, *(other.form for other in part.also), _IONS.get(part.parameter), _SALTS.get(part.parameter)]
    if FORMS[part.form].family in _FAMILIES:
        usual.append(_FAMILIES[FORMS[part.form].family])
    return [form for form in dict.fromkeys(usual) if form and form != written and converts(part, form)]
