"""Names in a TLS certificate, as evidence of who a device says it is. Nothing is trusted by it."""

from __future__ import annotations

from cryptography import x509
from cryptography.exceptions import UnsupportedAlgorithm
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.x509.oid import NameOID

from netloom_core.errors import ProtocolError
from netloom_core.protocols.xml import clean

MAX_BYTES = 32_000
UNSOUND = (
    ValueError,
    TypeError,
    UnsupportedAlgorithm,
    x509.InvalidVersion,
    x509.DuplicateExtension,
    x509.UnsupportedGeneralNameType,
)


def parse(der: bytes) -> dict[str, str]:
    """Facts: `certificate_name`, `certificate_names`, `certificate_maker`, `certificate` (SHA-256),
    `certificate_until` (a date).

    Raises ProtocolError when it is no certificate (RFC 5280).
    """
    if len(der) > MAX_BYTES:
        raise ProtocolError("a certificate is too large")
    try:
        found = x509.load_der_x509_certificate(der)
        subject = found.subject
        try:
            names = found.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
            other = [str(name) for name in names.get_values_for_type(x509.DNSName)]
        except x509.ExtensionNotFound:
            other = []
        facts = {
            "certificate_name": _first(subject, NameOID.COMMON_NAME),
            "certificate_maker": _first(subject, NameOID.ORGANIZATION_NAME),
            "certificate_names": clean(" ".join(other), 200),
            "certificate": found.fingerprint(SHA256()).hex(),
            "certificate_until": found.not_valid_after_utc.strftime("%Y-%m-%d"),
        }
    except UNSOUND as error:
        raise ProtocolError(f"not a certificate: {error}") from error
    return {name: value for name, value in facts.items() if value}


def _first(subject: x509.Name, oid: x509.ObjectIdentifier) -> str:
    values = subject.get_attributes_for_oid(oid)
    return clean(str(values[0].value), 120) if values else ""
