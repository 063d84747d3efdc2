"""What a Prometheus server reads of Emblar: requests by route, and how database and worker are."""

import logging
import os
import time
from collections.abc import Iterator

from prometheus_client import CollectorRegistry, Counter, Histogram, generate_latest
from prometheus_client.core import GaugeMetricFamily, Metric
from prometheus_client.multiprocess import MultiProcessCollector
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from emblar.platform.logs import REQUESTS
from emblar.platform.settings import COUNTS_FOLDER
from emblar.steps.health.actions import health

log = logging.getLogger(REQUESTS)
CONTENT_TYPE = "text/plain; version=0.0.4; charset=utf-8"
BUCKETS_S = (0.02, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 5.0, 10.0)


class HealthGauges:
    """Gauges that are read from the database when somebody asks."""

    def collect(self) -> Iterator[Metric]:
        """Yield the gauges."""
        current = health()
        rows = {
            "emblar_database_up": ("Whether the database answers.", float(current.database)),
            "emblar_workers": (
                "Workers that gave a sign of life just now.",
                float(current.workers),
            ),
            "emblar_jobs_waiting": ("Jobs that wait for a worker.", float(current.waiting)),
            "emblar_jobs_running": ("Jobs that a worker is at.", float(current.running)),
            "emblar_jobs_failed": ("Jobs that failed for good.", float(current.failed)),
        }
        for name, (says, value) in rows.items():
            yield GaugeMetricFamily(name, says, value)


class Metrics:
    """The numbers of one application."""

    def __init__(self) -> None:
        self.registry = CollectorRegistry()
        self.registry.register(HealthGauges())
        labels = ("method", "route", "status")
        self.requests = Counter(
            "emblar_requests", "Requests answered.", labels, registry=self.registry
        )
        self.seconds = Histogram(
            "emblar_request_seconds",
            "Time to the end of the answer.",
            ("method", "route"),
            registry=self.registry,
            buckets=BUCKETS_S,
        )

    def text(self) -> bytes:
        """Return everything in the exposition format; where several processes answer, of all."""
        if COUNTS_FOLDER not in os.environ:
            return generate_latest(self.registry)
        together = CollectorRegistry()
        MultiProcessCollector(together)  # type: ignore[no-untyped-call]
        together.register(HealthGauges())
        return generate_latest(together)


class RequestMetrics:
    """ASGI middleware: counts requests and their time, by route and not by address."""

    def __init__(self, app: ASGIApp, metrics: Metrics) -> None:
        self.app, self.metrics = app, metrics

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Handle one request."""
        if scope["type"] != "http" or scope["path"].startswith("/static/"):
            await self.app(scope, receive, send)
            return
        status, began = "500", time.perf_counter()

        async def noted(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = str(message["status"])
            await send(message)

        try:
            await self.app(scope, receive, noted)
        finally:
            # An address that leads nowhere is one row, not as many as somebody tries.
            route = getattr(scope.get("route"), "path", "none")
            method = scope["method"] if scope["method"] in METHODS else "other"
            took = time.perf_counter() - began
            self.metrics.requests.labels(method, route, status).inc()
            self.metrics.seconds.labels(method, route).observe(took)
            # Never the address itself: it may hold what opens a door.
            user = scope.get("state", {}).get("entered")
            account = user.account.name if user else None
            known = {
                "method": method,
                "route": route,
                "status": int(status),
                "account": account,
                "seconds": round(took, 4),
            }
            log.info("request", extra=known)


METHODS = frozenset({"GET", "HEAD", "POST"})
