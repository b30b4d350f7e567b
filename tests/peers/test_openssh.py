"""The SSH banner and the console's host keys and logins against Debian's OpenSSH server."""

from __future__ import annotations

import asyncio
import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.console.session import open_ssh
from netloom_core.errors import NoAnswer, WrongCredentials, WrongDevice
from netloom_core.library.load import Library
from netloom_core.model.device import Credentials
from netloom_core.model.line import Line
from netloom_core.sweep.methods.banners import SshBanner
from netloom_core.sweep.methods.connect import ConnectScan
from netloom_core.sweep.sweep import sweep
from tests.peers.conftest import Start, peer_environment, program, wait_for

SERVER, SOURCE = "127.33.3.10", "127.33.3.1"
NET = Line("net", "Net", "ip", network="127.33.3.0/28", source=SOURCE)
STRANGER = Credentials("nobody-here", "wrong")


# As root the server wants a user of the system for parting with its rights; as nobody it needs none.
NOBODY = 65534
AS_NOBODY = (
    "--reuid", str(NOBODY), "--regid", str(NOBODY), "--clear-groups",
    "--inh-caps", "+net_bind_service", "--ambient-caps", "+net_bind_service",
)  # fmt: skip


@pytest.fixture
def folder() -> Iterator[Path]:
    """One that nobody may look into, too."""
    with tempfile.TemporaryDirectory(prefix="sshd-") as name:
        yield Path(name)


def for_anybody(folder: Path) -> list[str]:
    """The server where nobody may reach it: as it is, or a copy when the project is in somebody's own folder."""
    there = Path(program("sshd"))
    if all(parent.stat().st_mode & 0o001 for parent in there.parents):
        return [str(there)]
    copy, libraries = folder / "sshd", folder / "lib"
    shutil.copy(there, copy)
    for name in filter(None, os.environ.get("NETLOOM_PEER_LIBRARIES", "").split(":")):
        shutil.copytree(name, libraries, dirs_exist_ok=True)
    return ["env", f"LD_LIBRARY_PATH={libraries}", str(copy)]


async def running(start: Start, folder: Path) -> None:
    key = folder / "host_key"
    subprocess.run(
        [program("ssh-keygen"), "-q", "-t", "ed25519", "-N", "", "-f", str(key)], check=True, env=peer_environment()
    )
    conf = folder / "sshd_config"
    conf.write_text(f"ListenAddress {SERVER}:22\nHostKey {key}\nPidFile none\nUsePAM no\nPasswordAuthentication yes\n")
    words = ("-D", "-e", "-f", str(conf))
    if os.geteuid() == 0:
        for path in (folder, key, conf):
            os.chown(path, NOBODY, NOBODY)
        start("setpriv", *AS_NOBODY, *for_anybody(folder), *words)
    else:
        start("sshd", *words)
    await asyncio.to_thread(wait_for, SERVER, 22)


async def test_its_banner_is_evidence(start: Start, folder: Path, library: Library) -> None:
    await running(start, folder)
    result = await sweep([NET], [], library, Owners(), SystemClock(), methods=[ConnectScan(), SshBanner()])
    [finding] = result.findings
    assert finding.facts["ssh"].startswith("OpenSSH_")
    assert finding.facts["ports"] == "22"


async def test_a_wrong_password_and_the_key_seen_first(start: Start, folder: Path) -> None:
    await running(start, folder)
    keys: list[str] = []
    with pytest.raises(WrongCredentials):
        async with open_ssh(SOURCE, SERVER, 22, STRANGER, "", keys.append):
            pass
    assert keys[0].startswith("SHA256:")
    with pytest.raises(WrongCredentials):
        async with open_ssh(SOURCE, SERVER, 22, STRANGER, keys[0], keys.append):
            pass


async def test_another_host_key_is_refused_before_the_password_goes_out(start: Start, folder: Path) -> None:
    await running(start, folder)
    with pytest.raises(WrongDevice, match="another SSH host key"):
        async with open_ssh(SOURCE, SERVER, 22, STRANGER, "SHA256:another", lambda key: None):
            pass


async def test_nobody_there() -> None:
    with pytest.raises(NoAnswer):
        async with open_ssh(SOURCE, "127.33.3.11", 22, STRANGER, "", lambda key: None):
            pass
