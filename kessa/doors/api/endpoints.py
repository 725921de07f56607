"""What the API answers and takes: every noun to read; visits, samples and tests to write, by the same acts as pages."""

from collections.abc import Iterator
from typing import Annotated, Any
from uuid import UUID

from django.core.exceptions import ObjectDoesNotExist, ValidationError
from django.http import Http404, HttpResponse
from ninja import Query, Router, Schema
from ninja.errors import AuthenticationError, HttpError
from ninja.errors import ValidationError as NotAsDescribed
from pydantic import AwareDatetime, BeforeValidator, Field, StringConstraints

from kessa.core.adapters.adapter import InstrumentReading
from kessa.core.errors import CannotCompute
from kessa.core.quantities.parameters import parameter
from kessa.core.runs.flags import FLAGS
from kessa.doors.api import schemas
from kessa.doors.api.doors import ByKey, Doors, KeyRequest, OftenEnough, once
from kessa.doors.api.sensor_things import router as sensor_things
from kessa.record.determinations.models import Determination
from kessa.record.exports.resources import Resource, resources
from kessa.record.instruments.models import Instrument
from kessa.record.instruments.services import take_readings
from kessa.record.methods.selectors import methods_of
from kessa.record.people.access import TeamRequest, anyone
from kessa.record.people.acts import NotAllowed
from kessa.record.places.models import Place
from kessa.record.results.models import Result
from kessa.record.review.selectors import changed_since
from kessa.record.taps.incoming import BadTap
from kessa.record.taps.selectors import is_taken, next_seq
from kessa.record.taps.services import NoSuchStream, record, record_whole, tapped
from kessa.record.testing.services import BEGUN
from kessa.record.visits.models import Review, Sample, Visit
from kessa.record.visits.services import visit_around

_MOST = 500
_MOST_SAMPLES = 50
api = Doors(
    title="Kessa",
    version="1",
    urls_namespace="api-1",
    docs_url=None,
    description="The record of people who test water with kits. Intervals hold 19 times in 20, but for "
    "those of the method class “taken-in”, which nobody computed. See /api/ for keys.",
    throttle=[OftenEnough()],
)
router = Router()


# ---- to read --------------------------------------------------------------------------------------------------------


def _with_its_day(text: Any) -> Any:
    """Return text as it is; raises ValueError for a bare number, which says neither day nor zone."""
    if not isinstance(text, str) or "-" not in text:
        raise ValueError("a time as ISO 8601 writes it, with its zone")
    return text


Instant = Annotated[AwareDatetime, BeforeValidator(_with_its_day)]


class Asked(Schema):
    """Which page of a noun is asked for."""

    after: Annotated[str, StringConstraints(max_length=40)] | None = Field(None, description="As the page before said.")
    most: Annotated[int, Field(ge=1, le=_MOST)] = 100


class ResultsAsked(Asked):
    """Which results are asked for."""

    place: schemas.Number62 | None = None
    parameter: Annotated[str, StringConstraints(max_length=60)] | None = None
    since: Instant | None = None
    until: Instant | None = None
    method: Annotated[str, StringConstraints(max_length=60)] | None = None
    flag: Annotated[str, StringConstraints(max_length=30)] | None = None
    review: Review | None = Field(None, description="How far its visit is reviewed.")
    changed_since: Instant | None = Field(
        None,
        description="New since then, or given or freed of a flag, or reviewed. With standing=false also what ended.",
    )
    standing: bool = Field(True, description="Without what was superseded or set aside.")


def _page(request: TeamRequest, noun: Resource, rows: Any, asked: Any) -> dict[str, Any]:
    if asked.after:
        rows = rows.filter(pk__gt=_id(noun, asked.after))
    found = list(rows.order_by("pk").values_list(*noun.paths)[: asked.most + 1])
    shown = [_as_sent(noun, row) for row in found[: asked.most]]
    return {"rows": shown, "after": str(shown[-1]["id"]) if len(found) > asked.most else None}


