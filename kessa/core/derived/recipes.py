"""What follows from a visit's readings by itself: which readings each needs, and its interval from theirs."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import NamedTuple

from kessa.core.derived.alkalinity import parts_of_alkalinity
from kessa.core.derived.ammonia import unionised_ammonia
from kessa.core.derived.cycles import cycles_of_concentration
from kessa.core.derived.loads import load_kg_day
from kessa.core.derived.oxygen import oxygen_percent, pressure_at
from kessa.core.derived.scaling import Indices, scaling_indices
from kessa.core.errors import CannotCompute, finite
from kessa.core.judging.judge import at_most
from kessa.core.quantities.quantity import Quantity, plain
from kessa.core.quantities.spread import Shared, Spread, propagated
from kessa.core.quantities.units import sign

# What is not a parameter of the sample: the place's height, the supply's reading, the meter before and the days since.
HEIGHT, SUPPLY, BEFORE, DAYS = "height of the place", "supply: ", "make-up meter before", "days since"
METER, FLOW = "make-up meter", "measured flow"
FILTER_DROP, EXCHANGER_DROP = "pressure drop over the filter", "pressure drop over the heat exchanger"
TANK, TANK_BEFORE, TANK_DAYS = "litres in the tank", "litres in the tank before", "days since the tank was read"
# What is read on a visit, and not in a sample: what follows from it follows once a visit.
OF_VISITS = (METER, FILTER_DROP, EXCHANGER_DROP, TANK)
# Salts weigh about so much (mg/L) for each µS/cm: between these in natural waters (Standard Methods 2510 A).
_SALTS = ((0.55, 0.65, 0.75),)
# Of what a count is good to so much is its bottle's: how large its drops are, how strong its titrant.
_OF_BOTTLE = 0.75


class Need(NamedTuple):
    """A reading that is needed: its name (a parameter, or one of the names above), its unit and form."""

    name: str
    unit: str
    form: str | None = None


class Recipe(NamedTuple):
    """Something derived: `of` gives it from the needed numbers, in their order.

    `roughly` are numbers of our own that follow them, each by its least, likely and most; `part_of` names the needs of
    which the first is part of the second, by their places. Only `kinds` of place and kinds of `waters` have it, all
    where none is named.
    """

    key: str
    parameter: str
    unit: str
    form: str | None
    needs: tuple[Need, ...]
    of: Callable[..., float]
    source: str
    kinds: tuple[str, ...] = ()
    roughly: tuple[tuple[float, float, float], ...] = ()
    part_of: tuple[int, int] | None = None
    waters: tuple[str, ...] = ()

    def holds_at(self, kind: str, water: str) -> bool:
        """Whether it is derived at a kind of place with such water."""
        return not (self.kinds or self.waters) or kind in self.kinds or water in self.waters


class Derived(NamedTuple):
    """What a recipe came to, and how."""

    quantity: Quantity
    working: tuple[str, ...]


def _oxygen(found: float, temperature: float, height: float) -> float:
    return oxygen_percent(max(found, 0.0), temperature, 0.0, pressure_at(height))


def _share(name: str) -> Callable[[float, float], float]:
    def of(p: float, total: float) -> float:
        # Where both are in doubt P may seem to lie above the total.
        return float(getattr(parts_of_alkalinity(min(max(p, 0.0), total), total), name))

    return of


def _index(name: str) -> Callable[..., float]:
    def of(ph: float, warmth: float, calcium: float, alkalinity: float, conductivity: float, salts: float) -> float:
        found: Indices = scaling_indices(ph, warmth, calcium, alkalinity, salts * conductivity)
        return float(getattr(found, name))

    return of


def _make_up(now: float, before: float, days: float) -> float:
    if now < before:
        raise CannotCompute("The meter shows less than before: it was changed, or a digit slipped.", METER)
    return (now - before) / days


def _as_read(read: float) -> float:
    return read


def _fed(now: float, before: float, days: float) -> float:
    if now > before:
        raise CannotCompute("More is in the tank than before: it was filled up in between.", TANK)
    return (before - now) / days


def _ratio_of_law(nitrate: float, nitrite: float) -> float:
    return nitrate / 50 + nitrite / 3


_PH, _WARMTH = Need("pH", "pH"), Need("temperature", "degC")
_NITRATE, _NITRITE = Need("nitrate", "mg/L", "N"), Need("nitrite", "mg/L", "N")
_OXYGEN = Need("dissolved oxygen", "mg/L", "O2")
_ALKALINITY, _P = Need("alkalinity", "mg/L", "CaCO3"), Need("P alkalinity", "mg/L", "CaCO3")
_CHLORIDE, _CONDUCTIVITY = Need("chloride", "mg/L", "Cl"), Need("conductivity", "uS/cm")
_INDEX_NEEDS = (_PH, _WARMTH, Need("calcium hardness", "mg/L", "CaCO3"), _ALKALINITY, _CONDUCTIVITY)
_CONCENTRATING = ("cooling-tower", "boiler")
_SCALING = ("cooling-tower", "supply", "well", "tap", "heating-loop", "closed-loop")
_CLASSICAL = "the classical five cases of alkalinity"


def _of_supply(need: Need) -> Need:
    return need._replace(name=SUPPLY + need.name)


RECIPES: tuple[Recipe, ...] = (
    Recipe(
        "oxygen-saturation", "oxygen saturation", "%", None, (_OXYGEN, _WARMTH, Need(HEIGHT, "m")), _oxygen,
        "Benson and Krause (1984), by the pressure usual at that height, for fresh water",
    ),
    Recipe(
        "unionised-ammonia", "un-ionised ammonia", "mg/L", "NH3", (Need("ammonia", "mg/L", "N"), _PH, _WARMTH),
        lambda total, ph, temperature: unionised_ammonia(max(total, 0.0), ph, temperature)[1],
        "Emerson et al. (1975), for fresh water",
    ),
    Recipe(
        "hydroxide", "hydroxide alkalinity", "mg/L", "CaCO3", (_P, _ALKALINITY), _share("hydroxide"), _CLASSICAL,
        part_of=(0, 1),
    ),
    Recipe(
        "carbonate", "carbonate alkalinity", "mg/L", "CaCO3", (_P, _ALKALINITY), _share("carbonate"), _CLASSICAL,
        part_of=(0, 1),
    ),
    Recipe(
        "bicarbonate", "bicarbonate alkalinity", "mg/L", "CaCO3", (_P, _ALKALINITY), _share("bicarbonate"), _CLASSICAL,
        part_of=(0, 1),
    ),
    Recipe(
        "combined-chlorine", "combined chlorine", "mg/L", "Cl2",
        (Need("total chlorine", "mg/L", "Cl2"), Need("free chlorine", "mg/L", "Cl2")),
        lambda total, free: max(total - free, 0.0), "what is not free of the total", part_of=(1, 0),
    ),
    Recipe(
        "nitrogen-sum", "nitrate and nitrite sum", "mg/L", "N", (_NITRATE, _NITRITE),
        lambda nitrate, nitrite: nitrate + nitrite, "both as nitrogen",
    ),
    Recipe(
        "nitrogen-ratio", "nitrate and nitrite sum", "ratio", None,
        (Need("nitrate", "mg/L", "NO3"), Need("nitrite", "mg/L", "NO2")), _ratio_of_law,
        "NO3/50 + NO2/3, as Directive (EU) 2020/2184 and the WHO sum them", ("well", "tap", "supply"),
        waters=("drinking",),
    ),
    Recipe(
        "cycles-by-chloride", "cycles of concentration", "cycles", None, (_CHLORIDE, _of_supply(_CHLORIDE)),
        cycles_of_concentration, "chloride of the system over that of its supply", _CONCENTRATING,
    ),
    Recipe(
        "cycles-by-conductivity", "cycles of concentration", "cycles", None, (_CONDUCTIVITY, _of_supply(_CONDUCTIVITY)),
        cycles_of_concentration, "conductivity of the system over that of its supply", _CONCENTRATING,
    ),
    Recipe(
        "langelier", "Langelier index", "index", None, _INDEX_NEEDS, _index("langelier"),
        "Langelier (1936); salts taken as 0.65 mg/L for each µS/cm, between 0.55 and 0.75", _SCALING, _SALTS,
    ),
    Recipe(
        "ryznar", "Ryznar index", "index", None, _INDEX_NEEDS, _index("ryznar"),
        "Ryznar (1944); salts taken as 0.65 mg/L for each µS/cm, between 0.55 and 0.75", _SCALING, _SALTS,
    ),
    Recipe(
        "make-up", "make-up a day", "m³/day", None, (Need(METER, "m³"), Need(BEFORE, "m³"), Need(DAYS, "days")),
        _make_up, "what ran through its meter, by the days between",
    ),
    Recipe(
        "filter-drop", "filter pressure drop", "bar", None, (Need(FILTER_DROP, "bar"),),
        _as_read, "read before and behind the filter",
    ),
    Recipe(
        "exchanger-drop", "exchanger pressure drop", "bar", None, (Need(EXCHANGER_DROP, "bar"),),
        _as_read, "read before and behind the heat exchanger",
    ),
    Recipe("tank-level", "tank level", "L", None, (Need(TANK, "L"),), _as_read, "read at the tank"),
    Recipe(
        "fed", "fed a day", "L/day", None, (Need(TANK, "L"), Need(TANK_BEFORE, "L"), Need(TANK_DAYS, "days")),
        _fed, "what left its tank, by the days between",
    ),
    Recipe(
        "chloride-load", "chloride load", "kg/day", None, (_CHLORIDE, Need(FLOW, "L/s")),
        lambda value, flow: load_kg_day(max(value, 0.0), flow), "concentration times flow", ("stream",),
    ),
)  # fmt: skip


def lacking(recipe: Recipe, given: Mapping[str, Quantity]) -> list[str]:
    """Return the readings that a recipe needs and that are not there."""
    return [need.name for need in recipe.needs if need.name not in given]


def derive(recipe: Recipe, given: Mapping[str, Quantity], one_bottle: Mapping[str, float] | None = None) -> Derived:
    """Return what a recipe comes to from readings by name; raises CannotCompute where they say nothing together.

    The interval is what 95 of 100 truths leave that lie in the readings' own (propagation of distributions, JCGM 101).
    `one_bottle` are the readings counted with the same bottle, each with the percent to which its method is good: most
    of that is the bottle's, and the same in all of them.
    Of a reading that is under its bound half is taken; of one that is above it nothing follows.
    """
    taken = [given[need.name].converted(need.unit, need.form or given[need.name].form) for need in recipe.needs]
    over = next((each for each in taken if each.censor == ">" or each.high is None), None)
    if over is not None:
        raise CannotCompute("A reading is over its range: nothing follows from it.", "value")
    values = tuple(each.value / 2 if each.censor == "<" else each.value for each in taken)
    if recipe.part_of:
        part, whole = recipe.part_of
        if not at_most(taken[part].low, taken[whole].high or 0.0):
            words = f"{recipe.needs[part].name} lies above {recipe.needs[whole].name}"
            raise CannotCompute(f"{words}, of which it is part: one of the two slipped.", "value")
    value = finite(recipe.of(*values, *(likely for _, likely, _ in recipe.roughly)), "value")
    measured = [Spread(likely, each.low, each.high) for likely, each in zip(values, taken, strict=True)]
    ours = [Spread(likely, least, most) for least, likely, most in recipe.roughly]
    places = frozenset(place for place, need in enumerate(recipe.needs) if need.name in (one_bottle or {}))
    shared = Shared(places, _OF_BOTTLE * min(one_bottle.values())) if one_bottle and len(places) > 1 else None
    low, high = propagated(lambda *drawn: finite(recipe.of(*drawn), "value"), value, *measured, *ours, shared=shared)
    quantity = Quantity(value, low, high, None, recipe.unit, recipe.form)
    words = ", ".join(_said(need, each) for need, each in zip(recipe.needs, taken, strict=True))
    bottle = (
        (f"counted with one bottle: {plain(shared.percent)} % of their errors are common to both",) if shared else ()
    )
    unit = f" {sign(recipe.unit)}" if sign(recipe.unit) not in ("", "index", "ratio") else ""
    form = f" as {recipe.form}" if recipe.form else ""
    return Derived(
        quantity,
        (
            f"from {words}",
            f"{recipe.source}: {plain(value)}{unit}{form}",
            *bottle,
            f"truth between {plain(low)} and {plain(high)}{unit}, as the readings' own intervals leave it 19 times in "
            "20",
        ),
    )


def _said(need: Need, quantity: Quantity) -> str:
    form = f" as {need.form}" if need.form else ""
    return f"{need.name} {quantity.censor or ''}{plain(quantity.value)} {sign(need.unit)}{form}".replace(
        "  ", " "
    ).strip()
