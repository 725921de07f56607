"""Forms of reviews."""

from typing import Any

from django import forms
from django.utils import timezone

from kessa.pages.places.fields import PlaceField
from kessa.record.people.models import Team, User
from kessa.record.people.selectors import members
from kessa.record.results.models import Result
from kessa.record.visits.models import Visit


class SeenForm(forms.Form):
    """As what a visit was seen by who accepts it."""

    seen = forms.CharField(max_length=60)


class AskForm(forms.Form):
    """What is asked about a visit, and whom: people of the team, those of the visit first."""

    to = forms.ModelChoiceField(User.objects.none(), label="Whom", empty_label=None)
    result = forms.ModelChoiceField(None, label="About", empty_label="the visit", required=False)
    words = forms.CharField(
        label="Question", max_length=600, widget=forms.Textarea(attrs={"rows": 3}),
        help_text="It is on their Today until it is answered.",
    )  # fmt: skip

    def __init__(self, visit: Visit, hands: set[int], reader: User, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        to, result = self.fields["to"], self.fields["result"]
        those = members(visit.team_id)
        ours = those.filter(pk__in=hands)
        to.queryset = ours if ours.exists() else those.exclude(pk=reader.pk)  # type: ignore[attr-defined]
        to.initial = visit.leader_id
        results = Result.objects.for_team(visit.team_id).current().filter(visit=visit).order_by("parameter", "pk")
        result.queryset = results  # type: ignore[attr-defined]
        result.label_from_instance = lambda row: row.parameter  # type: ignore[attr-defined]


class AnswerForm(forms.Form):
    """What is answered to a question."""

    words = forms.CharField(label="Your answer", max_length=600, widget=forms.Textarea(attrs={"rows": 3}))


class ReleaseForm(forms.Form):
    """What is released in one go."""

    place = PlaceField(None, empty_label="all places", required=False)
    until = forms.DateField(label="Up to and with", widget=forms.DateInput(attrs={"type": "date"}))

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["place"].choose_from(team.pk)
        self.fields["until"].initial = timezone.localdate().isoformat()


class RulesForm(forms.ModelForm):  # type: ignore[type-arg]
    """By whom and how often visits are looked over."""

    class Meta:
        model = Team
        fields = ["reviewers_needed", "reviewers", "released_by"]
        help_texts = {"reviewers": "Nobody ever reviews a visit they had a hand in."}
