"""Reads about the bench worth a name."""

from datetime import datetime, timedelta

from kessa.bench.models import Determination
from kessa.core.runs.events import ANSWERED
from kessa.log.models import Result
from kessa.people.models import Team
from kessa.taps.models import Tap
from kessa.visits.models import Sample

# So long what was drawn is as warm as it was in the water, as far as a test minds.
_AS_DRAWN = timedelta(minutes=30)


def open_determinations(team: Team) -> list[Determination]:
    """Return what was begun and not closed, newest first."""
    return list(
        Determination.objects.for_team(team)
        .filter(closed_at=None)
        .select_related("sample__visit__place", "started_by")
        .order_by("-started_at")[:20]
    )


def known_of(sample: Sample, at: datetime) -> dict[str, float]:
    """Return what is known at a moment of a sample's pH and temperature (°C): read when drawn, measured, or answered.

    An answer of the last half hour counts for the temperature; a pH for as long as the sample lasts.
    """
    known = {}
    if sample.water_temperature_c is not None and at - sample.drawn_at <= _AS_DRAWN:
        known["temperature"] = float(sample.water_temperature_c)
    tests = Determination.objects.for_team(sample.team_id).filter(sample=sample).values("pk")
    answers = Tap.objects.for_team(sample.team_id).filter(stream__in=tests, kind=ANSWERED, late=False)
    for tap in answers.filter(data__key__in=["ph", "temperature"]).order_by("at"):
        if isinstance(tap.data["value"], int | float) and (tap.data["key"] == "ph" or at - tap.at <= _AS_DRAWN):
            known[tap.data["key"]] = tap.data["value"]
    measured = Result.objects.for_team(sample.team_id).standing().filter(determination__sample=sample, parameter="pH")
    found = measured.filter(censor="").newest_first().values_list("value", flat=True).first()
    return known if found is None else known | {"ph": found}
