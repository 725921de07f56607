"""Drawings of the practice bench, and what others say of it."""

from typing import Any

from django import template

from kessa.core.methods.parts import Part
from kessa.record.practice import selectors
from kessa.record.practice.selectors import Proof

register = template.Library()


@register.simple_tag(takes_context=True)
def wants_company(context: Any, family: str) -> Proof | None:
    """Return how the reader stands with a test that they should not do alone; None where they may."""
    return selectors.wants_company(context["request"].membership, family)


# So many of its finest marks are seen above and below a level, each so high; every fifth has its number.
_AROUND, _HIGH, _NUMBERED = 12, 9, 5


@register.inclusion_tag("practice/level.html")
def level(part: Part, field: str, at: float) -> dict[str, Any]:
    """Draw the stretch of a scale around a level, as one sees it from near, with its marks."""
    scale = next((each for each in part.drawn_scales if each.field == field), None)
    finest = scale.step if scale else 0.1
    middle = round(at / finest)
    first = max(middle - _AROUND, 0)
    marks = range(first, middle + _AROUND + 1)
    tall = (len(marks) - 1) * _HIGH
    upward = not (scale and scale.down)

    def place(units: float) -> float:
        down = (units - first) * _HIGH
        return round(20 + (tall - down if upward else down), 1)

    ticks = [(place(n), f"{n * finest:g}" if n % _NUMBERED == 0 else "") for n in marks]
    words = scale.words if scale else "Mark"
    return {"ticks": ticks, "at": place(at / finest), "tall": tall + 40, "length": tall, "words": words}
