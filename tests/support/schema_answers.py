"""Answers of the API, held against its schema (web/openapi.json)."""

from __future__ import annotations

import gzip
import json
import re
from functools import cache
from pathlib import Path
from typing import Any

from django.http import HttpResponseBase
from jsonschema import Draft202012Validator

SCHEMA = json.loads((Path(__file__).parents[2] / "web" / "openapi.json").read_text())
PATHS = [
    (re.compile(re.sub(r"\{\w+\}", "[^/]+", re.escape(path).replace(r"\{", "{").replace(r"\}", "}")) + r"\Z"), path)
    for path in sorted(SCHEMA["paths"], key=lambda path: path.count("{"))
]
succeeded: set[str] = set()
"""Operations that have answered with what they were asked for."""


def check_answer(method: str, path: str, answer: HttpResponseBase) -> None:
    """Fails where the answer is not one that the schema describes for this operation. Addresses and methods that it
    does not have are passed over."""
    template = next((template for pattern, template in PATHS if pattern.match(path)), None)
    operation = SCHEMA["paths"].get(template, {}).get(method.lower())
    if operation is None or template is None:
        return
    where = f"{method} {path} answers {answer.status_code}"
    responses = operation["responses"]
    described = responses.get(str(answer.status_code)) or responses.get(f"{answer.status_code // 100}XX")
    assert described is not None, f"{where}, which the schema does not have"
    if answer.status_code < 300:
        succeeded.add(f"{method.upper()} {template}")
    kinds = described.get("content", {})
    if answer.streaming:
        return
    body = answer.content
    if answer.headers.get("Content-Encoding") == "gzip":
        body = gzip.decompress(body)
    if not kinds:
        assert not body or answer.status_code >= 300, f"{where} with a body, which the schema does not have"
        return
    kind = answer.headers.get("Content-Type", "").split(";")[0]
    assert kind in kinds, f"{where} as {kind}, not as {', '.join(kinds)}"
    if "json" in kind:
        status = str(answer.status_code) if str(answer.status_code) in responses else f"{answer.status_code // 100}XX"
        errors = list(_validator(template, method.lower(), status, kind).iter_errors(json.loads(body)))
        text = "; ".join(f"{error.json_path}: {error.message[:300]}" for error in errors[:3])
        assert not errors, f"{where}, which is not as the schema has it: {text}"


def operations() -> set[str]:
    """All of the schema."""
    return {f"{method.upper()} {path}" for path, methods in SCHEMA["paths"].items() for method in methods}


@cache
def _validator(template: str, method: str, status: str, kind: str) -> Any:
    schema = SCHEMA["paths"][template][method]["responses"][status]["content"][kind]["schema"]
    return Draft202012Validator({"components": SCHEMA["components"], **schema})
