"""Why a product is not put into a system, by what it holds and what the system is and holds."""

from __future__ import annotations

from collections.abc import Iterable

from kessa.core.proposing.request import Product, Request

# Bleach that was put in so lately may still be there, days; so much free chlorine is, mg/L.
_BLEACH_LASTS, _CHLORINE_THERE = 2, 0.5
# Above this sulfite breaks down to sulfur dioxide and hydrogen sulfide, bar (about 900 psi: ASME, ABMA).
_SULFITE_UNTIL_BAR = 60
# Between these aluminium keeps its skin (VDI 2035-1 asks for 8.2 to 9.0 in its water).
_ALUMINIUM_PH = (6.0, 9.0)
CLOSED = ("closed-loop", "heating-loop", "chilled-loop", "glycol-loop")


def refusals(product: Product, request: Request) -> list[str]:
    """Return why a product must not be put in, by codes; nothing where no reason is known."""
    system = request.system
    if product.refused:
        return ["must-not-go-in"]
    found = [*_near_people(product, request), *_met_there(product, request)]
    if product.raises == "sulfite" and (system.pressure_bar or 0) > _SULFITE_UNTIL_BAR:
        found.append("sulfite-decomposes")
    metals = " ".join(system.metals).lower()
    acidity = product.ph if product.ph is not None else 1.0 if product.is_acid else 13.0 if product.is_alkaline else 7.0
    if "alumin" in metals and not _ALUMINIUM_PH[0] <= acidity <= _ALUMINIUM_PH[1]:
        found.append("aluminium")
    words = " ".join((*product.holds, product.name)).lower()
    if "stainless" in metals and ("hcl" in words or "hydrochloric" in words):
        found.append("stainless-steel")
    if ("zinc" in metals or "galvani" in metals) and (product.is_acid or product.is_alkaline):
        found.append("zinc")
    return list(dict.fromkeys(found))


def _near_people(product: Product, request: Request) -> Iterable[str]:
    system = request.system
    if system.kind in CLOSED:
        # A loop is parted from what people drink by one wall: what it holds may still come through.
        if product.glycol == "ethylene" and system.feeds_people:
            yield "not-approved"
        if product.glycol and system.glycol not in (None, "unknown", product.glycol):
            yield "other-glycol"
        return
    if system.feeds_people:
        if product.stabilised:
            yield "stabilised"
        if product.approved_for_drinking is not True:
            yield "not-approved"


def _met_there(product: Product, request: Request) -> Iterable[str]:
    """What it would meet in the water."""
    lately = [each for each in request.history if each.days_ago <= _BLEACH_LASTS and each.product]
    bleach = {each.name for each in request.products if each.is_hypochlorite}
    chlorine = request.found("free chlorine")
    is_chlorinated = (chlorine is not None and chlorine.value >= _CHLORINE_THERE) or any(
        each.product in bleach or any(word in each.product.lower() for word in ("hypochlor", "bleach"))
        for each in lately
    )
    # In a loop it is the inhibitor; elsewhere it is a trace.
    holds_nitrite = request.system.kind in CLOSED and (
        request.band("nitrite") is not None or request.found("nitrite") is not None
    )
    if product.is_acid and is_chlorinated:
        yield "chlorine-gas"
    if product.is_acid and holds_nitrite:
        yield "nitrous-gas"
    if product.is_hypochlorite and holds_nitrite:
        yield "nitrite-destroyed"
    acids = {each.name for each in request.products if each.is_acid}
    if product.is_hypochlorite and any(each.product in acids or "acid" in each.product.lower() for each in lately):
        yield "chlorine-gas"
