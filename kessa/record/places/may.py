"""Who may what with places."""

from typing import Any

from kessa.record.people.may import Case, Rule
from kessa.record.people.models import Membership


def _indoors(by: Membership, about: Any, *others: Any) -> bool:
    places = [about] if hasattr(about, "kind_key") else [about.first, about.second]
    return all(place.kind.water != "open" for place in places)


# Who looks after a boiler looks after the supply, the softener and the well that feed it.
_INDOORS = Case("plant, supplies, taps and wells", _indoors)
keep_place = Rule(volunteer=False, technician=_INDOORS)
keep_pair = Rule(volunteer=False, technician=_INDOORS)
part_pair = keep_pair
