"""Template tags for the drawings and for writing numbers."""

from functools import cache
from typing import Any

from django import template
from django.template.loader import render_to_string
from django.utils.html import format_html
from django.utils.safestring import SafeString
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


@register.simple_tag
@cache
def verdict(word: str) -> SafeString:
    """Draw a verdict: word, glyph and colour. There are four, and a log shows dozens: each is drawn once."""
    return render_to_string("components/verdict.html", {"word": word, "glyph": _GLYPHS.get(word, "")})


@register.inclusion_tag("components/gauge.html")
def gauge(result: Any) -> dict[str, Any]:
    """Draw a result on its scale."""
    limit = result.decisive
    if limit and (limit["unit"], limit["as"] or "") != (result.unit, result.form):
        limit = None
    drawn = lay_out_gauge(result.value, result.low, result.high, result.unit, limit, result.usual)
    return {"gauge": drawn, "glyph": _GLYPHS.get(result.verdict, "unsettled")}


@register.simple_tag
def interval(result: Any) -> str:
    """Say in which interval the truth lies."""
    low, high = plain(result.low), plain(result.high)
    if result.censor == ">":
        return format_html('above <span class="num">{}</span>', low)
    if result.censor == "<":
        return format_html('at or below <span class="num">{}</span>', high)
    return format_html('between <span class="num">{}</span> and <span class="num">{}</span>', low, high)


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
