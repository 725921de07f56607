"""What treating a system starts from, and what it comes to: findings, the system, proposals."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal, NamedTuple

from kessa.core.job.place_kinds import Water
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.quantity import Quantity
from kessa.core.quantities.spread import Spread, exactly
from kessa.core.quantities.units import convert, usual_unit
from kessa.core.treating.amounts import Kept
from kessa.core.treating.dosing import settles_at
from kessa.core.treating.products import Product

Side = Literal["high", "low", "present", ""]


class Finding(NamedTuple):
    """What was found of a parameter, in the unit and form of the limit that decides; `side` is on which side of it.

    `side` is "" where it is inside, "present" where something was found that should not be there. `words` are the
    limit's own for what to do.
    """

    parameter: str
    measured: Spread
    unit: str
    form: str | None
    side: Side
    least: float | None = None
    most: float | None = None
    words: str = ""
    result: Any = None
    chosen_aim: float | None = None

    def usual(self) -> Finding:
        """Return it in the unit in which balances are reckoned, as what feeds a system and what was before are."""
        unit, form = usual_unit(self.unit, self.form)
        if (unit, form) == (self.unit, self.form):
            return self

        def there(number: float | None) -> Any:
            return None if number is None else convert(max(number, 0.0), self.unit, self.form, unit, form)

        ends = {name: there(getattr(self, name)) for name in ("least", "most", "chosen_aim")}
        return self._replace(measured=Spread(*map(there, self.measured)), unit=unit, form=form, **ends)


class Held(NamedTuple):
    """A product that a team has: its key with them, and how much is left of it (L or kg; None where nobody counts)."""

    key: Any
    product: Product
    left: float | None = None


class System(NamedTuple):
    """A system as treating it needs to know it; None is what nobody has written down.

    Volumes in L. `supply` is what was last found in the water that feeds it, by parameter. `holds` is what is in it or
    what it is made of, by the names of mixing.toml, each with where that is known from. `facts` are others that are
    written down, and `history` what was done and found before, as kessa.core.proposing.request names them.
    """

    kind: str
    water: Water
    volume: Spread | None = None
    bleed_l_min: float | None = None
    evaporation_l_h: float | None = None
    steam_kg_h: float | None = None
    flow_l_h: float | None = None
    supply: Mapping[str, Quantity] = {}
    holds: Mapping[str, str] = {}
    products: tuple[Held, ...] = ()
    facts: Mapping[str, Any] = {}
    history: tuple[Mapping[str, Any], ...] = ()

    @property
    def steams_off(self) -> float:
        """How much that leaves it as steam or vapour is made up while its valve bleeds, L/h; 0 where it is not known.

        Of water that boils away about a kilogram is a litre; what comes back as condensate brings no salt.
        """
        if not self.bleed_l_min:
            return 0.0
        returned = (self.facts.get("condensate_return_percent") or 0.0) / 100
        return self.evaporation_l_h or (self.steam_kg_h or 0.0) * (1 - returned)

    def settles_at(self, makeup: float) -> float:
        """Return at which level it settles when its valve bleeds for ever: what steams off is made up, too."""
        return settles_at(makeup, 60 * (self.bleed_l_min or 1.0), self.steams_off)

    def makeup_of(self, finding: Finding) -> Spread | None:
        """Return what the supply brings of a parameter, in the finding's unit; None where nobody tested it."""
        name = parameter(finding.parameter).key
        if name == "cycles of concentration":
            return exactly(1.0)
        found = self.supply.get(name)
        return None if found is None else found.converted(finding.unit, finding.form or found.form).spread


class Step(NamedTuple):
    """A step of a list that is ticked off; `within_hours` of the finding, where a rule or good sense says so."""

    key: str
    text: str
    within_hours: float | None = None


class Proposal(NamedTuple):
    """Something to do, worked out.

    In its title `{amount}` and `{portion}` stand for amounts, in `kept`, and `{rate}` for what a valve lets out.
    `rank` 0 is the gravest. `position` is its turn at the place. `aim` is in `unit` as `form`. `missing` says which
    numbers are not known and how to get them, `refused` why it must not be done. `results` are those that it rests on.
    """

    key: str
    by: str
    rank: int
    position: int
    title: str
    why: str = ""
    working: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()
    parameter: str = ""
    unit: str = ""
    form: str | None = None
    aim: float | None = None
    amount: Spread | None = None
    kept: Kept = "L"
    portions: int = 1
    rate_l_min: float | None = None
    hours_between: float = 0.0
    product: Any = None
    missing: tuple[str, ...] = ()
    refused: str = ""
    again_hours: float | None = None
    steps: tuple[Step, ...] = ()
    # Since how many days it is due, where that follows from no result.
    due_days_ago: float | None = None
    results: tuple[Any, ...] = ()
