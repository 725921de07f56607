"""Who may what: how rules are written, and the rules about people and teams. Each application has its own `may.py`."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from kessa.record.people.models import Membership


@dataclass(frozen=True)
class Case:
    """Where a role may only sometimes: in words, and by the act's own arguments."""

    words: str
    holds: Callable[..., bool]


@dataclass(frozen=True)
class Rule:
    """Who may do something, role by role: always, never, or in a case."""

    volunteer: bool | Case
    technician: bool | Case
    coordinator: bool | Case = True

    def __call__(self, by: Membership, *about: Any) -> bool:
        """Whether a member may, about these things."""
        answer = self.of(by.role)
        return answer if isinstance(answer, bool) else answer.holds(by, *about)

    def of(self, role: str) -> bool | Case:
        """What a role may."""
        answer: bool | Case = getattr(self, role)
        return answer

    @property
    def refusal(self) -> str:
        """Say who may."""
        if self.volunteer is False and self.technician is False:
            return "Only a coordinator of your team can do this."
        if self.volunteer is False and self.technician is True:
            return "A technician or a coordinator of your team can do this."
        cases = {case.words for case in (self.volunteer, self.technician) if isinstance(case, Case)}
        return f"In your role this can be done only for {' and '.join(sorted(cases))}. Ask a coordinator of your team."


EVERYONE = Rule(volunteer=True, technician=True)
TECHNICIANS = Rule(volunteer=False, technician=True)
COORDINATORS = Rule(volunteer=False, technician=False)


def own(words: str, whose: Callable[[Any], Any]) -> Case:
    """Return the case of what is one's own: `whose` gives the person's number, or several, of what the act is about."""

    def holds(by: Membership, about: Any, *others: Any) -> bool:
        owner = whose(about)
        return by.user_id in owner if isinstance(owner, set | frozenset) else by.user_id == owner

    return Case(words, holds)


invite = COORDINATORS
revoke_invitation = COORDINATORS
change_role = COORDINATORS
keep_contact = COORDINATORS
remove_member = COORDINATORS
see_acts = COORDINATORS
choose_units = EVERYONE
