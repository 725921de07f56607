"""Numbers and texts as pydantic checks them, and its faults as one sentence with the field it is about."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Annotated, Any, TypeVar

from pydantic import AfterValidator, AllowInfNan, BaseModel, ConfigDict, Field, Strict, ValidationError, model_validator

from kessa.core.errors import CannotCompute

Record = TypeVar("Record", bound=BaseModel)
# The field whose record is told apart by its kind.
_TAGGED = "numbers"


def _whole(value: float) -> float:
    if value != math.floor(value):
        raise ValueError("must be a whole number.")
    return value


# true, false and text are no numbers, nor are NaN and infinity.
Number = Annotated[float, Strict(), AllowInfNan(False)]
Positive = Annotated[Number, Field(gt=0)]
NotNegative = Annotated[Number, Field(ge=0)]
Fraction = Annotated[Number, Field(ge=0, le=1)]
Units = Annotated[NotNegative, AfterValidator(_whole)]
YesNo = Annotated[bool, Strict()]


class Checked(BaseModel):
    """Plain data, checked: unchangeable, null counts as absent, and a name that is not known is an error on itself."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    @model_validator(mode="before")
    @classmethod
    def _null_is_absent(cls, given: Any) -> Any:
        if isinstance(given, Mapping):
            return {key: value for key, value in given.items() if value is not None}
        return given


def check(record: type[Record], given: Any, name: str) -> Record:
    """Return `given` as a record called `name`; raises CannotCompute on the innermost field at fault."""
    try:
        return record.model_validate(given)
    except ValidationError as error:
        raise cannot(error, name) from None


def cannot(error: ValidationError, name: str) -> CannotCompute:
    """Return the first fault of a record called `name` as the core's own error; a misspelt name comes first."""
    faults = error.errors(include_url=False)
    fault = min(faults, key=lambda each: each["type"] != "extra_forbidden")
    field = field_of(fault, name)
    return CannotCompute(sentence(fault, field), field)


def faults(error: ValidationError, name: str) -> list[tuple[tuple[str | int, ...], str]]:
    """Return every fault of a record called `name`: where, and what is wrong, in words.

    A list that lacks items because they are faulty is no fault of its own.
    """
    found = error.errors(include_url=False)
    places = [_where(fault["loc"]) for fault in found]
    every = frozenset(places)
    return [
        (where, sentence(fault, field_of(fault, name)))
        for fault, where in zip(found, places, strict=True)
        if not _follows(fault["type"], where, every)
    ]


def _follows(kind: str, where: tuple[str | int, ...], places: frozenset[tuple[str | int, ...]]) -> bool:
    """Whether a fault only follows from another: a list short of its faulty items, a unit missing inside too."""
    inside = (*where[:-2], *where[-1:]) if where[-2:-1] == (_TAGGED,) else None
    return inside in places or (kind == "too_short" and any(p[: len(where)] == where != p for p in places))


def _where(loc: tuple[str | int, ...]) -> tuple[str | int, ...]:
    """Leave out the kind by which pydantic tells numbers apart."""
    return tuple(each for n, each in enumerate(loc) if not (n and loc[n - 1] == _TAGGED))


def field_of(fault: Any, name: str) -> str:
    """Return the innermost name at fault: of a list the list's, of a whole record its own `name`."""
    own = fault.get("ctx", {}).get("error")
    if isinstance(own, CannotCompute):
        return own.field
    if fault["type"].startswith("union_tag"):
        return str(fault["ctx"]["discriminator"]).strip("'")
    return next((each for each in reversed(fault["loc"]) if isinstance(each, str)), name)


def sentence(fault: Any, field: str) -> str:
    """Say what is wrong with a field in words a technician understands."""
    known = fault.get("ctx", {})
    if isinstance(known.get("error"), ValueError):
        words = str(known["error"])
        return f"{field} {words}" if words.startswith("must ") else words
    words = _SAID.get(fault["type"], "")
    return words.format(field=field, **known) if words else f"{field}: {fault['msg']}."


_TEXT = "{field} must be text."
_NUMBER = "{field} must be a number."
_LIST = "{field} must be a list."
_OBJECT = "{field} must be an object with named fields."
_SAID = {
    "missing": "{field} is missing.",
    "extra_forbidden": "{field} is not known here: it may be misspelt.",
    "float_type": _NUMBER,
    "float_parsing": _NUMBER,
    "int_type": _NUMBER,
    "int_parsing": _NUMBER,
    "int_from_float": "{field} must be a whole number.",
    "finite_number": "{field} is not a number that can be used.",
    "greater_than": "{field} must be above {gt:g}.",
    "greater_than_equal": "{field} cannot be below {ge:g}.",
    "less_than": "{field} must be below {lt:g}.",
    "less_than_equal": "{field} cannot be above {le:g}.",
    "bool_type": "{field} must be true or false.",
    "bool_parsing": "{field} must be true or false.",
    "string_type": _TEXT,
    "string_too_short": "{field} is empty.",
    "string_too_long": "{field} is longer than {max_length} letters.",
    "string_pattern_mismatch": "{field} holds letters or signs that it may not.",
    "literal_error": "{field} must be one of: {expected}.",
    "union_tag_invalid": "{field} must be one of: {expected_tags}.",
    "union_tag_not_found": "{field} is missing.",
    "tuple_type": _LIST,
    "list_type": _LIST,
    "too_short": "{field} holds too few: {actual_length}.",
    "too_long": "{field} holds too many: {actual_length}.",
    "model_type": _OBJECT,
    "model_attributes_type": _OBJECT,
    "dict_type": _OBJECT,
}
