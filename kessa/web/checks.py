"""System checks: a broken data file is told when Kessa starts, with its name and field."""

from collections.abc import Callable
from typing import Any

from django.core.checks import CheckMessage, Error, register

from kessa.core.advising.rules import codes, rules
from kessa.core.advising.wording import plain_words
from kessa.core.datafile import BadDataFile
from kessa.core.job.circumstances import scales
from kessa.core.job.hazards import hazards
from kessa.core.job.occasions import occasion_kinds
from kessa.core.job.place_kinds import place_kinds
from kessa.core.job.schools import questions
from kessa.core.job.supplies import supplies
from kessa.core.job.waste import waste_streams
from kessa.core.job.ways import oxygen_steps
from kessa.core.judging.limits import germs, rule_sets
from kessa.core.methods import house_methods
from kessa.core.quantities.parameters import parameters

_FILES: tuple[Callable[[], Any], ...] = (
    parameters,
    questions,
    supplies,
    waste_streams,
    hazards,
    scales,
    occasion_kinds,
    place_kinds,
    oxygen_steps,
    rule_sets,
    germs,
    codes,
    rules,
    plain_words,
    house_methods,
)


@register
def data_files(**_: Any) -> list[CheckMessage]:
    """Read every data file of the core."""
    found: list[CheckMessage] = []
    for read in _FILES:
        try:
            read()
        except BadDataFile as fault:
            found.append(Error(str(fault), id="kessa.E001"))
    return found
