"""How an action is written: what is to be done and what was done, with amounts in the reader's own measures."""

from kessa.core.job.place_kinds import measure_of
from kessa.core.treating.amounts import figures, written
from kessa.record.actions.models import Action

_DONE = {
    "bleed": "bled", "drain": "drained", "flush": "flushed", "dose": "dosed", "lower": "dosed", "clean": "cleaned",
    "disinfect": "disinfected", "biocide": "treated with", "regenerate": "softener regenerated",
    "backwash": "filter backwashed or changed", "refill": "tank filled up by", "sheet": "list closed",
}  # fmt: skip


def title_in(action: Action, system: str) -> str:
    """Write what is to be done, with its amount in the measures of a system."""
    if action.amount is None:
        return action.title
    # A product is rounded down, so that nothing written goes above its label.
    down = action.product_id is not None
    given = written(action.amount, action.kept, system, down=down)  # type: ignore[arg-type]
    portion = written(action.amount / action.portions, action.kept, system, down=down)  # type: ignore[arg-type]
    title = action.title.replace("{amount}", given).replace("{portion}", portion)
    return title if action.rate_l_min is None else title.replace("{rate}", _flow(action.rate_l_min, system))


def _flow(l_min: float, system: str) -> str:
    measure = measure_of("L/min", system)
    return f"{figures(l_min / measure.size)} {measure.unit}"


def done_in(action: Action, system: str) -> str:
    """Write what was done in few words, with its amount in the measures of a system."""
    verb = _DONE.get(action.by_way)
    if action.done_amount is None:
        return verb or title_in(action, system)
    amount = written(action.done_amount, action.kept, system)  # type: ignore[arg-type]
    what = f" of {action.done_product}" if action.done_product_id else ""
    return f"{verb or action.title} {amount}{what}".strip()
