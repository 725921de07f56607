"""How a method is led: steps with their clocks, what is asked on the way, and what is used up."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from kessa.core.checked import Checked, Number, Positive
from kessa.core.job.place_kinds import Water
from kessa.core.methods.parts import Key, Text
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.units import can_be, sign

Seconds = Annotated[int, Field(gt=0, le=86_400)]
# What is answered where nobody measured the number that is asked for.
UNKNOWN = "unknown"
_SIDES = ("below", "within", "above")
Flag = Annotated[str, StringConstraints(pattern=r"^[a-z-]+$", max_length=30)]


class ByReading(Checked):
    """A wait computed from what was read before: `base_s` + `per_s` × the display of `part`, in whole seconds up."""

    part: Key
    base_s: Annotated[Number, Field(ge=0)]
    per_s: Positive


class Wait(Checked):
    """A clock of a step. "least": longer does no harm; "exact": go on at once, and read within `within_s`.

    An exact wait without `within_s` may run over by a quarter of its time, and by 15 s at least.

    `attended` is whether one shakes or holds it meanwhile: nothing else can be done then.
    """

    what: Text
    seconds: Seconds | None = None
    computed: ByReading | None = None
    rule: Literal["least", "exact"] = "least"
    within_s: Seconds | None = None
    attended: bool = False

    def runs_over_after(self, seconds: int) -> float | None:
        """Return how many seconds after a clock of so many has rung it has run too long; None where it never does."""
        return None if self.rule == "least" else self.within_s or max(15.0, seconds / 4)

    @model_validator(mode="after")
    def _one_of(self) -> Self:
        if (self.seconds is None) == (self.computed is None):
            raise ValueError("give seconds, or else computed")
        return self


class Answer(Checked):
    """An answer to choose. `flag` marks the result, `advice` says what to do first."""

    key: Key
    name: Text
    flag: Flag | None = None
    advice: Text | None = None


class Ask(Checked):
    """Something asked on the way: one of `answers`, or a number that should lie from `least` to `most`.

    `unknown` is how the result is marked where nobody measured the number; without it a number is needed.
    """

    key: Key
    answers: tuple[Answer, ...] = ()
    unit: Text | None = None
    least: Number | None = None
    most: Number | None = None
    # Of a number outside: how the result is marked, and what to do about it.
    flag: Flag | None = None
    advice: Text | None = None
    unknown: Flag | None = None

    @model_validator(mode="after")
    def _one_of(self) -> Self:
        if bool(self.answers) == (self.unit is not None):
            raise ValueError("give answers to choose from, or the unit of a number")
        if self.unit and (self.least is None or self.most is None or self.least >= self.most):
            raise ValueError("a number is asked for with least and most")
        return self

    @property
    def can_be(self) -> tuple[float, float]:
        """Between which numbers an answer can be at all."""
        return can_be(self.unit or "", (-100.0, 1e6))

    def chosen(self, key: object) -> Answer | None:
        """Return the answer of this key."""
        return next((answer for answer in self.answers if answer.key == key), None)

    def side(self, value: object) -> str | None:
        """Return what an answer amounts to: its key, or of a number "below", "within", "above" or "unknown"."""
        if self.answers:
            chosen = self.chosen(value)
            return chosen.key if chosen else None
        if value == UNKNOWN:
            return UNKNOWN
        if isinstance(value, bool) or not isinstance(value, int | float):
            return None
        return "below" if value < (self.least or 0) else "above" if value > (self.most or 0) else "within"

    def leads_to(self, value: object, wanted: str) -> bool:
        """Whether an answer is the one that a step or supply is for; "measured" stands for any number."""
        side = self.side(value)
        return side == wanted or (wanted == "measured" and side in _SIDES)

    def may_lead_to(self, wanted: str) -> bool:
        """Whether some answer is the one that a step or supply is for."""
        return self.chosen(wanted) is not None if self.answers else wanted in (*_SIDES, "measured", UNKNOWN)

    def in_words(self, wanted: str) -> str:
        """Say an answer that a step or supply is for."""
        chosen = self.chosen(wanted)
        if chosen:
            return chosen.name
        least, most = plain(self.least or 0.0), plain(self.most or 0.0)
        side = {"below": f"below {least}", "above": f"above {most}", "within": f"{least} to {most}"}.get(wanted, wanted)
        return f"pH {side}" if self.unit == "pH" else f"{side} {sign(self.unit or '')}".rstrip()

    def flag_of(self, value: object) -> str | None:
        """Return how an answer marks the result."""
        if self.answers:
            chosen = self.chosen(value)
            return chosen.flag if chosen else None
        return {"below": self.flag, "above": self.flag, UNKNOWN: self.unknown}.get(self.side(value) or "")


class Step(Checked):
    """One thing to do.

    At the step of kind "count" units are added: `between_s` is how long (s) to wait after each, `settle_s` how long its
    end colour must last. At "read" the `parts` are read, all of them where none is named. At "ask" `ask` is answered.
    `when` names the answers under which the step is done at all, `waters` the kinds of water: none is all of them.
    `takes_s` is how long (s) it usually keeps the hands busy, where that is not what its kind usually takes.
    """

    text: Text
    detail: Text | None = None
    blank_text: Text | None = None
    caution: Text | None = None
    kind: Literal["do", "count", "read", "ask"] = "do"
    parts: tuple[Key, ...] = ()
    settle_s: Annotated[int, Field(gt=0, le=3600)] | None = None
    between_s: Annotated[int, Field(gt=0, le=3600)] | None = None
    takes_s: Annotated[int, Field(ge=0, le=3600)] | None = None
    wait: Wait | None = None
    ask: Ask | None = None
    when: dict[Key, Key] = Field(default_factory=dict)
    waters: tuple[Water, ...] = ()

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if (self.kind == "ask") != (self.ask is not None):
            raise ValueError("ask: a step of kind ask asks something, and no other does")
        if self.wait and self.kind != "do":
            raise ValueError("wait: a clock belongs to a step of kind do")
        return self


class Use(Checked):
    """What a test uses up of a supply, in the supply's unit: per run, unit counted, part read, or sample.

    `when` names the answers under which it is used at all, `waters` the kinds of water: none is all of them.
    """

    supply: Key
    amount: Positive
    per: Literal["run", "unit", "part", "sample"] = "run"
    when: dict[Key, Key] = Field(default_factory=dict)
    waters: tuple[Water, ...] = ()
