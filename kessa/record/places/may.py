"""Who may what with places."""

from typing import Any

from kessa.record.people.may import Case, Rule
from kessa.record.people.models import Membership


def _plant(by: Membership, about: Any, *others: Any) -> bool:
    places = [about] if hasattr(about, "kind_key") else [about.first, about.second]
    return all(place.kind.is_plant for place in places)


_OF_PLANT = Case("places of plant", _plant)
keep_place = Rule(volunteer=False, technician=_OF_PLANT)
keep_pair = Rule(volunteer=False, technician=_OF_PLANT)
part_pair = keep_pair
