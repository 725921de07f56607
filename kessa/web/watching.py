"""For who watches over the machines: is Kessa well, and how it does, in the format of Prometheus."""

import os
import time
from collections.abc import Callable

from django.conf import settings
from django.db import DatabaseError, connection
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.utils.crypto import constant_time_compare
from django.views.decorators.http import require_GET
from prometheus_client import CONTENT_TYPE_LATEST, CollectorRegistry, Gauge, Histogram, generate_latest
from prometheus_client.multiprocess import MultiProcessCollector, mark_process_dead

from kessa.record.people.access import TeamRequest, anyone

_SECONDS = Histogram(
    "kessa_request_seconds", "Time of requests, by page and kind of answer", ["page", "answer"],
    buckets=(0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5),
)  # fmt: skip
_JOBS = "SELECT status::text, count(*) FROM procrastinate_jobs WHERE status IN ('todo', 'doing', 'failed') GROUP BY 1"
# What was to be done at once is due since it was handed on.
_OLDEST = (
    "SELECT COALESCE(EXTRACT(EPOCH FROM now() - min(COALESCE(job.scheduled_at, event.at))), 0) "
    "FROM procrastinate_jobs job LEFT JOIN procrastinate_events event ON event.job_id = job.id "
    "AND event.type = 'deferred' WHERE job.status = 'todo' AND COALESCE(job.scheduled_at, now()) <= now()"
)
_LOOKED = (
    "SELECT COALESCE(EXTRACT(EPOCH FROM now() - max(event.at)), 0) FROM procrastinate_jobs job "
    "JOIN procrastinate_events event ON event.job_id = job.id AND event.type = 'succeeded' "
    "WHERE job.task_name = 'notices.look'"
)
_ROWS = (
    "SELECT relname, GREATEST(reltuples, 0) FROM pg_class WHERE relname IN ('log_result', 'taps_tap', 'visits_visit')"
)
_SIZE = "SELECT pg_database_size(current_database())"


class TimedMiddleware:
    """Notes how long each request took, by the name of its page: never by its address, which may name somebody."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: TeamRequest) -> HttpResponse:
        """Answer the request, and note it."""
        began = time.perf_counter()
        answer = self.get_response(request)
        match = request.resolver_match
        page = match.view_name if match else "none"
        _SECONDS.labels(page, f"{answer.status_code // 100}xx").observe(time.perf_counter() - began)
        return answer


@anyone
@require_GET
def health(request: TeamRequest) -> JsonResponse:
    """Whether this process answers and reaches its database; 503 where it does not."""
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
    except DatabaseError:
        return JsonResponse({"ok": False, "database": "not reached"}, status=503)
    return JsonResponse({"ok": True, "database": "reached"})


@anyone
@require_GET
def metrics(request: TeamRequest) -> HttpResponse:
    """How Kessa does: times of requests of every process, what waits for the worker, rows, size of the database.

    Only for who sends KESSA_METRICS_KEY as a bearer; without one set there is no such page.
    """
    key = settings.METRICS_KEY
    if not key:
        raise Http404
    sent = request.headers.get("Authorization", "").removeprefix("Bearer ")
    if not constant_time_compare(sent, key):
        return HttpResponse("Send the key.", status=401, content_type="text/plain; charset=utf-8")
    registry = CollectorRegistry()
    if os.environ.get("PROMETHEUS_MULTIPROC_DIR"):
        MultiProcessCollector(registry)  # type: ignore[no-untyped-call]
    else:
        registry.register(_SECONDS)
    _of_database(registry)
    return HttpResponse(generate_latest(registry), content_type=CONTENT_TYPE_LATEST)


def _of_database(registry: CollectorRegistry) -> None:
    jobs = Gauge("kessa_jobs", "What the worker has to do, does, and could not do", ["status"], registry=registry)
    waits = Gauge("kessa_jobs_wait_seconds", "How long the oldest has waited that is due", registry=registry)
    looked = Gauge("kessa_alarm_seconds", "How long ago it was last looked who has not come back", registry=registry)
    rows = Gauge("kessa_rows", "Rows, about", ["table"], registry=registry)
    size = Gauge("kessa_database_bytes", "Size of the database", registry=registry)
    with connection.cursor() as cursor:
        for gauge, statement in ((jobs, _JOBS), (rows, _ROWS)):
            cursor.execute(statement)
            for label, value in cursor.fetchall():
                gauge.labels(label).set(float(value))
        for gauge, statement in ((waits, _OLDEST), (looked, _LOOKED), (size, _SIZE)):
            cursor.execute(statement)
            gauge.set(float(cursor.fetchone()[0]))


def process_ended(pid: int) -> None:
    """Let the figures of a process that has ended stand as they are."""
    if os.environ.get("PROMETHEUS_MULTIPROC_DIR"):
        mark_process_dead(pid)  # type: ignore[no-untyped-call]
