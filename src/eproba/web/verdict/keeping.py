"""After a change to a trial: commit it, and judge anew what is over, so that no list and no look has to."""

from eproba.store.commands.locks import Gone, lock_trial
from eproba.store.findings import unjudged
from eproba.web.ui.session import db


def kept(trial_id: int) -> None:
    """Commit; where the trial is over and was changed, judge it and keep what was found."""
    db().commit()
    if not unjudged(db(), trial_id):
        return
    from eproba.web.verdict.findings import remember  # judging is heavy: only where it is needed

    try:
        lock_trial(db(), trial_id)  # nobody writes while we judge, so what is kept is what stands
    except Gone:
        return
    remember(db(), trial_id)
    db().commit()
