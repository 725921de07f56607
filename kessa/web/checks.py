"""What must hold before Kessa is used: it is looked at when it starts, and by `manage.py check`."""

from typing import Any

from django.core.checks import CheckMessage, Error, register
from django.template import TemplateDoesNotExist
from django.template.loader import get_template

from kessa.core.datafile import faults_of_data_files
from kessa.core.readings import KINDS
from kessa.pages.bench.inputs import template_of
from kessa.record.reports import kind as reports


@register
def data_files(**_: Any) -> list[CheckMessage]:
    """Whether every data file can be read, and is read by something."""
    return [Error(fault, id="kessa.E001") for fault in faults_of_data_files("core", "record")]


@register
def kinds(**_: Any) -> list[CheckMessage]:
    """Whether every kind of test that is not counted has the template it is read by, and every report its page."""
    wanted = {template_of(key): "kessa.E002" for key, kind in KINDS.items() if not kind.counted}
    wanted |= {kind.template: "kessa.E003" for kind in reports.KINDS.values()}
    found: list[CheckMessage] = []
    for template, number in wanted.items():
        try:
            get_template(template)
        except TemplateDoesNotExist:
            found.append(Error(f"There is no template {template}.", id=number))
    return found
