"""The steps of a plan in words: titles, why, how they were worked out, what is missing and what refused."""

from __future__ import annotations

from pathlib import Path
from string import Formatter
from typing import Literal

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml
from kessa.core.proposing.plan import Step
from kessa.core.proposing.planned import Planned
from kessa.core.proposing.words_for_asking import ASKING, cycles_that_differ
from kessa.core.proposing.words_for_doing import DOING
from kessa.core.quantities.parameters import parameter
from kessa.core.treating.amounts import figures
from kessa.core.treating.systems import Proposal

_WRITERS = DOING | ASKING


class _Said(Checked):
    """What a code says in words, and where it stands."""

    code: str
    shown: Literal["why", "caution", "missing", "refused", "working"]
    words: tuple[str, ...]


class _Sayings(Checked):
    says: tuple[_Said, ...]


@data_file
def _says() -> dict[str, _Said]:
    return {each.code: each for each in read_toml(Path(__file__).with_name("says.toml"), _Sayings).says}


def in_words(planned: Planned) -> list[Proposal]:
    """Return the steps of a plan as proposals, in their order; what only goes with another stands in that."""
    made = []
    for n, step in enumerate(planned.plan.steps):
        write = _WRITERS.get(step.do)
        found = write(planned, step, planned.plan.steps[n + 1 :]) if write else None
        if found:
            made.append(_with_codes(planned, step, found))
    told: set[str] = set()
    for n, each in enumerate(made):
        # A limit's own words stand with the first thing that is done about it.
        words = next((found.words for found in planned.findings.values() if found.result in each.results), "")
        if words and words not in told and words.removesuffix(".") != each.title:
            made[n] = each._replace(why=f"{each.why} {words}")
            told.add(words)
    # A sample for the laboratory is drawn before anything kills what it looks for.
    made.sort(key=lambda each: not each.key.startswith("laboratory:"))
    return [*made, *cycles_that_differ(planned)]


def _with_codes(planned: Planned, step: Step, made: Proposal) -> Proposal:
    """Let a proposal say what has to be said with its step."""
    numbers = {name: f"{value:.1f}" if name.endswith("-c") else figures(value)
               for name, value in planned.plan.figures.items() if value >= 0 or name.endswith("-c")}  # fmt: skip
    numbers["parameter"] = parameter(made.parameter).key
    said: dict[str, list[str]] = {"why": [], "caution": [], "missing": [], "refused": [], "working": []}
    for code in step.codes:
        row = _says().get(code)
        # Where it is asked whether ammonia is added on purpose, nothing is dosed yet.
        if row and not (code == "breakpoint" and step.do == "ask"):
            # What names a figure that nobody has is left unsaid.
            said[row.shown] += [each.format_map(numbers) for each in row.words if _named_in(each) <= numbers.keys()]
    return made._replace(
        why=" ".join((made.why, *said["why"])),
        cautions=(*made.cautions, *said["caution"]),
        missing=(*made.missing, *said["missing"]),
        refused=" ".join(filter(None, (made.refused, *said["refused"]))),
        working=(*made.working, *said["working"]),
    )


def _named_in(words: str) -> set[str]:
    return {name for _, name, _, _ in Formatter().parse(words) if name}
