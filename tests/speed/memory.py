"""By how much a worker grows over very many requests: see bin/speed."""

import http.client
import re
from itertools import cycle, islice
from pathlib import Path

from django.test import Client

from tests.speed.browser import served

_FIRST, _MANY, _KINDS = 3_000, 20_000, 400
_LINK = re.compile(rb'(?:href|hx-get)="(/[^"#]*)')
# What leaves, signs out, or is no page of the team's.
_NOT = re.compile(r"/(static|accounts|exchange/out|rules/own/.*toml)|\.(csv|pdf|zip|xlsx|ics|png)|logout")


def grown(by):
    """Return by how many hundredths the memory of a worker grows over 20,000 requests, after the first 3,000.

    They are for all that links lead to from Today.
    """
    client = Client()
    client.force_login(by.user)
    cookie = {"Cookie": f"sessionid={client.cookies['sessionid'].value}"}
    with served() as address:
        line = http.client.HTTPConnection(address.removeprefix("http://"), timeout=30)

        def ask(path):
            line.request("GET", path, headers=cookie)
            answer = line.getresponse()
            return answer.read() if answer.status == 200 else answer.read()[:0]

        addresses, seen = ["/today/"], {"/today/"}
        for path in addresses:
            found = {each.decode().replace("&amp;", "&") for each in _LINK.findall(ask(path))}
            new = [each for each in sorted(found - seen) if not _NOT.search(each)]
            seen.update(new)
            addresses += new[: max(_KINDS - len(addresses), 0)]
        begun = _held_after(ask, addresses, _FIRST, address)
        return (_held_after(ask, addresses, _MANY, address) / begun - 1) * 100


def _held_after(ask, addresses, many, address):
    for path in islice(cycle(addresses), many):
        ask(path)
    return max(_held_by(each) for each in _processes(address.rpartition(":")[2]))


def _processes(port):
    """Return the folders of the processes that serve at a port, of which the worker is the largest."""
    for folder in Path("/proc").glob("[0-9]*"):
        try:
            if f"127.0.0.1:{port}".encode() in (folder / "cmdline").read_bytes():
                yield folder
        except OSError:
            continue


def _held_by(folder):
    return int(re.search(r"VmRSS:\s*(\d+)", (folder / "status").read_text())[1])
