"""The record to read by the names of the OGC SensorThings API 1.1, so that general tools can draw it.

A place is a Thing with its Location; what is measured there, in one unit and form, is a Datastream; a result that
stands is an Observation. Of what that standard has besides: $top, $skip, $count, $orderby by phenomenonTime, and
Locations and Datastreams expanded in Things.
"""

import base64
import binascii
from collections.abc import Callable, Iterable
from datetime import datetime, timedelta
from typing import Annotated, Any, NamedTuple

from django.http import Http404
from django.urls import reverse
from django.utils import timezone
from ninja import Query, Router, Schema
from ninja.errors import HttpError
from pydantic import Field

from kessa.core.methods.exactness import CLASSES, TAKEN_IN
from kessa.core.quantities.parameters import parameters
from kessa.core.quantities.units import sign
from kessa.doors.api.doors import ByKey
from kessa.doors.api.schemas import FAULTS, Number62
from kessa.record.people.access import TeamRequest
from kessa.record.places.models import Place
from kessa.record.results.models import Result

router = Router(auth=ByKey("read"), tags=["SensorThings"])
_SETS = ("Things", "Locations", "Datastreams", "Sensors", "ObservedProperties", "Observations")
_MEASURED = "http://www.opengis.net/def/observationType/OGC-OM/2.0/OM_Measurement"
_ANSWER: dict[str, Any] = {"response": {200: dict[str, Any], **FAULTS}}
_SERIES = ("place", "parameter", "fraction", "unit", "form", "method_class")
Entity = dict[str, Any]


class Paged(Schema):
    """Which part of a set is asked for."""

    top: Annotated[int, Field(ge=1, le=500)] = Field(100, alias="$top")
    skip: Annotated[int, Field(ge=0, le=10_000_000)] = Field(0, alias="$skip")
    count: bool = Field(False, alias="$count")
    orderby: str = Field("", alias="$orderby", max_length=40)
    expand: str = Field("", alias="$expand", max_length=40)


class _Stream(NamedTuple):
    """What is measured at one place by one class of method, in one unit and form."""

    place: int
    parameter: str
    fraction: str
    unit: str
    form: str
    method_class: str

    @property
    def key(self) -> str:
        return base64.urlsafe_b64encode("|".join(map(str, self)).encode()).decode().rstrip("=")

    @property
    def name(self) -> str:
        return " ".join(filter(None, (self.parameter, self.fraction, f"as {self.form}" if self.form else "")))


def _stream_of(key: str) -> _Stream:
    try:
        text = base64.urlsafe_b64decode(key + "=" * (-len(key) % 4)).decode()
        place, *rest = text.split("|")
        stream = _Stream(int(place[:18]), *rest)
    except (binascii.Error, UnicodeError, ValueError, TypeError):
        raise Http404 from None
    if not text.isprintable() or stream.method_class not in CLASSES:
        raise Http404
    return stream


# ---- what is told of each -------------------------------------------------------------------------------------------


def _root() -> str:
    return reverse("api-1:sensor_things")


def _address(request: TeamRequest, of: str, key: str) -> str:
    return request.build_absolute_uri(f"{_root()}/{of}({key})")


def _entity(request: TeamRequest, of: str, key: str, related: Iterable[str], **fields: Any) -> Entity:
    here = _address(request, of, key)
    links = {f"{each}@iot.navigationLink": f"{here}/{each}" for each in related}
    number = int(key) if key.isdecimal() else key.strip("'")
    return {"@iot.id": number, "@iot.selfLink": here, **fields, **links}


def _thing(request: TeamRequest, place: Place) -> Entity:
    about = {"kind": place.kind_key, "feeds": place.feeds}
    return _entity(
        request, "Things", str(place.pk), ("Locations", "Datastreams"), name=place.name, description=place.kind_key,
        properties=about,
    )  # fmt: skip


def _location(request: TeamRequest, place: Place) -> Entity:
    point = None
    if place.latitude is not None and place.longitude is not None:
        point = {"type": "Point", "coordinates": [place.longitude, place.latitude]}
    return _entity(
        request, "Locations", str(place.pk), ("Things",), name=place.name, description=f"Where {place.name} is",
        encodingType="application/geo+json", location=point,
    )  # fmt: skip


def _datastream(request: TeamRequest, stream: _Stream) -> Entity:
    return _entity(
        request, "Datastreams", f"'{stream.key}'", ("Thing", "Sensor", "ObservedProperty", "Observations"),
        name=stream.name, description=f"{stream.name}, by {CLASSES[stream.method_class].words}",
        observationType=_MEASURED,
        unitOfMeasurement={"name": stream.unit, "symbol": sign(stream.unit), "definition": stream.unit},
        properties={"as": stream.form, "fraction": stream.fraction},
    )  # fmt: skip


