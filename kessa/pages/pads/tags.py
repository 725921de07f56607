"""What pages say of pictures that are read."""

from typing import Any

from django import template

from kessa.core.colours.lab import Lab, hex_of_lab
from kessa.core.pictures.reading import Proposal
from kessa.core.quantities.quantity import deserved
from kessa.record.pads.selectors import matched_parts, proposed_of

register = template.Library()


@register.filter
def matched(method: Any) -> bool:
    """Whether anything of a method is matched to printed colours."""
    return bool(method and matched_parts(method))


@register.filter
def on_screen(lab: Any) -> str:
    """Return a colour as a screen shows it."""
    return hex_of_lab(lab if isinstance(lab, Lab) else Lab(*lab))


@register.filter
def in_digits(proposal: Proposal) -> list[str]:
    """Return a proposed value and its ends, low and high, with the digits that they deserve."""
    assert proposal.value is not None and proposal.low is not None
    written = deserved(proposal.value, proposal.low, proposal.high)
    return [written(each) for each in (proposal.value, proposal.low, proposal.high or proposal.value)]


@register.filter
def points(places: Any) -> str:
    """Write places of a picture as a form sends them."""
    return " ".join(f"{x:.1f},{y:.1f}" for x, y in places)


@register.simple_tag
def proposed_in(determination: Any) -> Any:
    """Return what a machine proposed in a test, beside what was taken."""
    return proposed_of(determination)
