"""Answers of the API held against its description."""

from __future__ import annotations

import gzip
import json
import re
from functools import cache
from typing import Any

import jsonschema
import yaml
from django.http.response import HttpResponseBase

from tests.conftest import ROOT

METHODS = ("get", "post", "put", "patch", "delete")


def described() -> dict[str, Any]:
    whole: dict[str, Any] = yaml.load((ROOT / "src/netloom_server/schema.yml").read_text(), yaml.CSafeLoader)
    return whole


def plain(schema: Any) -> Any:
    """OpenAPI 3.0's `nullable` in the words of JSON Schema."""
    if isinstance(schema, list):
        return [plain(one) for one in schema]
    if not isinstance(schema, dict):
        return schema
    inner = {name: plain(value) for name, value in schema.items() if name != "nullable"}
    return {"anyOf": [{"type": "null"}, inner]} if schema.get("nullable") is True else inner


@cache
def _whole() -> dict[str, Any]:
    return dict(plain(described()))


@cache
def _paths() -> list[tuple[re.Pattern[str], dict[str, Any]]]:
    """Plain paths first, so that /api/backups/compare is not taken for a backup."""
    ordered = sorted(_whole()["paths"].items(), key=lambda item: item[0].count("{"))
    return [(re.compile(re.sub(r"\{\w+\}", "[^/]+", path) + "$"), operations) for path, operations in ordered]


@cache
def _validator(reference: str) -> jsonschema.Draft202012Validator:
    return jsonschema.Draft202012Validator({"$ref": reference, "components": _whole()["components"]})


def operation_of(method: str, path: str) -> dict[str, Any] | None:
    for pattern, operations in _paths():
        if pattern.match(path) and method.lower() in operations:
            found: dict[str, Any] = operations[method.lower()]
            return found
    return None


def check(method: str, path: str, answer: HttpResponseBase) -> None:
    """Raises AssertionError where an answer of the API is not as its description says."""
    operation = operation_of(method, path)
    if operation is None or not path.startswith("/api/"):
        return
    said = operation["responses"].get(str(answer.status_code))
    if said is None:
        assert answer.status_code >= 400, f"{method} {path} answers {answer.status_code}, which is not described"
        said = operation["responses"]["default"]
    content = said.get("content", {}).get("application/json")
    if content is None or answer.streaming:
        return
    content_is = answer.content  # type: ignore[attr-defined]
    packed = answer.headers.get("Content-Encoding") == "gzip"
    body = json.loads(gzip.decompress(content_is) if packed else content_is)
    schema = content["schema"]
    validator = (
        _validator(schema["$ref"])
        if "$ref" in schema
        else jsonschema.Draft202012Validator({**schema, "components": _whole()["components"]})
    )
    wrong = next(validator.iter_errors(body), None)
    assert wrong is None, f"{method} {path}: {wrong.json_path}: {wrong.message[:300]}"  # type: ignore[union-attr]
