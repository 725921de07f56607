"""Findings against their bands: on which side they lie, and where to bring them."""

from __future__ import annotations

from typing import Literal, NamedTuple

from kessa.core.errors import CannotCompute
from kessa.core.proposing.request import Band, Finding, Level, Request
from kessa.core.quantities.units import UNITS, convert
from kessa.core.treating.aims import aim_above, aim_below

Side = Literal["low", "high"]
# What comes to a boiler: by these what was found in it is called.
STREAMS = ("condensate", "feed")
# So far inside the only edge of a band of temperature.
_DEGREES = {"degC": 1.5, "degF": 2.7, "K": 1.5}


# What water that goes does not take along in its own share: a pH, a warmth, what sits on walls, what lives in it.
_NOT_WASHED = ("pH", "turbidity", "iron", "copper", "bacteria", "legionella", "feed oxygen", "glycol")


def washes_out(name: str) -> bool:
    """Whether bleeding or draining brings a level down by as much as water goes."""
    return (
        name not in _NOT_WASHED
        and not is_of_stream(name)
        and not any(word in name for word in ("temperature", "index", "point", "clarity"))
    )


def is_of_stream(name: str) -> bool:
    """Whether it was found in what comes to a boiler, and not in the boiler's own water."""
    return name.startswith(tuple(f"{each} " for each in STREAMS))


class Out(NamedTuple):
    """A finding outside of its band; value and edges in the band's unit and form."""

    finding: Finding
    band: Band
    side: Side
    value: float
    aim: float

    @property
    def name(self) -> str:
        """By what the parameter is known here."""
        return self.band.name

    @property
    def edge(self) -> float:
        """The edge of the band that is nearest."""
        edge = self.band.least if self.side == "low" else self.band.most
        assert edge is not None
        return edge

    @property
    def off(self) -> float:
        """How far the truth may lie from the value, in the band's unit."""
        return abs(in_terms_of(self.finding.value + self.finding.off, self.finding, self.band) - self.value)

    @property
    def has_way_to_go(self) -> bool:
        """Whether it lies away from its aim: a mean may be outside while the last reading is not."""
        return self.value > self.aim if self.side == "high" else self.value < self.aim


def in_terms_of(value: float, given: Level, wanted: Level) -> float:
    """Return a value in the unit and form of another level; raises CannotCompute on `unit` where that cannot be."""
    if (given.unit, given.form) == (wanted.unit, wanted.form):
        return value
    if given.unit in UNITS and wanted.unit in UNITS:
        try:
            return convert(value, given.unit, given.form, wanted.unit, wanted.form)
        except CannotCompute as fault:
            raise CannotCompute(fault.message, "unit") from None
    if given.unit.lower() == wanted.unit.lower() and given.form == wanted.form:
        return value
    raise CannotCompute(f"{given.parameter} is given in {given.unit} and wanted in {wanted.unit}.", "unit")


def outside(request: Request) -> list[Out]:
    """Return the findings that lie outside of their bands, in the order of the findings."""
    found = ((finding, request.band(finding.name)) for finding in request.findings)
    held = (held_against(finding, band) for finding, band in found if band is not None)
    return [each for each in held if each is not None]


def held_against(finding: Finding, band: Band, side: Side | None = None) -> Out | None:
    """Return a finding against its band; None where it lies inside, unless whoever asks says on which side it is."""
    value = in_terms_of(finding.value, finding, band)
    if side is None and band.most is not None and value > band.most:
        side = "high"
    elif side is None and band.least is not None and value < band.least:
        side = "low"
    if side is None:
        return None
    out = Out(finding, band, side, value, value)
    return out._replace(aim=_aim(band, side, out.off))


def _aim(band: Band, side: Side, off: float) -> float:
    """Return where to bring what lies on a side of a band; a part of a temperature says nothing, degrees do."""
    if band.aim is not None:
        return band.aim
    if side == "high":
        assert band.most is not None
        inside = _DEGREES.get(band.unit) if band.least is None else None
        return band.most - max(inside, off) if inside else aim_below(band.most, band.least, off)
    assert band.least is not None
    inside = _DEGREES.get(band.unit) if band.most is None else None
    return band.least + max(inside, off) if inside else aim_above(band.least, band.most, off)
