"""The seal of a package: its garden's own signature under what its descriptor says, digests of all parts included.

It shows that nothing was changed since a garden with that key wrote it; whose garden that is, it can't show.

References
----------
Josefsson, S. & Liusvaara, I. (2017). Edwards-Curve Digital Signature Algorithm (EdDSA). RFC 8032: Ed25519.
"""

import hashlib
import json
from dataclasses import dataclass
from typing import Literal

SEAL = "seal.json"
MADE_FOR = b"eproba package 1\n"  # a signature for this is one for nothing else

State = Literal["unchanged", "changed", "unsigned"]


@dataclass(frozen=True)
class Seal:
    """What a package's signature says; `garden`: the key that signed it, short, empty where it is unsigned."""

    state: State
    garden: str = ""

    @property
    def words(self) -> str:
        if self.state == "unsigned":
            return "This file is unsigned: whether somebody changed it, nobody can tell."
        if self.state == "changed":
            return f"This file was changed after the garden with the key {self.garden} signed it."
        return f"This file is unchanged since the garden with the key {self.garden} wrote it."


def short_key(public: bytes) -> str:
    """A public key as people compare it: four groups of the hash's hex."""
    text = hashlib.sha256(public).hexdigest()[:16].upper()
    return "-".join(text[start : start + 4] for start in range(0, 16, 4))


def sealed(private: bytes, descriptor: bytes, made_for: bytes = MADE_FOR) -> str:
    """The seal of a descriptor, as JSON; `private`: 32 bytes; `made_for`: what kind of file it is for."""
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

    key = Ed25519PrivateKey.from_private_bytes(private)
    signature = key.sign(made_for + descriptor)
    return json.dumps({"public_key": key.public_key().public_bytes_raw().hex(), "signature": signature.hex()}, indent=1)


def seal_of(text: bytes | None, descriptor: bytes, as_described: bool, made_for: bytes = MADE_FOR) -> Seal:
    """What the seal says of a descriptor; `as_described`: all other parts are as the descriptor has them."""
    from cryptography.exceptions import InvalidSignature
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

    if text is None:
        return Seal("unsigned")
    try:
        content = json.loads(text)
        public, signature = bytes.fromhex(content["public_key"]), bytes.fromhex(content["signature"])
        Ed25519PublicKey.from_public_bytes(public).verify(signature, made_for + descriptor)
    except InvalidSignature:
        return Seal("changed", short_key(public))
    except (ValueError, TypeError, KeyError, RecursionError):
        return Seal("unsigned")
    return Seal("unchanged" if as_described else "changed", short_key(public))
