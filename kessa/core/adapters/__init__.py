"""What instruments say, line by line: one short class an instrument, found by being here. A real device is one more."""

from __future__ import annotations

from kessa.core.adapters.adapter import Adapter
from kessa.core.found import import_all

import_all(__name__, "kessa.adapters")
ADAPTERS: dict[str, type[Adapter]] = {
    each.key: each for each in sorted(Adapter.__subclasses__(), key=lambda of: of.key)
}
