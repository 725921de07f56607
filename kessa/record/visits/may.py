"""Who may what on visits."""

from typing import Any

from kessa.record.people.may import EVERYONE, Rule, own


def _of_visit(visit: Any) -> Any:
    return visit.leader_id


def _of_sample(sample: Any) -> Any:
    return sample.drawn_by_id


def _of_observation(observation: Any) -> Any:
    return observation.person_id


begin_visit = EVERYONE
tap_on_visit = EVERYONE
draw_sample = EVERYONE
label_bottle = EVERYONE
# A visit is closed, left and handed on by who leads it.
lead_visit = Rule(volunteer=own("visits they lead", _of_visit), technician=True)
correct_sample = Rule(volunteer=own("samples they drew", _of_sample), technician=True)
correct_observation = Rule(volunteer=own("what they noted", _of_observation), technician=True)
