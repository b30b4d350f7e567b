"""Conversations as generators: they yield commands, get replies, return values.

The bus drives them on a wire, a test with a list, a stand-in by function calls.
"""

from __future__ import annotations

from collections.abc import Generator

from netloom_core.errors import ProtocolError, Refused
from netloom_core.protocols.osdp import messages, secure
from netloom_core.protocols.osdp.constants import Cmd, Out, Rep
from netloom_core.protocols.osdp.messages import Command, PdId, Reply, TableReply

MAX_IDS_PER_READ = 38  # keeps a reply within the 128 bytes that every unit must manage


def expect(reply: Reply, code: int) -> bytes:
    if reply.code != code:
        raise ProtocolError(f"Reply 0x{reply.code:02X} came where 0x{code:02X} is due.")
    return reply.data


def identify() -> Generator[Command, Reply, PdId]:
    return PdId.parse(expect((yield messages.identify()), Rep.PDID))


def capabilities() -> Generator[Command, Reply, list[messages.Capability]]:
    return messages.parse_capabilities(expect((yield messages.capabilities()), Rep.PDCAP))


def read_table(vendor: str, op: int, which: str, ids: list[int]) -> Generator[Command, Reply, dict[int, int]]:
    """Values by id. Ids that the unit does not know are an error, not a gap; what nobody asked for is passed over."""
    values: dict[int, int] = {}
    for start in range(0, len(ids), MAX_IDS_PER_READ):
        part = ids[start : start + MAX_IDS_PER_READ]
        reply = TableReply.parse(vendor, expect((yield messages.table_read(vendor, op, which, part)), Rep.MFGREP))
        _good(reply, op)
        values.update((ident, value) for ident, value in reply.values.items() if ident in part)
    missing = set(ids) - values.keys()
    if missing:
        raise ProtocolError(f"The unit did not report parameters {sorted(missing)}.")
    return values


def write_table(vendor: str, op: int, values: dict[int, int]) -> Generator[Command, Reply, None]:
    _good(TableReply.parse(vendor, expect((yield messages.table_write(vendor, op, values)), Rep.MFGREP)), op)


def act(vendor: str, op: int) -> Generator[Command, Reply, None]:
    _good(TableReply.parse(vendor, expect((yield messages.table_act(vendor, op)), Rep.MFGREP)), op)


def assign_address(address: int, speed: int) -> Generator[Command, Reply, messages.Com]:
    """COMSET. What the unit answers is only a promise: it must be found there afterwards."""
    return messages.Com.parse(expect((yield messages.comset(address, speed)), Rep.COM))


def local_status() -> Generator[Command, Reply, tuple[int, int]]:
    """Tamper and power, 0 is normal."""
    flags = messages.parse_flags(expect((yield Command(Cmd.LSTAT)), Rep.LSTATR), 2)
    return flags[0], flags[1]


def status(command: int, reply: int, count: int) -> Generator[Command, Reply, list[int]]:
    return messages.parse_flags(expect((yield Command(command)), reply), count)


def set_output(number: int, on: bool) -> Generator[Command, Reply, None]:
    """Drive one output, number from 0, until it is driven otherwise."""
    reply = yield messages.output(number, Out.ON if on else Out.OFF)
    if reply.code not in (Rep.ACK, Rep.OSTATR):
        expect(reply, Rep.OSTATR)


def open_channel(channel: secure.Channel) -> Generator[Command, Reply, None]:
    """The handshake (annex D). Raises WrongCredentials where the keys are not the same."""
    mark = channel.mark
    first = yield Command(Cmd.CHLNG, channel.challenge(), block=bytes((secure.SCS_11, mark)))
    answer = channel.answered(expect(first, Rep.CCRYPT))
    second = yield Command(Cmd.SCRYPT, answer, block=bytes((secure.SCS_13, mark)))
    channel.confirmed(expect(second, Rep.RMAC_I), second.block[1] if len(second.block) > 1 else 0)


def set_key(key: bytes) -> Generator[Command, Reply, None]:
    expect((yield messages.keyset(key)), Rep.ACK)


def tell(command: Command) -> Generator[Command, Reply, None]:
    """A command that is answered with nothing but yes."""
    expect((yield command), Rep.ACK)


def _good(reply: TableReply, op: int) -> None:
    if reply.op != op:
        raise ProtocolError("The parameter table's reply is for another operation.")
    if reply.status == messages.STATUS_UNKNOWN_ID:
        raise Refused("The unit does not know one of the parameters.", "Is it the right profile for this firmware?")
    if reply.status != messages.STATUS_OK:
        raise Refused("The unit refused a value as out of its range.", "Nothing was changed by it.")
