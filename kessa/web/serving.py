"""How gunicorn serves real data: `gunicorn --config kessa/web/serving.py kessa.web.wsgi`."""

import os
from typing import Any

bind = os.environ.get("BIND", "127.0.0.1:8000")
workers = int(os.environ.get("WORKERS", "3"))
threads = 4
# What is written on the disk is for nobody else to read.
umask = 0o077
max_requests, max_requests_jitter = 5000, 500
# A worker whose process no longer answers at all is started anew; a single request ends by itself long before.
timeout = 30
accesslog = "-"
# Who asked, and by what browser, is nobody's business afterwards.
access_log_format = "%(m)s %(U)s %(s)s %(M)s ms"
# Nobody manages it while it runs: systemd starts and stops it.
control_socket_disable = True
logconfig_dict = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"discreet": {"()": "kessa.web.logs.Discreet"}},
    "formatters": {"plain": {"()": "kessa.web.logs.formatter"}},
    "handlers": {
        "plain": {"class": "logging.StreamHandler", "filters": ["discreet"], "formatter": "plain"},
    },
    "loggers": {
        "gunicorn.access": {"handlers": ["plain"], "level": "INFO", "propagate": False},
        "gunicorn.error": {"handlers": ["plain"], "level": "INFO", "propagate": False},
    },
    "root": {"handlers": ["plain"], "level": "WARNING"},
}


def child_exit(server: Any, worker: Any) -> None:
    """Let the figures of a worker that has ended stand."""
    from kessa.web.watching import process_ended  # noqa: PLC0415 # settings are there only now

    process_ended(worker.pid)
