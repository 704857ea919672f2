"""The API's schema is valid, and what the web was generated from is what the server has now."""

import json
import shutil
import subprocess
from pathlib import Path

import pytest
from drf_spectacular.generators import SchemaGenerator
from drf_spectacular.validation import validate_schema

WEB = Path(__file__).parents[2] / "web"
GENERATOR = WEB / "node_modules" / ".bin" / "openapi-typescript"


def schema_now():
    return json.loads(json.dumps(SchemaGenerator().get_schema(request=None, public=True), default=str))


def types_of(schema, folder):
    (folder / "openapi.json").write_text(json.dumps(schema))
    subprocess.run(
        [GENERATOR, folder / "openapi.json", "--default-non-nullable=false", "-o", folder / "schema.d.ts"],
        check=True,
        capture_output=True,
        cwd=WEB,
    )
    return (folder / "schema.d.ts").read_text()


def test_the_schema_is_valid_and_the_kept_one_is_the_servers():
    now = schema_now()
    validate_schema(now)
    assert now["openapi"].startswith("3.1")
    assert json.loads((WEB / "openapi.json").read_text()) == now, "run `make types`"


@pytest.mark.skipif(
    not (GENERATOR.exists() and shutil.which("node")), reason="the web's tools are not installed: make web"
)
def test_the_webs_types_are_those_of_the_schema_before_and_after_a_change(tmp_path):
    kept = (WEB / "src" / "api" / "schema.d.ts").read_text()
    now = schema_now()
    assert types_of(now, tmp_path) == kept, "run `make types`"
    now["components"]["schemas"]["Host"]["properties"]["shoe_size"] = {"type": "integer"}
    changed = types_of(now, tmp_path)
    assert changed != kept
    assert "shoe_size" in changed


def test_readable_docs_are_served_without_any_other_host(viewer):
    page = viewer.get("/api/v1/docs/", headers={"Accept": "text/html"}).content.decode()
    assert "redoc" in page
    assert "://" not in page
