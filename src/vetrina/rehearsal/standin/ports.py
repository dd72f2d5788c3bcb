"""Where the stand-in listens, and its certificate."""

from __future__ import annotations

import socket
import ssl
import tempfile
from datetime import UTC, datetime, timedelta
from ipaddress import ip_address
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID


def family(host: str) -> socket.AddressFamily:
    """Return the family of a loopback address."""
    return socket.AF_INET6 if ":" in host else socket.AF_INET


def free_port(host: str) -> int:
    """Return a port that nobody listens at."""
    with socket.socket(family(host), socket.SOCK_STREAM) as one:
        one.bind((host, 0))
        return int(one.getsockname()[1])


def certificate(host: str) -> ssl.SSLContext:
    """Return a server's TLS context with a certificate made on the spot, good for a day."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "rehearsal.invalid")])
    now = datetime.now(tz=UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(minutes=5))
        .not_valid_after(now + timedelta(days=1))
        .add_extension(x509.SubjectAlternativeName([x509.IPAddress(ip_address(host))]), critical=False)
        .sign(key, hashes.SHA256())
    )
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    with tempfile.TemporaryDirectory() as folder:  # the library reads certificates from files only
        path = Path(folder) / "stand-in.pem"
        secret = key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
        path.touch(mode=0o600)
        path.write_bytes(secret + made.public_bytes(serialization.Encoding.PEM))
        context.load_cert_chain(path)
    return context
