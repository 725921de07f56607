"""Reads about the bench worth a name."""

import uuid
from collections import defaultdict
from datetime import datetime, timedelta
from typing import Any

from django.db.models.fields.json import KT

from kessa.core.methods.schema import Method
from kessa.core.runs.events import Event
from kessa.record.compiled import compiled
from kessa.record.determinations.models import Determination
from kessa.record.determinations.state import answered, event_of
from kessa.record.results.models import Result
from kessa.record.taps.models import Tap
from kessa.record.visits.models import Sample

# So long what was drawn is as warm as it was in the water, as far as a test minds.
_AS_DRAWN = timedelta(minutes=30)
_LATELY = 6


@compiled
def open_determinations(team: int) -> Any:
    """Return what was begun and not closed, newest first, each with its `test_name` and `method_name`.

    The methods are not read for it: one that this release cannot read keeps nobody from the others.
    """
    names = {"test_name": KT("method_definition__test_name"), "method_name": KT("method_definition__name")}
    rows = Determination.objects.for_team(team).filter(closed_at=None).annotate(**names)
    given = rows.select_related("sample__visit__place", "started_by").only(
        "team", "purpose", "method_key", "started_at", "sample__visit__place__name",
        "started_by__username", "started_by__first_name", "started_by__last_name",
    )  # fmt: skip
    return given.order_by("-started_at")[:20]


@compiled
def test_at(team: int, pk: uuid.UUID) -> Any:
    """Return a test with its sample and place."""
    related = ("team", "sample__visit__place", "sample__drawn_by")
    return Determination.objects.for_team(team).filter(pk=pk).select_related(*related)


@compiled
def latest_taps(team: int, method: str) -> Any:
    """Return the taps of the latest tests by a method that are written in the log, test by test and in order."""
    closed = Determination.objects.for_team(team).filter(method_key=method, closed_at__isnull=False)
    rows = Tap.objects.for_team(team).filter(
        stream__in=closed.order_by("-started_at").values("pk")[:_LATELY], late=False
    )
    return rows.order_by("stream", "seq", "at", "id")


def known_of(sample: Sample, method: Method, at: datetime) -> dict[str, float]:
    """Return what is known at a moment of a sample's pH and temperature (°C): read when drawn, measured, or answered.

    An answer of the last half hour counts for the temperature; a pH for as long as the sample lasts. Nothing is asked
    after for a method to which neither matters.
    """
    known: dict[str, float] = {}
    if method.ph_window is None and method.temperature_c is None:
        return known
    if sample.water_temperature_c is not None and at - sample.drawn_at <= _AS_DRAWN:
        known["temperature"] = float(sample.water_temperature_c)
    by_test: dict[uuid.UUID, list[Event]] = defaultdict(list)
    for tap in _said_of(team=sample.team_id, sample=sample.pk):
        by_test[tap.stream].append(event_of(tap))
    given = [event for events in by_test.values() for event in answered(events).values()]
    for event in sorted(given, key=lambda event: event.at):
        key, value = event.data["key"], event.data["value"]
        if isinstance(value, int | float) and (key == "ph" or (key == "temperature" and at - event.at <= _AS_DRAWN)):
            known[key] = value
    measured = _measured_ph(team=sample.team_id, sample=sample.pk)
    return known | {"ph": measured[0]} if measured else known


@compiled
def _said_of(team: int, sample: uuid.UUID) -> Any:
    tests = Determination.objects.for_team(team).filter(sample=sample).values("pk")
    return Tap.objects.for_team(team).filter(stream__in=tests, run="", late=False)


@compiled
def _measured_ph(team: int, sample: uuid.UUID) -> Any:
    measured = Result.objects.for_team(team).current().filter(determination__sample=sample, parameter="pH")
    return measured.filter(censor="").newest_first().values_list("value", flat=True)[:1]
