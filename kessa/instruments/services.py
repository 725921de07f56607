"""Everything that changes instruments."""

from kessa.instruments import may
from kessa.instruments.models import Instrument
from kessa.people.acts import act
from kessa.people.models import Membership


@act("instrument kept", may.keep_instrument)
def keep_instrument(by: Membership, instrument: Instrument) -> Instrument:
    """Write a new or changed instrument."""
    instrument.save()
    return instrument
