"""Webhooks."""

from typing import Any

from django.apps import AppConfig


class WebhooksConfig(AppConfig):
    """Webhooks are told wherever something is found, judged or proposed."""

    name = "kessa.record.webhooks"

    def ready(self) -> None:
        """Listen for what hooks are told of."""
        from kessa.core.advising.advice import do_of
        from kessa.record.actions.proposing import proposed
        from kessa.record.advice.place_status import restated
        from kessa.record.testing.closing import written
        from kessa.record.webhooks.services import send_to_webhooks

        def tell_results(sender: Any, results: Any, **_: Any) -> None:
            send_to_webhooks(results[0].team_id, "results", lambda: {"results": [
                {"id": each.pk, "place": each.place_id, "parameter": each.parameter, "value": each.value,
                 "censor": each.censor, "unit": each.unit, "form": each.form, "verdict": each.verdict}
                for each in results
            ]})  # fmt: skip

        def tell_verdict(sender: Any, place: Any, **_: Any) -> None:
            def data() -> dict[str, Any]:
                status = sender.objects.for_team(place.team_id).select_related("result").get(place=place)
                found = status.result
                by = {"id": found.pk, "parameter": found.parameter, "verdict": found.verdict} if found else None
                # As `bin/calc` answers the op `advise`: codes, whose sentences stand in docs/advice.md.
                advice = {**status.advice, "do": [each.code for each in do_of(status.advice)]}
                return {"place": place.pk, "name": str(place), "by": by, "advice": advice}

            send_to_webhooks(place.team_id, "verdicts", data)

        def tell_action(sender: Any, action: Any, **_: Any) -> None:
            data = {"id": action.pk, "place": action.place_id, "rank": action.rank, "way": action.by_way}
            send_to_webhooks(action.team_id, "actions", lambda: {"action": data})

        written.connect(tell_results, weak=False)
        restated.connect(tell_verdict, weak=False)
        proposed.connect(tell_action, weak=False)
