"""Control charts of a method: checks in order, what broke a rule, lots and people compared, the spread."""

from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from kessa.core.judging.control import RULES
from kessa.drawings.control import control_drawn
from kessa.record.methods.selectors import families_of
from kessa.record.people.access import TeamRequest, coordinator, member
from kessa.record.quality import services
from kessa.record.quality.control_charts import KINDS, by_lot, chart_of, charted, people_apart, spread_found
from kessa.record.quality.models import OwnSpread

_WIDE, _NARROW = 760, 340
_BY = ("lot", "instrument", "person")


@member
@require_GET
def charts(request: TeamRequest) -> HttpResponse:
    """The chart of one kind of check of one family, narrowed by lot, instrument and person."""
    team = request.membership.team
    known = {
        family: methods[0]
        for family, methods in sorted(families_of(team.pk).items(), key=lambda each: each[1][0].test_name.lower())
        if methods[0].main.numbers.can_be_checked
    }
    family = request.GET.get("family", "")
    method = known.get(family) or next(iter(known.values()), None)
    if method is None:
        raise Http404
    kind = request.GET.get("kind", "standard")
    kind = kind if kind in KINDS else "standard"
    rows = charted(team, method.family, kind)
    standards = rows if kind == "standard" else charted(team, method.family, "standard")
    choices = {
        "lot": sorted({lot.number for row in rows for lot in row.lots}),
        "instrument": sorted({row.instrument for row in rows} - {""}),
        "person": sorted({row.person for row in rows}),
    }
    chosen = {name: request.GET.get(name, "") for name in _BY}
    shown = [
        row
        for row in rows
        if (not chosen["lot"] or chosen["lot"] in [lot.number for lot in row.lots])
        and chosen["instrument"] in ("", row.instrument)
        and chosen["person"] in ("", row.person)
    ]
    chart = chart_of(shown, kind, method)
    moments = [row.at for row in shown]
    broken = chart.broken if chart else {}
    spread = OwnSpread.objects.for_team(team).filter(family=method.family, ended_at=None).select_related("by").first()
    context = {
        "known": known,
        "method": method,
        "kind": kind,
        "kinds": KINDS,
        "choices": [(name, choices[name], chosen[name]) for name in _BY],
        "chart": chart,
        "wide": control_drawn(chart, moments, _WIDE) if chart else "",
        "narrow": control_drawn(chart, moments, _NARROW) if chart else "",
        "rows": [(row, [RULES[rule] for rule in broken.get(n, ())]) for n, row in enumerate(shown)][::-1],
        "lots": by_lot(rows) if kind != "duplicate" else [],
        "people": people_apart(team, method.family),
        "spread": spread,
        "found": spread_found(standards),
        "house": getattr(method.main.numbers, "precision_percent", 0.0),
    }
    return render(request, "quality/charts.html", context)


@coordinator
@require_POST
def spread(request: TeamRequest) -> HttpResponse:
    """Go by the team's own spread, or by the house's again."""
    team, family = request.membership.team, request.POST.get("family", "")
    if family not in families_of(team.pk):
        raise Http404
    standards = charted(team, family, "standard")
    found = spread_found(standards)
    row = OwnSpread(
        team=team, family=family, by=request.user, at=timezone.now(), number=len(standards), percent=found or 0
    )
    if request.POST.get("act") == "leave":
        services.stop_own_spread(request.membership, row)
        messages.success(request, "Tests begun from now on go by the house's figure.")
    elif found:
        services.use_own_spread(request.membership, row)
        messages.success(request, "Tests begun from now on go by your own standards.")
    else:
        messages.error(request, "There are too few standards for a spread of your own.")
    return redirect(f"{reverse('quality:charts')}?family={family}")