def _narrowed(rows: Any, team: int, asked: ResultsAsked) -> Any:
    """Return those of a team's results that are asked for."""
    if asked.flag and asked.flag not in FLAGS:
        raise HttpError(422, f"“{asked.flag}” is no flag; these are: {', '.join(FLAGS)}.")
    if asked.method and asked.method not in methods_of(team):
        raise HttpError(422, f"“{asked.method}” is no method of your team; results name theirs as method.")
    given = {
        "place": asked.place, "parameter": asked.parameter and parameter(asked.parameter).key,
        "determination__method_key": asked.method, "visit__review": asked.review,
        "taken_at__gte": asked.since, "taken_at__lte": asked.until,
    }  # fmt: skip
    rows = rows.filter(**{name: value for name, value in given.items() if value is not None})
    rows = rows.marked(asked.flag) if asked.flag else rows
    return rows.filter(pk__in=changed_since(team, asked.changed_since)) if asked.changed_since else rows


def _as_sent(noun: Resource, row: tuple[Any, ...]) -> dict[str, Any]:
    return {
        column.name: str(value) if column.type == "string" and value is not None else value
        for column, value in zip(noun.table, row, strict=True)
    }


def _id(noun: Resource, text: str) -> Any:
    """Return an id as the noun has it; raises HttpError where it has none such."""
    try:
        number = int(text) if noun.table[0].type == "integer" else UUID(text)
    except ValueError:
        raise HttpError(422, f"“{text[:40]}” is no id here.") from None
    if isinstance(number, int) and not 0 <= number < 2**62:
        raise HttpError(422, "This is no id here.")
    return number


def _add(noun: Resource) -> None:
    """Add a noun to read: page by page, and one by one."""
    row = schemas.row_of(noun)
    page, asked = schemas.page_of(noun, row), ResultsAsked if noun.name == "results" else Asked
    words, known = noun.name.replace("_", " "), list(asked.model_fields)

    def may_read(request: TeamRequest) -> None:
        if not noun.open_to(request.membership.role):
            raise HttpError(403, f"The {words} are for coordinators.")

    def many(request: TeamRequest, asked: Any) -> Any:
        may_read(request)
        for name in request.GET.keys() - known:
            raise HttpError(422, f"“{name[:40]}” is no parameter here; these are: {', '.join(known)}.")
        for name, values in request.GET.lists():
            if len(values) > 1:
                raise HttpError(422, f"“{name}” is asked for twice: one at a time.")
        rows: Any = noun.rows(request.membership.team_id, None)
        if noun.name == "results":
            rows = rows.current() if asked.standing else rows
            rows = _narrowed(rows, request.membership.team_id, asked)
        return _page(request, noun, rows, asked)

    def one(request: TeamRequest, pk: Any) -> Any:
        may_read(request)
        rows = noun.rows(request.membership.team_id, None).filter(pk=pk)
        return _as_sent(noun, rows.values_list(*noun.paths).get())

    many.__annotations__["asked"] = Query[asked]  # type: ignore[valid-type, misc]
    one.__annotations__["pk"] = schemas.Number62 if noun.table[0].type == "integer" else UUID
    many.__name__, one.__name__ = f"many_{noun.name}", f"one_{noun.name}"
    about: dict[str, Any] = {"auth": ByKey("read"), "tags": ["read"]}
    router.get(f"/{noun.name}", response={200: page, **schemas.FAULTS}, summary=f"The {words}, page by page", **about)(
        many
    )
    router.get(f"/{noun.name}/{{pk}}", response={200: row, **schemas.FAULTS}, summary=f"One of the {words}", **about)(
        one
    )


for each in resources():
    _add(each)


# ---- to write -------------------------------------------------------------------------------------------------------


def _so_many(body: list[Any], most: int = _MOST) -> list[Any]:
    """Return what was sent; raises HttpError where it is more than is taken at once, rather than leave some out."""
    if len(body) > most:
        raise HttpError(422, f"At most {most} at once: send the others after them.")
    return body


def _not_taken(model: Any, number: UUID) -> None:
    """Raise HttpError where there is such a thing already, made otherwise than by this request."""
    if is_taken(model, number):
        raise HttpError(409, "This id is taken: make another.")


_VISITS: dict[str, Any] = {
    "auth": ByKey("visits"),
    "tags": ["write"],
    "response": {200: schemas.Kept, **schemas.FAULTS},
}


