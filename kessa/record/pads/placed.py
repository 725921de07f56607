"""A picture as pixels, the places a person set on it, and what is read there."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any, NamedTuple

import numpy as np
from django.core.exceptions import ValidationError
from PIL import Image

from kessa.core.colours.match import Step
from kessa.core.errors import CannotCompute
from kessa.core.methods.parts import Part
from kessa.core.pictures.placing import Point, at, guide, marks_near, plane
from kessa.core.pictures.reading import Pad, Proposal, Refused, learn_steps, read_pads
from kessa.core.runs.state import RunState
from kessa.core.runs.timing import reading_window
from kessa.record.determinations.models import Determination
from kessa.record.determinations.state import Bench
from kessa.record.pads.models import Scale

# A camera's time says when it was taken where it lies so near before the sending.
_FRESH = timedelta(hours=1)
SIDE = 6.0
# Where the strip, and the kit's own card beside it, mostly lie (mm).
_STRIP_Y, _CARD_Y = 52.0, 64.0


class Placed(NamedTuple):
    """What a person set on a picture, in its pixels: the card's four marks, and the first and last pad or step.

    `card` are the ends of the kit's own steps, where it is said that its card lies in the picture too.
    """

    corners: list[Point]
    ends: list[Point]
    side: float = SIDE
    card: Sequence[Point] = ()
    with_card: bool = False

    @classmethod
    def said(cls, given: Any) -> "Placed":
        """Return what a form says: points as "x,y x,y"; raises ValidationError."""
        try:
            corners, ends, card = (
                [_point(each) for each in str(given.get(name, "")).split()] for name in ("corners", "ends", "card")
            )
            side = float(given.get("side") or SIDE)
        except ValueError:
            raise ValidationError("Set the corners on the card's four marks, and the two ends.") from None
        if len(corners) != 4 or len(ends) != 2 or len(card) not in (0, 2) or not 2 <= side <= 20:
            raise ValidationError("Set the corners on the card's four marks, and the two ends.")
        return cls(corners, ends, side, card, bool(card and given.get("with_card")))

    def places(self, number: int, ends: Sequence[Point] = ()) -> list[Point]:
        """Return where so many pads lie on the card, in mm: evenly from the first end to the last.

        Raises CannotCompute on `corners` where they are none.
        """
        to_card = np.linalg.inv(plane(self.corners)).astype(np.float64)
        first, last = at(to_card, np.array(ends or self.ends, dtype=np.float64))
        shares = np.linspace(0, 1, number) if number > 1 else [0.0]
        return [tuple(first + share * (last - first)) for share in shares]


def _point(text: str) -> Point:
    x, y = (float(each) for each in text.split(","))
    if not (abs(x) < 1e5 and abs(y) < 1e5):
        raise ValueError
    return x, y


def pixels(file: Any) -> np.ndarray[Any, np.dtype[np.uint8]]:
    """Return a kept picture's levels."""
    with file.open("rb") as opened:
        return np.asarray(Image.open(opened).convert("RGB"))


def first_guess(picture: Any) -> Placed:
    """Return where marks and pads lie in a picture that was taken through the guide."""
    height, width = picture.shape[:2]
    corners = marks_near(picture, guide(width, height))
    try:
        there = plane(corners)
    except CannotCompute:
        corners = guide(width, height)
        there = plane(corners)
    ends, card = ([tuple(each) for each in at(there, np.array([(34.0, y), (114.0, y)]))] for y in (_STRIP_Y, _CARD_Y))
    return Placed(corners, ends, SIDE, card)


def read_at(
    picture: Any, placed: Placed, parts: Sequence[Part], scales: dict[str, Scale], off: dict[str, tuple[float, float]]
) -> tuple[dict[str, Proposal], Refused | None]:
    """Return what is read of each part whose colours are known, where the person set the pads, or why nothing is.

    Of a test of one part the kit's own card in the picture is the standard, where it lies there. `off` is by how many
    seconds a part was taken too late, too early. Raises CannotCompute on `corners` where they are none.
    """
    charts = {part.key: scales[part.key].chart for part in parts if part.key in scales}
    if placed.with_card and len(parts) == 1:
        steps = parts[0].numbers.card
        places = placed.places(len(steps), placed.card)
        labs, refused = learn_steps(picture, placed.corners, places, placed.side)
        if refused:
            return {}, refused
        charts = {parts[0].key: [Step(value, lab) for value, lab in zip(steps, labs, strict=True)]}
    # A strip's pads lie where they lie, whether their colours are known or not.
    pads = {
        part.key: Pad(x, y, placed.side, charts[part.key], *off.get(part.key, (0.0, 0.0)))
        for part, (x, y) in zip(parts, placed.places(len(parts)), strict=True)
        if part.key in charts
    }
    read = read_pads(picture, placed.corners, list(pads.values()))
    return dict(zip(pads, read.pads, strict=False)), read.refused


def taken_at(sent: datetime, camera: datetime | None) -> datetime:
    """Return when a picture was taken: by the camera where it says so and that was just now, else when it was sent."""
    return camera if camera and timedelta(0) <= sent - camera <= _FRESH else sent


def out_of_time(
    determination: Determination, bench: Bench, state: RunState, taken: datetime
) -> dict[str, tuple[float, float]]:
    """Return by how many seconds a picture was taken too late or too early for each part that has its time."""
    found = {}
    for part in determination.method.parts:
        window = reading_window(determination.method, part.key, state, bench.answers)
        if window and window.opens:
            late = (taken - window.closes).total_seconds() if window.closes else 0.0
            early = (window.opens - taken).total_seconds()
            found[part.key] = (max(late, 0.0), max(early, 0.0))
    return found
