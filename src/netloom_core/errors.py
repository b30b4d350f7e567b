"""The errors of the core, and who is at fault in each.

    NetloomError
      RequestError        we were asked for something that cannot be      nothing was sent
        OutOfRange  UnknownSetting  Reserved  AddressTaken  AddressOutside  WrongModel  StalePlan
        CannotDo  ReasonWanted  Fenced  Locked
      LinkError           the wire or the port on this computer           nothing was sent
        PortMissing  PortBusy  Crowded
      NoAnswer            silence: nobody knows whether it was carried out
        NobodyThere       and there is no sign that anybody is at that place
      Unproven            the connection is not the one on which it was proven who is there   nothing was sent
      DeviceError         the device answered, and said no
        WrongCredentials  CodeWanted  LevelWanted  Busy  Refused (PromisedElsewhere, WantsEncryption)
      ProtocolError       the device answered with bytes that break the protocol
      ReadBackMismatch    the device said yes and has another value
      NotDone             a person at the device did not do it, or did not see it
      WrongDevice         somebody else answers at that address
        UnknownDevice     who answers does not tell enough to be proven
      ArchiveDamaged      a backup archive is not what it was
      ProfileError        a profile file is wrong
      KeyLost  StoreTrouble  OwnFault   trouble of this computer, or of Netloom itself

The `outcome` tells what is known of the device: `not_sent`, `unknown`, `applied`
or `refused`. `code` is stable; the interface branches on nothing else.
"""

from __future__ import annotations


class NetloomError(Exception):
    """Parent of all. `message` says what happened, `hint` what to try."""

    code = "error"
    outcome = "not_sent"

    def __init__(self, message: str, hint: str = "", *, target: str = "", outcome: str | None = None) -> None:
        super().__init__(message)
        self.message = message
        self.hint = hint
        self.target = target
        if outcome is not None:
            self.outcome = outcome

    def as_dict(self) -> dict[str, str]:
        return {
            "code": self.code,
            "message": self.message,
            "try": self.hint,
            "target": self.target,
            "outcome": self.outcome,
        }


class RequestError(NetloomError):
    code = "request"


class OutOfRange(RequestError):
    code = "out-of-range"


class UnknownSetting(RequestError):
    code = "unknown-setting"


class ReasonWanted(RequestError):
    """What is asked for may leave somebody in danger: it is done for a reason only, which is kept."""

    code = "reason-wanted"


FENCED_HINT = "Nothing was driven or written. Whoever fenced it off, or a lead, lifts that under Configure."


class Fenced(RequestError):
    """Somebody fenced it off for a time: nothing there is driven, by nobody."""

    code = "fenced"


class Locked(RequestError):
    """Somebody locked a crosspoint: it stays as it is, or keeps one input out."""

    code = "locked"


class Reserved(RequestError):
    code = "reserved"


class AddressTaken(RequestError):
    code = "address-taken"


class AddressOutside(RequestError):
    code = "address-outside"


class WrongModel(RequestError):
    code = "wrong-model"


class StalePlan(RequestError):
    code = "stale-plan"


class LinkError(NetloomError):
    code = "link"


class PortMissing(LinkError):
    code = "port-missing"


class PortBusy(LinkError):
    code = "port-busy"


class Crowded(LinkError):
    """This computer takes no more just now: buffers, ports, open files or the neighbour table are full."""

    code = "crowded"


class NoAnswer(NetloomError):
    """Silence does not tell whether the request was carried out."""

    code = "no-answer"
    outcome = "unknown"


class OutOfStep(NoAnswer):
    """It answers, and whether that belongs to the question cannot be told yet. Nothing is left without an answer."""


class NobodyThere(NoAnswer):
    """No connection, no byte: as far as one can tell the place is free.

    `refused` is set when a host refused the connection: on a real network there is a host.
    """

    def __init__(
        self, message: str, hint: str = "", *, target: str = "", refused: bool = False, outcome: str | None = None
    ) -> None:
        super().__init__(message, hint, target=target, outcome=outcome)
        self.refused = refused


class Unproven(NetloomError):
    """A call needs a connection on which the device was proven. The session proves it and asks again."""

    code = "unproven"


class DeviceError(NetloomError):
    code = "device"
    outcome = "refused"


class WrongCredentials(DeviceError):
    code = "wrong-credentials"


class CodeWanted(DeviceError):
    """It lets in with its factory's code, and does nothing else before it has a new one."""

    code = "code-wanted"

    def __init__(self, name: str, target: str = "") -> None:
        super().__init__(
            f"{name} wants a new code in place of its factory's before it does anything else.",
            "Give it one under Configure, Codes; what is left is planned after that. Nothing was changed.",
            target=target,
        )


class LevelWanted(DeviceError):
    """Something needs a higher level of access than any that is known for the device. Nothing was sent."""

    code = "level-wanted"

    def __init__(self, name: str, code: str, target: str = "") -> None:
        super().__init__(
            f"That needs the {code} of {name}, which is not known here.",
            f"Enter the {code} under Address, Access; the others are not needed. Nothing was written.",
            target=target,
            outcome="not_sent",
        )


class Busy(DeviceError):
    code = "device-busy"


class Refused(DeviceError):
    code = "refused"


class Absent(Refused):
    """The device says that it has no such thing: a value that is not there, no trouble."""


class PromisedElsewhere(Refused):
    """It takes a new place, and says that this will be another one than it was told."""

    outcome = "unknown"

    def __init__(self, message: str, hint: str, *, address: str, speed: int) -> None:
        super().__init__(message, hint)
        self.address, self.speed = address, speed


class WantsEncryption(Refused):
    """It answers such a question on an encrypted connection only."""

    code = "wants-encryption"


class ProtocolError(NetloomError):
    code = "protocol"
    outcome = "unknown"


class ReadBackMismatch(NetloomError):
    code = "read-back"
    outcome = "unknown"


class NotDone(NetloomError):
    code = "not-done"


class WrongDevice(NetloomError):
    code = "wrong-device"


class UnknownDevice(WrongDevice):
    """It answers, but does not tell what would prove that it is the device on record."""

    code = "not-proven"


class CannotDo(RequestError):
    """The device's protocol or profile has no way to do that."""

    code = "cannot-do"


class KeyLost(NetloomError):
    """What was encrypted with another key than this data folder's."""

    code = "key-lost"


class OwnFault(NetloomError):
    """An error that nobody foresaw: a mistake of Netloom itself. The log has all of it."""

    code = "own-fault"
    outcome = "unknown"


class StoreTrouble(NetloomError):
    """The records cannot be written just now: a lock, a full disk. What was promised is kept and tried again."""

    code = "store"


class ArchiveDamaged(NetloomError):
    code = "archive-damaged"


class ProfileError(NetloomError):
    code = "profile"
