"""Certificates that stand-ins sign themselves, one for each unit, as small devices make at their first start."""

from __future__ import annotations

import ssl
import tempfile
from datetime import UTC, datetime, timedelta
from functools import cache
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID


@cache
def certificate(name: str, number: int) -> bytes:
    """Key and certificate in PEM; another `number` is another one, made after a reset."""
    key = ec.generate_private_key(ec.SECP256R1())
    subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, name[:60] or "device")])
    made = (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(subject)
        .public_key(key.public_key())
        .serial_number(number + 1)
        .not_valid_before(datetime(2020, 1, 1, tzinfo=UTC))
        .not_valid_after(datetime.now(UTC) + timedelta(days=3650))
        .sign(key, hashes.SHA256())
    )
    return key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    ) + made.public_bytes(serialization.Encoding.PEM)


def load(context: ssl.SSLContext, name: str, number: int) -> None:
    """From now on the context shows that one."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "both.pem"
        file.write_bytes(certificate(name, number))
        context.load_cert_chain(file)
