"""An Ethernet of namespaces: a bridge in one, each host in its own, a desk from which sweeps are made.

Cables can be pulled and plugged, hosts made to move or to claim one address twice. Everything is made by
the test and taken away after it; nothing leaves the namespaces.
"""

from __future__ import annotations

import contextlib
import json
import os
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from itertools import groupby
from pathlib import Path
from typing import Any

from tests.conftest import ROOT
from tests.peers.conftest import peer_environment, program

PATIENCE_S = 120


def allowed() -> bool:
    """Whether this system lets the test make namespaces."""
    done = subprocess.run(["unshare", "--net", "--mount", "true"], capture_output=True, check=False)
    return done.returncode == 0


def environment() -> dict[str, str]:
    return {**peer_environment(), "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"}


def batch(lines: list[str]) -> None:
    """Many commands of `ip`, one process for each run of lines in the same namespace (`-n NAME` before them)."""
    for space, mine in groupby(lines, key=lambda line: line.split()[1] if line.startswith("-n ") else ""):
        words = [line.split(maxsplit=2)[2] if space else line for line in mine]
        done = subprocess.run(
            [program("ip"), *(["-n", space] if space else []), "-batch", "-"],
            input="\n".join(words),
            capture_output=True,
            text=True,
            timeout=60,
            env=peer_environment(),
            check=False,
        )
        assert done.returncode == 0, done.stderr


def within(space: str, *words: str, **how: Any) -> subprocess.Popen[str]:
    """A program in a namespace."""
    command = [program("ip"), "netns", "exec", space, *words]
    return subprocess.Popen(command, cwd=ROOT, env=environment(), text=True, **how)


@dataclass
class Host:
    name: str
    space: str
    mac: str
    address: str


