"""A server with 5,000 devices on 60 lines: twenty clients that look, one run over all, and what planning takes.

Nobody is at the devices' addresses, so the run finds that out 5,000 times while the clients look: each of its
steps is written down and told to all of them.
"""

from __future__ import annotations

import http.client
import re
import statistics
import threading
import time
import urllib.parse
from typing import Any

from bench.memory import call, resident_mb, server_with_thousands

COUNT, LINES, CLIENTS, SECONDS = 5000, 60, 20, 20.0
LIMITS = {"list": (0.06, 1.0), "overview": (None, 0.3), "decision": (None, 0.3)}
ROWS = 5000
NAME = re.compile(rb"Heard \d+\.")


class Client(threading.Thread):
    """One that looks as a page does: it follows the events, and asks for the list and the overview now and then."""

    def __init__(self, server: dict[str, Any], until: float) -> None:
        super().__init__(daemon=True)
        self._server, self._until = server, until
        self.times: dict[str, list[float]] = {"list": [], "overview": []}
        self._tag = ""

    def run(self) -> None:
        split = urllib.parse.urlsplit(self._server["url"])
        connection = http.client.HTTPConnection(split.hostname or "", split.port, timeout=60)
        while time.monotonic() < self._until:
            for name, path in (("list", "/api/devices"), ("overview", "/api/overview")):
                begun = time.monotonic()
                headers = {"Authorization": f"Bearer {self._server['token']}", "Accept-Encoding": "gzip"}
                headers |= {"If-None-Match": self._tag} if name == "list" and self._tag else {}
                connection.request("GET", path, headers=headers)
                answer = connection.getresponse()
                data = answer.read()
                self.times[name].append(time.monotonic() - begun)
                if name == "list" and answer.status == 200:
                    self._tag = answer.headers["ETag"]
                    assert len(data) > 1000
            time.sleep(1.0)


class Listener(threading.Thread):
    """One that follows the events, and notes when it heard of which name, and how much came."""

    def __init__(self, server: dict[str, Any]) -> None:
        super().__init__(daemon=True)
        split = urllib.parse.urlsplit(server["url"])
        self._connection = http.client.HTTPConnection(split.hostname or "", split.port, timeout=120)
        self._connection.request("GET", call(server, "POST", "/api/people/owner/link")["path"])
        answer = self._connection.getresponse()
        answer.read()
        cookies = [v.split(";")[0] for k, v in answer.getheaders() if k.lower() == "set-cookie"]
        self._connection.request("GET", "/api/events", headers={"Cookie": "; ".join(cookies)})
        self._stream = self._connection.getresponse()
        self.heard: dict[str, float] = {}
        self.bytes = 0

    def run(self) -> None:
        while line := self._stream.readline():
            self.bytes += len(line)
            for name in NAME.findall(line):
                self.heard.setdefault(name.decode(), time.monotonic())


def worst(times: list[float]) -> float:
    """The 99th of a hundred."""
    return statistics.quantiles(times, n=100)[98]


def main() -> None:
    with server_with_thousands(COUNT, LINES) as (server, pid, _):
        begun = time.monotonic()
        devices = call(server, "GET", "/api/devices")["devices"]
        print(f"first    {time.monotonic() - begun:5.2f} s   the first list of {len(devices)} devices")
        run = call(server, "POST", "/api/runs", {"kind": "read", "devices": []})
        clients = [Client(server, time.monotonic() + SECONDS) for _ in range(CLIENTS)]
        for client in clients:
            client.start()
        listener = Listener(server)
        listener.start()
        decisions, said = [], {}
        while any(client.is_alive() for client in clients):
            begun = time.monotonic()
            number = len(decisions)
            change = {"device": devices[number]["id"], "path": "/name", "value": f"n-{number}"}
            call(server, "POST", "/api/intended", {"changes": [change]})
            decisions.append(time.monotonic() - begun)
            call(server, "PATCH", f"/api/devices/{devices[number]['id']}", {"name": f"Heard {number}."})
            said[f"Heard {number}."] = time.monotonic()
            time.sleep(0.2)
        times = {name: [t for client in clients for t in client.times[name]] for name in ("list", "overview")}
        for name, found in {**times, "decision": decisions}.items():
            middle, most = LIMITS[name]
            told = f"(at most {most:g})" if middle is None else f"(at most {middle:g} and {most:g})"
            print(f"{name:<8} p50 {statistics.median(found):.3f} s, p99 {worst(found):.3f} s {told}   of {len(found)}")
        state = call(server, "GET", f"/api/runs/{run['id']}?steps=false")
        print(f"run      {state['state']}, {sum(state['counts'].values())} steps: {state['counts']}")
        behind = [listener.heard[name] - at for name, at in said.items() if name in listener.heard]
        print(
            f"events   p50 {statistics.median(behind):.3f} s, worst {max(behind):.3f} s behind (at most 0.3)   "
            f"{len(behind)} of {len(said)} heard, {listener.bytes // 1000} kB in {SECONDS:.0f} s"
        )
        print(f"memory   {resident_mb(pid):.0f} MB (at most 250)")
        begun = time.monotonic()
        paper = call(server, "POST", "/api/papers", {"kind": "report"})
        while paper["state"] == "making":
            time.sleep(0.05)
            paper = call(server, "GET", f"/api/papers/{paper['id']}")
        print(f"report   {time.monotonic() - begun:5.2f} s (at most 3)   {paper['bytes']} bytes, {paper['state']}")
        rows = "\n".join(f"Planned {n},RX8,127.{100 + n // 900}.{n % 900 // 250}.{n % 250 + 2}" for n in range(ROWS))
        for n in range(6):
            call(server, "POST", "/api/lines", {"kind": "ip", "network": f"127.{100 + n}.0.0/22", "name": f"Plan {n}"})
        begun = time.monotonic()
        made = call(server, "POST", "/api/expected", {"text": f"name,model,address\n{rows}", "plan": True})
        print(f"expected {time.monotonic() - begun:5.2f} s (at most 3)   {len(made['planned'])} of {ROWS} rows planned")
        begun = time.monotonic()
        own = [d for d in devices if d["addresses"][0]["address"].startswith("127.40.")][:80]
        moves = [{"device": d["id"], "address": f"127.40.3.{n + 2}"} for n, d in enumerate(own)]
        call(server, "POST", "/api/addresses", {"assignments": moves})
        print(f"addresses {time.monotonic() - begun:4.2f} s   {len(moves)} planned among {COUNT}")
