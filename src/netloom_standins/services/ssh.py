"""An SSH server with a small shell, for consoles. Its host key stays the same, as in a real unit's flash memory."""

from __future__ import annotations

import hashlib

import asyncssh
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat

from netloom_standins.services.base import Service

PORT = 22


class SshShell(Service):
    """`options`: software, answers (command: words). User and password are the factory's."""

    async def start(self) -> None:
        unit, options = self.unit, self.options
        user, password = unit.profile.factory.user, unit.profile.factory.password
        answers = {str(command): str(words) for command, words in options.get("answers", {}).items()}

        class Door(asyncssh.SSHServer):
            def password_auth_supported(self) -> bool:
                return True

            def validate_password(self, username: str, given: str) -> bool:
                return (username, given) == (user, password)

        async def shell(process: asyncssh.SSHServerProcess[str]) -> None:
            process.stdout.write(f"{unit.profile.maker} {unit.profile.model} {unit.firmware}\n> ")
            try:
                async for line in process.stdin:
                    command = line.strip()
                    if command in ("exit", "quit"):
                        break
                    answer = answers.get(command, f"unknown command: {command}") if command else ""
                    process.stdout.write(f"{answer}\n> " if answer else "> ")
            except asyncssh.BreakReceived:
                process.stdout.write("\n")
            process.exit(0)

        self._server = await asyncssh.listen(
            unit.address,
            int(options.get("port", PORT)),
            server_factory=Door,
            server_host_keys=[_host_key(unit.serial)],
            server_version=str(options.get("software", "standin_1.0")),
            process_factory=shell,
        )

    async def stop(self) -> None:
        self._server.close()
        await self._server.wait_closed()


def _host_key(serial: str) -> asyncssh.SSHKey:
    seed = hashlib.sha256(f"host key of {serial}".encode()).digest()
    private = Ed25519PrivateKey.from_private_bytes(seed)
    return asyncssh.import_private_key(private.private_bytes(Encoding.PEM, PrivateFormat.OpenSSH, NoEncryption()))
