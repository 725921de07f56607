"""What is sent to the API and what it answers, as OpenAPI describes it."""

from datetime import date, datetime
from typing import Annotated, Any
from uuid import UUID

from django.utils import timezone
from ninja import Schema
from pydantic import AfterValidator, AwareDatetime, ConfigDict, Field, StringConstraints, create_model

from kessa.core.quantities.units import can_be
from kessa.record.exports.resources import Resource
from kessa.record.taps.hands import CLOCK_SLACK

_TYPES: dict[str, Any] = {
    "string": str, "number": float, "integer": int, "boolean": bool, "datetime": datetime, "date": date,
    "object": dict[str, Any], "array": list[Any],
}  # fmt: skip
Words = Annotated[str, StringConstraints(max_length=1000)]
_COLDEST, _HOTTEST = can_be("degC")
Number = Annotated[float, Field(ge=-1e12, le=1e12, allow_inf_nan=False)]


def _has_been(at: datetime) -> datetime:
    if at > timezone.now() + CLOCK_SLACK:
        raise ValueError("this time has not come yet: the sender's clock is wrong")
    return at


# A moment with its zone that has been: a device's clock may be ahead by two minutes.
Moment = Annotated[AwareDatetime, AfterValidator(_has_been)]
Number62 = Annotated[int, Field(ge=1, lt=2**62)]


class Fault(Schema):
    """What is wrong, in words."""

    error: str


FAULTS = dict.fromkeys((400, 401, 403, 404, 409, 422, 429, 503), Fault)


class _Strict(Schema):
    model_config = ConfigDict(extra="forbid")


def _for_example(**example: Any) -> ConfigDict:
    return ConfigDict(extra="forbid", json_schema_extra={"examples": [example]})


_VISIT, _SAMPLE, _TEST = (f"5f0c1f3e-8a0b-4c57-9a40-00000000000{nth}" for nth in range(3))
_SAFETY = {"company": "Milo", "told": "Rosa", "back_by": "17:30", "ice_or_flood": "none", "ready": True}


class Safety(_Strict):
    """What is confirmed before one goes."""

    model_config = _for_example(**_SAFETY)
    company: Annotated[str, StringConstraints(max_length=200)] = ""
    told: Annotated[str, StringConstraints(max_length=200)] = ""
    back_by: Annotated[str, StringConstraints(max_length=5)] = ""
    ice_or_flood: Annotated[str, StringConstraints(max_length=10)] = ""
    ready: bool = False


class VisitBegun(_Strict):
    """A visit that begins; `id` is made by who sends it, so that the same one twice is one."""

    model_config = _for_example(id=_VISIT, place=7, safety=_SAFETY)
    id: UUID
    place: Number62
    safety: Safety
    at: Moment | None = None


class Seen(_Strict):
    """Something seen or read on a visit: on which scale, the number in its unit or that of the display."""

    model_config = _for_example(scale="air_temperature", value=8.5, unit="degC")
    scale: Annotated[str, StringConstraints(max_length=30)]
    value: Number | None
    unit: Annotated[str, StringConstraints(max_length=20)] = ""
    instrument: Number62 | None = None
    at: Moment | None = None


class VisitClosed(_Strict):
    """The end of a visit."""

    model_config = _for_example(remark="Clear water, no smell.")
    remark: Words = ""


class SampleDrawn(_Strict):
    """A sample; `id` is made by who sends it."""

    model_config = _for_example(
        id=_SAMPLE, place=7, drawn_at="2026-03-05T09:40:00Z", depth_cm=30, water_temperature_c=6.5
    )
    id: UUID
    place: Number62
    drawn_at: Moment
    depth_cm: Annotated[float, Field(ge=0, le=100_000, allow_inf_nan=False)] | None = None
    water_temperature_c: Annotated[float, Field(ge=_COLDEST, le=_HOTTEST, allow_inf_nan=False)] | None = None
    way: Annotated[str, StringConstraints(max_length=20)] = ""


class Reading(_Strict):
    """One run of a test: which part was read, and what was seen, as the method's kind has it."""

    model_config = _for_example(part="main", reading={"display": 2.1})

    part: Annotated[str, StringConstraints(max_length=60)] = "main"
    reading: dict[str, Any]


class TestRun(_Strict):
    """A whole test: by which method on which sample, what was answered, and what was read run by run.

    A display is written as {"display": 5.2}, a count as {"count": 7}.
    """

    model_config = _for_example(
        id=_TEST,
        sample=_SAMPLE,
        method="nitrate-photometer",
        readings=[{"reading": {"display": 2.1}}, {"reading": {"display": 2.2}}],
    )
    id: UUID
    sample: UUID
    method: Annotated[str, StringConstraints(max_length=60)]
    instrument: Number62 | None = None
    kit: Number62 | None = None
    dilution: Annotated[float, Field(ge=1, le=100_000, allow_inf_nan=False)] = 1.0
    answers: dict[str, str | float] = {}
    readings: Annotated[list[Reading], Field(min_length=1, max_length=12)]


class ShownBy(_Strict):
    """What an instrument shows: a number in its unit, or that it is over its range."""

    model_config = _for_example(display=512.0, unit="uS/cm", temperature_c=14.0, at="2026-03-05T09:40:00Z")
    display: Annotated[float, Field(ge=-1e9, le=1e9, allow_inf_nan=False)] | None = None
    unit: Annotated[str, StringConstraints(max_length=20)]
    temperature_c: Annotated[float, Field(ge=_COLDEST, le=_HOTTEST, allow_inf_nan=False)] | None = None
    over: bool = False
    at: Moment | None = None
    what: Annotated[str, StringConstraints(max_length=60)] = ""


class Taken(Schema):
    """How many readings of an instrument were new."""

    new: int


class Kept(Schema):
    """What was kept: its id, and the results that came of it, where any did."""

    id: UUID
    results: list[int] = []


class ManyKept(Schema):
    """What was kept of many."""

    kept: list[Kept]


class Taps(_Strict):
    """A batch of taps as a page sends them: see docs/bench.md."""

    model_config = _for_example(
        taps=[
            {"id": _TEST, "kind": "drop_added", "run": "sample-1", "seq": 7, "at": "2026-03-05T09:40:00Z", "data": {}}
        ]
    )
    taps: Annotated[list[dict[str, Any]], Field(min_length=1, max_length=500)]


class Tapped(Schema):
    """What became of a batch."""

    kept: list[str]
    late: list[str]
    refused: list[tuple[str, str]]
    waits: list[tuple[str, str]]


def row_of(noun: Resource) -> Any:
    """Return the schema of a noun's row."""
    fields: dict[str, Any] = {
        each.name: (_TYPES[each.type] | None, Field(None, description=f"in {each.unit}" if each.unit else None))
        for each in noun.table
    }
    return create_model(f"{noun.name.title().replace('_', '')}Row", __base__=Schema, **fields)


def page_of(noun: Resource, row: Any) -> Any:
    """Return the schema of a page of a noun's rows."""
    fields: dict[str, Any] = {
        "rows": (list[row], ...),
        "after": (str | None, Field(None, description="Ask for the next page with this; nothing on the last one.")),
    }
    return create_model(f"{noun.name.title().replace('_', '')}Page", __base__=Schema, **fields)
