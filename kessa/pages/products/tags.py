"""Writing amounts of products in the reader's own measures."""

from typing import Any

from django import template

from kessa.core.quantities.quantity import plain
from kessa.core.treating.amounts import LabelMeasure, label_measure

register = template.Library()


@register.filter
def in_measure(amount: float, measure: LabelMeasure) -> str:
    """Write an amount in a measure, with its words."""
    return f"{plain(amount / measure.size)} {measure.words}"


@register.simple_tag(takes_context=True)
def stock(context: Any, amount: float, product: Any) -> str:
    """Write how much there is of a product."""
    return in_measure(amount, label_measure("stock", product.kept, context["request"].user.amount_system))
