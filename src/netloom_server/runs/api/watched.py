"""Alive, ready, and measures in the OpenMetrics text format."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse, JsonResponse
from prometheus_client import CollectorRegistry
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest
from prometheus_client.registry import Collector
from rest_framework.request import Request
from rest_framework.views import APIView

from netloom_server.host.watched import measures, not_ready


def alive(request: HttpRequest) -> JsonResponse:
    """That the process answers at all."""
    return JsonResponse({"state": "alive"})


def ready(request: HttpRequest) -> JsonResponse:
    """Whether it can do its work: write its records, and carry out what it is told."""
    troubles = not_ready()
    told = {"state": "not ready" if troubles else "ready", "troubles": troubles}
    return JsonResponse(told, status=503 if troubles else 200)


class Gauges(Collector):
    def collect(self) -> list[GaugeMetricFamily]:
        return [GaugeMetricFamily(name, told, value=value) for name, (told, value) in measures().items()]


class MetricsView(APIView):
    """For those signed in, and for tokens of any role."""

    schema = None

    def get(self, request: Request) -> HttpResponse:
        registry = CollectorRegistry()
        registry.register(Gauges())
        return HttpResponse(generate_latest(registry), content_type=CONTENT_TYPE_LATEST)
