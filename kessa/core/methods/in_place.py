"""What is read in place without a test, as a house method that reads the same would have it."""

from __future__ import annotations

from kessa.core.job.circumstances import scales
from kessa.core.methods import house_methods
from kessa.core.methods.schema import Method
from kessa.core.readings.kind import Determined

# By the keys of their scales.
READ_AS: dict[str, Method] = {scale.key: house_methods()[scale.method] for scale in scales().values() if scale.method}


def determined(key: str, display: float, unit: str = "") -> Determined:
    """Return what a display showed in place, in the scale's own unit or another, as the result of its method.

    Raises CannotCompute for what no such display shows.
    """
    return READ_AS[key].main.determine({"display": display, "display_unit": unit or None})
