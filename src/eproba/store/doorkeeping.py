"""The household passcode, from the terminal's side."""

import secrets
import socket
from datetime import datetime

from sqlmodel import Session
from werkzeug.security import generate_password_hash

from eproba.store.commands.household import invite, set_passcode_hash
from eproba.store.commands.keys import revoke_all
from eproba.store.database import engine_for
from eproba.store.household import passcode_hash
from eproba.store.secrets import new_secret

DIGITS = 8


def passcode_is_set(url: str) -> bool:
    with Session(engine_for(url)) as session:
        return passcode_hash(session) is not None


def new_passcode(url: str, now: datetime, revoke_keys: bool = False) -> str:
    """Make one, keep its hash, return it to be read once."""
    with Session(engine_for(url)) as session:
        passcode = make_passcode(session, now, revoke_keys)
        session.commit()
    return passcode


def make_passcode(session: Session, now: datetime, revoke_keys: bool) -> str:
    """A new passcode, kept as a hash: every device gives it again; all other keys are revoked if wished."""
    passcode = "".join(secrets.choice("0123456789") for _ in range(DIGITS))
    set_passcode_hash(session, generate_password_hash(passcode))
    if revoke_keys:
        revoke_all(session, now)
    return passcode


def new_invitation(url: str, now: datetime) -> str:
    """The secret of a link that lets one device in, once and soon."""
    token = new_secret()
    with Session(engine_for(url)) as session:
        invite(session, token, "the terminal", now)
        session.commit()
    return token


def home_address() -> str:
    """This machine's address in the home network (nothing is sent), or its loopback address."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        try:
            probe.connect(("192.0.2.1", 9))
            return str(probe.getsockname()[0])
        except OSError:
            return "127.0.0.1"
