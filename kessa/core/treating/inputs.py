"""What a proposal was worked out from, in words: so that what changed can be named when it is worked out anew."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from kessa.core.job.place_kinds import place_kind
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.quantity import Quantity, plain
from kessa.core.quantities.units import sign
from kessa.core.treating.amounts import figures, level
from kessa.core.treating.systems import Finding, Proposal, System

_MOST_NAMED = 3
# Facts that are said in words of their own.
_SAID_ABOVE = ("volume_l", "volume_off", "filled", "bleed_l_min", "evaporation_l_h", "steam_kg_h", "flow_l_h")


def inputs_of(system: System, findings: Sequence[Finding], made: Proposal) -> dict[str, str]:
    """Return what a proposal follows from: the system, what feeds it, the product, findings and their bands."""
    facts = {
        "how much it holds": system.volume and f"{figures(system.volume.value)} L",
        "what its valve lets out": system.bleed_l_min and f"{plain(system.bleed_l_min)} L/min",
        "what evaporates": system.evaporation_l_h and f"{plain(system.evaporation_l_h)} L/h",
        "what it steams": system.steam_kg_h and f"{plain(system.steam_kg_h)} kg/h",
        "what flows through it": system.flow_l_h and f"{plain(system.flow_l_h)} L/h",
        "what is in it": ", ".join(sorted(system.holds)),
    }
    found = {name: value for name, value in facts.items() if value}
    for fact in place_kind(system.kind).facts:
        value = system.facts.get(fact.name)
        if fact.name not in _SAID_ABOVE and value not in (None, ""):
            number = plain(value) if fact.least is not None and isinstance(value, int | float) else str(value)
            found[f"{fact.label[:1].lower()}{fact.label[1:]}"] = f"{number} {fact.unit}".strip()
    for each in findings:
        if each.result in made.results:
            name = parameter(each.parameter).title
            found[name] = level(each, each.measured.value)
            ends = " to ".join(plain(end) for end in (each.least, each.most) if end is not None)
            found[f"where {parameter(each.parameter).key} is to be"] = ends
            fed = system.supply.get(parameter(each.parameter).key)
            if fed is not None:
                found[f"{parameter(each.parameter).key} of what feeds it"] = _written(fed)
    for held in system.products:
        if held.key == made.product:
            product = held.product
            found["the product"] = product.name
            found[f"the strength of {product.name}"] = product.strength
            most = (product.label_per_m3, product.most_per_m3, product.most_level)
            found[f"the label of {product.name}"] = ", ".join(plain(each) if each else "–" for each in most)
            if held.left is not None:
                found[f"what is left of {product.name}"] = f"{figures(held.left)} {product.kept}"
    return found


def changed_inputs(before: Mapping[str, str], now: Mapping[str, str]) -> str:
    """Return what of two such records differs, in words; nothing where nothing does.

    >>> changed_inputs({"how much it holds": "6000 L"}, {"how much it holds": "3000 L"})
    'how much it holds: 6000 L became 3000 L'
    """
    names = [name for name in {**before, **now} if before.get(name) != now.get(name)]
    said = [f"{name}: {before.get(name, 'not known')} became {now.get(name, 'not known')}" for name in names]
    more = len(said) - _MOST_NAMED
    return "; ".join(said[:_MOST_NAMED]) + (f"; and {more} more" if more > 0 else "")


def _written(found: Quantity) -> str:
    form = f" as {found.form}" if found.form else ""
    return f"{found.censor or ''}{plain(found.value)} {sign(found.unit)}{form}".strip()
