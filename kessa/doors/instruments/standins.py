"""Simulated instruments, to try how real ones are taken in: they speak over a socket, or write memory files.

python -m kessa.doors.instruments.standins photometer --port 9301      speaks on 127.0.0.1, a line every few seconds
python -m kessa.doors.instruments.standins logger --file memory.csv    writes what it remembers, and ends
"""

from __future__ import annotations

import argparse
import random
import socketserver
import sys
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

from kessa.core.derived.oxygen import oxygen_saturation


def _photometer(chance: random.Random, at: datetime) -> str:
    shows = chance.gauss(2.1, 0.05)
    return f"NITRATE;{at.isoformat(timespec='seconds')};{'over' if chance.random() < 0.05 else f'{shows:.2f}'};mg/L"


def _conductivity(chance: random.Random, at: datetime) -> str:
    return f"COND {chance.gauss(512, 2):.0f} uS/cm {chance.gauss(14, 0.1):.1f} C"


def _ph(chance: random.Random, at: datetime) -> str:
    ph = chance.gauss(7.42, 0.02)
    return f"pH={ph:.2f} mV={(7 - ph) * 57.2:.1f} T={chance.gauss(14, 0.1):.1f}"


def _oxygen(chance: random.Random, at: datetime) -> str:
    warm, part = chance.gauss(14, 0.1), chance.gauss(94, 0.4)
    return f"DO,{oxygen_saturation(warm) * part / 100:.2f},mg/L,{part:.1f},%,{warm:.1f},degC"


def _logger(chance: random.Random, at: datetime) -> str:
    return f"{at.isoformat(timespec='seconds')},{12 + 2 * chance.random():.2f}"


def _balance(chance: random.Random, at: datetime) -> str:
    return f"{'ST' if chance.random() < 0.8 else 'US'}      {chance.gauss(1.02, 0.01):.4f} g"


Says = Callable[[random.Random, datetime], str]
# What each says, how often (s), and the heading of its memory.
STANDINS: dict[str, tuple[Says, float, str]] = {
    "photometer": (_photometer, 5.0, "# photometer memory"),
    "conductivity": (_conductivity, 1.0, "READY"),
    "ph": (_ph, 3.0, ""),
    "oxygen": (_oxygen, 2.0, ""),
    "logger": (_logger, 10.0, "time,degC"),
    "balance": (_balance, 2.0, ""),
}


def memory(name: str, lines: int, seed: int = 1, until: datetime | None = None) -> str:
    """Return the memory of an instrument: so many readings, a quarter of an hour apart, the last just now."""
    says, _, heading = STANDINS[name]
    chance, last = random.Random(seed), until or datetime.now(UTC)  # noqa: S311 # made-up readings
    moments = (last - timedelta(minutes=15 * (lines - 1 - n)) for n in range(lines))
    return "\n".join([*([heading] if heading else []), *(says(chance, at) for at in moments)]) + "\n"


def serve(name: str, port: int, every: float | None = None) -> socketserver.ThreadingTCPServer:
    """Return a server that speaks as an instrument does, on the loopback alone; port 0 takes a free one."""
    says, seconds, heading = STANDINS[name]

    class Speaker(socketserver.StreamRequestHandler):
        def handle(self) -> None:
            chance = random.Random()  # noqa: S311 # made-up readings
            try:
                if heading:
                    self.wfile.write(f"{heading}\n".encode())
                while True:
                    self.wfile.write(f"{says(chance, datetime.now(UTC))}\n".encode())
                    time.sleep(every or seconds)
            except OSError:
                return

    server = socketserver.ThreadingTCPServer(("127.0.0.1", port), Speaker, bind_and_activate=False)
    server.allow_reuse_address = server.daemon_threads = True
    server.server_bind()
    server.server_activate()
    return server


def main() -> None:
    """Speak, or write a memory file."""
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("name", choices=STANDINS)
    asked.add_argument("--port", type=int, default=9301)
    asked.add_argument("--file", type=Path)
    asked.add_argument("--lines", type=int, default=96)
    given = asked.parse_args()
    if given.file:
        given.file.write_text(memory(given.name, given.lines), encoding="utf-8")
        return
    with serve(given.name, given.port) as server:
        sys.stdout.write(f"{given.name} speaks on 127.0.0.1:{given.port}\n")
        sys.stdout.flush()
        server.serve_forever()


if __name__ == "__main__":
    main()
