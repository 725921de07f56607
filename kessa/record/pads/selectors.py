"""Reads about pads and scales worth a name."""

from typing import Any, NamedTuple

from django.db.models import Avg, Count, StdDev

from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.record.determinations.models import Determination
from kessa.record.methods.selectors import families_of
from kessa.record.pads.models import Proposed, Scale
from kessa.record.people.models import Team


class Learnable(NamedTuple):
    """A part that is matched to printed colours, and the scale that was learnt for it, if any."""

    method: Method
    part: Part
    scale: Scale | None


def matched_parts(method: Method) -> list[Part]:
    """Return the parts of a method that are matched to printed colours; a slide of dots is not one of colour."""
    coloured = (part for part in method.parts if part.chips and part.drawn_as in ("pad", "chips"))
    return [part for part in coloured if not part.unit.startswith("CFU")]


def scales_of(team_id: int, family: str) -> dict[str, Scale]:
    """Return the newest learnt scale of each part of a family, by the part's key."""
    rows = Scale.objects.for_team(team_id).filter(family=family, learnt_at__isnull=False).order_by("learnt_at")
    return {scale.part_key: scale for scale in rows}


def learnable(team: Team) -> list[Learnable]:
    """Return every part of the team's tests that can be read from a photograph, with what was learnt of it."""
    rows = Scale.objects.for_team(team).filter(learnt_at__isnull=False).select_related("by").order_by("learnt_at")
    known = {(scale.family, scale.part_key): scale for scale in rows}
    found = [
        Learnable(methods[0], part, known.get((family, part.key)))
        for family, methods in families_of(team.pk).items()
        for part in matched_parts(methods[0])
    ]
    return sorted(found, key=lambda each: (each.scale is None, each.method.test_name.lower(), each.part.parameter))


def eye_and_machine(team: Team) -> Any:
    """Return how the eyes of a team lie against the machine, by parameter: how many pairs, apart by how many steps."""
    rows = Proposed.objects.for_team(team).filter(apart__isnull=False).values("parameter")
    return rows.annotate(number=Count("pk"), above=Avg("apart"), spread=StdDev("apart")).order_by("parameter")


def proposed_of(determination: Determination) -> Any:
    """Return what a machine proposed in a test, beside what was taken."""
    return Proposed.objects.for_team(determination.team_id).filter(determination=determination).order_by("pk")
