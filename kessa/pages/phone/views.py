"""What waits on this device to be sent, and what is available on it offline."""

from django.http import HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from kessa.record.people.access import TeamRequest, member


@member
@require_GET
def phone(request: TeamRequest) -> HttpResponse:
    """What this device keeps: the page's script tells it, the server knows nothing of it."""
    return render(request, "phone/phone.html")