@router.post("/visits", summary="Begin a visit", **_VISITS)
@once
def begin_visit(request: TeamRequest, body: schemas.VisitBegun) -> schemas.Kept:
    """Begin a visit, with what is confirmed before one goes. The same id again is the same visit."""
    _not_taken(Visit, body.id)
    safety = {key: value for key, value in body.safety.model_dump().items() if value not in ("", False)}
    data = {"place": body.place, "safety": safety | ({"ready": "on"} if body.safety.ready else {})}
    record_whole(request.membership, "visit", body.id, [tapped("visit_begun", data, at=body.at, device="api")])
    return schemas.Kept(id=body.id)


@router.post("/visits/{visit}/observations", summary="Note what was seen or read in place", **_VISITS)
@once
def observe(request: TeamRequest, visit: UUID, body: list[schemas.Seen]) -> schemas.Kept:
    """Note what was seen on a visit's scales: a number, or the place of a word on its scale."""
    first = next_seq(visit)
    taps = [
        tapped("observed", {"value": each.value, "unit": each.unit, "instrument": each.instrument},
               run=each.scale, at=each.at, seq=first + nth, device="api")
        for nth, each in enumerate(_so_many(body))
    ]  # fmt: skip
    if taps:
        record_whole(request.membership, "visit", visit, taps)
    return schemas.Kept(id=visit)


@router.post("/visits/{visit}/close", summary="Close a visit", **_VISITS)
@once
def close_visit(request: TeamRequest, visit: UUID, body: schemas.VisitClosed) -> schemas.Kept:
    """Close a visit; what is missing is said on its sheet."""
    closing = tapped("visit_closed", {"remark": body.remark}, seq=next_seq(visit), device="api")
    record_whole(request.membership, "visit", visit, [closing])
    return schemas.Kept(id=visit)


@router.post("/samples", summary="Note a sample", **_VISITS)
@once
def draw(request: TeamRequest, body: schemas.SampleDrawn) -> schemas.Kept:
    """Note a sample, on the visit of those hours at the place, where there is one. The same id again is one sample."""
    return _drawn(request, body)


@router.post(
    "/bulk/samples", summary="Note many samples", **_VISITS | {"response": {200: schemas.ManyKept, **schemas.FAULTS}}
)
@once
def draw_many(request: TeamRequest, body: list[schemas.SampleDrawn]) -> schemas.ManyKept:
    """Note up to 50 samples, all or none. The same list again is the same samples."""
    return schemas.ManyKept(kept=[_drawn(request, each) for each in _so_many(body, _MOST_SAMPLES)])


def _drawn(request: TeamRequest, body: schemas.SampleDrawn) -> schemas.Kept:
    team = request.membership.team_id
    _not_taken(Sample, body.id)
    place = Place.objects.for_team(team).select_related("team").get(pk=body.place)
    around = visit_around(place, body.drawn_at)
    data = {
        "place": place.pk, "sample": str(body.id), "at": body.drawn_at.isoformat(), "depth_cm": body.depth_cm,
        "water_temperature_c": body.water_temperature_c, "way": body.way,
    }  # fmt: skip
    stream = around.pk if around else body.id
    drawing = tapped("sample_drawn", data, at=body.drawn_at, seq=next_seq(stream), device="api")
    record_whole(request.membership, "visit", stream, [drawing])
    return schemas.Kept(id=body.id)


@router.post(
    "/tests", summary="A whole test, read by an instrument", auth=ByKey("results"), tags=["write"],
    response={200: schemas.Kept, **schemas.FAULTS},
)  # fmt: skip
@once
def test(request: TeamRequest, body: schemas.TestRun) -> schemas.Kept:
    """Run a test through: begun, answered, read and closed; its results are judged at once."""
    _not_taken(Determination, body.id)
    made = record_whole(request.membership, "bench", body.id, list(_taps_of(body)))
    if not made.stream.closed:
        raise BadTap("These readings give nothing to write yet: send all that the method wants.")
    results = Result.objects.for_team(request.membership.team_id).current().filter(determination=body.id)
    return schemas.Kept(id=body.id, results=list(results.order_by("pk").values_list("pk", flat=True)))


def _taps_of(body: schemas.TestRun) -> Iterator[dict[str, Any]]:
    """Give the taps by which a test is begun, answered, read and closed, in their order."""
    for seq, (run, kind, data) in enumerate(_contents_of(body), 1):
        yield tapped(kind, data, run=run, seq=seq, device="api")


