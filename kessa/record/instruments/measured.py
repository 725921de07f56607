"""What instruments measure: the in-place readings of visits, and what is read on the bench."""

from typing import NamedTuple

from kessa.core.job.circumstances import IN_PLACE, scales


class Measured(NamedTuple):
    """Something an instrument measures, and the unit of its display."""

    label: str
    unit: str


_ON_THE_BENCH = {
    "photometer": Measured("Concentration, by photometer", "mg/L"),
    "sensor-meter": Measured("Chlorine dioxide and its kin, by sensor", "mg/L"),
    "ph": Measured("pH", "pH"),
    "turbidity": Measured("Turbidity", "NTU"),
    "oxygen": Measured("Dissolved oxygen, by meter", "mg/L"),
    "weight": Measured("Weight, by a balance", "g"),
    "refractometer": Measured("Salinity, by refraction", "ppt"),
}


def measured_by_instruments() -> dict[str, Measured]:
    """Return what instruments measure, by the key by which scales and methods ask for it."""
    in_place = {scale.key: Measured(scale.label, scale.unit) for scale in scales().values() if scale.group == IN_PLACE}
    return in_place | _ON_THE_BENCH
