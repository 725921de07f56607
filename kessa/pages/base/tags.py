"""Template tags for the drawings and for writing numbers."""

import re
from collections.abc import Mapping
from functools import cache
from html import escape
from typing import Any

from django import template
from django.contrib.staticfiles.storage import staticfiles_storage
from django.template.loader import render_to_string
from django.utils import timezone
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe
from django.utils.timesince import timesince

from kessa.core.job.circumstances import scales
from kessa.core.job.occasions import occasion_kinds
from kessa.core.job.supplies import supply_name, unit_word
from kessa.core.judging.holding import overall
from kessa.core.judging.judge import INSIDE
from kessa.core.judging.protected import PROTECTED
from kessa.core.methods.exactness import TAKEN_IN
from kessa.core.methods.parts import Part
from kessa.core.quantities import quantity
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.quantity import Quantity
from kessa.core.quantities.units import in_words, sign
from kessa.core.runs import flags
from kessa.drawings.drawn_scale import lay_out
from kessa.drawings.gauge import gauge as lay_out_gauge
from kessa.drawings.ladder import ladder as lay_out_ladder
from kessa.drawings.ladder import vessel_colours
from kessa.pages.base.bundles import needed
from kessa.record.instruments.measured import measured_by_instruments
from kessa.record.people.display import Display, display_for
from kessa.record.rules.selectors import is_own

register = template.Library()
_GLYPHS = {"inside": "inside", "close": "close", "outside": "outside", "not settled": "unsettled"}


@register.filter
def plain(number: float | None) -> str:
    """Write a number as people do."""
    return "" if number is None else quantity.plain(float(number))


@register.filter
def flag_words(flag: str) -> str:
    """Say what a flag means."""
    return flags.words(flag)


register.filter(is_own)


@register.filter
def usual_span(usual: Any) -> SafeString:
    """Write from where to where is usual, with the digits that its width deserves; of a season with its name."""
    low, high = (usual["low"], usual["high"]) if isinstance(usual, dict) else (usual.low, usual.high)
    season = usual.get("season", "") if isinstance(usual, dict) else usual.season
    written = quantity.deserved(low, low, high)
    words = '<b class="num">{}</b> to <b class="num">{}</b>'
    text = format_html(words, written(low), written(high))
    return format_html("in {}: {}", season, text) if season else text


@register.filter
def occasion_words(key: str) -> str:
    """Say what happened."""
    return occasion_kinds()[key].name.lower() if key in occasion_kinds() else key


@register.filter
def scale_label(key: str) -> str:
    """Name a circumstance, or what an instrument reads."""
    if key in scales():
        return scales()[key].label
    return measured_by_instruments()[key].label if key in measured_by_instruments() else key


@register.filter
def minutes(seconds: int) -> str:
    """Say a wait, such as "2 min 30 s" or "18 h"."""
    whole, rest = divmod(int(seconds), 60)
    if whole >= 120 and not whole % 60 and not rest:
        return f"{whole // 60} h"
    return " ".join([f"{whole} min"] * bool(whole) + [f"{rest} s"] * bool(rest or not whole))


register.filter(supply_name)
register.filter(unit_word)


@register.filter
def unit_sign(unit: str) -> str:
    """Write a unit as people do."""
    return sign(unit)


@register.filter
def weeks(number: float) -> str:
    """Say a stretch of weeks."""
    whole = int(number)
    return "less than a week" if whole < 1 else f"{whole} week{'' if whole == 1 else 's'}"


@register.filter
def hours(number: float) -> str:
    """Say a stretch of hours, from two days on in days."""
    minutes = number * 60
    if minutes < 120:
        return f"{quantity.plain(minutes)} minutes"
    return f"{quantity.plain(number)} hours" if number < 48 else f"{quantity.plain(number / 24)} days"


_IN_PATTERNS = {"j": "%-d", "F": "%B", "M": "%b", "Y": "%Y", "H": "%H", "i": "%M"}
_TIME_OF_DAY = re.compile(r",? ?H:i")


@register.filter
def when(found: Any, form: str) -> str:
    """Write when a result's or a sample's water was drawn, or a visit begun; no time of day where that is not known."""
    name = next(each for each in ("taken_at", "drawn_at", "started_at") if hasattr(found, each))
    at = timezone.localtime(getattr(found, name))
    if found.time_known:
        return at.strftime(_pattern(form))
    day = _TIME_OF_DAY.sub("", form)
    return f"{at.strftime(_pattern(day))}, time not known" if day else "at a time not known"


@cache
def _pattern(form: str) -> str:
    """Return a form of dates as strftime takes it, which is ten times as quick: lists show hundreds."""
    return "".join(_IN_PATTERNS[each] if each.isalpha() else each for each in form)


@register.filter
def since(moment: Any) -> str:
    """Say how long ago in its largest unit, such as "13 minutes"."""
    spoken = timesince(moment, depth=1)
    return "less than a minute" if spoken.startswith("0") else spoken


