"""What is known of a place's system, as a plan wants to be asked."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from kessa.core.checked import check
from kessa.core.errors import CannotCompute
from kessa.core.proposing.request import Request, SystemFacts, called
from kessa.core.quantities.parameters import parameter
from kessa.core.treating.mixing import refusal
from kessa.core.treating.products import CLEANS, HOLDS_SCALE, KILLS, LOWERS, RAISES, Product
from kessa.core.treating.systems import Finding, Held, System

_STABILISED = "organic chlorine"
# What a product holds, as refusals know it.
_HOLDS = {"chlorine": "NaOCl", _STABILISED: "hypochlorite"}
_DOES = {RAISES: "raises", LOWERS: "lowers", CLEANS: "cleans", HOLDS_SCALE: "prevents", KILLS: "kills"}
# What a label that names no parameter is about.
_ABOUT = {CLEANS: "anything", HOLDS_SCALE: "scale", KILLS: "bacteria", RAISES: "", LOWERS: ""}
_PERCENT = re.compile(r"(\d+(?:[.,]\d+)?)\s*%")
_ALL = 100.0
_GLYCOLS = ("propylene", "ethylene")


def in_stream(stream: str, name: str) -> str:
    """Return by what a parameter is known that was found in what comes to a boiler: its condensate, its feed water.

    >>> in_stream("condensate", "total hardness"), in_stream("feed", "dissolved oxygen")
    ('condensate hardness', 'feed oxygen')
    """
    known = called(parameter(name).key)
    return known if known.startswith(f"{stream} ") else f"{stream} {known}"


def request_of(system: System, findings: Mapping[str, Finding]) -> Request:
    """Return a place's system as a request, with its findings by what a plan calls them.

    Raises CannotCompute on what is written down and cannot be.
    """
    return check(Request, {
        "system": _facts(system, findings),
        **_make_up(system, findings),
        "findings": [_finding(name, each) for name, each in findings.items()],
        "bands": [_band(name, each) for name, each in findings.items() if (each.least, each.most) != (None, None)],
        "products": [
            _product(system, each, findings) for each in system.products if _speaks_of(each.product, findings)
        ],
        "history": list(system.history),
    }, "system")  # fmt: skip


def _facts(system: System, findings: Mapping[str, Finding]) -> dict[str, Any]:
    written_down = {
        name: value for name, value in system.facts.items()
        if name in SystemFacts.model_fields and not (isinstance(value, int | float) and value == 0)
    }  # fmt: skip
    own: dict[str, Any] = {
        "kind": system.kind, "bleed_l_min": system.bleed_l_min, "evaporation_l_h": system.evaporation_l_h,
        "steam_kg_h": system.steam_kg_h, "flow_l_h": system.flow_l_h, "metals": tuple(system.holds),
        "feeds": ("people",) if system.water == "drinking" else ("plant",) if system.kind == "supply" else (),
    }  # fmt: skip
    if system.volume is not None:
        volume = system.volume
        own |= {"volume_l": volume.value, "volume_off_percent": min(100 * (1 - volume.low / volume.value), 100.0)}
    else:
        own["volume_l"] = None
    metered = findings.get("make-up a day")
    if metered is not None and metered.measured.value > 0:
        # By its meter, m³ a day.
        own["use_l_day"] = metered.measured.value * 1000
    return written_down | own | _glycol(system, findings)


def _glycol(system: System, findings: Mapping[str, Finding]) -> dict[str, Any]:
    """Return which glycol is in a loop and how much, as far as it was found or is written down."""
    found = findings.get("glycol")
    words = f"{found.parameter if found else ''} {system.facts.get('antifreeze') or ''}".lower()
    which = next((each for each in _GLYCOLS if each in words), None)
    if which is None and "glycol" not in system.holds:
        return {}
    percent = _PERCENT.search(words)
    facts: dict[str, Any] = {"glycol": which or "unknown"}
    share = float(percent[1].replace(",", ".")) if percent else None
    return facts | {"glycol_percent": share if share is not None and share <= _ALL else None}


def _make_up(system: System, findings: Mapping[str, Finding]) -> dict[str, dict[str, float]]:
    """Return what the make-up water holds, in the unit of what was found of it; of hardness as CaCO3."""
    brought = {name: system.makeup_of(each) for name, each in findings.items()}
    hardness = system.supply.get("total hardness")
    if hardness is not None and brought.get("hardness") is None:
        brought["hardness"] = hardness.converted("mg/L", "CaCO3").spread
    known = {name: each for name, each in brought.items() if each is not None}
    return {
        "make_up": {name: max(each.value, 0.0) for name, each in known.items()},
        "make_up_off": {name: (each.high or each.value) - each.value for name, each in known.items()},
    }


def _finding(name: str, finding: Finding) -> dict[str, Any]:
    measured = finding.measured
    value = max(measured.value, 0.0) if not parameter(finding.parameter).may_be_negative else measured.value
    return {
        "parameter": name, "value": value, "unit": finding.unit, "as": finding.form,
        "low": min(measured.low, value), "high": None if measured.high is None else max(measured.high, value),
    }  # fmt: skip


def _band(name: str, finding: Finding) -> dict[str, Any]:
    return {
        "parameter": name, "least": finding.least, "most": finding.most, "unit": finding.unit, "as": finding.form,
        "aim": finding.chosen_aim,
    }  # fmt: skip


def _speaks_of(product: Product, findings: Mapping[str, Finding]) -> bool:
    """Whether a product's strength can be told in the unit of what was found of its parameter."""
    return product.does not in (RAISES, LOWERS) or _step(product, findings) is not None


