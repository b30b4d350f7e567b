"""The independent servers that tests talk to, unpacked from Debian's packages into the project's own folder.

Nothing of it is installed: packages are fetched and unpacked by whoever runs the tests, and the
servers are started by the tests alone. apt keeps its lists and its cache in that folder, too.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

from launcher.setup import SetupTrouble, say, stamp_of

PROGRAMS = {
    "snmpd": "snmpd",
    "sshd": "openssh-server",
    "ssh-keygen": "openssh-client",
    "ser2net": "ser2net",
    "ip": "iproute2",
    "dnsmasq": "dnsmasq-base",
    "dhclient": "isc-dhcp-client",
    "busybox": "busybox",
    "wsdd": "wsdd",
    "miniupnpd": "miniupnpd-nftables",
    "rb": "lrzsz",
}
BINARIES = ("usr/sbin", "usr/bin", "sbin", "bin")
LIBRARIES = ("usr/lib", "lib")
MULTIARCH = re.compile(r"^[a-z0-9_]+-linux-[a-z]+$")


def folder_of(root: Path) -> Path:
    return root / ".tools" / "peers"


def ensure_peers(root: Path) -> None:
    """Fetch and unpack what is not there. A package that the system has already is taken from there."""
    mark = root / ".tools" / "peers.stamp"
    wanted = stamp_of(Path(__file__))
    if mark.exists() and mark.read_text() == wanted and not _missing(root):
        return
    missing = _missing(root)
    if missing:
        _unpack(root, missing)
    still = _missing(root)
    if still:
        raise SetupTrouble(
            f"Servers that the tests talk to could not be had from Debian: {', '.join(still)}. "
            "Is a package source reachable?"
        )
    mark.parent.mkdir(exist_ok=True)
    mark.write_text(wanted)


def environment_for(root: Path, environment: dict[str, str]) -> dict[str, str]:
    """Where programs and libraries are looked for: the unpacked ones first."""
    base = folder_of(root)
    paths = [str(base / name) for name in BINARIES if (base / name).is_dir()]
    libraries = []
    for name in LIBRARIES:
        for place in sorted((base / name).glob("*")) if (base / name).is_dir() else []:
            if MULTIARCH.match(place.name):
                libraries.append(str(place))
    plugins = sorted(str(file.parent) for file in base.glob("usr/libexec/*/gensio/*/libgensio_telnet.so"))
    return {
        **environment,
        "NETLOOM_PEERS": ":".join(paths),
        "NETLOOM_PEER_LIBRARIES": ":".join(libraries),
        **({"GENSIO_LIBRARY_PATH": plugins[-1]} if plugins else {}),  # where ser2net's library looks for its parts
    }


def _missing(root: Path) -> list[str]:
    base = folder_of(root)
    own = ":".join(str(base / name) for name in BINARIES)
    path = f"{own}:{os.environ.get('PATH', '')}:/usr/sbin:/sbin"
    return [package for program, package in PROGRAMS.items() if not shutil.which(program, path=path)]


def _unpack(root: Path, packages: list[str]) -> None:
    if shutil.which("apt-get") is None:
        raise SetupTrouble(f"The tests talk to servers of Debian's packages, and there is no apt-get: {packages}.")
    say(f"Fetching {', '.join(packages)} for the tests, into this folder (once) …")
    apt = root / ".tools" / "apt"
    for name in ("lists/partial", "cache/archives/partial"):
        (apt / name).mkdir(parents=True, exist_ok=True)
    own = [
        "-o", f"Dir::State::lists={apt / 'lists'}", "-o", f"Dir::Cache={apt / 'cache'}",
        "-o", "Debug::NoLocking=1", "-o", f"APT::Sandbox::User={_me()}",
    ]  # fmt: skip
    _run(["apt-get", *own, "update", "-qq"])
    plan = _run(["apt-get", *own, "-s", "-qq", "--no-install-recommends", "install", *packages])
    names = re.findall(r"^Inst (\S+)", plan, re.MULTILINE) or packages
    debs = apt / "debs"
    shutil.rmtree(debs, ignore_errors=True)
    debs.mkdir()
    _run(["apt-get", *own, "download", "-qq", *names], cwd=debs)
    target = folder_of(root)
    target.mkdir(parents=True, exist_ok=True)
    for deb in sorted(debs.glob("*.deb")):
        _run(["dpkg-deb", "-x", str(deb), str(target)])
    shutil.rmtree(apt, ignore_errors=True)


def _me() -> str:
    import pwd

    return pwd.getpwuid(os.geteuid()).pw_name


def _run(words: list[str], cwd: Path | None = None) -> str:
    done = subprocess.run(words, cwd=cwd, capture_output=True, text=True, check=False)
    if done.returncode:
        print(done.stderr, file=sys.stderr)
        raise SetupTrouble(f"{words[0]} could not fetch what the tests need; its words are above.")
    return done.stdout
