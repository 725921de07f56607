"""How an action is written: what is to be done and what was done, with amounts in the reader's own measures."""

import re

from kessa.core.job.place_kinds import measure_of
from kessa.core.treating.amounts import MEASURES, METRIC, Measure, figures, written
from kessa.record.actions.models import Action

_DONE = {
    "bleed": "bled", "drain": "drained", "flush": "flushed", "dose": "dosed", "lower": "dosed", "clean": "cleaned",
    "disinfect": "disinfected", "biocide": "treated with", "regenerate": "softener regenerated",
    "backwash": "filter backwashed or changed", "refill": "tank filled up by", "sheet": "list closed",
}  # fmt: skip


# The metric amounts of sentences and sums, as they are written there, and what else has measures of its own.
_AMOUNTS = {sign: MEASURES[sign] for sign in ("mL/h", "L/h", "g/h", "kg/h", "mL", "L", "g", "kg")}
_AMOUNTS["m³"] = Measure("L", 1000.0, "m³")
_UNITS = "|".join((*_AMOUNTS, "L/min", "bar", "°C"))
_QUANTITY = re.compile(rf"(?<![\w.,/])([-−]?\d[\d.]*(?:e[+-]?\d+)?) ({_UNITS})(?![\w/·])")


def in_measures(text: str, system: str) -> str:
    """Write beside each quantity of a sentence or a sum what it is in the measures of a system.

    >>> in_measures("2.5 m³ of 30 mg/L; 100 L / 20 L/min", "us")
    '2.5 m³ (660 US gal) of 30 mg/L; 100 L (26.4 US gal) / 20 L/min (5.28 US gal/min)'
    >>> in_measures("now it freezes at -12.1 °C, at 2 bar", "us")
    'now it freezes at -12.1 °C (10.2 °F), at 2 bar (29 psi)'
    """
    return text if system == METRIC else _QUANTITY.sub(lambda found: f"{found[0]}{_beside(found, system)}", text)


def _beside(found: re.Match[str], system: str) -> str:
    value, unit = float(found[1].replace("−", "-")), found[2]
    if unit in _AMOUNTS:
        amount = _AMOUNTS[unit]
        other = written(value * amount.size, amount.kept, system)
    else:
        measure = measure_of(unit, system)
        other = f"{measure.written(value):.3g} {measure.unit}"
    return "" if other == found[0] else f" ({other})"


def title_in(action: Action, system: str) -> str:
    """Write what is to be done, with its amount in the measures of a system."""
    if action.amount is None:
        return action.title
    # A product is rounded down, so that nothing written goes above its label.
    down = action.product_id is not None
    given = written(action.amount, action.kept, system, down=down)  # type: ignore[arg-type]
    portion = written(action.amount / action.portions, action.kept, system, down=down)  # type: ignore[arg-type]
    title = action.title.replace("{amount}", given).replace("{portion}", portion)
    return title if action.rate_l_min is None else title.replace("{rate}", _flow(action.rate_l_min, system))


def _flow(l_min: float, system: str) -> str:
    measure = measure_of("L/min", system)
    return f"{figures(l_min / measure.size)} {measure.unit}"


def done_in(action: Action, system: str) -> str:
    """Write what was done in few words, with its amount in the measures of a system."""
    verb = _DONE.get(action.by_way)
    if action.done_amount is None:
        return verb or title_in(action, system)
    amount = written(action.done_amount, action.kept, system)  # type: ignore[arg-type]
    what = f" of {action.done_product}" if action.done_product_id else ""
    return f"{verb or action.title} {amount}{what}".strip()
