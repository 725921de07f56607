"""The kinds of test: a module each, found by being here. What a person saw becomes a result with its interval."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Union

from pydantic import Field, TypeAdapter, ValidationError

from kessa.core.checked import cannot
from kessa.core.errors import CannotCompute
from kessa.core.found import import_all
from kessa.core.readings.kind import Determined, Kind


def _found() -> dict[str, type[Kind]]:
    import_all(__name__, "kessa.kinds")
    kinds = sorted(Kind.__subclasses__(), key=lambda kind: (kind.rank, kind.__name__))
    return {kind.model_fields["kind"].default: kind for kind in kinds}


KINDS: dict[str, type[Kind]] = _found()
if TYPE_CHECKING:
    AnyKind = Kind
else:
    AnyKind = Annotated[Union[tuple(KINDS.values())], Field(discriminator="kind")]  # noqa: UP007 (there is no | of a list)
_adapter: TypeAdapter[Kind] = TypeAdapter(AnyKind)


# Kinds that were checked, by what was said: whoever computes many readings says the same method over and over.
_checked: dict[str, Kind] = {}
_MOST_CHECKED, _LONGEST = 500, 5000


def read_kind(method: Any) -> Kind:
    """Return the kind of test that a mapping of its numbers describes; raises CannotCompute."""
    try:
        words = repr(method)
    except RecursionError:
        words = ""
    found = _checked.get(words)
    if found is None:
        found = _read(method)
        if len(_checked) >= _MOST_CHECKED:
            _checked.clear()
        if 0 < len(words) <= _LONGEST:
            _checked[words] = found
    return found


def _read(method: Any) -> Kind:
    if isinstance(method, dict):
        method = {key: value for key, value in method.items() if value is not None}
        if method and "kind" not in method:
            raise CannotCompute("kind is missing.", "kind")
    try:
        return _adapter.validate_python(method)
    except ValidationError as error:
        raise cannot(error, "method") from None


def determine(method: Any, reading: Any, dilution: float = 1.0) -> Determined:
    """Turn one reading into a result.

    `method` and `reading` are mappings with the keys of the method's kind; `dilution` ≥ 1 multiplies the result.
    Raises CannotCompute on the innermost name at fault.

    >>> determine({"kind": "count", "unit": "mg/L", "per": 4}, {"count": 8}).quantity.value
    32.0
    """
    return read_kind(method).determine(reading, dilution)
