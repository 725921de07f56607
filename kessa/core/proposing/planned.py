"""A plan for a place's system with all that it was made from, and how much each of its steps may take."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from kessa.core.errors import CannotCompute
from kessa.core.proposing.asking import request_of
from kessa.core.proposing.drinking import GERMS
from kessa.core.proposing.levels import Out, held_against
from kessa.core.proposing.plan import Plan, Step
from kessa.core.proposing.propose import plan_for
from kessa.core.proposing.request import CYCLES, Product, Request, called
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.spread import Spread, exactly, spread
from kessa.core.treating.amounts import Kept, written
from kessa.core.treating.systems import Finding, Held, System

# By what something is seen that nobody tested itself.
_SEEN_BY = {
    "bacteria": ("bacteria", "nitrite"),
    "legionella": ("legionella", "bacteria"),
    "glycol": ("glycol", "freezing point"),
}


class Planned(NamedTuple):
    """A plan with all that it was made from."""

    system: System
    findings: dict[str, Finding]
    request: Request
    outs: list[Out]
    plan: Plan

    def asking(self, step: Step) -> list[Finding]:
        """Return the findings that ask for a step: the first of all where it names none of them."""
        names = _SEEN_BY.get(step.parameter) or (GERMS if step.parameter in GERMS else (step.parameter, *step.also))
        own = [self.findings[name] for name in names if name in self.findings]
        if step.parameter in GERMS:
            own = [each for each in own if each.side] or own
        return own or [each for each in self.findings.values() if each.side][:1] or list(self.findings.values())[:1]

    def out(self, name: str) -> Out | None:
        """Return what is outside of a parameter."""
        return next((each for each in self.outs if each.name == name), None)

    def product(self, name: str) -> Product | None:
        """Return a product as the plan was asked with it, by its name."""
        return next((each for each in self.request.products if each.name == name), None)

    def held(self, name: str) -> Held | None:
        """Return a product of the team by its name."""
        return next((each for each in self.system.products if each.product.name == name), None)


def planned_for(system: System, findings: Sequence[Finding]) -> Planned:
    """Return the plan for a system; of findings of one parameter the first counts.

    Raises CannotCompute on what is written down and cannot be.
    """
    by_name: dict[str, Finding] = {}
    for each in findings:
        by_name.setdefault(called(parameter(each.parameter).key), each.usual())
    request = request_of(system, by_name)
    outs = []
    for name, each in by_name.items():
        found, band = request.found(name), request.band(name)
        edge = {"high": each.most, "low": each.least}.get(each.side)
        if edge is not None and found is not None and band is not None:
            out = held_against(found, band, "high" if each.side == "high" else "low")
            outs += [out] if out and out.has_way_to_go else []
    return Planned(system, by_name, request, outs, plan_for(request, outs))


def amount_between(planned: Planned, step: Step) -> Spread | None:
    """Return how much a step takes, and the ends that it has where readings, volume and make-up have theirs."""
    value = step.amount if step.needed is None else step.needed
    if value is None:
        return None
    name, request = step.parameter, planned.request
    out, finding = planned.out(name), planned.findings.get(name)
    fed = planned.system.makeup_of(finding) if finding and name != CYCLES else None
    given = {
        "volume": planned.system.volume if request.system.volume_l is not None else None,
        "level": _from_zero(finding.measured) if finding and out else None,
        "make-up": fed if name in request.make_up else None,
    }
    unsure = {key: each for key, each in given.items() if each is not None and each.low != each.high}

    def at(*numbers: float) -> float:
        there = dict(zip(unsure, numbers, strict=True))
        plan = plan_for(*_varied(planned, name, there))
        alike = (step.do, step.product, step.unit)
        like = next((each for each in plan.steps if (each.do, each.product, each.unit) == alike), None)
        if like is None or like.amount is None:
            raise CannotCompute("Nothing is proposed there.", "system")
        return like.amount if like.needed is None else like.needed

    ends = spread(at, *unsure.values()) if unsure else exactly(value)
    return Spread(value, min(ends.low, value), None if ends.high is None else max(ends.high, value))


def _varied(planned: Planned, name: str, there: dict[str, float]) -> tuple[Request, list[Out]]:
    """Return what a plan follows from, with other numbers where they are in doubt."""
    request, outs = planned.request, planned.outs
    if "volume" in there:
        facts = request.system.model_copy(update={"volume_l": there["volume"], "volume_off_percent": 0.0})
        request = request.model_copy(update={"system": facts})
    if "make-up" in there:
        request = request.model_copy(update={"make_up": {**request.make_up, name: there["make-up"]}})
    if "level" in there:
        outs = [each._replace(value=_beyond(each, there["level"])) if each.name == name else each for each in outs]
    return request, outs


def _beyond(out: Out, value: float) -> float:
    """Return a level that is no further than the aim: from there on nothing is done."""
    return max(value, out.aim) if out.side == "high" else min(value, out.aim)


def _from_zero(measured: Spread) -> Spread:
    """A level is not below nothing, though its interval may reach there."""
    return Spread(max(measured.value, 0.0), max(measured.low, 0.0), measured.high)


def likely(amount: Spread, kept: Kept) -> list[str]:
    """Say between which amounts the right one lies; nothing where it is not in doubt."""
    if amount.high is None:
        return [f"likely {written(amount.low, kept)} or more"]
    if amount.high <= amount.low * (1 + 1e-9):
        return []
    ends = f"{written(amount.low, kept)} to {written(amount.high, kept)}"
    return [f"likely {ends}: the numbers it follows from are not exact"]
