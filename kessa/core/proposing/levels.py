"""Findings against their bands: on which side they lie, and where to bring them."""

from __future__ import annotations

from typing import Literal, NamedTuple

from kessa.core.errors import CannotCompute
from kessa.core.proposing.request import Band, Finding, Level, Request
from kessa.core.quantities.units import UNITS, convert
from kessa.core.treating.aims import aim_above, aim_below

Side = Literal["low", "high"]
# So far inside the only edge of a band of temperature.
_DEGREES = {"degC": 1.5, "degF": 2.7, "K": 1.5}


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
    found = []
    for finding in request.findings:
        band = request.band(finding.name)
        if band is None:
            continue
        value = in_terms_of(finding.value, finding, band)
        off = abs(in_terms_of(finding.value + finding.off, finding, band) - value)
        if band.most is not None and value > band.most:
            found.append(Out(finding, band, "high", value, _aim(band, "high", off)))
        elif band.least is not None and value < band.least:
            found.append(Out(finding, band, "low", value, _aim(band, "low", off)))
    return found


def _aim(band: Band, side: Side, off: float) -> float:
    """Return where to bring what lies on a side of a band; a part of a temperature says nothing, degrees do."""
    if side == "high":
        assert band.most is not None
        inside = _DEGREES.get(band.unit) if band.least is None else None
        return band.most - max(inside, off) if inside else aim_below(band.most, band.least, off)
    assert band.least is not None
    inside = _DEGREES.get(band.unit) if band.most is None else None
    return band.least + max(inside, off) if inside else aim_above(band.least, band.most, off)
