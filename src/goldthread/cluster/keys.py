"""The key pair that every process of a cluster proves itself with: who has it may have any code run by all of them."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID
from distributed.security import Security

from goldthread.errors import Conflict, Unavailable
from goldthread.processes import write_private
from goldthread.settings import private_folder

CERTIFICATE, KEY = "cluster.crt", "cluster.key"
_NAME = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "goldthread-cluster")])


def make_keys(folder: Path, days: int) -> None:
    """Make a key pair and its certificate, which vouches for itself and holds for so many days. Raises `Conflict` where
    there is one already."""
    if (folder / KEY).exists():
        raise Conflict(f"There is a key in {folder} already.", remedy="Remove it first, on every machine.")
    private_folder(folder)
    key, now = ec.generate_private_key(ec.SECP256R1()), dt.datetime.now(dt.UTC)
    certificate = (
        x509.CertificateBuilder()
        .subject_name(_NAME)
        .issuer_name(_NAME)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - dt.timedelta(days=1))
        .not_valid_after(now + dt.timedelta(days=days))
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .sign(key, hashes.SHA256())
    )
    form = serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    write_private(folder / KEY, key.private_bytes(serialization.Encoding.PEM, *form).decode("ascii"))
    write_private(folder / CERTIFICATE, certificate.public_bytes(serialization.Encoding.PEM).decode("ascii"))


def security_of(folder: Path) -> Security:
    """TLS by the key pair of a folder, asked of both sides. Raises `Unavailable` where there is none."""
    certificate, key = folder / CERTIFICATE, folder / KEY
    if not (certificate.exists() and key.exists()):
        raise Unavailable(
            f"There is no {KEY} and {CERTIFICATE} in {folder}.",
            remedy="Make them with goldthread cluster key, and copy them to every machine of the cluster.",
        )
    told = {"tls_ca_file": str(certificate)}
    for role in ("client", "scheduler", "worker"):
        told |= {f"tls_{role}_cert": str(certificate), f"tls_{role}_key": str(key)}
    return Security(require_encryption=True, **told)
