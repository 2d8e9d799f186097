"""The one way to commit: trials that are over and were changed are judged anew, so that no list and no look has to."""

import logging

from eproba.store.commands.locks import Gone, changed_trials, lock_trial
from eproba.store.findings import unjudged
from eproba.web.ui.session import db

log = logging.getLogger("eproba.verdict")


def commit() -> None:
    """Commit; judge every trial that this transaction wrote to, where it is over, and keep what was found."""
    changed = changed_trials(db())
    db().commit()
    for trial_id in sorted(changed):
        if unjudged(db(), trial_id):
            _judge_anew(trial_id)


def _judge_anew(trial_id: int) -> None:
    from eproba.web.verdict.findings import remember  # judging is heavy: only where it is needed

    try:
        lock_trial(db(), trial_id)  # nobody writes while we judge, so what is kept is what stands
    except Gone:
        return
    try:
        remember(db(), trial_id)
    except Exception:  # what was typed is kept all the same; lists and pages say that it can't be judged
        log.exception("trial %s can't be judged", trial_id)
        db().rollback()
        return
    changed_trials(db())
    db().commit()
