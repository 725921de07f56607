"""Brings what an instrument says over a socket into Kessa, by its key.

    KESSA_KEY=kessa_… python -m kessa.doors.instruments.bridge photometer 127.0.0.1:9301 https://kessa.example/ 7

`7` is the instrument's number, as its page says. What could not be sent is sent again; twice is harmless.
"""

from __future__ import annotations

import json
import os
import socket
import sys
import time
import urllib.request
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

from kessa.core.adapters import ADAPTERS
from kessa.core.adapters.adapter import Adapter
from kessa.core.errors import CannotCompute

_WAIT, _LONGEST_WAIT = 0.5, 30.0


def said_by(adapter: type[Adapter], host: str, port: int) -> Iterator[dict[str, Any]]:
    """Give what an instrument shows, as the API takes it; what is not understood is told on standard error."""
    with socket.create_connection((host, port), timeout=60) as line, line.makefile("r", encoding="utf-8") as lines:
        for each in lines:
            try:
                shown = adapter.read(each.strip())
            except CannotCompute as fault:
                sys.stderr.write(f"{fault.message}\n")
                continue
            if shown:
                at = shown.at or datetime.now(UTC)
                yield {**shown._asdict(), "at": at.isoformat()}


def send(address: str, key: str, instrument: int, shown: dict[str, Any]) -> None:
    """Send one reading until it is taken."""
    body = json.dumps([shown]).encode()
    headers = {"Authorization": f"Bearer {key}", "Content-Type": "application/json"}
    wait = _WAIT
    while True:
        try:
            asked = urllib.request.Request(  # noqa: S310 # the address is the operator's own
                f"{address.rstrip('/')}/api/v1/instruments/{instrument}/shown", data=body, headers=headers
            )
            with urllib.request.urlopen(asked, timeout=20):  # noqa: S310
                return
        except urllib.error.HTTPError as refused:
            sys.stderr.write(f"Not taken: {refused.read(300).decode(errors='replace')}\n")
            if refused.code not in (429, 500, 502, 503):
                return
        except OSError as fault:
            sys.stderr.write(f"Not sent, and tried again: {fault}\n")
        time.sleep(wait)
        wait = min(wait * 2, _LONGEST_WAIT)


def main() -> None:
    """Bring in what an instrument says, as long as it speaks."""
    name, at, address, instrument = sys.argv[1:5]
    host, _, port = at.partition(":")
    for shown in said_by(ADAPTERS[name], host, int(port)):
        send(address, os.environ["KESSA_KEY"], int(instrument), shown)


if __name__ == "__main__":
    main()
