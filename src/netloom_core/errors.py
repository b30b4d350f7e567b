"""The errors of the core, and who is at fault in each.

    NetloomError
      RequestError        we were asked for something that cannot be      nothing was sent
        OutOfRange  UnknownSetting  Reserved  AddressTaken  AddressOutside  WrongModel  StalePlan
      LinkError           the wire or the port on this computer           nothing was sent
        PortMissing  PortBusy
      NoAnswer            silence: nobody knows whether it was carried out
      DeviceError         the device answered, and said no
        WrongCredentials  Busy  Refused
      ProtocolError       the device answered with bytes that break the protocol
      ReadBackMismatch    the device said yes and has another value
      WrongDevice         somebody else answers at that address
      ArchiveDamaged      a backup archive is not what it was
      ProfileError        a profile file is wrong

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


class NoAnswer(NetloomError):
    """Silence does not tell whether the request was carried out."""

    code = "no-answer"
    outcome = "unknown"


class DeviceError(NetloomError):
    code = "device"
    outcome = "refused"


class WrongCredentials(DeviceError):
    code = "wrong-credentials"


class Busy(DeviceError):
    code = "device-busy"


class Refused(DeviceError):
    code = "refused"


class ProtocolError(NetloomError):
    code = "protocol"
    outcome = "unknown"


class ReadBackMismatch(NetloomError):
    code = "read-back"
    outcome = "unknown"


class WrongDevice(NetloomError):
    code = "wrong-device"


class ArchiveDamaged(NetloomError):
    code = "archive-damaged"


class ProfileError(NetloomError):
    code = "profile"