def _sensor(request: TeamRequest, key: str) -> Entity:
    name = CLASSES[key].words
    return _entity(
        request, "Sensors", f"'{key}'", (), name=name, description=f"Tests {name}", encodingType="text/html",
        metadata=request.build_absolute_uri(reverse("methods:index")),
    )  # fmt: skip


def _property(request: TeamRequest, key: str) -> Entity:
    return _entity(
        request, "ObservedProperties", f"'{key}'", (), name=key, description=key,
        definition=request.build_absolute_uri(f"{reverse('log:index')}?parameter={key}"),
    )  # fmt: skip


def _phenomenon(result: Result) -> datetime | str:
    """When a sample was drawn: a moment, or the whole day (as ISO 8601 writes an interval) where only that is known."""
    if result.time_known:
        return result.taken_at
    day = timezone.localtime(result.taken_at).replace(hour=0, minute=0, second=0, microsecond=0)
    return f"{day.isoformat()}/{(day + timedelta(days=1)).isoformat()}"


def _observation(request: TeamRequest, result: Result) -> Entity:
    stream = _Stream(result.place_id, *(getattr(result, name) for name in _SERIES[1:]))
    coverage = None if result.method_class == TAKEN_IN else 0.95
    ends = {"low": result.low, "high": result.high, "coverage": coverage}
    made = _entity(
        request, "Observations", str(result.pk), (), phenomenonTime=_phenomenon(result), resultTime=result.tested_at,
        result=result.value, resultQuality=ends, parameters={"censor": result.censor, "verdict": result.verdict},
    )  # fmt: skip
    return made | {"Datastream@iot.navigationLink": _address(request, "Datastreams", f"'{stream.key}'")}


# ---- the sets -------------------------------------------------------------------------------------------------------


def _page(
    request: TeamRequest, asked: Paged, rows: Any, tell: Callable[[TeamRequest, Any], Entity], *also: str
) -> Entity:
    """Return a page of a set; raises HttpError where it is asked for in a way that is not known here.

    `also` is what this set answers to besides $top, $skip and $count.
    """
    unknown = request.GET.keys() - {"$top", "$skip", "$count", *also}
    if unknown:
        raise HttpError(422, f"“{min(unknown)[:40]}” is not answered here: see what /api/v1/openapi.json has.")
    found = list(rows[asked.skip : asked.skip + asked.top + 1])
    answer: Entity = {"value": [tell(request, row) for row in found[: asked.top]]}
    if asked.count:
        answer["@iot.count"] = len(rows) if isinstance(rows, list) else rows.count()
    if len(found) > asked.top:
        query = request.GET.copy()
        query["$skip"] = str(asked.skip + asked.top)
        answer["@iot.nextLink"] = request.build_absolute_uri(f"{request.path}?{query.urlencode()}")
    return answer


def _places(request: TeamRequest) -> Any:
    return Place.objects.for_team(request.membership.team_id).order_by("pk")


def _results(request: TeamRequest, asked: Paged, stream: _Stream | None = None) -> Any:
    rows = Result.objects.for_team(request.membership.team_id).current()
    rows = rows.filter(**stream._asdict()) if stream else rows
    name, _, way = asked.orderby.partition(" ")
    if name not in ("", "phenomenonTime") or way not in ("", "asc", "desc"):
        raise HttpError(422, "Observations are ordered by phenomenonTime, asc or desc.")
    return rows.order_by("taken_at", "pk") if name and way != "desc" else rows.newest_first()


def _streams(request: TeamRequest, place: int) -> list[_Stream]:
    rows = Result.objects.for_team(request.membership.team_id).current().filter(place=place).order_by()
    return [_Stream(*row) for row in sorted(rows.values_list(*_SERIES).distinct())]


@router.get("", url_name="sensor_things", summary="The sets there are", **_ANSWER)
def root(request: TeamRequest) -> Entity:
    """Say which sets there are."""
    sets = [{"name": name, "url": request.build_absolute_uri(f"{_root()}/{name}")} for name in _SETS]
    return {
        "value": sets,
        "serverSettings": {"conformance": ["http://www.opengis.net/spec/iot_sensing/1.1/req/datamodel"]},
    }


@router.get("/Things", summary="Places", **_ANSWER)
def things(request: TeamRequest, asked: Query[Paged]) -> Entity:
    """Places, with their Locations or Datastreams where these are asked for by $expand."""
    wanted = set(filter(None, asked.expand.split(",")))
    if wanted - {"Locations", "Datastreams"}:
        raise HttpError(422, "Things are expanded by Locations and Datastreams.")

    def told(request: TeamRequest, place: Place) -> Entity:
        given = _thing(request, place)
        if "Locations" in wanted:
            given["Locations"] = [_location(request, place)]
        if "Datastreams" in wanted:
            given["Datastreams"] = [_datastream(request, each) for each in _streams(request, place.pk)]
        return given

    return _page(request, asked, _places(request), told, "$expand")


