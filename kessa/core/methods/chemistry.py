"""Every method of the house in a few lines for a chemist to sign: written from the method files."""

from __future__ import annotations

from kessa.core.job.waste import waste_streams
from kessa.core.methods import house_methods
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.species import FORMS
from kessa.core.quantities.units import sign

_HEAD = """# The chemistry of the house methods

Written by `manage.py write_chemistry` from the method files; a test holds it to that. Of each method: the
reaction; what a unit is worth and where that comes from; what the interval allows for; windows; what disturbs
it; hazards; waste.

An interval holds the truth nineteen times in twenty where a bottle's drops are off by 5 % (tablets 3 %),
titrant and volume by 1 % (5 % where 5 mL or less are measured by a line), an indicator needs up to 0.2 of a
unit itself (chromate up to 0.5), the eye is off by 0.35 of a step of a card (0.5 of a strip's) and a reagent
by 5 %, a photometer by 3 % (cadmium 5 %) and its zero by a third of the detection limit, a meter by 2 %,
a thermometer by 0.25 °C, a pH electrode by 0.1 (standard deviations). What several errors come to is added by
squares (JCGM 100): above a count its last unit and the bottle, of a difference both ends; what is worked out from
several readings is propagated (JCGM 101). Runs that agree have the mean of their ends.
`tests/core/test_truth.py` tries it for every method on simulated water, and how often water 20 % inside a limit
is called inside; `python -m tests.core.world` prints the shares. What a field kit does worse, no interval covers.
"""


def chemistry_page() -> str:
    """Return the methods' chemistry as Markdown."""
    return _HEAD + "".join(_method(method) for method in house_methods().values())


def _method(method: Method) -> str:
    lines = [f"\n## {method.name}\n\n{method.principle}", *(_part(method, part) for part in method.parts)]
    if windows := _windows(method):
        lines.append(f"Windows: {windows}.")
    lines.append(f"Disturbed by: {' '.join(method.interferences) or 'nothing named.'}")
    stream = f" Stream: {waste_streams()[method.waste_to].name}." if method.waste_to else ""
    lines.append(f"Hazards: {method.wear} Waste: {method.waste}{stream}\n")
    return " ".join(lines)


def _windows(method: Method) -> str:
    windows = []
    if method.ph_window:
        windows.append(f"pH {plain(method.ph_window[0])} to {plain(method.ph_window[1])}")
    if method.temperature_c:
        windows.append(f"{plain(method.temperature_c[0])} to {plain(method.temperature_c[1])} °C")
    if method.keeps_hours:
        windows.append(f"sample tested within {plain(method.keeps_hours)} h")
    return ", ".join(windows)


def _part(method: Method, part: Part) -> str:
    unit = f"{sign(part.unit)}{f' as {part.form}' if part.form else ''}"
    words = f"**{part.parameter}**, {unit}: {_worth(part)}; {_interval(part)}."
    return f"{words} Screening only." if method.screening else words


def _worth(part: Part) -> str:
    titrant = part.titrant
    if titrant is None:
        return part.kind
    if titrant.unit_meq is None:
        meq = f"{plain(titrant.drop_ml or 0.0)} mL × {plain(titrant.normality or 0.0)} N"
    else:
        meq = f"{plain(titrant.unit_meq)} meq"
    weight = FORMS[titrant.equivalent_of].molar_mass / titrant.equivalents_per_mole
    worth = f"{meq} × {plain(weight)} g/eq × 1000 / {plain(titrant.sample_ml)} mL = {plain(titrant.worth_of_a_unit())}"
    background = getattr(part.numbers, "background", 0.0)
    excess = f", {plain(background)} taken off for the indicator" if background else ""
    return f"{worth} a {part.unit_of_count if part.counted else 'mL'}{excess}"


def _interval(part: Part) -> str:
    numbers = part.numbers
    allowed = []
    if numbers.precision_percent:
        allowed.append(f"{plain(numbers.precision_percent)} %")
    if numbers.precision_abs:
        units = f" ({plain(numbers.precision_abs / part.per)} {part.unit_of_count}s' worth)" if part.counted else ""
        allowed.append(f"{plain(numbers.precision_abs)} {sign(part.unit)}{units}")
    if part.eye_steps:
        allowed.append(f"{plain(part.eye_steps)} steps of the card")
    if part.kind == "photometer":
        return f"interval ± {' and '.join(allowed)} together"
    return f"interval at least ± {' or ± '.join(allowed)}, whichever is wider" if allowed else "interval as read"
