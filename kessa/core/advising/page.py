"""Who is told what by when and by which rule, as a page: written from the rules, the sentences and the limits."""

from __future__ import annotations

from collections.abc import Iterable

from kessa.core.advising.rules import Code, Rule, codes, rules
from kessa.core.advising.wording import ROLES, listed
from kessa.core.judging.limits import Limit, RuleSet, germs, rule_sets
from kessa.core.judging.protected import HEALTH, PROTECTED
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.units import in_words, sign

_HEAD = """# Advice: who is told what, by when, by which rule

Written by `manage.py write_advice` from `kessa/core/advising/rules.toml`, `codes.toml` and the limits; a test holds it
to them. One function, `kessa.core.advising.advice.advise`, takes all that is newest at a place and returns what stands,
what is worst and by which limit, within how many hours the first thing must be done, and codes in the order in which
they are done. Pages, lists, reports, mail, the public page and `bin/calc` (op `advise`) speak from that answer.

Of several limits the most urgent verdict decides (outside, not settled, close, inside), then health before taste, then
how far the value lies beyond as a part of the limit. What protects health or aquatic life is held against a limit with
the whole interval, bands of treatment and taste by the value (JCGM 106:2012, ILAC-G8:09/2019).

Beyond the rules below:

- **Boiling** is asked for where E. coli or enterococci are found or undecided: one minute, three above 2,000 m. Not
  where nitrate, nitrite or their sum is above, close to or undecided at its limit (the WHO's, where none is chosen),
  and not where a metal, fluoride, chlorite or what else boiling leaves in is over a limit for health: then other water
  for everybody, and no boiling. The two never stand together.
- **Whom to tell**: the authority within a day of coliform bacteria, except at a tap or supply by 40 CFR 141 alone; of
  whatever is over a limit for health within the hours that its set names (see the limits).
- **Cloudy water with too little chlorine**: the barrier may have failed, so the authority within a day, and a
  laboratory.
- **Little free chlorine beside much total**: it is first asked whether the supply is chloraminated.
- **A doubt** about a reading (any flag) asks for another test, and takes no precaution away.
- **What drinkers were told ends by a word**: where something keeps somebody from drinking the water, a newer number
  lifts nothing. It goes on until a person ends the list, with what the authority said, or until the finding itself is
  put right or set aside. What was only undecided ends with a test that can tell.
- Words of a team's own rule set stand before all that is no precaution.

## What is asked for

| Water | Finding | What, within how many hours | Why, by which rule |
|---|---|---|---|
"""
_SAYS = """
## What each says, in the order in which they are done

| Code | What it says |
|---|---|
"""
_LIMITS = """
## Limits: what each protects, and who is told how soon

| Set | Parameter | Limit | Protects | Told |
|---|---|---|---|---|
"""


def advice_page() -> str:
    """Return the rules of advice as Markdown."""
    asked = "".join(map(_rule, rules()))
    words = "".join(map(_code, codes().values()))
    sets = (*rule_sets().values(), germs())
    limits = "".join(_limit(found, limit) for found in sets if found.role != "programme" for limit in found.limits)
    return _HEAD + asked + _SAYS + words + _LIMITS + limits


def _row(*cells: str) -> str:
    return f"| {' | '.join(each.replace('|', '/') for each in cells)} |\n"


def _rule(rule: Rule) -> str:
    about = ", ".join(rule.parameters) or "anything"
    side = f", too {rule.side}" if rule.side else ""
    narrowed = [
        "found, or nobody could tell" if rule.found else "",
        f"at {_listed(rule.kinds)}" if rule.kinds else "",
        f"by a {_listed(rule.roles)}" if rule.roles else "",
        _protecting(rule),
    ]
    verdict = "" if rule.found else f" {_listed(rule.verdicts)}"
    finding = f"{about}{verdict}{side}{''.join(f', {each}' for each in narrowed if each)}"
    what = ", ".join(f"`{code}`" + (f" {plain(hours)} h" if hours is not None else "") for code, hours in rule.asked)
    return _row(rule.water or "any", finding, what, rule.why)


def _protecting(rule: Rule) -> str:
    if set(rule.protects) == HEALTH - {"germs"}:
        return "of a limit for health"
    return (
        f"of a limit that protects {_listed(PROTECTED[each].words for each in rule.protects)}" if rule.protects else ""
    )


def _code(code: Code) -> str:
    given = [f"{each.say} (*{_listed((*each.parameters, *each.water))}*)" for each in code.instead]
    text = " / ".join([code.say, *given])
    for role, usual in ROLES.items():
        text = text.replace(f"{{{role}}}", f"*{usual}*")
    return _row(f"`{code.key}`", text)


def _limit(found: RuleSet, limit: Limit) -> str:
    form = f" as {limit.form}" if limit.form else ""
    bounds = [f"{word} {plain(bound)}" for word, bound in (("≥", limit.min), ("≤", limit.max)) if bound is not None]
    span = "none" if in_words(limit.unit) else f"{' and '.join(bounds) or limit.formula} {sign(limit.unit)}{form}"
    tell = found.tells.get(limit.tell)
    return _row(
        found.key,
        limit.parameter,
        f"{span.strip()}, {limit.statistic}",
        PROTECTED[limit.protects].words,
        tell.words if tell else "",
    )


def _listed(names: Iterable[str]) -> str:
    return listed(tuple(names), "or")
