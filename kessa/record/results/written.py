"""The one writer of results: whoever brings one, a test, a calculation or a file, hands over the same value."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID

from django.db.models import BigIntegerField, Case, OuterRef, Subquery, Value, When
from django.db.models.fields.json import KT
from django.db.models.functions import Cast, Coalesce

from kessa.core.methods.exactness import IN_PLACE
from kessa.core.quantities.quantity import Quantity
from kessa.record.determinations.models import Determination
from kessa.record.places.models import Place
from kessa.record.results.assessing import Assessed
from kessa.record.results.marks import Reason, end, mark
from kessa.record.results.models import Result, columns_of


class Found(NamedTuple):
    """What came to be known of a water: what, where and when, by whom and by which class of method, and from what.

    `person_id` is None where nobody here knows. `readings` and `made_from` are kept as they are: see Result.
    """

    place: Place
    visit_id: UUID
    person_id: int | None
    taken_at: datetime
    tested_at: datetime | None
    family: str
    part: str
    parameter: str
    method_class: str
    quantity: Quantity
    readings: dict[str, Any]
    working: Sequence[str]
    made_from: dict[str, Any]
    fraction: str = ""
    time_known: bool = True
    sample_id: UUID | None = None
    determination_id: UUID | None = None
    method_key: str = ""
    instrument_id: int | None = None


def result_of(found: Found, assessed: Assessed, test_asks: Sequence[str] = ()) -> Result:
    """Return the result of what was found, as it was assessed, not kept yet; `test_asks` is what its test asks for."""
    given = found._asdict()
    quantity = given.pop("quantity")
    return Result(
        **given | {"working": list(found.working)},
        **columns_of(quantity),
        team_id=found.place.team_id,
        place_kind=found.place.kind_key,
        verdict=assessed.verdict,
        judgements=assessed.judgements,
        not_judged=assessed.not_judged,
        usual=assessed.usual._asdict() if assessed.usual else None,
        test_asks=list(test_asks),
    )


def keep(result: Result, flags: Sequence[str], reason: Reason | None, before: Result | None) -> None:
    """Keep a new result with its flags; one that was there before is superseded by it."""
    result.save()
    mark(result, flags, reason)
    if before:
        end(before, "superseded", reason, result)


def fill_found_by(team: int) -> None:
    """Let results that came as rows of an older release, or of a package, know by what and where they were found."""
    of_test = Determination.objects.for_team(team).filter(pk=OuterRef("determination"))
    of_place = Place.objects.for_team(team).filter(pk=OuterRef("place"))
    rows: Any = Result._base_manager.filter(team=team, place_kind="")
    rows.update(
        place_kind=Subquery(of_place.values("kind_key")),
        method_key=Coalesce(Subquery(of_test.values("method_key")), Value("")),
        instrument=Coalesce(
            Subquery(of_test.values("instrument")),
            Case(When(family=IN_PLACE, then=Cast(KT("made_from__instrument"), BigIntegerField()))),
        ),
    )
