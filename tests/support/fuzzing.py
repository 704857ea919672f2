"""Unusual calls of the API: made from its schema, by people of every role, in a world with two paddocks
that the calls themselves change. No answer may be a fault, and every answer has to be one that the schema describes."""

from __future__ import annotations

import contextlib
import json
import random
import re
from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import requests
import schemathesis
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis.errors import Unsatisfiable
from rest_framework.test import APIClient
from schemathesis import Case, GenerationMode, Response
from schemathesis.checks import CHECKS
from schemathesis.core.failures import Failure, FailureGroup

SCHEMA = Path(__file__).parents[2] / "web" / "openapi.json"
CHECKED = ("not_a_server_error", "status_code_conformance", "content_type_conformance", "response_schema_conformance")
KNOWN_IDS = 0.7
"""How often what stands in the path is of something that is there."""
MAX_KEPT = 200
REMAKE_INTERVAL = 1500
"""Calls after which the world is made again: by then most of it has been retired, removed or held."""
DRAWN_TOGETHER = 40

ODD: dict[str, list[Any]] = {
    "str": [
        "",
        " ",
        "\x00",
        "\x98x",
        "\u202eabc",
        "9" * 30,
        "x" * 3000,
        "1.9999999999999999999",
        "../..",
        "<b>",
        "%00",
    ],
    "int": [0, -1, 2**31, 2**63 - 1, 2**63, -(2**63) - 1, 10**40],
}
"""What is put in the place of other values now and then."""


@dataclass
class Fuzzer:
    """``make_world`` makes the world, and returns people by name; with names and numbers of what is there, by
    kind as ``_kind`` has it."""

    make_world: Callable[[], tuple[dict[str, APIClient], dict[str, list[Any]]]]
    chance: random.Random
    calls: int = 0
    faults: dict[str, str] = field(default_factory=dict)
    statuses: dict[int, int] = field(default_factory=lambda: defaultdict(int))

    def run(self, calls: int) -> None:
        """Makes about so many calls, the same number at each operation."""
        schema = schemathesis.openapi.from_path(str(SCHEMA))
        operations = [one.ok() for one in schema.get_all_operations()]
        self._people, self._seen = self.make_world()
        made_at = self.calls
        wanted = max(1, calls // len(operations))
        while self.calls < calls:
            for operation in operations:
                for case in self._cases(operation, min(wanted, DRAWN_TOGETHER)):
                    self._call(case)
                    if self.calls - made_at >= REMAKE_INTERVAL:
                        made_at = self.calls
                        self._people, self._seen = self.make_world()

    def _cases(self, operation: Any, number: int) -> list[Case]:
        drawn: list[Case] = []
        for mode in (GenerationMode.POSITIVE, GenerationMode.NEGATIVE):

            @seed(self.chance.getrandbits(64))
            @settings(
                max_examples=max(1, number // 2),
                phases=[Phase.generate],
                database=None,
                deadline=None,
                suppress_health_check=list(HealthCheck),
            )
            @given(operation.as_strategy(generation_mode=mode))
            def draw(case: Case) -> None:
                drawn.append(case)

            # Some operations have no wrong case.
            with contextlib.suppress(Unsatisfiable):
                draw()
        return drawn

    def _call(self, case: Case) -> None:
        name = self.chance.choice(list(self._people))
        self._lead_to_something(case)
        body = case.body if isinstance(case.body, dict | list) else None
        if body is not None and self.chance.random() < 0.3:
            case.body = self._with_something_odd(body)
        client = self._people[name]
        sent = case.as_transport_kwargs(base_url="http://testserver")
        request = requests.Request(
            sent["method"], sent["url"], params=sent.get("params"), json=sent.get("json"), data=sent.get("data")
        ).prepare()
        path = request.path_url
        answer = client.generic(
            request.method or "GET",
            path,
            request.body or b"",
            content_type=request.headers.get("Content-Type", "application/octet-stream"),
        )
        self.calls += 1
        self.statuses[answer.status_code] += 1
        response = _answered(answer, request)
        self._note(case, response, name, path, request.body)
        if answer.status_code < 300:
            self._learn(case, response)

    def _note(self, case: Case, response: Response, name: str, path: str, body: Any) -> None:
        try:
            case.validate_response(response, checks=[check for one in CHECKED for check in CHECKS.get_by_names([one])])
        except (FailureGroup, Failure) as failed:
            kind = f"{case.method} {case.operation.path} {response.status_code}"
            answer = (
                f"{name}: {case.method} {path} {body!r:.600} -> {response.status_code} {response.text[:600]} {failed}"
            )
            self.faults.setdefault(kind, answer[:3000])

    def _lead_to_something(self, case: Case) -> None:
        for key in list(case.path_parameters or {}):
            known = self._seen.get(_kind(case.operation.path, key)) or []
            if known and self.chance.random() < KNOWN_IDS:
                case.path_parameters[key] = self.chance.choice(known)
            elif self.chance.random() < 0.2:
                case.path_parameters[key] = self.chance.choice([*ODD["int"], "9" * 25, "x"])

    def _with_something_odd(self, value: Any) -> Any:
        """The same, with one value in it replaced."""
        if isinstance(value, dict) and value:
            key = self.chance.choice(list(value))
            return {**value, key: self._with_something_odd(value[key])}
        if isinstance(value, list) and value:
            place = self.chance.randrange(len(value))
            return [self._with_something_odd(one) if at == place else one for at, one in enumerate(value)]
        kind = "int" if isinstance(value, int) else "str"
        known = [one for several in self._seen.values() for one in several]
        return self.chance.choice([*ODD[kind], *ODD["int"], *self.chance.sample(known, min(3, len(known)))])

    def _learn(self, case: Case, response: Response) -> None:
        try:
            answer = json.loads(response.content[:200_000])
        except (ValueError, RecursionError):
            return
        for one in (answer if isinstance(answer, list) else [answer])[:20]:
            for key in ("id", "name"):
                if isinstance(one, dict) and isinstance(value := one.get(key), int | str) and value != "":
                    kept = self._seen.setdefault(_kind(case.operation.path, key), [])
                    if value not in kept:
                        kept.append(value)
                        del kept[: max(0, len(kept) - MAX_KEPT)]


def _kind(path: str, key: str) -> str:
    """Of what kind of thing a name or number in a path is: ``jobs/{id}`` and ``jobs/{id}/attempts/{number}``."""
    before = path.partition(f"{{{key}}}")[0] or path
    return f"{re.sub(r'[{][a-z]+[}]', '*', before).removeprefix('/api/v1/').strip('/')} {key}"


def _answered(answer: Any, request: requests.PreparedRequest) -> Response:
    headers = {name.lower(): [value] for name, value in answer.items()}
    return Response(answer.status_code, headers, _content(answer), request, elapsed=0.0, verify=False)


def _content(answer: Any) -> bytes:
    if not answer.streaming:
        return bytes(answer.content)
    from asgiref.sync import async_to_sync

    async def all_of() -> bytes:
        return b"".join([part async for part in answer.streaming_content])

    return async_to_sync(all_of)()
