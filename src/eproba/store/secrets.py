"""Secrets that lead here: a database, and whoever reads one, knows of each no more than its hash."""

import hashlib
import secrets


def new_secret() -> str:
    """A secret that nobody guesses, for a link or a meter; it is shown once."""
    return secrets.token_urlsafe(24)


def hashed(secret: str) -> str:
    """What is kept of a secret: SHA-256, in hex. Secrets are long and made by chance, so a salt would add nothing."""
    return hashlib.sha256(secret.encode(errors="surrogatepass")).hexdigest()
