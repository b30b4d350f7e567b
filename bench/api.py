"""Requests made of the API's description against a running server: no answer is a fault of ours."""

from __future__ import annotations

import http.client
import time
import urllib.parse
from dataclasses import dataclass
from typing import Any

from tests.server.fuzz import attack, operations

from bench.memory import server_with_thousands

EXAMPLES, DEVICES, LINES = 400, 40, 4
NOT_ASKED = {("POST", "/api/session"): "the sign-in locks out who tries so often"}


@dataclass
class Answer:
    status_code: int
    content: bytes


def main() -> None:
    begun, asked = time.monotonic(), 0
    with server_with_thousands(DEVICES, LINES) as (server, _, _):
        split = urllib.parse.urlsplit(server["url"])
        connection = http.client.HTTPConnection(split.hostname or "", split.port, timeout=60)

        def ask(method: str, url: str, body: bytes, headers: dict[str, str]) -> Any:
            named = {name: value.encode("utf-8", "replace") for name, value in headers.items()}
            connection.request(method, url, body, {**named, "Authorization": f"Bearer {server['token']}"})
            answer = connection.getresponse()
            return Answer(answer.status, answer.read())

        for method, path in operations():
            if (method, path) not in NOT_ASKED:
                asked += attack(method, path, ask, EXAMPLES)
    print(f"api        {asked} requests in {time.monotonic() - begun:.0f} s: no answer was a fault of ours")
