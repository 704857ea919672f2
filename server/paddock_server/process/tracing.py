"""Traces for a collector of OpenTelemetry, by its standard environment variables; off unless one of them asks for it.

https://opentelemetry.io/docs/specs/otel/configuration/sdk-environment-variables/
"""

from __future__ import annotations

import contextlib
import logging
import os
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import TYPE_CHECKING, Any

from .state import part

if TYPE_CHECKING:
    from opentelemetry.sdk.trace import TracerProvider
    from opentelemetry.trace import Span, Tracer

ENDPOINTS = ("OTEL_EXPORTER_OTLP_TRACES_ENDPOINT", "OTEL_EXPORTER_OTLP_ENDPOINT")
PROTOCOLS = ("OTEL_EXPORTER_OTLP_TRACES_PROTOCOL", "OTEL_EXPORTER_OTLP_PROTOCOL")
OWN_PROTOCOL = "http/protobuf"
log = logging.getLogger("paddock.server")

Attributes = Mapping[str, str | int | float | bool]


@dataclass
class _Tracing:
    provider: TracerProvider | None = None
    tracer: Tracer | None = None


def start_tracing(version: str) -> None:
    """Starts it where the environment asks for it. ``version`` is this program's."""
    if not _is_wanted():
        return
    # Loaded only now: it takes a while, and most servers have no collector.
    from opentelemetry.exporter.otlp.proto.http.trace_exporter import OTLPSpanExporter
    from opentelemetry.sdk.resources import Resource
    from opentelemetry.sdk.trace import TracerProvider
    from opentelemetry.sdk.trace.export import BatchSpanProcessor

    own = {"service.version": version} | ({} if _has_own_name() else {"service.name": "yellow-paddock"})
    provider = TracerProvider(resource=Resource.create(own))
    provider.add_span_processor(BatchSpanProcessor(OTLPSpanExporter()))
    tracing = part(_Tracing)
    tracing.provider, tracing.tracer = provider, provider.get_tracer("paddock_server", version)
    log.info("The server sends traces to the collector of the OTEL_ variables.")


def stop_tracing() -> None:
    """Sends what is left."""
    tracing = part(_Tracing)
    if tracing.provider is not None:
        tracing.provider.shutdown()
    tracing.provider = tracing.tracer = None


def _has_own_name() -> bool:
    """Whether the environment names the service."""
    return "OTEL_SERVICE_NAME" in os.environ or "service.name=" in os.environ.get("OTEL_RESOURCE_ATTRIBUTES", "")


def _is_wanted() -> bool:
    if os.environ.get("OTEL_SDK_DISABLED", "").lower() == "true":
        return False
    exporter = os.environ.get("OTEL_TRACES_EXPORTER", "").strip()
    if exporter not in ("", "otlp"):
        if exporter != "none":
            log.warning("OTEL_TRACES_EXPORTER is %.40r. The server knows otlp and none. It sends no traces.", exporter)
        return False
    protocol = next((os.environ[name] for name in PROTOCOLS if os.environ.get(name)), OWN_PROTOCOL)
    is_wanted = exporter == "otlp" or any(os.environ.get(name) for name in ENDPOINTS)
    if is_wanted and protocol != OWN_PROTOCOL:
        log.warning("The server sends traces by %s, not by %.40r. It sends none.", OWN_PROTOCOL, protocol)
        return False
    return is_wanted


def is_tracing() -> bool:
    """Whether spans go anywhere."""
    return part(_Tracing).tracer is not None


@contextlib.contextmanager
def span(name: str, attributes: Attributes | None = None) -> Iterator[None]:
    """A span within the current one; nothing where traces are off."""
    tracer = part(_Tracing).tracer
    if tracer is None:
        yield
        return
    with tracer.start_as_current_span(name, attributes=attributes):
        yield


@contextlib.contextmanager
def request_span(name: str, headers: Mapping[str, str], attributes: Attributes) -> Iterator[Span]:
    """The span of a request, below the caller's as its ``traceparent`` names it (W3C Trace Context). Only while traces
    are on."""
    from opentelemetry.trace import SpanKind
    from opentelemetry.trace.propagation.tracecontext import TraceContextTextMapPropagator

    tracer = part(_Tracing).tracer
    assert tracer is not None
    caller = TraceContextTextMapPropagator().extract(dict(headers))
    with tracer.start_as_current_span(name, caller, SpanKind.SERVER, attributes) as made:
        yield made


def mark_failed(made: Any, detail: str) -> None:
    """Says in a span that it ended in an error of the server."""
    from opentelemetry.trace import Status, StatusCode

    made.set_status(Status(StatusCode.ERROR, detail))


def note_span(name: str, started_at: datetime, ended_at: datetime, attributes: Attributes) -> None:
    """A span of its own for something that is over."""
    from opentelemetry.context import Context

    tracer = part(_Tracing).tracer
    if tracer is None:
        return
    made = tracer.start_span(name, Context(), attributes=attributes, start_time=_nanoseconds(started_at))
    made.end(_nanoseconds(ended_at))


def _nanoseconds(moment: datetime) -> int:
    return int(moment.timestamp() * 1e9)
