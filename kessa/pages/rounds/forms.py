"""Forms of plans."""

import re
from datetime import date, timedelta
from typing import Any

from django import forms
from django.utils import timezone

from kessa.core.errors import CannotCompute
from kessa.core.job.circumstances import IN_PLACE, scales
from kessa.core.job.occasions import occasion_kinds
from kessa.core.planning.rhythm import ORDINALS, WEEKDAYS, Rhythm, check
from kessa.pages.base.select import PlainSelect
from kessa.pages.people.forms import TeamModelForm
from kessa.pages.places.fields import PlaceField
from kessa.record.kits.models import Kit
from kessa.record.methods.selectors import families_of
from kessa.record.people.models import Team
from kessa.record.people.selectors import members
from kessa.record.places.selectors import places
from kessa.record.rounds.models import Round, Stop

_MONTHS = [(number, date(2000, number, 1).strftime("%B")) for number in range(1, 13)]
_SHAPES = {
    "daily": r"FREQ=DAILY",
    "weekly": r"FREQ=WEEKLY;BYDAY=(?P<weekdays>[A-Z]{2}(?:,[A-Z]{2})*)",
    "fortnightly": r"FREQ=WEEKLY;INTERVAL=2;BYDAY=(?P<weekday>[A-Z]{2})",
    "monthly": r"FREQ=MONTHLY;BYDAY=(?P<which>-?\d)(?P<weekday>[A-Z]{2})",
    "by_date": r"FREQ=MONTHLY;BYMONTHDAY=(?P<month_day>\d+)",
}
_FIRST_DAY, _MOST_AHEAD = date(2000, 1, 1), timedelta(days=3653)
_LONGEST_AHEAD, _LONGEST_BACK = timedelta(days=7), timedelta(days=30)


