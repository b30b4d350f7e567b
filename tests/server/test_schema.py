"""The API's description: answers are as it says, and no request that it allows breaks the server."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from tests.server import conformance
from tests.server.fuzz import attack, operations

EXAMPLES = 8


def test_an_answer_that_is_not_as_described_is_found(viewer: APIClient) -> None:
    answer = viewer.get("/api/overview")
    answer.content = answer.content.replace(b'"lines":', b'"lanes":')
    with pytest.raises(AssertionError, match="lines"):
        conformance.check("GET", "/api/overview", answer)


@pytest.mark.parametrize("group", sorted({path.split("/")[2] for _, path in operations()}))
def test_no_request_breaks_it(lead: APIClient, group: str) -> None:
    def ask(method: str, url: str, body: bytes, headers: dict[str, str]) -> Any:
        return lead.generic(method, url, body, content_type=headers.pop("content-type"), headers=headers)

    for method, path in operations():
        if path.split("/")[2] == group:
            assert attack(method, path, ask, EXAMPLES) > 0
