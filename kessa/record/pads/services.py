"""Everything that is done with pads and scales: a scale brought and learnt, pads kept as the eye takes them."""

from datetime import datetime
from typing import Any, BinaryIO

from django.core.exceptions import ValidationError
from django.utils import timezone

from kessa.core.errors import CannotCompute
from kessa.core.methods.parts import Part
from kessa.core.pictures.reading import Proposal, learn_steps
from kessa.core.readings.card_steps import place_on
from kessa.core.runs.events import READ
from kessa.record.determinations.models import Determination
from kessa.record.pads import may
from kessa.record.pads.models import Proposed, Scale
from kessa.record.pads.placed import Placed, pixels
from kessa.record.people.acts import act
from kessa.record.people.models import Membership
from kessa.record.photographs.models import Photograph
from kessa.record.photographs.pictures import keep_jpeg, read_picture
from kessa.record.taps.incoming import BadTap
from kessa.record.taps.selectors import next_seq
from kessa.record.taps.services import record_whole, tapped


@act("scale brought", may.bring_scale)
def bring_scale(by: Membership, family: str, part: Part, file: BinaryIO) -> Scale:
    """Keep a photograph of a kit's own card, to learn its steps from; raises ValidationError for what is none."""
    picture, _ = read_picture(file)
    scale = Scale(
        team_id=by.team_id,
        family=family,
        part_key=part.key,
        steps=list(part.numbers.card),
        width=picture.width,
        height=picture.height,
        by=by.user,
    )
    keep_jpeg(scale.image, picture, quality=92)
    scale.save()
    return scale


@act("scale learnt", may.learn_scale)
def learn_scale(by: Membership, scale: Scale, placed: Placed) -> Scale:
    """Learn the colours of a scale's steps where a person set its ends; raises ValidationError where it is refused."""
    try:
        labs, refused = learn_steps(pixels(scale.image), placed.corners, placed.places(len(scale.steps)), placed.side)
    except CannotCompute as fault:
        raise ValidationError(fault.message) from None
    if refused:
        raise ValidationError(refused.words)
    scale.colours = [[round(each, 2) for each in lab] for lab in labs]
    scale.learnt_at = timezone.now()
    scale.save(update_fields=["colours", "learnt_at"])
    return scale


@act("pads kept", may.keep_pads)
def keep_pads(
    by: Membership,
    determination: Determination,
    run: str,
    at: datetime,
    taken: dict[str, dict[str, Any]],
    proposals: dict[str, Proposal],
    photograph: Photograph | None = None,
) -> list[Proposed]:
    """Write what the eye took of each part as readings of a run, and keep the machine's proposals beside them.

    Raises ValidationError where a reading is refused.
    """
    seq = next_seq(determination.pk)
    taps = [
        tapped(READ, {"part": key, "reading": reading}, run=run, at=at, seq=seq + n)
        for n, (key, reading) in enumerate(taken.items())
    ]
    try:
        record_whole(by, "bench", determination.pk, taps)
    except BadTap as refused:
        raise ValidationError(str(refused)) from None
    rows = [
        Proposed(
            team_id=by.team_id,
            determination=determination,
            run=run,
            part_key=key,
            parameter=determination.method.part(key).parameter,
            photograph=photograph,
            proposal=_kept(proposals[key]) if key in proposals else {},
            taken=reading,
            apart=_apart(determination.method.part(key), reading, proposals.get(key)),
            at=at,
            person=by.user,
        )
        for key, reading in taken.items()
    ]
    return Proposed.objects.bulk_create(rows)


def _kept(proposal: Proposal) -> dict[str, Any]:
    refused = proposal.refused.key if proposal.refused else ""
    colour = [round(each, 2) for each in proposal.lab] if proposal.lab else None
    numbers = {name: getattr(proposal, name) for name in ("value", "low", "high", "distance", "confident")}
    return {**numbers, "colour": colour, "refused": refused}


def _apart(part: Part, reading: dict[str, Any], proposal: Proposal | None) -> float | None:
    """By how many steps the eye lies above the machine, where both say a number."""
    if proposal is None or proposal.value is None:
        return None
    found = part.determine(reading).quantity
    if found.censor:
        return None
    steps = part.numbers.card
    return round(place_on(steps, found.value) - place_on(steps, proposal.value), 2)
