"""What instruments say, line by line: one short class an instrument. A real device is one more."""

from kessa.core.adapters.adapter import Adapter
from kessa.core.adapters.balance import Balance
from kessa.core.adapters.conductivity import ConductivityMeter
from kessa.core.adapters.logger import TemperatureLogger
from kessa.core.adapters.oxygen import OxygenProbe
from kessa.core.adapters.ph import PhMeter
from kessa.core.adapters.photometer import Photometer

ADAPTERS: dict[str, type[Adapter]] = {
    each.key: each for each in (Photometer, ConductivityMeter, PhMeter, OxygenProbe, TemperatureLogger, Balance)
}
