"""python -m ops.certificate: make a certificate of our own, or look how long one is good.

Run with the Python of the application, which has the library for it; ./torvix itself needs none.
"""

from __future__ import annotations

import ipaddress
import os
import sys
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec

GOOD_FOR = timedelta(days=825)  # the longest that browsers take
SOON = timedelta(days=14)


def names_of(certificate: x509.Certificate) -> set[str]:
    listed = certificate.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    return {str(name.value) for name in listed}


def fingerprint(certificate: x509.Certificate) -> str:
    return certificate.fingerprint(hashes.SHA256()).hex(":").upper()


def make(folder: Path, names: list[str], now: datetime) -> x509.Certificate:
    """One for these names, kept until it runs out or another name is wanted."""
    file, key_file = folder / "certificate.pem", folder / "key.pem"
    if file.exists() and key_file.exists():
        kept = x509.load_pem_x509_certificate(file.read_bytes())
        if kept.not_valid_after_utc > now + SOON and set(names) <= names_of(kept):
            return kept
    key = ec.generate_private_key(ec.SECP256R1())
    subject = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, "Torvix")])
    certificate = (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(subject)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(hours=1))
        .not_valid_after(now + GOOD_FOR)
        .add_extension(x509.SubjectAlternativeName([_name(name) for name in names]), critical=False)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .sign(key, hashes.SHA256())
    )
    plain = serialization.NoEncryption()
    secret = key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, plain)
    with os.fdopen(os.open(key_file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as out:
        out.write(secret)
    file.write_bytes(certificate.public_bytes(serialization.Encoding.PEM))
    return certificate


def _name(text: str) -> x509.GeneralName:
    try:
        return x509.IPAddress(ipaddress.ip_address(text.split("%")[0]))
    except ValueError:
        return x509.DNSName(text)


def check(file: Path, now: datetime) -> str:
    """ "" or a warning that it runs out soon. ValueError in words where it cannot be used."""
    try:
        certificate = x509.load_pem_x509_certificate(file.read_bytes())
    except ValueError:
        raise ValueError(f"{file} is no certificate in PEM form") from None
    ends = certificate.not_valid_after_utc
    if ends <= now:
        raise ValueError(f"the certificate {file} ran out on {ends:%Y-%m-%d}: browsers refuse it. Put a new one there")
    return f"the certificate {file} runs out on {ends:%Y-%m-%d}" if ends < now + SOON else ""


def main(arguments: list[str]) -> int:
    try:
        if arguments[0] == "--check":
            print(check(Path(arguments[1]), datetime.now(UTC)))
        else:
            print(fingerprint(make(Path(arguments[0]), arguments[1:], datetime.now(UTC))))
    except (ValueError, OSError) as reason:
        print(reason, file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
