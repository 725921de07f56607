"""Sending to addresses outside: signed, never to this machine or its neighbours, never on to elsewhere."""

import hashlib
import hmac
import http.client
import ipaddress
import json
import socket
import time
from typing import Any
from urllib.parse import urlsplit

from django.conf import settings
from django.core.exceptions import ValidationError

_SECONDS = 5
_TAKEN = range(200, 300)


def check_address(address: str) -> list[str]:
    """Return the numbers of the machine that an address leads to; raises ValidationError where nothing is sent there.

    Only TLS, and only to machines out on the network, unless KESSA_HOOKS_NEAR lets hooks stay near.
    """
    parts = urlsplit(address)
    near = settings.HOOKS_NEAR
    if parts.scheme != "https" and not (near and parts.scheme == "http"):
        raise ValidationError("A hook is told over TLS: its address begins with https://.")
    if not parts.hostname or parts.username or parts.password:
        raise ValidationError("This is no address to send to.")
    try:
        found = socket.getaddrinfo(parts.hostname, parts.port or 443, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError):
        raise ValidationError("No machine has this name.") from None
    numbers = list(dict.fromkeys(str(each[4][0]) for each in found))
    if not near and not all(ipaddress.ip_address(number.split("%")[0]).is_global for number in numbers):
        raise ValidationError("This address leads to a machine nearby: nothing is sent there.")
    return numbers


def signature(secret: str, moment: int, body: bytes) -> str:
    """Return by what a hook knows that something came from here: HMAC-SHA256 of the moment, a point, and the body."""
    signed = f"{moment}.".encode() + body
    return f"t={moment},v1={hmac.new(secret.encode(), signed, hashlib.sha256).hexdigest()}"


def send(address: str, secret: str, payload: dict[str, Any]) -> None:
    """Post something to an address; raises OSError where it is not taken. It is not sent on where one is led on."""
    try:
        number = check_address(address)[0]
    except ValidationError as fault:
        raise OSError(fault.message) from None
    parts, body = urlsplit(address), json.dumps(payload).encode()
    headers = {
        "Host": parts.netloc,
        "Content-Type": "application/json",
        "User-Agent": "Kessa",
        "Kessa-Signature": signature(secret, int(time.time()), body),
    }
    path = (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
    # The machine that was looked at is the one that is called: a name may lead elsewhere the next moment.
    connection: http.client.HTTPConnection
    if parts.scheme == "https":
        connection = http.client.HTTPSConnection(parts.hostname or "", parts.port or 443, timeout=_SECONDS)
        connection._create_connection = lambda _, *rest: socket.create_connection((number, parts.port or 443), *rest)  # type: ignore[attr-defined]
    else:
        connection = http.client.HTTPConnection(number, parts.port or 80, timeout=_SECONDS)
    try:
        connection.request("POST", path, body, headers)
        status = connection.getresponse().status
    except http.client.HTTPException as fault:
        raise OSError(type(fault).__name__) from fault
    finally:
        connection.close()
    if status not in _TAKEN:
        raise OSError(f"It answered {status}.")
