"""What the practice bench is given: the bench's own page, and what the made-up water shows on it."""

from datetime import timedelta
from typing import Any

from django.urls import reverse
from django.utils import timezone

from kessa.core.job.schools import complete
from kessa.core.practice.seen import LIGHTS, displayed, vessel
from kessa.pages.bench.inputs import end_as_seen, inputs_of
from kessa.pages.bench.page import PartOutcome, bench_payload
from kessa.record.determinations.state import Bench, bench_of, flags_of
from kessa.record.practice.models import Practised
from kessa.record.results.assessing import NOT_ASSESSED
from kessa.record.taps.models import Tap
from kessa.record.testing.judgement import Judged

# So many runs of a test look each a little different; a further one looks like the last.
_RUNS = 4


def before_of(go: Practised) -> dict[str, Any]:
    """Return what lies there before a go: the sample, and the label of its reagent."""
    chance, today = go.world.chance("before"), timezone.localdate()
    days = -chance.randint(40, 400) if go.world.trait == "expired" else chance.randint(90, 600)
    specks = (
        [(chance.randint(30, 90), chance.randint(66, 170)) for _ in range(40)] if go.world.trait == "cloudy" else []
    )
    use_by = today + timedelta(days=days)
    lot = f"{chance.choice('BDFKT')}{chance.randint(100, 999)}"
    return {"today": today, "use_by": f"{use_by:%m/%Y}", "lot": lot, "specks": specks}


def panel_of(go: Practised, taps: list[Tap], named: str, eyes: str) -> dict[str, Any]:
    """Return what practice/bench.html shows of a go; `named` is the signed name that its taps are given."""
    determination, method = go.determination, go.method
    bench = bench_of(determination, taps)
    payload = bench_payload(determination, taps, bench, {part.key: None for part in method.parts}, [])
    payload |= {
        "address": reverse("taps:receive", args=["practice", go.pk]),
        "outcome": reverse("practice:outcome", args=[go.pk]),
        "here": reverse("practice:bench", args=[go.pk]),
        "place": "practice",
        "measures": None,
        "whose": named,
        "world": world_of(go),
    }
    first = payload["world"]["shown"].get("sample-1", {})
    return {
        "go": go,
        "determination": determination,
        "method": method,
        "earlier": [],
        "inputs": inputs_of(determination, complete(determination.house_rules)["between_colours"], eyes),
        "end": end_as_seen(method.main, eyes),
        "payload": payload,
        "shown": [(part, first[part.key]) for part in method.parts if part.key in first],
        "lights": list(LIGHTS.items()),
        "has_colours": any(what["as"] == "colour" for what in first.values()),
        **outcome_of(go, bench),
    }


def world_of(go: Practised) -> dict[str, Any]:
    """Return what the water shows, by run: the colours of its vessel unit by unit, or what is read of each part."""
    method, world = go.method, go.world
    vessels: dict[str, list[str]] = {}
    shows: dict[str, dict[str, Any]] = {}
    main = method.main
    for number in range(1, _RUNS + 1):
        run = f"sample-{number}"
        if not method.counted:
            shows[run] = {part.key: displayed(method, part, world, run) for part in method.parts}
            continue
        vessels[run] = vessel(method, main, world, run)
        if method.blank:
            vessels[f"blank-{number}"] = vessel(method, main, world, f"blank-{number}")
        if main.kind == "difference":
            vessels[f"supply-{number}"] = vessel(method, main, world, f"supply-{number}")
        if method.staged:
            vessels[f"first-{number}"] = vessels[run]
            vessels[run] = vessel(method, method.parts[1], world, run)
    together = method.staged and method.parts[1].counts == "all"
    return {"vessels": vessels, "shown": shows, "together": together}


def outcome_of(go: Practised, bench: Bench) -> dict[str, Any]:
    """Return what the runs come to so far, for bench/outcome.html: held against nothing, as it is no place's water."""
    determination = go.determination
    concluded = [part for part in go.method.finds if bench.outcomes[part.key].quantity]
    words = ("Write it down: then you see what was right.",)
    judged = {part.key: Judged(NOT_ASSESSED, flags_of(determination, part, bench), words) for part in concluded}
    return {"outcomes": [PartOutcome(part, bench.outcomes[part.key], judged[part.key]) for part in concluded]}
