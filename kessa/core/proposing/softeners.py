"""Softeners: how long one lasts, and whether it lasted as long as it should."""

from __future__ import annotations

from kessa.core.proposing.levels import Out
from kessa.core.proposing.plan import Plan
from kessa.core.proposing.request import DAYS_A_MONTH, Request
from kessa.core.quantities.units import convert

# Iron takes up a softener like so much hardness: 3 to 5 grains a gallon for each mg/L (softener practice), mg/L CaCO3.
_IRON_GPG = 4.0
# Exhausted before this part of its days, something else is wrong.
_TOO_SOON = 0.7


def treat_softener(plan: Plan, request: Request, outs: list[Out]) -> None:
    """Propose to regenerate what is exhausted, with how much salt, and to look where it is exhausted too soon."""
    days = _days_between(plan, request)
    since = next((each.days_ago for each in reversed(request.history) if each.done.startswith("regenerat")), None)
    hard = [each for each in outs if each.side == "high" and "hardness" in each.name]
    is_due = days is not None and since is not None and since >= days
    if not hard and not is_due:
        return
    if hard and request.supplied("hardness") == 0:
        why = "its raw water holds none by its test, so this cannot be: test both again"
        plan.step("ask", parameter=hard[0].name, why=why)
        return
    if days is not None and since is not None and is_due:
        plan.say("due")
        plan.figure("due-days-ago", since - days)
    system = request.system
    salt_kg = (
        system.salt_g_per_l_resin * system.resin_l / 1000 if system.salt_g_per_l_resin and system.resin_l else None
    )
    about = hard[0].name if hard else "hardness"
    plan.step("regenerate", amount=salt_kg, unit="kg" if salt_kg is not None else "", parameter=about)
    if hard:
        plan.step("retest", parameter=hard[0].name)
    if hard and days is not None and since is not None and since < _TOO_SOON * days:
        plan.say("too-soon")
        plan.step("ask", parameter=hard[0].name, why="salt, bypass, valve, iron on the resin, or more is used")


def _days_between(plan: Plan, request: Request) -> float | None:
    """Return how many days a softener lasts: its capacity over what its water brings a day."""
    system = request.system
    capacity = system.capacity_g_caco3
    if capacity is None and system.capacity_g_caco3_per_l and system.resin_l:
        capacity = system.capacity_g_caco3_per_l * system.resin_l
    a_day = system.use_l_day or (system.make_up_l_month / DAYS_A_MONTH if system.make_up_l_month else None)
    hardness = request.supplied("hardness")
    if capacity is None or hardness is None:
        return None
    metals = (request.supplied("iron") or 0.0) + 2 * (request.supplied("manganese") or 0.0)
    iron = metals * convert(_IRON_GPG, "gpg", None, "mg/L", "CaCO3")
    taken = hardness + iron - system.blend_to_mg_l_caco3
    if taken <= 0:
        return None
    litres = capacity / taken * 1000
    plan.figure("litres-between", litres)
    if not a_day:
        return None
    plan.figure("days-between", litres / a_day)
    return litres / a_day