def _step(product: Product, findings: Mapping[str, Finding]) -> tuple[float, str, str | None] | None:
    """Return by how much 1 L (kg) in 1 m³ changes a level, in the unit and form of what was found of it."""
    names = parameter(product.parameter)
    found = next((each for each in findings.values() if parameter(each.parameter).key == names.key), None)
    unit, form = (found.unit, found.form) if found else product.strength_unit
    try:
        by = product.changes(unit, form)
    except CannotCompute:
        return None
    return (by, unit, form) if by > 0 else None


def _product(system: System, held: Held, findings: Mapping[str, Finding]) -> dict[str, Any]:
    product = held.product
    data: dict[str, Any] = {
        "name": product.name, _DOES[product.does]: _ABOUT[product.does] or product.parameter,
        "form": "" if product.liquid else "powder", "density_kg_l": product.density_kg_l,
        "hours_between": product.hours_between, "holds": [_HOLDS.get(each, each) for each in product.holds],
        "approved_for_drinking": product.approved_for_drinking, "stabilised": _STABILISED in product.holds,
        "refused": refused_in(system, product), "contact_h": product.contact_hours,
        "stock_l" if product.liquid else "stock_kg": held.left,
        "most_l_m3_at_once" if product.liquid else "most_kg_m3_at_once": product.most_per_m3,
    }  # fmt: skip
    step = _step(product, findings) if product.does in (RAISES, LOWERS) else None
    if step is None:
        label = product.label_per_m3
        data["label_l_m3" if product.liquid else "label_kg_m3"] = None if label is None else (label, label)
        return data
    by, unit, form = step
    if product.active_percent is not None and product.does == RAISES:
        data |= {"active_percent": product.active_percent, "as": product.active_form}
    else:
        data |= {"raises_mg_l_per_l_m3": by, "step_unit": unit, "as": form}
    return data | {"most_level": product.most_in(unit, form) if "step_unit" in data else product.most_level}


def refused_in(system: System, product: Product) -> str:
    """Say why a product must not go into a system; nothing where it may.

    Into water that people drink only what is approved for it goes, and never a stabilised chlorine: its cyanuric acid
    stays, and holds the chlorine back (WHO Guidelines, chemical fact sheet on sodium dichloroisocyanurate).
    """
    if system.water == "drinking" and _STABILISED in product.holds:
        return f"{product.name} is a stabilised chlorine: none of it goes into water that people drink."
    if system.water == "drinking" and not product.approved_for_drinking:
        return f"The label of {product.name} is not ticked as approved for drinking water: look at it under Products."
    return refusal(product.name, product.holds, system.holds)
