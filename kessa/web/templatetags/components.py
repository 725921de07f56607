"""Template tags for the drawings and for writing numbers."""

from typing import Any

from django import template
from django.utils.timesince import timesince

from kessa.core import quantity
from kessa.core.determination import FLAGS
from kessa.web.components.gauge import gauge as lay_out_gauge
from kessa.web.components.ladder import ladder as lay_out_ladder
from kessa.web.components.ladder import vessel_colours

register = template.Library()
_GLYPHS = {"inside": "inside", "close": "close", "outside": "outside", "not settled": "unsettled"}


@register.filter
def plain(number: float | None) -> str:
    """Write a number as people do."""
    return "" if number is None else quantity.plain(float(number))


@register.filter
def flag_words(flag: str) -> str:
    """Say what a flag means."""
    return FLAGS.get(flag, flag)


@register.filter
def tap_words(kind: str) -> str:
    """Say what a tap was."""
    return kind.replace("_", " ")


@register.filter
def since(moment: Any) -> str:
    """Say how long ago in its largest unit, such as "13 minutes"."""
    spoken = timesince(moment, depth=1)
    return "less than a minute" if spoken.startswith("0") else spoken


@register.inclusion_tag("components/verdict.html")
def verdict(word: str) -> dict[str, str]:
    """Draw a verdict: word, glyph and colour."""
    return {"word": word, "glyph": _GLYPHS.get(word, "")}


@register.inclusion_tag("components/gauge.html")
def gauge(result: Any) -> dict[str, Any]:
    """Draw a result on its scale."""
    limit = result.decisive
    if limit and (limit["unit"], limit["as"] or "") != (result.unit, result.form):
        limit = None
    drawn = lay_out_gauge(result.value, result.low, result.high, result.unit, limit, result.usual)
    return {"gauge": drawn, "glyph": _GLYPHS.get(result.verdict, "unsettled")}


@register.inclusion_tag("components/interval.html")
def interval(quantity: Any) -> dict[str, Any]:
    """Say in which interval the truth lies."""
    return {"quantity": quantity}


@register.inclusion_tag("components/trend.html")
def trend(chart: Any, unit: str) -> dict[str, Any]:
    """Draw results over time."""
    return {"chart": chart, "unit": unit}


@register.inclusion_tag("components/ladder.html")
def ladder(stop_at: int, usual: Any, unit_of_count: str) -> dict[str, Any]:
    """Draw the ladder of a range."""
    return {"ladder": lay_out_ladder(stop_at, usual), "stop_at": stop_at, "unit_of_count": unit_of_count}


@register.inclusion_tag("components/vessel.html")
def vessel(method: Any) -> dict[str, Any]:
    """Draw the bottle with the colour now, and the colours to look for."""
    return {"method": method, "colours": vessel_colours(method.colours)}


@register.filter
def split_words(text: str) -> list[str]:
    """Split at commas."""
    return text.split(",")
