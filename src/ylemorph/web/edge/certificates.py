"""The certificate under which Ylemorph is reached in the workshop's network: one that is given, or its own.

Its own key is made once and stays; the certificate is made anew with that key before it ends, and where names or
addresses of this machine changed. So the digest of the key, which the line for a customer's machine carries, holds.
"""

import base64
import contextlib
import hashlib
import ipaddress
import os
import stat
import tempfile
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import NamedTuple

from cryptography import x509
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import (
    Encoding,
    NoEncryption,
    PrivateFormat,
    PublicFormat,
    load_pem_private_key,
)
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

from ...core.errors import YlemorphError
from ...opening import read_regular

CERTIFICATE, KEY = "certificate.pem", "certificate-key.pem"  # in the data folder
LASTS, RENEWED_BEFORE = timedelta(days=397), timedelta(days=30)  # browsers take none that last longer (398 days)
MOST_BYTES = 1_000_000  # of a PEM file


class Certificate(NamedTuple):
    """``fingerprint`` of the whole (SHA-256, as browsers show it), ``pin`` of its key (as curl takes it); ``own``:
    whether Ylemorph made it; ``changed``: why it was made anew, else empty."""

    certificate: Path
    key: Path
    fingerprint: str
    pin: str
    until: datetime
    own: bool
    changed: str = ""


def given_certificate(certificate: str, key: str) -> Certificate:
    """One that is given as PEM files. Raises YlemorphError where they are none."""
    try:
        data, _ = read_regular(certificate, MOST_BYTES), read_regular(key, MOST_BYTES)
        found = x509.load_pem_x509_certificate(data)
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or "it is none in PEM"
        raise YlemorphError(
            f"certificate and key cannot be used ({reason})", at="--certificate", mend="give both as PEM files"
        ) from None
    return _described(found, Path(certificate), Path(key), own=False)


def is_open_to_all(key: Path) -> bool:
    """Whether everybody on this machine can read a key."""
    return bool(key.stat().st_mode & stat.S_IROTH)


def own_certificate(folder: Path, names: frozenset[str], now: datetime | None = None) -> Certificate:
    """The one of the data folder, made where there is none, it is about to end, or does not name all of ``names``.

    Raises OSError where the folder cannot be written.
    """
    at = now or datetime.now(UTC)
    place, key_place = folder / CERTIFICATE, folder / KEY
    key = _kept_key(key_place)
    found = _kept_certificate(place, key) if key is not None else None
    if key is None:
        key = ec.generate_private_key(ec.SECP256R1())
        _write(key_place, key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()))
        why = "there was none yet"
    elif found is None:
        why = "there was none for the key"
    elif found.not_valid_after_utc - at < RENEWED_BEFORE or at < found.not_valid_before_utc:
        why = "the one before was about to end"
    elif not names <= _names_in(found):
        why = f"this machine has other names or addresses now: {', '.join(sorted(names - _names_in(found)))}"
    else:
        return _described(found, place, key_place, own=True)
    made = _made(key, names, at)
    _write(place, made.public_bytes(Encoding.PEM))
    return _described(made, place, key_place, own=True)._replace(changed=why)


def _described(found: x509.Certificate, certificate: Path, key: Path, *, own: bool) -> Certificate:
    digits = found.fingerprint(hashes.SHA256()).hex().upper()
    spki = found.public_key().public_bytes(Encoding.DER, PublicFormat.SubjectPublicKeyInfo)
    return Certificate(
        certificate,
        key,
        ":".join(digits[n : n + 2] for n in range(0, len(digits), 2)),
        base64.b64encode(hashlib.sha256(spki).digest()).decode(),
        found.not_valid_after_utc,
        own,
    )


def _kept_key(place: Path) -> ec.EllipticCurvePrivateKey | None:
    with contextlib.suppress(OSError, ValueError, TypeError):
        found = load_pem_private_key(read_regular(place, MOST_BYTES), None)
        return found if isinstance(found, ec.EllipticCurvePrivateKey) else None
    return None


def _kept_certificate(place: Path, key: ec.EllipticCurvePrivateKey) -> x509.Certificate | None:
    with contextlib.suppress(OSError, ValueError):
        found = x509.load_pem_x509_certificate(read_regular(place, MOST_BYTES))
        return found if found.public_key() == key.public_key() else None
    return None


def _names_in(found: x509.Certificate) -> frozenset[str]:
    named = found.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    addresses = {str(address) for address in named.get_values_for_type(x509.IPAddress)}
    return frozenset(named.get_values_for_type(x509.DNSName)) | addresses


def _made(key: ec.EllipticCurvePrivateKey, names: frozenset[str], at: datetime) -> x509.Certificate:
    subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Ylemorph")])
    usage = x509.KeyUsage(
        digital_signature=True,
        content_commitment=False,
        key_encipherment=False,
        data_encipherment=False,
        key_agreement=False,
        key_cert_sign=False,
        crl_sign=False,
        encipher_only=False,
        decipher_only=False,
    )
    return (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(subject)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(at - timedelta(days=1))
        .not_valid_after(at + LASTS)
        .add_extension(x509.SubjectAlternativeName([_general(name) for name in sorted(names)]), critical=False)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(usage, critical=True)
        .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
        .sign(key, hashes.SHA256())
    )


def _general(name: str) -> x509.GeneralName:
    try:
        return x509.IPAddress(ipaddress.ip_address(name))
    except ValueError:
        return x509.DNSName(name)


def _write(place: Path, data: bytes) -> None:
    """For this program's user alone, whole or not at all."""
    descriptor, beside = tempfile.mkstemp(dir=place.parent, prefix=f".{place.name}.", suffix=".part")
    with os.fdopen(descriptor, "wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())
    Path(beside).replace(place)
