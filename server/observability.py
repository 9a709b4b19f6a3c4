"""For whoever looks after the server: whether it is well, its numbers, and logs in which one
request can be followed."""

from __future__ import annotations

import logging
import re
import time
import uuid

from django.conf import settings
from django.db import connection
from django.db.models import Count, Min
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.utils import timezone
from django.utils.crypto import constant_time_compare
from prometheus_client import REGISTRY, Counter, Histogram, generate_latest
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.registry import Collector

from server.access import Answer
from server.logs import request_name
from server.workshop.models import Job, Project
from server.workshop.store import shared

logger = logging.getLogger("ektopos.requests")
METHODS = {"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"}
_IDENTIFIER = re.compile(r"[\w.-]{1,80}")
REQUESTS = Counter("ektopos_requests", "Requests that were answered.", ["method", "status"])
SECONDS = Histogram(
    "ektopos_request_seconds",
    "How long they took.",
    ["method"],
    buckets=(0.01, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30),
)


def followed(get_response: Answer) -> Answer:
    """Give each request a name, the caller's own or a new one, say it in the answer, and log what
    became of it. Whoever looks after the server asks by any name that leads here, and without
    logging in: those questions are answered before all else is asked."""

    def answer(request: HttpRequest) -> HttpResponse:
        given = request.headers.get("X-Request-ID", "")
        name = given if _IDENTIFIER.fullmatch(given) else uuid.uuid4().hex
        token = request_name.set(name)
        began = time.perf_counter()
        try:
            view = HEALTH.get(request.path)
            response = get_response(request) if view is None else view(request)
            took = time.perf_counter() - began
            response["X-Request-ID"] = name
            # Whatever somebody calls a method, it is counted once.
            method = request.method if request.method in METHODS else "other"
            REQUESTS.labels(method, response.status_code).inc()
            SECONDS.labels(method).observe(took)
            logger.info(
                "%s %s %s",
                request.method,
                request.path[:300],
                response.status_code,
                extra={"status": response.status_code, "milliseconds": round(1000 * took, 1)},
            )
            return response
        finally:
            request_name.reset(token)

    return answer


class _Numbers(Collector):
    """What the database knows, counted when it is asked for."""

    def describe(self) -> list[GaugeMetricFamily]:
        """Nothing is asked when it is registered."""
        return []

    def collect(self) -> list[GaugeMetricFamily]:
        """The present numbers."""
        jobs = GaugeMetricFamily("ektopos_jobs", "Jobs by state.", labels=["state"])
        counted = dict(Job.objects.order_by().values_list("state").annotate(Count("pk")))
        for state in Job.State.values:
            jobs.add_metric([state], counted.get(state, 0))
        oldest = Job.objects.filter(state=Job.State.WAITING).aggregate(Min("made"))["made__min"]
        waits = (timezone.now() - oldest).total_seconds() if oldest else 0.0
        return [
            jobs,
            GaugeMetricFamily(
                "ektopos_job_waits_seconds", "How long the oldest job has waited.", value=waits
            ),
            GaugeMetricFamily("ektopos_projects", "Projects.", value=Project.objects.count()),
        ]


REGISTRY.register(_Numbers())


def live(request: HttpRequest) -> HttpResponse:
    """The process answers."""
    return JsonResponse({"live": True})


def ready(request: HttpRequest) -> HttpResponse:
    """Everything that it needs answers too; otherwise what does not (503)."""
    problems = {}
    for name, look in (("database", _database), ("store", _store), ("queue", _queue)):
        try:
            look()
        except Exception as problem:
            logger.warning("%s does not answer", name, exc_info=problem)
            problems[name] = type(problem).__name__
    return JsonResponse(
        {"ready": not problems, "problems": problems}, status=503 if problems else 200
    )


def metrics(request: HttpRequest) -> HttpResponse:
    """The numbers as Prometheus reads them, for whoever knows their token."""
    wanted = settings.METRICS_TOKEN
    given = request.headers.get("Authorization", "").removeprefix("Bearer ")
    if not wanted or not constant_time_compare(given, wanted):
        return HttpResponse("Set EKTOPOS_METRICS_TOKEN, and send it.\n", "text/plain", 404)
    return HttpResponse(generate_latest(), "text/plain; version=0.0.4; charset=utf-8")


def _database() -> None:
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")


def _store() -> None:
    store = shared()
    if store is not None:
        store.exists("ready")


def _queue() -> None:
    if settings.TASKS_BY == "rq":
        import django_rq

        django_rq.get_connection("default").ping()


HEALTH = {"/health/live": live, "/health/ready": ready, "/health/metrics": metrics}
