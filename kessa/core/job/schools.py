"""Schools: the questions on which practitioners differ, and what a team has chosen."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Self

from pydantic import model_validator

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml


class Choice(Checked):
    """One school."""

    key: str
    name: str
    about: str


class Question(Checked):
    """Something on which practitioners differ; `why` gives the reason for the default."""

    key: str
    ask: str
    default: str
    why: str
    bears_on: str
    choices: tuple[Choice, ...]

    @model_validator(mode="after")
    def _default_is_a_choice(self) -> Self:
        if self.default not in {choice.key for choice in self.choices}:
            raise ValueError(f"default: {self.key} has no choice {self.default}")
        return self

    def name_of(self, key: str) -> str:
        """Return what a choice is called."""
        return next(choice.name for choice in self.choices if choice.key == key)


class _Questions(Checked):
    questions: tuple[Question, ...]


@data_file
def questions() -> dict[str, Question]:
    """Return the questions by key; raises BadDataFile on a faulty file."""
    return {each.key: each for each in read_toml(Path(__file__).with_suffix(".toml"), _Questions).questions}


def complete(chosen: Mapping[str, str]) -> dict[str, str]:
    """Return an answer to every question: the one chosen, the default where none or an unknown one was."""
    return {
        key: chosen[key] if chosen.get(key) in {choice.key for choice in question.choices} else question.default
        for key, question in questions().items()
    }


def near_limit(chosen: Mapping[str, str]) -> str | None:
    """Return by which rule a team's school holds results against limits: None for the rule of each limit itself."""
    rule = complete(chosen)["near_limit"]
    return None if rule == "by-limit" else rule


def depth_cm(chosen: Mapping[str, str], of_place: int) -> int:
    """Return the depth (cm) at which a team's school draws a sample where the place's own depth is `of_place` (cm)."""
    return {"hand": 10, "forearm": 30}.get(complete(chosen)["depth"], of_place)