class Wire:
    """A bridge with a desk. `network` is what the desk's line is, `prefix` its length."""

    def __init__(self, prefix: int = 24) -> None:
        self._mark = f"nl{os.getpid() % 100000}x{threading.get_ident() % 997}"
        self.core, self.desk = f"{self._mark}core", f"{self._mark}desk"
        self.prefix = prefix
        self.network = f"10.77.0.0/{prefix}"
        self.source = "10.77.0.1"
        self.hosts: dict[str, Host] = {}
        self._processes: list[subprocess.Popen[str]] = []
        self._spaces = [self.core, self.desk]
        batch([f"netns add {self.core}", f"netns add {self.desk}"])
        batch(
            [
                f"-n {self.core} link set lo up",
                f"-n {self.core} link add wire type bridge forward_delay 0 stp_state 0",
                f"-n {self.core} link set wire addrgenmode none",  # the bridge is no node of its own
                f"-n {self.core} link set wire up",
                f"-n {self.desk} link set lo up",
            ]
        )
        self._cable("desk", self.desk, "00:50:c2:00:00:01", f"{self.source}/{prefix}")
        self._carries("desk")

    def _cable(self, name: str, space: str, mac: str, address: str) -> None:
        end = f"p{name}"
        lines = [
            f"-n {self.core} link add {end} type veth peer name eth0 netns {space}",
            f"-n {space} link set eth0 address {mac}",
            *([f"-n {space} address add {address} dev eth0 broadcast +"] if address else []),
            f"-n {space} link set eth0 up",
            f"-n {self.core} link set {end} master wire",
            f"-n {self.core} link set {end} up",
        ]
        batch(lines)

    def host(self, name: str, mac: str, address: str = "", prefix: int | None = None) -> Host:
        """A host with one interface, in a namespace of its own. Without an address it may ask for one."""
        space = f"{self._mark}{name}"
        batch([f"netns add {space}", f"-n {space} link set lo up"])
        self._spaces.append(space)
        self._cable(name, space, mac, f"{address}/{prefix or self.prefix}" if address else "")
        made = self.hosts[name] = Host(name, space, mac, address)
        self._carries(name)
        return made

    def many(self, hosts: list[tuple[str, str, str]]) -> None:
        """(name, MAC, address) of many at once."""
        spaces = [(name, f"{self._mark}{name}", mac, address) for name, mac, address in hosts]
        batch([f"netns add {space}" for _, space, _, _ in spaces])
        self._spaces += [space for _, space, _, _ in spaces]
        lines = [
            f"-n {self.core} link add p{name} type veth peer name eth0 address {mac} netns {space}"
            for name, space, mac, _ in spaces
        ]
        for name, space, mac, address in spaces:
            lines += [
                f"-n {space} link set lo up",
                f"-n {space} address add {address}/{self.prefix} dev eth0 broadcast +",
                f"-n {space} link set eth0 up",
            ]
            self.hosts[name] = Host(name, space, mac, address)
        for name, *_ in spaces:
            lines += [f"-n {self.core} link set p{name} master wire", f"-n {self.core} link set p{name} up"]
        batch(lines)
        self._carries(*(name for name, *_ in spaces))

    def pull(self, name: str) -> None:
        """The cable, at the switch."""
        batch([f"-n {self.core} link set p{name} down"])

    def plug(self, name: str) -> None:
        batch([f"-n {self.core} link set p{name} up"])
        self._carries(name)

    def _carries(self, *names: str) -> None:
        """Wait until both ends of these cables carry: a busy system takes its time to notice, and drops till then."""
        ports = {f"p{name}" for name in names}
        _until(lambda: ports <= set(self._forwarding()), f"the bridge forwards on {ports}")
        for name in names:
            space = self.desk if name == "desk" else self.hosts[name].space
            _until(lambda space=space: _is_up(space), f"the end of {name}'s cable carries")  # type: ignore[misc]

    def _forwarding(self) -> list[str]:
        links = _asked("bridge", "-n", self.core, "-j", "link", "show")
        return [one["ifname"] for one in links if one.get("state") == "forwarding"]

    def readdress(self, name: str, address: str) -> None:
        host = self.hosts[name]
        own = f"-n {host.space} address"
        batch([f"{own} flush dev eth0 scope global", f"{own} add {address}/{self.prefix} dev eth0 broadcast +"])
        host.address = address

    def run(self, space: str, *words: str, ready: str = "") -> subprocess.Popen[str]:
        """A program in a namespace, ended with the wire; waits until it says that it is ready."""
        pipe = subprocess.PIPE if ready else subprocess.DEVNULL
        process = within(space, *words, stdin=subprocess.DEVNULL, stdout=pipe, stderr=pipe)
        self._processes.append(process)
        if ready:
            assert process.stdout is not None
            said = process.stdout.readline()
            if said.strip() != ready:
                process.kill()
                raise AssertionError(f"{words[:4]}: {said} {process.communicate()[1]}")
        return process

    def switch(self, address: str, mac: str = "00:50:c2:00:00:02") -> None:
        """Gives the bridge an address, so that it can have an agent; it is the host `switch` from then on."""
        batch(
            [
                f"-n {self.core} link set wire address {mac}",
                f"-n {self.core} address add {address}/{self.prefix} dev wire",
            ]
        )
        self.hosts["switch"] = Host("switch", self.core, mac, address)

    def crowd(self, services: dict[str, list[dict[str, Any]]], folder: Path) -> subprocess.Popen[str]:
        """Services of many hosts, by name, in one process (tests/laboratory/crowd.py)."""
        plan = folder / f"crowd{len(self._processes)}.json"
        plan.write_text(json.dumps([{"space": self.hosts[n].space, "services": s} for n, s in services.items()]))
        words = (sys.executable, "-m", "tests.laboratory.crowd", str(plan))
        process = subprocess.Popen(words, cwd=ROOT, env=environment(), stdout=subprocess.PIPE, text=True)
        self._processes.append(process)
        assert process.stdout is not None
        assert process.stdout.readline().strip() == "ready"
        return process

    def close(self) -> None:
        for process in self._processes:
            process.terminate()
        for process in self._processes:
            try:
                process.wait(5)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait(5)
            for stream in (process.stdin, process.stdout, process.stderr):
                if stream is not None:
                    stream.close()
        for space in self._spaces:
            with contextlib.suppress(AssertionError):
                batch([f"netns delete {space}"])


def _asked(name: str, *words: str) -> Any:
    done = subprocess.run([program(name), *words], capture_output=True, text=True, env=peer_environment(), check=True)
    return json.loads(done.stdout or "[]")


def _is_up(space: str) -> bool:
    """Also whether it sends: until its queue is made anew after a carrier came, all is dropped."""
    [link] = _asked("ip", "-n", space, "-j", "link", "show", "eth0")
    return link["operstate"] == "UP" and link["qdisc"] != "noop"


def _until(true: Callable[[], bool], what: str) -> None:
    for _ in range(300):
        if true():
            return
        time.sleep(0.05)
    raise AssertionError(f"waited in vain until {what}")


class Desk:
    """The technician's computer on the wire: a process there that sweeps when it is told to (desk.py)."""

    def __init__(self, wire: Wire) -> None:
        self._process = within(
            wire.desk, sys.executable, "-m", "tests.laboratory.desk", wire.network, wire.source,
            stdin=subprocess.PIPE, stdout=subprocess.PIPE,
        )  # fmt: skip
        wire._processes.append(self._process)

    def ask(self, work: str, **more: Any) -> Any:
        stdin, stdout = self._process.stdin, self._process.stdout
        assert stdin is not None
        assert stdout is not None
        stdin.write(json.dumps({"work": work, **more}) + "\n")
        stdin.flush()
        answer = stdout.readline()
        assert answer, "the desk's process ended"
        return json.loads(answer)

    def sweep(self, **more: Any) -> Any:
        return self.ask("sweep", **more)
