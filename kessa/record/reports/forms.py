"""How what a report is about is asked for, and checked."""

from typing import Any

from django import forms

from kessa.core.job.place_kinds import PlaceKind, place_kind
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
    """Of which place a report is; `fits` says of which kinds it may be."""

    offered = True
    place: Any = forms.ModelChoiceField(None)

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(team, *args, **kwargs)
        fields: dict[str, Any] = self.fields
        kinds = places(team).order_by("kind_key").values_list("kind_key", flat=True).distinct()
        fields["place"].queryset = places(team).filter(kind_key__in=[k for k in kinds if self.fits(place_kind(k))])

    def fits(self, kind: PlaceKind) -> bool:
        """Whether such a report is made of a kind of place."""
        return True