@register.simple_tag
@cache
def verdict(word: str) -> SafeString:
    """Draw a verdict: word, glyph and colour. There are four, and a log shows dozens: each is drawn once."""
    return render_to_string("base/verdict.html", {"word": word, "glyph": _GLYPHS.get(word, "")})


@register.simple_tag
def stands(result: Any) -> SafeString:
    """Draw how a result stands: its verdict; where limits speak of it and none assesses it, just that."""
    return verdict(result.verdict or ("not assessed" if result.judgements or result.not_judged else ""))


@register.filter
def protected_words(protects: str) -> str:
    """Say what a limit protects."""
    return PROTECTED[protects].words if protects in PROTECTED else ""


@register.filter
def once_in(chance: float) -> str:
    """Say how rare something is, by about how many times it happens once."""
    return quantity.plain(float(f"{1 / max(chance, 0.001):.1g}"))


@register.simple_tag
def held_against(judgement: dict[str, Any], result: Any) -> SafeString:
    """Draw how a result stands by one limit; a most alone says no more than that it is not beyond it."""
    if judgement["verdict"] == INSIDE and not result.verdict:
        return mark_safe('<span class="soft">not beyond it</span>')
    return verdict(judgement["verdict"])


@register.simple_tag
def gauge(result: Any) -> str:
    """Draw a result on its scale; what is said in words, or lies below 0, has none."""
    if _words(result) or result.low < 0:
        return ""
    limit = overall(result.judgements)
    if limit and ((limit["unit"], limit["as"] or "") != (result.unit, result.form) or limit.get("than")):
        limit = None
    drawn = lay_out_gauge(result.value, result.low, result.high, result.unit, limit, result.usual)
    return drawn.svg(_GLYPHS.get(result.verdict, "unsettled"))


@register.filter
def limit_in_words(result: Any) -> str:
    """Say by which limit a result stands as it does: at least, at most, from … to, or none."""
    limit = overall(result.judgements)
    return bounds_in_words(limit) if limit else ""


@register.filter
def bounds_in_words(limit: Mapping[str, Any]) -> str:
    """Say what a limit allows, with its unit and what it compares with."""
    if in_words(limit["unit"]):
        return "none"
    least, most = (None if limit[end] is None else quantity.plain(limit[end]) for end in ("min", "max"))
    span = f"{least} to {most}" if least and most else f"at least {least}" if least else f"at most {most}"
    return f"{span} {sign(limit['unit'])}{' ' + limit['than'] if limit.get('than') else ''}".strip()


@register.filter
def side_in_words(result: Any) -> str:
    """Say on which side of its limit a result lies that is outside."""
    limit = overall(result.judgements)
    if limit is None or limit["verdict"] != "outside" or "held" not in limit:
        return ""
    return "too low" if limit["min"] is not None and limit["held"][0] < limit["min"] else "too high"


@register.simple_tag(takes_context=True)
def measured(context: Any, result: Any, css: str = "num") -> str:
    """Write a result in the reader's own unit, or in words."""
    return measured_in(_shown(context, result), result, css)


def measured_in(shown: Display, result: Any, css: str = "num") -> str:
    """Write a result in a unit, or in words."""
    words = _words(result)
    text = escape(words) if words else f"{escape(result.censor or '')}{_written(shown, result)[0]}"
    after = "" if words else f" {escape(shown.sign)}"
    return mark_safe(f'<b class="{css}">{text}</b>{after}')  # noqa: S308 # it is escaped; `css` is a template's own


@register.simple_tag(takes_context=True)
def interval(context: Any, result: Any) -> str:
    """Say in which interval the truth lies, in the reader's own unit; of what is said in words, how much is open."""
    return interval_in(_shown(context, result), result)


def interval_in(shown: Display, result: Any) -> str:
    """Say in which interval the truth lies, in a unit."""
    if _words(result):
        return "not counted"
    if not result.censor and getattr(result, "method_class", "") == TAKEN_IN:
        return "as it was written"
    _, low, high = _written(shown, result)
    if result.censor == ">":
        words = f'above <span class="num">{low}</span>'
    elif result.censor == "<":
        words = f'at or below <span class="num">{high}</span>'
    else:
        words = f'between <span class="num">{low}</span> and <span class="num">{high}</span>'
    return mark_safe(words)  # noqa: S308 # numbers that are written here


@register.simple_tag(takes_context=True)
def unit_shown(context: Any, result: Any) -> str:
    """Write the unit in which the reader sees a result."""
    return _shown(context, result).sign


@register.simple_tag(takes_context=True)
def form_shown(context: Any, result: Any) -> str:
    """Write the form in which the reader sees a result, such as "as NO3"; nothing where the unit says it."""
    return form_in(_shown(context, result))


def form_in(shown: Display) -> str:
    """Write the form of a unit, such as "as NO3"."""
    return f"as {shown.form}" if shown.form else ""


