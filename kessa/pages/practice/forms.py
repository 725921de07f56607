"""What is asked on the practice bench."""

import random
from typing import Any

from django import forms

from kessa.core.judging.judge import VERDICTS
from kessa.core.practice.lessons import Lesson
from kessa.core.practice.orders import order_of
from kessa.core.practice.scoring import Point
from kessa.core.practice.world import TRAITS
from kessa.record.people.models import Team
from kessa.record.people.selectors import members
from kessa.record.practice.models import Practised

_NOTHING = "nothing"


class LookForm(forms.Form):
    """What somebody sees before they begin."""

    looked = forms.ChoiceField(
        label="Does anything speak against testing it now?",
        choices=[(key or _NOTHING, words) for key, (words, _) in TRAITS.items()],
        widget=forms.RadioSelect,
    )

    def __init__(self, go: Practised, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        if order := order_of(go.method):
            choices = list(zip(("first", "then"), order.in_words, strict=True))
            random.Random(go.pk.int).shuffle(choices)  # noqa: S311 # only mixed up, not secret
            self.fields["first"] = forms.ChoiceField(
                label="Which of the two goes in first?", choices=choices, widget=forms.RadioSelect
            )

    def clean_looked(self) -> str:
        """Return what was seen as a world's trait: none where there was nothing."""
        return self.cleaned_data["looked"].removeprefix(_NOTHING)


class JudgeForm(forms.Form):
    """What somebody says a number means."""

    judged = forms.ChoiceField(
        label="What does your number say?",
        choices=[(word, word) for word in VERDICTS],
        widget=forms.RadioSelect,
    )


class OrderForm(forms.Form):
    """Things to put in order: of each its place, from 1."""

    def __init__(self, lesson: Lesson, seed: int, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.lesson = lesson
        places = [("", "…"), *((str(n), str(n)) for n in range(1, len(lesson.order) + 1))]
        shuffled = list(enumerate(lesson.order))
        random.Random(seed).shuffle(shuffled)  # noqa: S311 # only mixed up, not secret
        for number, words in shuffled:
            self.fields[f"step{number}"] = forms.ChoiceField(label=words, choices=places)

    def points(self) -> list[Point]:
        """Return what was right of the order."""
        given = {number: int(self.cleaned_data[f"step{number}"]) for number in range(len(self.lesson.order))}
        ordered = sorted(given, key=lambda number: given[number])
        if ordered == sorted(given) and len(set(given.values())) == len(given):
            return [Point("order", True, "In the right order.")]
        wrong = next((n for n, number in enumerate(ordered) if n != number), 0)
        words = f"At {wrong + 1} comes: {self.lesson.order[wrong]}."
        return [Point("order", False, words, self.lesson.order_why or "")]


class QuestionsForm(forms.Form):
    """The questions of a lesson."""

    def __init__(self, lesson: Lesson, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.lesson = lesson
        for number, question in enumerate(lesson.questions):
            self.fields[f"question{number}"] = forms.ChoiceField(
                label=question.ask,
                choices=[(str(n), choice.text) for n, choice in enumerate(question.choices)],
                widget=forms.RadioSelect,
            )

    def points(self) -> list[Point]:
        """Return what was right of the answers, and why."""
        found = []
        for number, question in enumerate(self.lesson.questions):
            choice = question.choices[int(self.cleaned_data[f"question{number}"])]
            right = next(each for each in question.choices if each.right)
            words = (
                f"{question.ask} {choice.text}."
                if choice.right
                else f"{question.ask} Not “{choice.text}”: {right.text}."
            )
            found.append(Point(f"question{number}", choice.right, words, choice.why))
        return found


class RemarkForm(forms.ModelForm):  # type: ignore[type-arg]
    """A word to a learner."""

    class Meta:
        model = Practised
        fields = ["remark"]
        widgets = {"remark": forms.Textarea(attrs={"rows": 3})}


class VouchForm(forms.Form):
    """For whom, and for which test, a coordinator vouches."""

    person = forms.ModelChoiceField(None, label="Who", empty_label=None)
    family = forms.ChoiceField(label="Which test")
    words = forms.CharField(label="How you know", max_length=200, required=False)

    def __init__(self, team: Team, families: list[tuple[str, str]], *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["person"].queryset = members(team.pk)
        fields["family"].choices = families


class RuleForm(forms.ModelForm):  # type: ignore[type-arg]
    """When somebody may do a test alone."""

    class Meta:
        model = Team
        fields = ["practised_times", "practised_again_days"]
        help_texts = {
            "practised_times": "0: no rule. Nobody is kept from a test; who has not proven it is told so first.",
            "practised_again_days": "Empty: once is enough.",
        }
