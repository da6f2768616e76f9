"""The entrance from the network: this machine's addresses and names there, its certificate, its QR code."""

from __future__ import annotations

import io
import ipaddress
import socket
from datetime import UTC, datetime, timedelta
from pathlib import Path

import psutil
import segno
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

GOOD_FOR = timedelta(days=397)  # common practice: browsers want no certificate that is good for longer
RENEWED_BEFORE = timedelta(days=30)


def addresses() -> list[str]:
    """The addresses of this machine on its networks, those of four numbers first; not those that only it or
    one cable knows."""
    results = []
    for family in (socket.AF_INET, socket.AF_INET6):
        for known in psutil.net_if_addrs().values():
            for address in known:
                if address.family == family:
                    parsed = ipaddress.ip_address(address.address.partition("%")[0])
                    if not (parsed.is_loopback or parsed.is_link_local):
                        results.append(str(parsed))
    return results


def names() -> list[str]:
    """The names of this machine: its own, and the one by which it is known without a name server (RFC
    6762)."""
    own = socket.gethostname().lower()
    return [own, own if "." in own else f"{own}.local"]


def own_hosts() -> frozenset[str]:
    """Every address and name that is this machine's."""
    return frozenset([*addresses(), *names()])


def certificate(folder: Path) -> tuple[Path, Path, str]:
    """The certificate of this machine, its key, and its fingerprint (SHA-256): the one that is in ``folder``
    while it is good for every address and name, else a new one."""
    held, secret = folder / "certificate.pem", folder / "certificate.key"
    known = _read(held) if secret.exists() else None
    if known is None:
        folder.mkdir(parents=True, exist_ok=True)
        known = _make(held, secret)
    digest = known.fingerprint(hashes.SHA256()).hex(":").upper()
    return held, secret, digest


def _read(held: Path) -> x509.Certificate | None:
    """The certificate that is there, or None when it is good no more."""
    try:
        known = x509.load_pem_x509_certificate(held.read_bytes())
        covered = known.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    except (OSError, ValueError, x509.ExtensionNotFound):
        return None
    fresh = known.not_valid_after_utc - RENEWED_BEFORE > datetime.now(UTC)
    return known if fresh and set(_covering()) <= set(covered) else None


def _covering() -> list[x509.GeneralName]:
    numbers = ["127.0.0.1", *addresses()]
    return [
        *(x509.DNSName(name) for name in ["localhost", *dict.fromkeys(names())]),
        *(x509.IPAddress(ipaddress.ip_address(number)) for number in numbers),
    ]


def _make(held: Path, secret: Path) -> x509.Certificate:
    key = ec.generate_private_key(ec.SECP256R1())
    subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Tick Stone")])
    now = datetime.now(UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(subject)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(hours=1))  # clocks of phones are not exact
        .not_valid_after(now + GOOD_FOR)
        .add_extension(x509.SubjectAlternativeName(_covering()), critical=False)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(x509.ExtendedKeyUsage([x509.oid.ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
        .sign(key, hashes.SHA256())
    )
    pem = serialization.Encoding.PEM
    secret.touch(mode=0o600)
    secret.write_bytes(
        key.private_bytes(pem, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    )
    held.write_bytes(made.public_bytes(pem))
    return made


def qr_code(text: str) -> str:
    """A QR code (ISO/IEC 18004) of half blocks, for a terminal."""
    out = io.StringIO()
    segno.make(text, error="m", micro=False).terminal(out=out, compact=True)
    return out.getvalue()