@register.simple_tag(takes_context=True)
def temperature(context: Any, celsius: Any) -> str:
    """Write a temperature in the reader's own unit, to a tenth."""
    shown = display_for("degC", "", "", context["request"].user)
    return format_html(
        '<span class="num">{}</span> {}', plain(round(shown.number(float(celsius), "degC", ""), 1)), shown.sign
    )


def _written(shown: Display, result: Any) -> list[str | None]:
    """Write a value and both ends of its interval with the digits they deserve, in the unit shown."""
    ends = (result.value, result.low, result.high)
    numbers: list[Any] = [None if each is None else shown.number(each, result.unit, result.form or "") for each in ends]
    # What is censored has one end only: it has no width of which to take digits.
    value, low, high = (numbers[0], None, None) if result.censor else numbers
    is_imported = getattr(result, "method_class", "") == TAKEN_IN
    write = quantity.as_written(value, high) if is_imported else quantity.deserved(value, low, high)
    return [None if number is None else write(number) for number in numbers]


def _words(result: Any) -> str | None:
    if not in_words(result.unit):
        return None
    form = getattr(result, "form", None) or None
    return Quantity(result.value, result.low, result.high, result.censor or None, result.unit, form).words


def _shown(context: Any, result: Any) -> Display:
    # On the bench the kit's own unit stands: what has no parameter is not in the log yet.
    parameter = getattr(result, "parameter", None)
    if parameter is None or "request" not in context:
        return Display(result.unit, result.form or "")
    return display_for(result.unit, result.form, parameter, context["request"].user)


@register.inclusion_tag("base/drift.html")
def drift(chart: Any) -> dict[str, Any]:
    """Draw the checks of an instrument."""
    top, foot = chart.middle - chart.band, chart.middle + chart.band
    return {"chart": chart, "top": top, "foot": foot, "tall": foot - top, "across": chart.right - chart.left}


@register.inclusion_tag("base/ladder.html")
def ladder(stop_at: int, usual: Any, unit_of_count: str) -> dict[str, Any]:
    """Draw the ladder of a range."""
    return {"ladder": lay_out_ladder(stop_at, usual), "stop_at": stop_at, "unit_of_count": unit_of_count}


@register.inclusion_tag("base/vessel.html")
def vessel(method: Any) -> dict[str, Any]:
    """Draw the bottle with the colour now, and the colours to look for: of two stages both, the first in view."""
    parts = method.parts[: 2 if method.staged else 1]
    return {"method": method, "cards": [(part.colours, vessel_colours(part.colours)) for part in parts]}


@register.inclusion_tag("base/drawn_scale.html")
def drawn_scale(given: Any, field: str = "") -> dict[str, Any]:
    """Draw the scale on which a part is read, to be set by dragging, by arrow keys or by typing."""
    scale, marks, length = lay_out(given.part, field)
    edge = 20
    upward = scale.vertical and not scale.down
    ticks = [(edge + (length - at if upward else at), label) for at, label in marks]
    tall = length + 2 * edge
    drawing = {"edge": edge, "tall": tall, "middle": tall / 2, "radius": length / 2 + 8, "length": length}
    return {"scale": scale, "ticks": ticks, "drawn_as": given.part.drawn_as, "id": given.id, **drawing}


@register.simple_tag
def span_of(part: Part, field: str) -> SafeString:
    """Write within what a field of a reading can be, as number-field.js looks for it."""
    span = part.spans[field]
    return format_html('data-min="{}" data-max="{}"', f"{span.least:.12g}", f"{span.most:.12g}")


@register.filter
def titled(words: str | None) -> str:
    """Begin with a capital letter, but for a name that is kept as it is; a draft may have no words yet."""
    first, comma, rest = (words or "").partition(",")
    return (first if parameter(first).upper else first[:1].upper() + first[1:]) + comma + rest


@register.filter
def fade(percent: int) -> float:
    """Return how strongly a printed disc shows through water `percent` as cloudy as the worst of its card."""
    return round(1 - 0.0085 * percent, 2)


@register.filter
def area(address: str) -> str:
    """Return to which part of the pages an address belongs, such as "today"."""
    return address.strip("/").partition("/")[0]


@register.filter
def split_pairs(text: str) -> list[list[str]]:
    """Split at commas, and each piece at its equals sign."""
    return [pair.split("=") for pair in text.split(",")]


@register.filter
def split_words(text: str) -> list[str]:
    """Split at commas."""
    return text.split(",")


@register.filter
def three(value: float) -> str:
    """Write a number to three figures."""
    return f"{float(f'{value:.3g}'):g}"


@register.simple_tag
@cache
def script(page: str) -> SafeString:
    """Load the script of a page, which bin/bundle put together, and beside it at once what it needs."""
    *shared, own = (staticfiles_storage.url(name) for name in needed()[page])
    ahead = format_html_join("", '<link rel="modulepreload" href="{}">', ((name,) for name in shared))
    return format_html('{}<script type="module" src="{}"></script>', ahead, own)
