"""Brings what an instrument says over a socket into Kessa, by its key.

    KESSA_KEY=kessa_… python -m kessa.doors.instruments.bridge photometer 127.0.0.1:9301 https://kessa.example/ 7

`7` is the instrument's number, as its page says. What it shows is listened to all the while and waits here until Kessa
takes it, each reading with the time at which it came; what could not be sent is sent again, and twice is harmless.
"""

from __future__ import annotations

import json
import os
import socket
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from datetime import UTC, datetime
from queue import SimpleQueue
from threading import Thread
from typing import Any

from kessa.core.adapters import ADAPTERS
from kessa.core.adapters.adapter import Adapter
from kessa.core.errors import CannotCompute

_WAIT, _LONGEST_WAIT, _AT_ONCE = 0.5, 30.0, 200
_CONNECTS_WITHIN = 20.0


def said_by(adapter: type[Adapter], host: str, port: int) -> Iterator[dict[str, Any]]:
    """Give what an instrument shows, as the API takes it; what is not understood is told on standard error.

    It may be silent for as long as it likes: many speak only when a key is pressed.
    """
    with socket.create_connection((host, port), timeout=_CONNECTS_WITHIN) as line:
        line.settimeout(None)
        with line.makefile("r", encoding="utf-8", errors="replace") as lines:
            for each in lines:
                try:
                    shown = adapter.read_checked(each)
                except CannotCompute as fault:
                    sys.stderr.write(f"{fault.message}\n")
                    continue
                if shown:
                    at = shown.at or datetime.now(UTC)
                    yield {**shown._asdict(), "at": at.isoformat()}


def listen(adapter: type[Adapter], host: str, port: int, heard: SimpleQueue[dict[str, Any]]) -> None:
    """Note what an instrument shows, for ever: a connection that breaks is made again."""
    wait = _WAIT
    while True:
        try:
            for shown in said_by(adapter, host, port):
                heard.put(shown)
                wait = _WAIT
        except OSError as fault:
            sys.stderr.write(f"The instrument cannot be reached, and is tried again: {fault}\n")
        time.sleep(wait)
        wait = min(wait * 2, _LONGEST_WAIT)


def waiting(heard: SimpleQueue[dict[str, Any]]) -> list[dict[str, Any]]:
    """Return what waits, as much as goes at once; waits for the first."""
    found = [heard.get()]
    while len(found) < _AT_ONCE and not heard.empty():
        found.append(heard.get())
    return found


def send(address: str, key: str, instrument: int, shown: list[dict[str, Any]]) -> None:
    """Send readings until they are taken; where they are refused together, each by itself."""
    body = json.dumps(shown).encode()
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
            if refused.code not in (429, 500, 502, 503, 504):
                for each in shown if refused.code == 422 and len(shown) > 1 else ():
                    send(address, key, instrument, [each])
                return
        except OSError as fault:
            sys.stderr.write(f"Not sent, and tried again: {fault}\n")
        time.sleep(wait)
        wait = min(wait * 2, _LONGEST_WAIT)


def main() -> None:
    """Bring in what an instrument says, as long as this runs."""
    name, at, address, instrument = sys.argv[1:5]
    host, _, port = at.partition(":")
    heard: SimpleQueue[dict[str, Any]] = SimpleQueue()
    Thread(target=listen, args=(ADAPTERS[name], host, int(port), heard), daemon=True).start()
    while True:
        send(address, os.environ["KESSA_KEY"], int(instrument), waiting(heard))


if __name__ == "__main__":
    main()