class RoundForm(TeamModelForm):
    """When a round falls due, and whose it is; the rhythm is one of the usual shapes, or a rule as it stands."""

    shape = forms.ChoiceField(
        choices=[(key, key) for key in (*_SHAPES, "own", "none")], initial="monthly", label="Rhythm"
    )
    weekdays = forms.MultipleChoiceField(choices=list(WEEKDAYS.items()), required=False)
    weekday = forms.ChoiceField(choices=list(WEEKDAYS.items()), required=False, initial="SU")
    which = forms.ChoiceField(choices=list(ORDINALS.items()), required=False, initial=-1)
    month_day = forms.IntegerField(min_value=1, max_value=31, required=False, initial=1)
    own_rule = forms.CharField(max_length=200, required=False)
    months = forms.TypedMultipleChoiceField(coerce=int, choices=_MONTHS, required=False)
    occasions = forms.MultipleChoiceField(
        choices=lambda: [(kind.key, kind.rule) for kind in occasion_kinds().values()],
        widget=forms.CheckboxSelectMultiple,
        required=False,
    )
    people = forms.ModelMultipleChoiceField(queryset=None, widget=forms.CheckboxSelectMultiple, required=False)

    class Meta:
        model = Round
        fields = ["name", "starts_on", "months", "occasions"]

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(team, *args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["people"].queryset = members(team)
        self.fields["starts_on"].widget = forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d")
        self.fields["starts_on"].widget.attrs["class"] = "input short"
        if not self.instance.pk:
            self.initial["starts_on"] = timezone.localdate()
        else:
            self.initial.update(_fields_of(self.instance.rule))
            self.initial["people"] = list(self.instance.people.values_list("pk", flat=True))

    def clean(self) -> dict[str, Any]:
        """Make the rule from its shape, and refuse one that never falls due."""
        cleaned: dict[str, Any] = super().clean() or {}
        self.instance.rule = _rule_of(cleaned)
        if cleaned.get("shape") == "weekly" and not cleaned.get("weekdays"):
            self.add_error("weekdays", "Choose at least one day of the week.")
        elif self.instance.rule:
            self._check_rhythm(cleaned)
        elif not cleaned.get("occasions"):
            self.add_error("shape", "Choose a rhythm, or at least one occasion: a round needs a reason to fall due.")
        return cleaned

    def clean_starts_on(self) -> date:
        """Refuse a day from which nobody plans: a rhythm is walked from its first day on."""
        starts_on: date = self.cleaned_data["starts_on"]
        if not _FIRST_DAY <= starts_on <= timezone.localdate() + _MOST_AHEAD:
            raise forms.ValidationError("A day from 2000 to ten years ahead.")
        return starts_on

    def _check_rhythm(self, cleaned: dict[str, Any]) -> None:
        if "starts_on" not in cleaned:
            return
        try:
            check(Rhythm(self.instance.rule, cleaned["starts_on"], tuple(cleaned.get("months") or ())))
        except CannotCompute as fault:
            self.add_error("own_rule" if cleaned.get("shape") == "own" else "shape", fault.message)


class StopsForm(forms.Form):
    """Places to put on a round, with what is done at each."""

    places = forms.ModelMultipleChoiceField(queryset=None, widget=forms.CheckboxSelectMultiple)
    in_place = forms.MultipleChoiceField(
        choices=lambda: [(scale.key, scale.label) for scale in scales().values() if scale.group == IN_PLACE],
        widget=forms.CheckboxSelectMultiple,
        required=False,
    )

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["places"].queryset = places(team)
        self.tests = []
        self.served = {family for kit in Kit.objects.for_team(team) for family in kit.families}
        for key, (method, *_) in families_of(team.pk).items():
            wanted = forms.BooleanField(label=method.test_name, required=False)
            runs, blanks = (2 if method.agreement else 1), (1 if method.blank else 0)
            numbers = {
                "runs": forms.IntegerField(label="Runs", min_value=1, max_value=10, initial=runs, required=False),
                "blanks": forms.IntegerField(label="Blanks", min_value=0, max_value=5, initial=blanks, required=False),
                "standards": forms.IntegerField(label="Standards", min_value=0, max_value=5, initial=0, required=False),
            }
            self.fields[f"{key}-wanted"] = wanted
            self.fields |= {f"{key}-{name}": field for name, field in numbers.items()}
            self.tests.append(key)

    @property
    def test_rows(self) -> list[tuple[Any, list[Any]]]:
        """The fields of each test that a kit serves, for the page; of all where the team keeps no kit."""
        return [self._row(key) for key in self.tests if key in self.served or not self.served]

    @property
    def other_rows(self) -> list[tuple[Any, list[Any]]]:
        """The fields of every other test."""
        return [self._row(key) for key in self.tests if self.served and key not in self.served]

    def _row(self, key: str) -> tuple[Any, list[Any]]:
        return self[f"{key}-wanted"], [self[f"{key}-{name}"] for name in ("runs", "blanks", "standards")]

    def planned_tests(self) -> dict[str, dict[str, int]]:
        """Return what was planned, by test family."""
        return {
            key: {name: self._planned(f"{key}-{name}") for name in ("runs", "blanks", "standards")}
            for key in self.tests
            if self.cleaned_data[f"{key}-wanted"]
        }

    def _planned(self, field: str) -> int:
        """Return a number as it was planned, as it is usual where the field was left empty."""
        planned = self.cleaned_data[field]
        return int(self.fields[field].initial if planned is None else planned)


class PackForm(forms.Form):
    """The stops one packs for, and the kit one takes."""

    stop = forms.ModelMultipleChoiceField(queryset=None)
    kit = forms.ModelChoiceField(queryset=None)

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["stop"].queryset = Stop.objects.for_team(team)
        fields["kit"].queryset = Kit.objects.for_team(team)


class OccasionForm(forms.Form):
    """What happened, when and where."""

    kind = forms.ChoiceField(
        label="What happened",
        choices=lambda: [(each.key, each.name) for each in occasion_kinds().values()],
        widget=PlainSelect,
    )
    happened_on = forms.DateField(label="On", widget=forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d"))
    place = PlaceField(label="Where", queryset=None, required=False, empty_label="everywhere")
    remark = forms.CharField(label="Remark", max_length=300, required=False)

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["place"].choose_from(team.pk)
        self.fields["happened_on"].initial = timezone.localdate()

    def clean_happened_on(self) -> date:
        """Refuse what is long past or far ahead: nobody would go for it now."""
        day: date = self.cleaned_data["happened_on"]
        today = timezone.localdate()
        if not today - _LONGEST_BACK <= day <= today + _LONGEST_AHEAD:
            raise forms.ValidationError("Within the past 30 days or the coming week. Check the date.")
        return day

    def clean(self) -> dict[str, Any]:
        """Ask for the place of what happens at one place."""
        cleaned: dict[str, Any] = super().clean() or {}
        kind = occasion_kinds().get(cleaned.get("kind", ""))
        if kind and kind.one_place and not cleaned.get("place"):
            self.add_error("place", "Say at which place.")
        return cleaned


class WhyNotForm(forms.Form):
    """Why nobody goes."""

    place = forms.ModelChoiceField(queryset=None)
    reason = forms.CharField(label="Why nobody goes", max_length=300)

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["place"].queryset = places(team)


def _rule_of(cleaned: dict[str, Any]) -> str:
    shape = cleaned.get("shape")
    rules = {
        "daily": "FREQ=DAILY",
        "weekly": f"FREQ=WEEKLY;BYDAY={','.join(cleaned.get('weekdays') or [])}",
        "fortnightly": f"FREQ=WEEKLY;INTERVAL=2;BYDAY={cleaned.get('weekday') or 'SU'}",
        "monthly": f"FREQ=MONTHLY;BYDAY={cleaned.get('which') or -1}{cleaned.get('weekday') or 'SU'}",
        "by_date": f"FREQ=MONTHLY;BYMONTHDAY={cleaned.get('month_day') or 1}",
        "own": (cleaned.get("own_rule") or "?").upper().removeprefix("RRULE:"),
    }
    return rules.get(shape or "", "")


def _fields_of(rule: str) -> dict[str, Any]:
    """Return the fields of the form that make a rule."""
    if not rule:
        return {"shape": "none"}
    for shape, pattern in _SHAPES.items():
        found = re.fullmatch(pattern, rule)
        if found:
            fields = found.groupdict()
            if "weekdays" in fields:
                fields["weekdays"] = fields["weekdays"].split(",")
            return {"shape": shape, **fields}
    return {"shape": "own", "own_rule": rule}
