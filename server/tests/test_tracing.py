"""Traces: what a collector gets from a real server, and that there are none unless the environment asks."""

from __future__ import annotations

import threading
from http.server import BaseHTTPRequestHandler, HTTPServer

import pytest
import requests
from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import ExportTraceServiceRequest
from opentelemetry.sdk.trace import TracerProvider
from opentelemetry.sdk.trace.export import SimpleSpanProcessor
from opentelemetry.sdk.trace.export.in_memory_span_exporter import InMemorySpanExporter
from placing import end, placed
from processes import RealServer, new_data
from waiting import until

from paddock_server.process import tracing

TRACE, CALLER = "0af7651916cd43dd8448eb211c80319c", "b7ad6b7169203331"


class Collector:
    """A collector of OpenTelemetry: what it received, span by span."""

    def __init__(self):
        self.spans, self.resources = [], []
        collector = self

        class Handler(BaseHTTPRequestHandler):
            def do_POST(self):
                body = self.rfile.read(int(self.headers["Content-Length"]))
                assert self.path == "/v1/traces"
                for group in ExportTraceServiceRequest.FromString(body).resource_spans:
                    collector.resources.append({one.key: one.value.string_value for one in group.resource.attributes})
                    collector.spans += [span for scope in group.scope_spans for span in scope.spans]
                self.send_response(200)
                self.end_headers()

            def log_message(self, *_):
                pass

        self._server = HTTPServer(("127.0.0.1", 0), Handler)
        self.url = f"http://127.0.0.1:{self._server.server_port}"
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def named(self, name):
        return [span for span in list(self.spans) if span.name == name]

    def stop(self):
        self._server.shutdown()
        self._server.server_close()


@pytest.fixture
def collector():
    made = Collector()
    yield made
    made.stop()


def attributes(span):
    return {one.key: one.value.string_value or one.value.int_value for one in span.attributes}


def test_a_collector_gets_requests_with_their_actions(tmp_path, collector):
    settings = {"OTEL_EXPORTER_OTLP_ENDPOINT": collector.url, "OTEL_BSP_SCHEDULE_DELAY": "50",
                "OTEL_RESOURCE_ATTRIBUTES": "deployment.environment=quay"}  # fmt: skip
    server = RealServer(tmp_path, settings=settings)
    try:
        token = {"Authorization": f"Bearer {new_data()[1]}", "traceparent": f"00-{TRACE}-{CALLER}-01"}
        server.make_pass()
        asked = requests.post(f"{server.url}/api/v1/passes/", json={"name": "x", "paddock": "shoreline"}, headers=token)
        assert asked.status_code == 201
        assert requests.get(f"{server.url}/api/v1/hosts/nowhere/", headers=token).status_code == 404
        until(lambda: collector.named("GET /api/v1/hosts/<str:name>/"), "the last request")
    finally:
        server.stop()
    assert collector.resources[0].items() >= {("service.name", "yellow-paddock"), ("deployment.environment", "quay")}
    (made,) = [span for span in collector.named("POST /api/v1/passes/") if span.trace_id.hex() == TRACE]
    assert made.parent_span_id.hex() == CALLER
    assert attributes(made)["http.response.status_code"] == 201
    assert attributes(made)["paddock.request"] == asked.headers["X-Request-Id"]
    (action,) = [span for span in collector.named("action make_pass") if span.trace_id.hex() == TRACE]
    assert action.parent_span_id == made.span_id
    (failed,) = [span for span in collector.named("GET /api/v1/hosts/<str:name>/") if span.trace_id.hex() == TRACE]
    assert attributes(failed)["http.response.status_code"] == 404
    assert collector.named("dispatch round")


@pytest.fixture
def kept():
    """Spans are kept instead of sent."""
    exporter, provider = InMemorySpanExporter(), TracerProvider()
    provider.add_span_processor(SimpleSpanProcessor(exporter))
    tracing.part(tracing._Tracing).tracer = provider.get_tracer("tests")
    return exporter.get_finished_spans


def test_an_attempt_is_a_span_of_its_own(operator, new_host, kept, django_capture_on_commit_callbacks):
    host = new_host()
    attempt = placed(operator, host)
    with django_capture_on_commit_callbacks(execute=True):
        end(host, attempt)
    (span,) = [span for span in kept() if span.name == "attempt"]
    assert (span.end_time - span.start_time) / 1e9 == pytest.approx(
        (attempt.ended_at - attempt.offered_at).total_seconds(), abs=1e-6
    )
    assert span.attributes["paddock.attempt"] == f"{attempt.job_id}-1"
    assert span.attributes["paddock.host"] == attempt.host.name
    assert span.parent is None


@pytest.mark.parametrize(
    ("variables", "is_wanted", "warns"),
    [
        ({}, False, ""),
        ({"OTEL_SERVICE_NAME": "quay"}, False, ""),
        ({"OTEL_TRACES_EXPORTER": "otlp"}, True, ""),
        ({"OTEL_EXPORTER_OTLP_TRACES_ENDPOINT": "http://127.0.0.1:9/v1/traces"}, True, ""),
        ({"OTEL_EXPORTER_OTLP_ENDPOINT": "http://127.0.0.1:9", "OTEL_SDK_DISABLED": "TRUE"}, False, ""),
        ({"OTEL_EXPORTER_OTLP_ENDPOINT": "http://127.0.0.1:9", "OTEL_TRACES_EXPORTER": "none"}, False, ""),
        ({"OTEL_TRACES_EXPORTER": "console"}, False, "knows otlp and none"),
        ({"OTEL_TRACES_EXPORTER": "otlp", "OTEL_EXPORTER_OTLP_PROTOCOL": "grpc"}, False, "by http/protobuf, not by"),
        ({"OTEL_EXPORTER_OTLP_PROTOCOL": "grpc"}, False, ""),
    ],
)
def test_the_standard_variables_decide(monkeypatch, caplog, variables, is_wanted, warns):
    for name, value in variables.items():
        monkeypatch.setenv(name, value)
    tracing.start_tracing("1.0")
    try:
        assert tracing.is_tracing() is is_wanted
        assert warns in caplog.text
        assert bool(warns) or "WARNING" not in caplog.text
    finally:
        tracing.stop_tracing()
    assert not tracing.is_tracing()
