"""Filters: when one is backwashed or changed, by its pressure drop and by its days."""

from __future__ import annotations

from kessa.core.proposing.levels import Out
from kessa.core.proposing.plan import Plan
from kessa.core.proposing.request import Request

DROP = "filter pressure drop"
# Of its pressure drop when clean a filter that is whole keeps more than this part.
_WHOLE = 0.5
# Clogged before this part of its days, what comes to it has changed.
_TOO_SOON = 0.5


def treat_filter(plan: Plan, request: Request, outs: list[Out]) -> None:
    """Propose to backwash or change a filter, and to look where it clogs too soon or lets everything through."""
    system, drop = request.system, request.found(DROP)
    before = request.last("backwash")
    since = before.days_ago if before else None
    most, clean = system.drop_most_bar, system.drop_clean_bar
    is_clogged = any(each.name == DROP and each.side == "high" for each in outs) or (
        drop is not None and most is not None and drop.value >= most
    )
    is_due = since is not None and system.backwash_days is not None and since >= system.backwash_days
    if is_clogged or is_due:
        if since is not None and system.backwash_days and is_clogged and since < _TOO_SOON * system.backwash_days:
            plan.say("clogs-too-soon")
            plan.figure("days-since-backwash", since)
        if since is not None and system.backwash_days and is_due:
            plan.say("backwash-due")
            plan.figure("due-days-ago", since - system.backwash_days)
        plan.step("backwash", amount=system.backwash_l, unit="L" if system.backwash_l else "", parameter=DROP)
    elif drop is not None and clean and drop.value < _WHOLE * clean:
        plan.step("ask", parameter=DROP, why="less than when it is clean: its bypass is open, or it is broken or empty")
    for out in outs:
        if out.name != DROP:
            plan.step("ask", parameter=out.name)
