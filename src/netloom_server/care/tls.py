"""The server's certificate where it is reached over a network: a given one, or one of its own, made at first need."""

from __future__ import annotations

import ipaddress
import os
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

DAYS = 3650  # a self-made one is trusted by its fingerprint, which should not change by itself
FILES = ("server-certificate.pem", "server-certificate.key")


def own_certificate(keys: Path, names: Sequence[str]) -> tuple[Path, Path]:
    """(certificate, key) in files, made where there are none. Raises OSError."""
    certificate, key = (keys / name for name in FILES)
    if certificate.exists() and key.exists():
        return certificate, key
    keys.mkdir(parents=True, exist_ok=True, mode=0o700)
    made = ec.generate_private_key(ec.SECP256R1())
    subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, names[0][:64])])
    now = datetime.now(UTC)
    built = (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(subject)
        .public_key(made.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=DAYS))
        .add_extension(x509.SubjectAlternativeName([_general(name) for name in names]), critical=False)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .sign(made, hashes.SHA256())
    )
    pem = serialization.Encoding.PEM
    private = made.private_bytes(pem, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    for path, data in ((key, private), (certificate, built.public_bytes(pem))):
        path.unlink(missing_ok=True)
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as out:
            out.write(data)
    return certificate, key


def _general(name: str) -> x509.GeneralName:
    try:
        return x509.IPAddress(ipaddress.ip_address(name))
    except ValueError:
        return x509.DNSName(name)


def fingerprint(certificate: Path) -> str:
    """SHA-256 of the certificate, as browsers show it. Raises ValueError where the file holds none."""
    loaded = x509.load_pem_x509_certificate(certificate.read_bytes())
    return loaded.fingerprint(hashes.SHA256()).hex(":").upper()
