"""How what a report is about is asked for, and checked."""

from typing import Any

from django import forms

from kessa.record.people.models import Team
from kessa.record.places.models import Place
from kessa.record.places.selectors import places


class ReportForm(forms.Form):
    """What a report is about."""

    # Whether the page of reports offers it; what is not offered there is made where its subject is.
    offered = False

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)

    @property
    def about(self) -> dict[str, Any]:
        """Return of what the report is made, as it is kept."""
        data = self.cleaned_data
        return {
            name: value.pk if isinstance(value, Place) else str(value)
            for name, value in data.items()
            if value is not None
        }


class PlaceReportForm(ReportForm):
    """Of which place a report is; `fits` says which may be chosen."""

    offered = True
    place: Any = forms.ModelChoiceField(None)

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(team, *args, **kwargs)
        fields: dict[str, Any] = self.fields
        fitting = [place.pk for place in places(team) if self.fits(place)]
        fields["place"].queryset = Place.objects.for_team(team).filter(pk__in=fitting)

    def fits(self, place: Place) -> bool:
        """Whether such a report is made of a place."""
        return True
