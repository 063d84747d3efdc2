"""The certificate for phones: valid for its names, kept, made anew when they change."""

import socket
import ssl
import threading
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509

from emblar.platform.certificate import certificate


def answers(cert: Path, key: Path, name: str) -> bool:
    """Whether a client that trusts the certificate takes it for a name."""
    server = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    server.load_cert_chain(cert, key)
    client = ssl.create_default_context(cafile=str(cert))
    here, there = socket.socketpair()

    def serve() -> None:
        try:
            with server.wrap_socket(here, server_side=True):
                pass
        except (ssl.SSLError, OSError):
            pass

    thread = threading.Thread(target=serve)
    thread.start()
    try:
        with client.wrap_socket(there, server_hostname=name):
            return True
    except ssl.SSLCertVerificationError:
        return False
    finally:
        there.close()
        thread.join()


def test_it_is_taken_for_its_names_and_no_other(tmp_path: Path) -> None:
    cert, key = certificate(tmp_path, ["192.168.1.20", "localhost"])
    assert answers(cert, key, "192.168.1.20")
    assert answers(cert, key, "localhost")
    assert not answers(cert, key, "192.168.1.21")
    assert key.stat().st_mode & 0o077 == 0


def test_it_is_kept_until_the_names_change(tmp_path: Path) -> None:
    cert, _ = certificate(tmp_path, ["localhost", "10.0.0.7"])
    first = cert.read_text()
    assert certificate(tmp_path, ["10.0.0.7", "localhost"])[0].read_text() == first
    assert certificate(tmp_path, ["10.0.0.8"])[0].read_text() != first


def test_it_cannot_sign_others_and_ends(tmp_path: Path) -> None:
    cert, _ = certificate(tmp_path, ["localhost"])
    made = x509.load_pem_x509_certificate(cert.read_bytes())
    assert not made.extensions.get_extension_for_class(x509.BasicConstraints).value.ca
    assert timedelta(days=700) < made.not_valid_after_utc - datetime.now(UTC) < timedelta(days=825)


def test_a_key_that_others_could_read_is_made_again_private(tmp_path: Path) -> None:
    _, key = certificate(tmp_path, ["localhost"])
    key.chmod(0o644)
    certificate(tmp_path, ["10.0.0.7"])
    assert key.stat().st_mode & 0o077 == 0
