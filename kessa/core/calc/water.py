"""The ops on what the readings of a water say together, and on bringing it back: see ops."""

from __future__ import annotations

from kessa.core.calc.arguments import Answer, Arguments
from kessa.core.errors import CannotCompute


def oxygen(arguments: Arguments) -> Answer:
    """How much oxygen water holds, and what part of it is there."""
    from kessa.core.derived.oxygen import STANDARD_KPA, oxygen_percent, oxygen_saturation, pressure_at

    temperature, salinity = arguments.number("temperature_c"), arguments.number("salinity", 0.0)
    pressure, elevation = arguments.number("pressure_kpa", None), arguments.number("elevation_m", None)
    if pressure is not None and elevation is not None:
        raise CannotCompute("Give the pressure or the elevation, not both.", "elevation_m")
    if pressure is None:
        pressure = STANDARD_KPA if elevation is None else pressure_at(elevation)
    answer = {"saturation_mg_l": oxygen_saturation(temperature, salinity, pressure)}
    found = arguments.number("do_mg_l", None, least=0.0)
    return answer if found is None else answer | {"percent": oxygen_percent(found, temperature, salinity, pressure)}


def ammonia(arguments: Arguments) -> Answer:
    """The un-ionised part of ammonia."""
    from kessa.core.derived.ammonia import unionised_ammonia, unionised_fraction

    ph, temperature = arguments.number("ph"), arguments.number("temperature_c")
    as_n, as_nh3 = unionised_ammonia(arguments.number("total_as_n"), ph, temperature)
    return {"fraction": unionised_fraction(ph, temperature), "as_n": as_n, "as_nh3": as_nh3}


def aquatic(arguments: Arguments) -> Answer:
    """Criteria for life in fresh water."""
    from kessa.core.judging.aquatic import METALS, ammonia_criteria, chloride_criteria, metal_criteria

    analyte = arguments.text("analyte", choices=("ammonia", *METALS, "chloride"))
    if analyte == "ammonia":
        ph, temperature = arguments.number("ph"), arguments.number("temperature_c")
        found = ammonia_criteria(ph, temperature, salmonids=arguments.flag("salmonids", True))
    elif analyte == "chloride":
        found = chloride_criteria()
    else:
        found = metal_criteria(analyte, arguments.number("hardness"))
    answer: Answer = {"acute": found.acute, "chronic": found.chronic, "unit": found.unit, "as": found.form}
    return answer | ({"note": found.note} if found.note else {})


def alkalinity(arguments: Arguments) -> Answer:
    """What alkalinity is made of."""
    from kessa.core.derived.alkalinity import parts_of_alkalinity

    return parts_of_alkalinity(arguments.number("p"), arguments.number("total"))._asdict()


def scaling(arguments: Arguments) -> Answer:
    """Whether water lays down lime."""
    from kessa.core.derived.scaling import scaling_indices

    names = ("ph", "temperature_c", "calcium_hardness", "alkalinity", "tds")
    return scaling_indices(**{name: arguments.number(name) for name in names})._asdict()


def cycles(arguments: Arguments) -> Answer:
    """How far a tower concentrates its make-up."""
    from kessa.core.derived.cycles import cycles_of_concentration, flows_of_tower

    found = cycles_of_concentration(arguments.number("system"), arguments.number("makeup"))
    evaporation = arguments.number("evaporation", None)
    return {"cycles": found} | ({} if evaporation is None else flows_of_tower(found, evaporation)._asdict())


def boiler(arguments: Arguments) -> Answer:
    """How much a boiler has to blow down."""
    from kessa.core.derived.cycles import boiler_blowdown

    percent, cycles = boiler_blowdown(arguments.number("feed"), arguments.number("limit"))
    return {"blowdown_percent_of_feed": percent, "cycles": cycles}


def dose(arguments: Arguments) -> Answer:
    """What to add to raise a level, or to drain to lower it."""
    from kessa.core.treating.dosing import drain_to, raise_level

    volume = arguments.number("volume_l", above=0.0)
    measured, target = (arguments.number(name, least=0.0) for name in ("measured", "target"))
    active, density = arguments.number("active_percent", 100.0), arguments.number("density_kg_l", None)
    makeup = arguments.number("makeup_level", 0.0, least=0.0)
    raised = raise_level(volume, min(measured, target), target, active, density)
    drain = drain_to(volume, measured, target, makeup)
    if makeup > target:
        raise CannotCompute("The make-up holds more than the target.", "makeup_level")
    if measured > target:
        return {"drain_l": drain}
    return {name: value for name, value in raised._asdict().items() if value is not None}


def tracer(arguments: Arguments) -> Answer:
    """How much a system holds."""
    from kessa.core.treating.dosing import volume_by_tracer

    before = arguments.number("before", 0.0)
    return {"volume_l": volume_by_tracer(arguments.number("added_g"), arguments.number("after"), before)}


def bleed(arguments: Arguments) -> Answer:
    """How long to bleed."""
    from kessa.core.treating.dosing import bleed

    volume, rate, measured, target = (
        arguments.number(name) for name in ("volume_l", "rate_l_min", "measured", "target")
    )
    made_up, evaporation = (arguments.number(name, 0.0) for name in ("makeup", "evaporation_l_h"))
    return bleed(volume, rate, measured, target, made_up, evaporation)._asdict()


def load(arguments: Arguments) -> Answer:
    """How much a flow carries."""
    from kessa.core.derived.loads import load_kg_day

    return {"kg_day": load_kg_day(arguments.number("value"), arguments.number("flow_l_s"))}
