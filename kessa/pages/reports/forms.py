"""What reports are made of."""

from datetime import timedelta
from typing import Any

from django import forms
from django.utils import timezone

from kessa.record.people.models import Team
from kessa.record.places.models import Place
from kessa.record.places.selectors import places

_DAY = {"type": "date", "class": "input"}


class _ReportForm(forms.Form):
    """Of which place a report is; `fits` says which may be chosen."""

    place = forms.ModelChoiceField(None)

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs | {"auto_id": f"id_{self.kind}_%s"})  # type: ignore[attr-defined]
        fields: dict[str, Any] = self.fields
        fitting = [place.pk for place in places(team) if self.fits(place)]
        fields["place"].queryset = Place.objects.for_team(team).filter(pk__in=fitting)

    def fits(self, place: Place) -> bool:
        """Whether such a report is made of a place."""
        return True

    @property
    def about(self) -> dict[str, Any]:
        """Return of what the report is made, as it is kept."""
        said = self.cleaned_data
        return {
            name: value.pk if isinstance(value, Place) else str(value)
            for name, value in said.items()
            if value is not None
        }


class MonthForm(_ReportForm):
    """A month of a place, or of all water that people drink."""

    kind = "month"
    place = forms.ModelChoiceField(None, empty_label="all water that people drink", required=False)
    month = forms.RegexField(
        r"^20\d\d-(0[1-9]|1[0-2])$", widget=forms.TextInput(attrs={"type": "month", "class": "input"}),
        error_messages={"invalid": "A month as 2026-03."},
    )  # fmt: skip

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        last = timezone.localdate().replace(day=1) - timedelta(days=1)
        self.fields["month"].initial = f"{last:%Y-%m}"


class PlantForm(_ReportForm):
    """A system over some time."""

    kind = "plant"
    since = forms.DateField(label="From", widget=forms.DateInput(attrs=_DAY))
    until = forms.DateField(label="To", widget=forms.DateInput(attrs=_DAY))

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        today = timezone.localdate()
        self.fields["since"].initial, self.fields["until"].initial = (
            (today - timedelta(days=90)).isoformat(),
            today.isoformat(),
        )

    def fits(self, place: Place) -> bool:
        """Systems only."""
        return place.kind.is_plant

    def clean(self) -> dict[str, Any]:
        """Refuse a time that ends before it begins, or is longer than years."""
        said = super().clean() or {}
        since, until = said.get("since"), said.get("until")
        if since and until and not since <= until <= since + timedelta(days=1100):
            self.add_error("until", "From the earlier day to the later one, three years at most.")
        return said


class YearForm(_ReportForm):
    """A year of a water."""

    kind = "year"
    year = forms.IntegerField(min_value=2000, max_value=2099)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["year"].initial = timezone.localdate().year

    def fits(self, place: Place) -> bool:
        """Not of systems."""
        return not place.kind.is_plant


class VisitForm(forms.Form):
    """A visit of the team's."""

    kind = "sheet"
    visit = forms.UUIDField()

    @property
    def about(self) -> dict[str, Any]:
        """Return of what the report is made, as it is kept."""
        return {"visit": str(self.cleaned_data["visit"])}


class SampleForm(forms.Form):
    """A sample of the team's."""

    kind = "certificate"
    sample = forms.UUIDField()

    @property
    def about(self) -> dict[str, Any]:
        """Return of what the report is made, as it is kept."""
        return {"sample": str(self.cleaned_data["sample"])}
