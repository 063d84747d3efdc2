"""A certificate of this machine's own: without one no browser gives a page the microphone."""

import os
import subprocess
from collections.abc import Sequence
from ipaddress import ip_address
from pathlib import Path

from emblar.core.errors import ServiceError

DAYS = 800
LONGEST_S = 30.0


REQUEST = """[req]
distinguished_name = name
x509_extensions = extensions
prompt = no
[name]
CN = Emblar
[extensions]
basicConstraints = critical,CA:FALSE
subjectAltName = {names}
"""
"""The certificate cannot sign others, so trusting it is safe."""


def certificate(home: Path, names: Sequence[str]) -> tuple[Path, Path]:
    """Return certificate and key for some names and addresses, made unless they are there.

    Raises
    ------
    ServiceError
        ``openssl`` is missing or cannot make it.
    """
    folder = home / "certificate"
    cert, key, known = folder / "cert.pem", folder / "key.pem", folder / "names"
    wanted = ",".join(sorted(_alternative(name) for name in set(names)))
    if cert.exists() and key.exists() and known.exists() and known.read_text() == wanted:
        return cert, key
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    key.unlink(missing_ok=True)
    os.close(os.open(key, os.O_WRONLY | os.O_CREAT, 0o600))
    request = folder / "request.cnf"
    request.write_text(REQUEST.format(names=wanted), encoding="utf-8")
    command = [
        "openssl", "req", "-x509", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1",
        "-nodes", "-days", str(DAYS), "-config", str(request), "-keyout", str(key),
        "-out", str(cert),
    ]  # fmt: skip
    try:
        done = subprocess.run(
            command, capture_output=True, text=True, check=False, timeout=LONGEST_S
        )
    except (OSError, subprocess.TimeoutExpired) as error:
        raise ServiceError(
            "A certificate for phones cannot be made: install openssl (apt-get install openssl)."
        ) from error
    if done.returncode != 0:
        raise ServiceError(f"A certificate for phones cannot be made: {done.stderr[-200:]}")
    known.write_text(wanted)
    return cert, key


def _alternative(name: str) -> str:
    try:
        return f"IP:{ip_address(name)}"
    except ValueError:
        return f"DNS:{name}"