def _contents_of(body: schemas.TestRun) -> Iterator[tuple[str, str, dict[str, Any]]]:
    """Give run, kind and content of each tap."""
    begun = {"sample": str(body.sample), **body.model_dump(include={"method", "instrument", "kit", "dilution"})}
    yield "", BEGUN, begun
    runs: dict[str, int] = {}
    for key, value in body.answers.items():
        yield "", "answered", {"key": key, "value": value}
    for each in body.readings:
        runs[each.part] = runs.get(each.part, 0) + 1
        run, count = f"sample-{runs[each.part]}", each.reading.get("count")
        if isinstance(count, int) and 0 <= count <= 200:
            yield from [(run, "drop_added", {})] * count
            yield run, "end_called", {"endpoint": each.reading.get("endpoint") is not False}
        else:
            yield run, "reading_taken", {"part": each.part, "reading": each.reading}
    yield "", "closed", {}


@router.post(
    "/instruments/{instrument}/shown", summary="What an instrument shows", auth=ByKey("shown"), tags=["write"],
    response={200: schemas.Taken, **schemas.FAULTS},
)  # fmt: skip
def shown(request: KeyRequest, instrument: schemas.Number62, body: list[schemas.ShownBy]) -> schemas.Taken:
    """Send what an instrument shows; the bench offers it at once. Sent twice, it is one reading."""
    if request.auth.instrument_id not in (None, instrument):
        raise HttpError(403, "This key is another instrument's.")
    found = Instrument.objects.for_team(request.membership.team_id).get(pk=instrument)
    rows = [InstrumentReading(**each.model_dump()) for each in _so_many(body)]
    return schemas.Taken(new=take_readings(request.membership, found, rows, f"its key “{request.auth.name}”"))


def _tap(scope: str, of: str) -> None:
    """Add the way in for a batch of taps of a visit or a test, as pages send them."""

    def taps(request: TeamRequest, stream: UUID, body: schemas.Taps) -> Any:
        stored = record(request.membership, of, stream, body.taps)
        return {name: getattr(stored, name) for name in ("kept", "late", "refused", "waits")}

    taps.__name__ = f"taps_of_{of}"
    router.post(
        f"/taps/{of}/{{stream}}", summary=f"Taps of a {of}, as a page sends them", auth=ByKey(scope), tags=["write"],
        response={200: schemas.Tapped, **schemas.FAULTS},
    )(taps)  # fmt: skip


_tap("visits", "visit")
_tap("results", "bench")
api.add_router("", router)
api.add_router("/sensorthings/v1.1", sensor_things)


# ---- what is wrong --------------------------------------------------------------------------------------------------


def _fault(status: int, words: str) -> Any:
    def handler(request: TeamRequest, fault: Exception) -> HttpResponse:
        body = words or getattr(fault, "message", "") or str(fault)
        return api.create_response(request, {"error": body}, status=status)

    return handler


def _not_as_described(request: TeamRequest, fault: NotAsDescribed) -> HttpResponse:
    body = "; ".join(f"{'.'.join(str(part) for part in each['loc'][1:])}: {each['msg']}" for each in fault.errors[:5])
    return api.create_response(request, {"error": body}, status=422)


def _refused(request: TeamRequest, fault: ValidationError) -> HttpResponse:
    return api.create_response(request, {"error": " ".join(fault.messages)}, status=422)


def _by_status(request: TeamRequest, fault: HttpError) -> HttpResponse:
    return api.create_response(request, {"error": str(fault)}, status=fault.status_code)


for fault, handler in (
    (AuthenticationError, _fault(401, "Send a key that stands: Authorization: Bearer kessa_…")),
    (NotAllowed, _fault(403, "")),
    (Http404, _fault(404, "There is no such thing in your team.")),
    (ObjectDoesNotExist, _fault(404, "There is no such thing in your team.")),
    (NoSuchStream, _fault(404, "")),
    (BadTap, _fault(422, "")),
    (CannotCompute, _fault(422, "")),
    (HttpError, _by_status),
    (NotAsDescribed, _not_as_described),
    (ValidationError, _refused),
):
    api.add_exception_handler(fault, handler)  # type: ignore[arg-type] # each is given its own fault


def opened(patterns: Any) -> Any:
    """Return the API's addresses, open: each asks for a key itself."""
    for pattern in patterns:
        pattern.callback = anyone(pattern.callback)
    return patterns
