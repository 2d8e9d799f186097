"""Settings, from the environment alone."""

import os
import secrets
from dataclasses import dataclass, field

from eproba.exchange.limits import MOST_BYTES


@dataclass(frozen=True)
class Settings:
    """What differs from one run to the next.

    `home_network`: reached from other devices, so every device gives the passcode. `https`: behind a proxy that
    speaks https; off on plain http, since secure cookies would be lost there. `hosts`: names that lead here beside the
    machine's own, such as the one that the proxy answers to.
    """

    database_url: str
    secret_key: str = field(default_factory=lambda: secrets.token_hex(32))
    home_network: bool = False
    hosts: tuple[str, ...] = ()
    https: bool = False
    demo: bool = False
    most_upload_bytes: int = MOST_BYTES

    @classmethod
    def from_environment(cls) -> "Settings":
        env = os.environ
        if "EPROBA_DATABASE_URL" not in env:
            raise SystemExit("EPROBA_DATABASE_URL is not set; start with ./eproba demo or ./eproba serve.")
        return cls(
            database_url=env["EPROBA_DATABASE_URL"],
            secret_key=env.get("EPROBA_SECRET") or secrets.token_hex(32),
            home_network=env.get("EPROBA_HOME_NETWORK") == "1",
            hosts=tuple(name.lower() for name in env.get("EPROBA_HOSTS", "").replace(",", " ").split()),
            https=env.get("EPROBA_HTTPS") == "1",
            demo=env.get("EPROBA_DEMO") == "1",
        )
