"""Keys that are out: taken back one by one, or all of them."""

from datetime import datetime

from sqlmodel import Session

from eproba.store.commands.challenges import close_hand_in
from eproba.store.commands.feeds import revoke_feed
from eproba.store.commands.helpers import drop_helper
from eproba.store.commands.household import take_back_invitations
from eproba.store.commands.meters import give_token
from eproba.store.commands.sharing import unshare
from eproba.store.keys_out import keys_out


def revoke(session: Session, kind: str, key_id: str) -> bool:
    """From now on the key opens nothing; what came in by it stays. False: it opened nothing already."""
    if kind == "calendar":
        return revoke_feed(session, key_id)
    if kind == "challenge":
        return close_hand_in(session, key_id)
    if not (key_id.isascii() and key_id.isdigit() and len(key_id) < 10):
        return False
    if kind == "meter":
        return give_token(session, int(key_id), None)
    by_number = {"helper": drop_helper, "report": unshare}.get(kind)
    return by_number is not None and by_number(session, int(key_id))


def revoke_all(session: Session, now: datetime) -> int:
    """None of the keys opens anything any more; how many there were."""
    take_back_invitations(session)
    out = keys_out(session, now)
    for key in out:
        revoke(session, key.kind, key.id)
    return len(out)
