"""What the bench page is given, so that it can speak without a signal."""

from typing import Any

from django.urls import reverse

from kessa.bench.models import Determination, Event
from kessa.bench.selectors import Bench, events_as_data, judge_outcome
from kessa.core.ladder import ladder
from kessa.core.trends import UsualRange


def bench_payload(determination: Determination, events: list[Event], usual: UsualRange | None) -> dict[str, Any]:
    """Return the method's rungs and rules, and every event so far, as the page's script takes them."""
    method = determination.method
    per = method.numbers.per * determination.dilution
    # What continues another determination carries over its blank, also one that was not run.
    blank = method.blank if determination.blank_first and determination.continues_id is None else None
    return {
        "id": determination.pk,
        "address": reverse("bench:events", args=[determination.pk]),
        "unit": method.unit,
        "unit_of_count": method.unit_of_count,
        "stop_at": method.numbers.stop_at,
        "count_step": method.count_step,
        "steps": len(method.steps),
        "settle_s": method.steps[method.count_step].settle_s,
        "most_runs": method.agreement.most,
        "blank": blank.model_dump(include={"good", "questionable", "stop_at"}) if blank else None,
        "usual": [usual.low / per, usual.high / per] if usual else None,
        "rungs": ladder(method, determination.dilution, tuple(determination.limit_sets), determination.near_limit),
        "events": events_as_data(events),
    }


def outcome_context(determination: Determination, bench: Bench) -> dict[str, Any]:
    """Return what the runs come to so far, for bench/outcome.html."""
    judged = judge_outcome(determination, bench.outcome) if bench.outcome.quantity else None
    return {"outcome": bench.outcome, "judged": judged}
