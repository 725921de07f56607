"""What must hold before Kessa is used: it is looked at when it starts, and by `manage.py check`."""

from typing import Any

from django.core.checks import CheckMessage, Error, register
from django.template import TemplateDoesNotExist
from django.template.loader import get_template

from kessa.core.datafile import faults_of_data_files
from kessa.core.readings import KINDS
from kessa.pages.bench.inputs import template_of


@register
def data_files(**_: Any) -> list[CheckMessage]:
    """Whether every data file can be read, and is read by something."""
    return [Error(fault, id="kessa.E001") for fault in faults_of_data_files("core", "record")]


@register
def kinds(**_: Any) -> list[CheckMessage]:
    """Whether every kind of test that is not counted has the template by which it is read on the bench."""
    found: list[CheckMessage] = []
    for key in (key for key, kind in KINDS.items() if not kind.counted):
        try:
            get_template(template_of(key))
        except TemplateDoesNotExist:
            found.append(Error(f"{key}: there is no template {template_of(key)} to read it by.", id="kessa.E002"))
    return found
