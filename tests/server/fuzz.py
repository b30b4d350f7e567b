"""Requests made of the API's description, and what must hold of every answer: see test_schema.py, and the bench."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from functools import cache
from typing import Any
from urllib.parse import urlencode

import schemathesis
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from schemathesis import Case

from tests.server import conformance

# What the server says where a device does not answer, or where nothing of ours can be had now.
OF_DEVICES = {502, 503}
FILES = "application/zip"
Ask = Callable[[str, str, bytes, dict[str, str]], Any]

schemathesis.openapi.media_type(FILES, st.binary(max_size=300))


@schemathesis.serializer(FILES)
def _as_they_are(context: Any, value: Any) -> Any:
    return value


def operations() -> Iterator[tuple[str, str]]:
    """(method, path) of all that is described."""
    for path, described in _described()["paths"].items():
        for method in described:
            if method in conformance.METHODS:
                yield method.upper(), path


@cache
def _described() -> dict[str, Any]:
    return conformance.described()


@cache
def _schema() -> Any:
    return schemathesis.openapi.from_dict(_described())


def attack(method: str, path: str, ask: Ask, examples: int) -> int:
    """Ask so many times; raises AssertionError at an answer that is a fault of ours. Gives how many were asked."""
    asked = 0

    @settings(
        max_examples=examples, deadline=None, database=None, derandomize=True, suppress_health_check=list(HealthCheck)
    )
    @given(case=_schema()[path][method].as_strategy())
    def one(case: Case) -> None:
        nonlocal asked
        asked += 1
        query = f"?{urlencode(case.query, doseq=True)}" if case.query else ""
        url = case.formatted_path + query
        body = case.body if isinstance(case.body, bytes) else json.dumps(case.body, default=str).encode()
        headers = {str(name): str(value) for name, value in (case.headers or {}).items()}
        headers["content-type"] = case.media_type or "application/json"
        answer = ask(method, url, body if method != "GET" else b"", headers)
        fine = answer.status_code < 500 or answer.status_code in OF_DEVICES
        assert fine, f"{method} {url} {body[:300]!r}: {answer.status_code} {answer.content[:300]!r}"

    one()
    return asked
