"""A certificate of this machine's own: without one no browser gives a page the microphone."""

import os
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from ipaddress import ip_address
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

VALID_DAYS = 800
"""Browsers refuse certificates that are valid for longer than 825 days."""
CLOCK_SKEW = timedelta(days=1)
"""A phone's clock may be this much behind."""


def certificate(home: Path, names: Sequence[str]) -> tuple[Path, Path]:
    """Return the files of certificate and key for some names, made unless they exist.

    Parameters
    ----------
    home
        Emblar's home folder.
    names
        Host names and addresses that the certificate is for.
    """
    folder = home / "certificate"
    cert, key, known = folder / "cert.pem", folder / "key.pem", folder / "names"
    wanted = ",".join(sorted(set(names)))
    if cert.exists() and key.exists() and known.exists() and known.read_text() == wanted:
        return cert, key
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    private_key = ec.generate_private_key(ec.SECP256R1())
    _write_private(key, private_key)
    cert.write_bytes(_self_signed(private_key, sorted(set(names))))
    known.write_text(wanted)
    return cert, key


def _write_private(path: Path, private_key: ec.EllipticCurvePrivateKey) -> None:
    path.unlink(missing_ok=True)
    text = private_key.private_bytes(
        serialization.Encoding.PEM,
        serialization.PrivateFormat.PKCS8,
        serialization.NoEncryption(),
    )
    with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
        file.write(text)


def _self_signed(private_key: ec.EllipticCurvePrivateKey, names: Sequence[str]) -> bytes:
    """Return a certificate as PEM. It cannot sign others, so trusting it is safe."""
    subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Emblar")])
    today = datetime.now(UTC)
    alternatives = x509.SubjectAlternativeName([_alternative(name) for name in names])
    builder = (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(subject)
        .public_key(private_key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(today - CLOCK_SKEW)
        .not_valid_after(today + timedelta(days=VALID_DAYS))
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(alternatives, critical=False)
    )
    signed = builder.sign(private_key, hashes.SHA256())
    return signed.public_bytes(serialization.Encoding.PEM)


def _alternative(name: str) -> x509.GeneralName:
    try:
        return x509.IPAddress(ip_address(name))
    except ValueError:
        return x509.DNSName(name)
