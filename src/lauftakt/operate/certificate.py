"""A certificate of our own making, so that a phone in the paddock can reach this machine over HTTPS."""

import ipaddress
import os
import socket
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

DAYS = 397
RENEW_DAYS = 14
# It counts from so long before it was made, for phones whose clock is late, and for a clock here that is set back.
BEFORE = timedelta(days=2)


def lan_address() -> str:
    """This machine's address in the local network; loopback where it is in none."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        try:
            probe.connect(("10.255.255.255", 1))  # nothing is sent: it only chooses the way
            return str(probe.getsockname()[0])
        except OSError:
            return "127.0.0.1"


def make_certificate(folder: Path, addresses: list[str]) -> tuple[Path, Path]:
    """Certificate and key for the addresses, kept from one start to the next as long as they fit: of these addresses,
    valid now and for two more weeks, and of one pair.

    Parameters
    ----------
    folder : where they are kept; the key can be read by its owner only
    addresses : IP addresses under which the machine is reached
    """
    folder.mkdir(parents=True, exist_ok=True)
    certificate, key = folder / "certificate.pem", folder / "key.pem"
    if certificate.exists() and key.exists() and _fits(certificate, key, addresses):
        return certificate, key
    private = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Lauftakt on this network")])
    now = datetime.now(UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(private.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - BEFORE)
        .not_valid_after(now + timedelta(days=DAYS))
        .add_extension(
            x509.SubjectAlternativeName([x509.IPAddress(ipaddress.ip_address(a)) for a in sorted(set(addresses))]),
            critical=False,
        )
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .sign(private, hashes.SHA256())
    )
    secret = private.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    _write(key, secret)
    _write(certificate, made.public_bytes(serialization.Encoding.PEM))
    return certificate, key


def _write(path: Path, data: bytes) -> None:
    part = path.with_suffix(".part")
    with open(part, "wb", opener=lambda name, flags: os.open(name, flags, 0o600)) as file:
        file.write(data)
    part.replace(path)


def _fits(path: Path, key: Path, addresses: list[str]) -> bool:
    try:
        found = x509.load_pem_x509_certificate(path.read_bytes())
        names = found.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
        private = serialization.load_pem_private_key(key.read_bytes(), None)
    except (ValueError, TypeError, x509.ExtensionNotFound):
        return False
    known = {str(address) for address in names.get_values_for_type(x509.IPAddress)}
    moment = datetime.now(UTC)
    return (
        private.public_key() == found.public_key()
        and set(addresses) <= known
        and found.not_valid_before_utc <= moment
        and found.not_valid_after_utc > moment + timedelta(days=RENEW_DAYS)
    )