@router.get("/Things({pk})", summary="A place", **_ANSWER)
def thing(request: TeamRequest, pk: Number62) -> Entity:
    """A place."""
    return _thing(request, _places(request).get(pk=pk))


@router.get("/Things({pk})/Locations", summary="Where a place is", **_ANSWER)
def locations_of(request: TeamRequest, pk: Number62, asked: Query[Paged]) -> Entity:
    """Where a place is."""
    return _page(request, asked, _places(request).filter(pk=pk), _location)


@router.get("/Things({pk})/Datastreams", summary="What is measured at a place", **_ANSWER)
def streams_of(request: TeamRequest, pk: Number62, asked: Query[Paged]) -> Entity:
    """What is measured at a place."""
    return _page(request, asked, _streams(request, _places(request).get(pk=pk).pk), _datastream)


@router.get("/Locations", summary="Where places are", **_ANSWER)
def locations(request: TeamRequest, asked: Query[Paged]) -> Entity:
    """Where places are."""
    return _page(request, asked, _places(request), _location)


@router.get("/Locations({pk})", summary="Where a place is", **_ANSWER)
def location(request: TeamRequest, pk: Number62) -> Entity:
    """Where a place is."""
    return _location(request, _places(request).get(pk=pk))


@router.get("/Locations({pk})/Things", summary="The place there", **_ANSWER)
def things_at(request: TeamRequest, pk: Number62, asked: Query[Paged]) -> Entity:
    """The place there."""
    return _page(request, asked, _places(request).filter(pk=pk), _thing)


@router.get("/Datastreams", summary="What is measured", **_ANSWER)
def datastreams(request: TeamRequest, asked: Query[Paged]) -> Entity:
    """What is measured, place by place."""
    every: list[_Stream] = []
    for place in _places(request).values_list("pk", flat=True):
        every += _streams(request, place)
        if len(every) > asked.skip + asked.top and not asked.count:
            break
    return _page(request, asked, every, _datastream)


@router.get("/Datastreams('{key}')", summary="Something measured at a place", **_ANSWER)
def datastream(request: TeamRequest, key: str) -> Entity:
    """Something measured at a place."""
    return _datastream(request, _held(request, key))


@router.get("/Datastreams('{key}')/{related}", summary="What belongs to something measured at a place", **_ANSWER)
def related_of(request: TeamRequest, key: str, related: str, asked: Query[Paged]) -> Entity:
    """Its Observations, or its Thing, Sensor, ObservedProperty."""
    stream = _held(request, key)
    match related:
        case "Observations":
            return _page(request, asked, _results(request, asked, stream), _observation, "$orderby")
        case "Thing":
            return _thing(request, _places(request).get(pk=stream.place))
        case "Sensor":
            return _sensor(request, stream.method_class)
        case "ObservedProperty":
            return _property(request, stream.parameter)
    raise Http404


def _held(request: TeamRequest, key: str) -> _Stream:
    stream = _stream_of(key)
    rows = Result.objects.for_team(request.membership.team_id).current().filter(**stream._asdict())
    if not rows.exists():
        raise Http404
    return stream


@router.get("/Sensors", summary="Classes of methods", **_ANSWER)
def sensors(request: TeamRequest, asked: Query[Paged]) -> Entity:
    """By which classes of methods water is tested."""
    return _page(request, asked, list(CLASSES), _sensor)


@router.get("/Sensors('{key}')", summary="A class of methods", **_ANSWER)
def sensor(request: TeamRequest, key: str) -> Entity:
    """A class of methods."""
    if key not in CLASSES:
        raise Http404
    return _sensor(request, key)


@router.get("/ObservedProperties", summary="What can be measured", **_ANSWER)
def observed_properties(request: TeamRequest, asked: Query[Paged]) -> Entity:
    """What can be measured."""
    return _page(request, asked, sorted({each.key for each in parameters().values()}), _property)


@router.get("/ObservedProperties('{key}')", summary="Something that can be measured", **_ANSWER)
def observed_property(request: TeamRequest, key: str) -> Entity:
    """Something that can be measured; a team may have its own."""
    own = Result.objects.for_team(request.membership.team_id).filter(parameter=key)
    if key not in {each.key for each in parameters().values()} and not own.exists():
        raise Http404
    return _property(request, key)


@router.get("/Observations", summary="Results that stand", **_ANSWER)
def observations(request: TeamRequest, asked: Query[Paged]) -> Entity:
    """Results that stand, the newest first unless they are asked for otherwise."""
    return _page(request, asked, _results(request, asked), _observation, "$orderby")


@router.get("/Observations({pk})", summary="A result", **_ANSWER)
def observation(request: TeamRequest, pk: Number62) -> Entity:
    """A result."""
    return _observation(request, Result.objects.for_team(request.membership.team_id).current().get(pk=pk))
