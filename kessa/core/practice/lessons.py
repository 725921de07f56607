"""The lessons of the practice bench, in the order of the job; they are data, in lessons.toml."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Self

from pydantic import Field, model_validator

from kessa.core.checked import Checked, Number
from kessa.core.datafile import data_file, read_toml
from kessa.core.methods.parts import Key, Text
from kessa.core.practice.world import Trait


class Choice(Checked):
    """Something to answer, whether it is right, and why."""

    text: Text
    right: bool = False
    why: Text


class Question(Checked):
    """A question with one right answer."""

    ask: Text
    choices: Annotated[tuple[Choice, ...], Field(min_length=2, max_length=6)]

    @model_validator(mode="after")
    def _one_is_right(self) -> Self:
        if sum(choice.right for choice in self.choices) != 1:
            raise ValueError("choices: one of them is right")
        return self


class Limit(Checked):
    """The limit against which a learner judges what was found, in the unit of the test."""

    max: Number | None = None
    min: Number | None = None
    words: Text


class Lesson(Checked):
    """A few minutes on one thing of the job: things to put in order, questions, and a made-up water to test.

    `order` stands in the right order. `method` is tested on water whose strength lies in `reach` (shares of its range:
    above 1 is over it), with `trait` wrong with it.
    """

    key: Key
    title: Text
    minutes: Annotated[int, Field(gt=0, le=15)]
    teaches: Text
    order: tuple[Text, ...] = ()
    order_why: Text | None = None
    questions: tuple[Question, ...] = ()
    method: Key | None = None
    trait: Trait = ""
    reach: tuple[Number, Number] = (0.25, 0.8)
    limit: Limit | None = None


class _Lessons(Checked):
    lessons: Annotated[tuple[Lesson, ...], Field(min_length=1)]


@data_file
def lessons() -> dict[str, Lesson]:
    """Return every lesson in order, by key; raises BadDataFile on a faulty file."""
    read = read_toml(Path(__file__).with_name("lessons.toml"), _Lessons).lessons
    return {lesson.key: lesson for lesson in read}
