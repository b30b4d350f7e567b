"""File transfer (6, FILETRANSFER and ABORT; 7, FTSTAT): fragments of one file, and what the unit makes of each."""

from __future__ import annotations

import struct
from collections.abc import Generator
from dataclasses import dataclass

from netloom_core.errors import ProtocolError, Refused
from netloom_core.protocols.osdp.constants import Cmd, Rep
from netloom_core.protocols.osdp.messages import Command, Reply

HEAD = struct.Struct("<BIIH")
STATUS = struct.Struct("<BHhH")
GOES_ON, PROCESSED, RESTARTS, FINISHING = 0, 1, 2, 3
GIVES_UP = -1
SAYS_NO = {
    GIVES_UP: "it gives the transfer up",
    -2: "it does not know what is in the file",
    -3: "what is in the file is damaged or not for it",
}


@dataclass(frozen=True)
class FileStatus:
    """`delay` in ms before the next fragment, `most` bytes of it (0 where the unit does not say)."""

    detail: int
    delay: int
    most: int

    @classmethod
    def parse(cls, data: bytes) -> FileStatus:
        if len(data) < STATUS.size:
            raise ProtocolError(f"A file transfer status has {STATUS.size} bytes, this one {len(data)}.")
        _, delay, detail, most = STATUS.unpack(data[: STATUS.size])
        return cls(detail, delay, most)


def fragment(kind: int, total: int, offset: int, data: bytes) -> Command:
    return Command(Cmd.FILETRANSFER, HEAD.pack(kind, total, offset, len(data)) + data, idempotent=False)


def give(kind: int, total: int, offset: int, data: bytes) -> Generator[Command, Reply, FileStatus]:
    """One fragment; without data only the question how far it is."""
    reply = yield fragment(kind, total, offset, data)
    if reply.code == Rep.ACK:
        return FileStatus(GOES_ON, 0, 0)
    if reply.code != Rep.FTSTAT:
        raise ProtocolError(f"Reply 0x{reply.code:02X} came where 0x{Rep.FTSTAT:02X} is due.")
    return FileStatus.parse(reply.data)


def abort() -> Generator[Command, Reply, None]:
    """It leaves a transfer that was begun and is not over. Raises Refused where it knows no such command."""
    reply = yield Command(Cmd.ABORT, idempotent=False)
    if reply.code != Rep.ACK:
        raise ProtocolError(f"Reply 0x{reply.code:02X} came where 0x{Rep.ACK:02X} is due.")


def need_taken(status: FileStatus, offset: int, total: int) -> None:
    """Raises Refused where the unit wants no more than the `offset` bytes before."""
    if status.detail < 0:
        why = SAYS_NO.get(status.detail, f"status {status.detail}")
        raise Refused(
            f"The unit does not take the file after {offset} of {total} bytes: {why}.", "Is it for this unit?"
        )
