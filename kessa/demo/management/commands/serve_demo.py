"""Bring the demo up: tables, world, styles, server, all in one process, so that it starts in a moment."""

import os
import socket
import sys
from hashlib import sha256
from pathlib import Path
from subprocess import Popen
from typing import Any

from django.conf import settings
from django.contrib.staticfiles.finders import get_finders
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser
from django.core.wsgi import get_wsgi_application
from django.db import connections
from gunicorn.app.base import BaseApplication

_HELLO = """
  Kessa is at http://127.0.0.1:{port}/

  On the sign-in page one tap signs you in as one of the demo's made-up people:
    Ines, coordinator · Per and Maud, technicians · Olek and Sanna, volunteers
  or type a name in small letters, such as olek, with the password "white tile".
  Ctrl-C stops the server and the database.
"""


class _Server(BaseApplication):
    """Gunicorn, with the application loaded once for every worker."""

    def __init__(self, application: Any, settings: dict[str, Any]) -> None:
        self.application, self.settings = application, settings
        super().__init__()

    def load_config(self) -> None:
        """Take the settings."""
        for name, value in self.settings.items():
            self.cfg.set(name, value)

    def load(self) -> Any:
        """Hand over the application."""
        return self.application


class Command(BaseCommand):
    """Serves the demo on loopback."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the port that is wanted."""
        parser.add_argument("port", type=int)

    def handle(self, *args: Any, **options: Any) -> None:
        """Bring it up, and serve until it is stopped."""
        self.say("looking at the world that is there")
        call_command("check_world")
        self.say("bringing the tables up to date")
        call_command("migrate_once", verbosity=0)
        self.say("loading the demo world")
        call_command("load_demo")
        self.say("collecting styles and scripts")
        _collect()
        port = _free_port(options["port"])
        if port != options["port"]:
            self.say(f"port {options['port']} is in use, taking {port}")
        # What is open here is not for the workers.
        connections.close_all()
        hello = _HELLO.format(port=port)
        served: dict[str, Any] = {
            "bind": f"127.0.0.1:{port}",
            "workers": 2,
            "threads": 4,
            "loglevel": "warning",
            "umask": 0o077,
        }
        served |= {"preload_app": True, "control_socket_disable": True}
        served["when_ready"] = lambda _: print(hello, flush=True)
        # What is sent and looked at now and then is a worker's, in a process of its own.
        patient = os.environ | {"KESSA_STATEMENT_TIMEOUT": "10min"}
        worker = Popen(
            [sys.executable, "manage.py", "procrastinate", "worker", "--concurrency", "3"],
            cwd=settings.ROOT,
            env=patient,
        )
        try:
            _Server(get_wsgi_application(), served).run()
        finally:
            worker.terminate()

    def say(self, step: str) -> None:
        """Say what is being done."""
        self.stdout.write(f"kessa: {step}")
        self.stdout.flush()


def _collect() -> None:
    """Collect styles and scripts, unless they are those that were collected last."""
    files = [Path(storage.path(path)) for finder in get_finders() for path, storage in finder.list([])]
    given = repr(sorted((str(path), path.stat().st_mtime_ns, path.stat().st_size) for path in files))
    digest = sha256(given.encode()).hexdigest()
    last = Path(settings.STATIC_ROOT) / "collected"
    if not last.exists() or last.read_text() != digest:
        call_command("collectstatic", interactive=False, verbosity=0)
        last.write_text(digest)


def _free_port(wanted: int) -> int:
    for port in (*range(wanted, wanted + 50), 0):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return int(probe.getsockname()[1])
    return wanted
