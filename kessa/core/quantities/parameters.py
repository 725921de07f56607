"""What is measured: every parameter once, under the names people give it."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

from kessa.core.checked import Checked, Positive
from kessa.core.datafile import BadDataFile, data_file, read_toml


class Parameter(Checked):
    """Something that is measured, and how its numbers behave: see parameters.toml for what each field means."""

    key: str
    also: tuple[str, ...] = ()
    measured_in: str
    differences: Literal["absolute", "proportion"] = "proportion"
    unusual_by: Positive | None = None
    conserved: bool = False
    acute: bool = False
    needs_least: bool = False
    degrees: bool = False
    ion: str | None = None
    salt: str | None = None
    upper: bool = False

    @property
    def title(self) -> str:
        """The name as it begins a sentence."""
        return self.key if self.upper else self.key[:1].upper() + self.key[1:]

    @property
    def has_forms(self) -> bool:
        """Whether people write its amounts as one form or another, so that a bare number may be either."""
        return self.ion is not None or self.degrees

    @property
    def may_be_negative(self) -> bool:
        """Whether its numbers may lie below nothing."""
        return self.measured_in in ("temperature", "index")


class _Parameters(Checked):
    parameters: tuple[Parameter, ...]


@data_file
def parameters() -> dict[str, Parameter]:
    """Return every parameter under each of its names; raises BadDataFile on a faulty file or a name given twice."""
    named: dict[str, Parameter] = {}
    for each in read_toml(Path(__file__).with_suffix(".toml"), _Parameters).parameters:
        for name in (each.key, *each.also):
            if name in named:
                raise BadDataFile(f"parameters.toml: two parameters are called {name}.")
            named[name] = each
    return named


def parameter(name: str) -> Parameter:
    """Return the parameter of any of its names; one that is a team's own behaves as a concentration does.

    >>> parameter("ammonium").key, parameter("zinc").key
    ('ammonia', 'zinc')
    """
    known = parameters()
    return known.get(name) or known.get(name.strip().lower()) or Parameter(key=name, measured_in="concentration")
