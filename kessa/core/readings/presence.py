"""Whether something is there at all, as a colour or glow after a warm wait tells."""

from __future__ import annotations

from collections.abc import Mapping
from random import Random
from typing import Any, ClassVar, Literal

from kessa.core.checked import Checked
from kessa.core.readings.kind import Determined, Kind, Option

# What was seen: its value, and both ends of what the truth may be. What cannot be told may be either.
_SEEN = {"present": (1.0, 1.0, 1.0), "absent": (0.0, 0.0, 0.0), "cannot tell": (1.0, 0.0, 1.0)}
_MEANS = {
    "present": ". What follows from it is for a certified laboratory and the local rules to say",
    "absent": ", in this sample and in what was drawn of it",
    "cannot tell": ". It counts as present until a fresh sample says otherwise",
}


class Seen(Checked):
    """What was seen."""

    seen: Literal["present", "absent", "cannot tell"]


class Presence(Kind):
    """Present is 1, absent 0: nothing is said of how much. What cannot be told counts as present until it is known."""

    kind: Literal["presence"] = "presence"
    unit: Literal["presence"] = "presence"

    Reading: ClassVar[type[Checked]] = Seen
    asked_as: ClassVar[str] = "Whether something is there at all, such as bacteria"
    rank: ClassVar[int] = 12
    drawings: ClassVar[tuple[str, ...]] = ("bottle",)
    # A blank of sterile water would be a test of its own, and nothing can be added in part.
    can_be_checked: ClassVar[bool] = False
    example: ClassVar[dict[str, str]] = {"seen": "Seen"}

    @property
    def options(self) -> tuple[Option, ...]:
        """The three answers there are."""
        return tuple(Option("at", words, words, {"seen": words}, place) for place, words in enumerate(_SEEN))

    def read(self, reading: Seen) -> Determined:
        """Take what was seen."""
        return Determined(self.point(*_SEEN[reading.seen]), None, (f"Seen: {reading.seen}{_MEANS[reading.seen]}",))

    def said(self, reading: Mapping[str, Any], unit_of_count: str) -> str:
        """Say what was seen."""
        return str(reading["seen"])

    def simulated(self, strength: float, chance: Random) -> dict[str, Any]:
        """See it where there is any, and now and then be unable to tell."""
        return {"seen": "cannot tell" if chance.random() < 0.02 else "present" if strength > 0 else "absent"}
