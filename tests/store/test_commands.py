"""Commands: what is checked, locked and written, and that whatever was found is forgotten."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import text

from eproba.core.catalogue import recipes
from eproba.core.trial.lots import LotsError
from eproba.core.trial.model import SpareRun
from eproba.core.trial.readings import Entry
from eproba.store.commands.drafts import hold_draft, keep_steps, new_draft, take_draft
from eproba.store.commands.findings import forget_finding, keep_finding
from eproba.store.commands.locks import Changed, Gone, lock_trial
from eproba.store.commands.pours import PourLog, log_pours
from eproba.store.commands.readings import Sender, Sent, take_entries
from eproba.store.commands.recipes import keep_recipe
from eproba.store.commands.rounds import RoundError, finish_round, note_round, open_again
from eproba.store.commands.trials import (
    amend,
    amend_treatment,
    deal_again,
    declare_trial,
    delete_trial,
    end_early,
    lose_unit,
    move_decision,
    note_trial,
    record_spare_run,
)
from eproba.store.findings import finding_of, unjudged
from eproba.store.glances import due_by, glances
from eproba.store.pours import pour_changes_of
from eproba.store.readings import corrections_of, readings_of
from eproba.store.trials import load_trial, trial_with_key, unit_of
from tests.conftest import demo_garden
from tests.databases import TODAY

pytestmark = demo_garden
NOW = datetime(2026, 5, 20, 10, tzinfo=UTC)
FOUND = [{"verdict": "better", "headline": "Better", "sentence": "It helped."}]
CURRANTS, CHARD, PAK_CHOI, BEDS = 2, 1, 4, 5


def sent(trial, day, unit, typed, **more):
    """One entry of a trial's round of a day."""
    this = next(each for each in trial.rounds if each.day == day)
    more = {"measure": "surface_worms", "replicate": 1, "read_on": TODAY, **more}
    entry = Entry(unit, more.pop("measure"), more.pop("replicate"), typed, more.pop("read_on"), more.pop("skip", ""))
    return Sent(more.pop("id", f"test-{day}-{unit}-{typed}"), trial.key, this.key, entry, NOW, **more)


def take(session, *entries):
    return [answer.status for answer in take_entries(session, entries, Sender("Ben", NOW, "till"))]


# --- Trials -------------------------------------------------------------------------------------------------


def test_lots_are_dealt_again_only_before_anything_is_settled(session):
    before = load_trial(session, PAK_CHOI)
    deal_again(session, PAK_CHOI, "another seed", NOW)
    after = lock_trial(session, PAK_CHOI)
    assert (after.seed, after.deals) == ("another seed", before.deals + 1)
    assert [u.letter for u in after.units] != [u.letter for u in before.units]
    declare_trial(session, PAK_CHOI, NOW)
    with pytest.raises(LotsError, match="the lots stay as they fell"):
        deal_again(session, PAK_CHOI, "a third", NOW)


def test_a_plan_is_declared_once_and_the_first_record_does_it(session):
    assert load_trial(session, PAK_CHOI).declared is None
    declare_trial(session, PAK_CHOI, NOW)
    first = lock_trial(session, PAK_CHOI).declared
    declare_trial(session, PAK_CHOI, NOW + timedelta(hours=1))
    assert lock_trial(session, PAK_CHOI).declared == first


def test_the_first_record_starts_the_trial_in_page_and_list_alike(session):
    trial = load_trial(session, PAK_CHOI)
    assert not trial.started
    pour = trial.pours[0]
    values = {"status": "poured", "done_on": TODAY, "amount_each": 200.0}
    log_pours(session, PAK_CHOI, [PourLog(pour, values, {})], "Ben", NOW)
    started = lock_trial(session, PAK_CHOI)
    assert (started.started_on, started.stage(TODAY)) == (TODAY, "running")
    (glance,) = [each for each in glances(session, TODAY) if each.id == PAK_CHOI]
    assert glance.stage == "running", "poured early: the list says what the page says"
    assert started.declared is not None


def test_amendments_change_one_fact_and_forget_what_was_found(session):
    trial = load_trial(session, CURRANTS)
    keep_finding(session, CURRANTS, FOUND, 1.0)
    amend(session, trial, "worth", "worth", ("1 points", "2 points"), 2.0, "seen wetter", "Ben", TODAY)
    amend_treatment(session, trial, "A", "4 cm thick", "wool-mulch", "it blew away", "Ben", TODAY)
    amend_treatment(session, lock_trial(session, CURRANTS), "A", "mown", "growing-media", "none left", "Ben", TODAY)
    changed = lock_trial(session, CURRANTS)
    assert changed.treatment("A").recipe == "growing-media"
    assert (changed.worth, changed.treatment("A").how) == (2.0, "mown")
    assert [(each.what, each.old, each.new) for each in changed.amendments] == [
        ("worth", "1 points", "2 points"),
        ("treatments", "“3 cm thick, moistened” (Wool-fibre mulch)", "“4 cm thick”"),
        ("treatments", "“4 cm thick” (Wool-fibre mulch, wool-mulch)", "“mown”, growing-media"),
    ]
    assert finding_of(session, CURRANTS) is None


def test_moving_the_decision_takes_what_lies_behind_it_away_and_keeps_the_key(session):
    before = load_trial(session, CURRANTS)
    move_decision(session, before, 15)
    session.expire_all()
    after = load_trial(session, CURRANTS)
    assert [each.day for each in after.rounds] == [0, 3, 6, 9, 12, 15]
    assert (after.rounds[-1].key, after.rounds[-1].pull) == (before.rounds[-1].key, True)


def test_ending_is_said_once_and_opens_the_envelope(session):
    end_early(session, CURRANTS, TODAY, "frost")
    end_early(session, CURRANTS, TODAY + timedelta(days=1), "hail")
    trial = lock_trial(session, CURRANTS)
    assert (trial.ended_on, trial.ended_reason, trial.stage(TODAY)) == (TODAY, "frost", "ended early")
    assert CURRANTS in unjudged(session)


def test_a_unit_lost_or_found_after_the_opening_is_an_amendment(session):
    unit = load_trial(session, CHARD).units[0]
    running = load_trial(session, CURRANTS).units[0]
    lose_unit(session, CURRANTS, running.id, TODAY, "slugs", "Ben", TODAY)
    assert lock_trial(session, CURRANTS).amendments == ()
    lose_unit(session, CHARD, unit.id, TODAY, "slugs", "Ben", TODAY)
    lose_unit(session, CHARD, unit.id, None, "", "Ben", TODAY)
    told = [(a.what, a.old, a.new, a.reason) for a in lock_trial(session, CHARD).amendments]
    assert told == [
        (f"unit {unit.code}", "there", "lost", "slugs"),
        (f"unit {unit.code}", "lost (slugs)", "there", "found again"),
    ]


def test_a_spare_plant_is_put_on_record(session):
    record_spare_run(session, CURRANTS, SpareRun("A", TODAY, False, "yellow", "Ben"))
    (run,) = lock_trial(session, CURRANTS).spare_runs
    assert (run.letter, run.came_through, run.note) == ("A", False, "yellow")


def test_what_was_deleted_meanwhile_is_gone_by_name(session):
    key = load_trial(session, CURRANTS).key
    assert trial_with_key(session, key) == CURRANTS
    assert unit_of(session, 19) == (CURRANTS, "H1")
    delete_trial(session, CURRANTS)
    assert (trial_with_key(session, key), unit_of(session, 19)) == (None, None)
    for act in (
        lambda: lock_trial(session, CURRANTS),
        lambda: declare_trial(session, CURRANTS, NOW),
        lambda: note_trial(session, CURRANTS, "x", ""),
        lambda: finish_round(session, CURRANTS, 9, NOW),
    ):
        with pytest.raises(Gone, match="it was deleted meanwhile"):
            act()


# --- Rounds and readings ------------------------------------------------------------------------------------


def test_one_rule_closes_a_round_for_entries_and_button(session):
    trial = load_trial(session, BEDS)
    every = [("plant_height", 1), ("plant_height", 2), ("soil_smell", 1)]
    entries = [
        sent(trial, 7, unit.code, "3", measure=key, replicate=n, id=f"beds-{unit.code}-{key}-{n}")
        for unit in trial.units
        for key, n in every
    ]
    assert set(take(session, *entries[:-1])) == {"saved"}
    assert not lock_trial(session, BEDS).rounds[1].done
    assert take(session, entries[-1]) == ["saved"]
    closed = lock_trial(session, BEDS)
    assert (closed.rounds[1].done, closed.closed) == (True, False)
    finish_round(session, BEDS, closed.rounds[-1].id, NOW)
    over = lock_trial(session, BEDS)
    assert over.closed, "the last round closes the trial"
    assert [each.missed for each in over.rounds] == [False, False, True, True, False]
    assert due_by(session, TODAY + timedelta(days=99), trial_id=BEDS) == []
    open_again(session, BEDS, over.rounds[-1].id, NOW)
    again = lock_trial(session, BEDS)
    assert (again.closed, again.rounds[-1].done) == (False, False)


def test_rounds_that_can_not_be_opened_or_are_no_more(session):
    chard, currants = load_trial(session, CHARD), load_trial(session, CURRANTS)
    with pytest.raises(RoundError, match="the envelope is open"):
        open_again(session, CHARD, chard.rounds[0].id, NOW)
    with pytest.raises(RoundError, match="it is open"):
        open_again(session, CURRANTS, currants.rounds[-1].id, NOW)
    with pytest.raises(RoundError, match="removed from the plan"):
        finish_round(session, CURRANTS, chard.rounds[0].id, NOW)


def test_a_round_s_note_is_not_touched_by_who_did_not_touch_it(session):
    this = load_trial(session, CHARD).rounds[2]
    note_round(session, CHARD, this.id, "", "")
    assert lock_trial(session, CHARD).rounds[2].note == this.note
    with pytest.raises(Changed):
        note_round(session, CHARD, this.id, "mine", "")
    note_round(session, CHARD, this.id, "mine", this.note)
    assert lock_trial(session, CHARD).rounds[2].note == "mine"


def test_what_is_known_of_a_reading_is_kept(session):
    trial = load_trial(session, CURRANTS)
    yesterday = NOW - timedelta(days=1)
    entry = replace(sent(trial, 9, "H1", " 3 ", read_on=yesterday.date()), read_at=yesterday)
    take_entries(session, [entry], Sender("Ben", NOW, "till", saw=True))
    reading = readings_of(session, CURRANTS)[-1]
    assert (reading.value, reading.typed, reading.by, reading.source, reading.saw) == (3.0, " 3 ", "Ben", "till", True)
    assert (reading.read_at, reading.came_at) == (yesterday, NOW)


def test_a_change_keeps_what_stood_there_and_forgets_what_was_found(session):
    trial = load_trial(session, CURRANTS)
    keep_finding(session, CURRANTS, FOUND, None)
    assert take(session, sent(trial, 9, "H1", "3"), sent(trial, 9, "H1", "4", seen=1)) == ["saved", "saved"]
    assert finding_of(session, CURRANTS) is None
    (change, reading), *_ = corrections_of(session, CURRANTS)
    assert (change.old_value, change.reason, change.sealed, reading.value) == (3.0, "typed again", True, 4.0)
    undo = replace(sent(trial, 9, "H1", "", id="undo-0001", seen=2), undo=True)
    assert take(session, undo) == ["saved"]
    assert len(corrections_of(session, CURRANTS)) == 2
    blanks = readings_of(session, CURRANTS, blanks=True)
    assert len(blanks) - len(readings_of(session, CURRANTS)) == 1
    assert [each.blank for each in blanks][-1] is True


def test_entries_of_several_trials_are_answered_in_the_order_sent(session):
    beds, currants = load_trial(session, BEDS), load_trial(session, CURRANTS)
    lost = replace(sent(currants, 9, "H9", "1"), trial="nowhere")
    entries = [
        sent(currants, 9, "H1", "1"),
        sent(beds, 7, "H1", "17", measure="plant_height"),
        lost,
        sent(currants, 9, "H2", "2"),
        sent(currants, 9, "H1", "7", id="another-hand"),
    ]
    assert take(session, *entries) == ["saved", "saved", "refused", "saved", "conflict"]


# --- Pours, batches, recipes, drafts --------------------------------------------------------------------------


def test_a_pour_is_written_over_what_was_seen_and_keeps_its_history(session):
    trial = load_trial(session, BEDS)
    pour = next(each for each in trial.pours if (each.day, each.letter) == (0, "A"))
    values = {"status": "poured", "done_on": TODAY, "amount_each": 1.0, "batch_id": None}
    log_pours(session, BEDS, [PourLog(pour, values, {pour.batch: 0.0})], "Ben", NOW)
    with pytest.raises(Changed, match="put treatment A of this day on record meanwhile"):
        log_pours(session, BEDS, [PourLog(pour, values, {})], "Eve", NOW)
    (change,) = pour_changes_of(session, BEDS)
    assert (change.letter, change.day, change.by, change.sealed) == ("A", 0, "Ben", True)
    assert change.was == {
        "status": "poured",
        "done_on": pour.done_on.isoformat(),
        "amount_each": 1.5,
        "batch_id": pour.batch,
    }
    taken = "SELECT sum(litres) FROM taking WHERE batch_id = :batch"
    assert session.connection().execute(text(taken), {"batch": pour.batch}).scalar() == pytest.approx(0.0)


def test_a_recipe_is_changed_over_the_version_that_was_seen(session):
    mine = replace(recipes()["sugar-ferment"], key="mine")
    assert keep_recipe(session, mine, NOW).version == 1
    assert keep_recipe(session, mine, NOW, seen=1).version == 2
    with pytest.raises(Changed, match="Version 2 of this recipe was kept meanwhile") as caught:
        keep_recipe(session, mine, NOW, seen=1)
    assert caught.value.there == "2"
    assert keep_recipe(session, mine, NOW).version == 3, "a file has seen none"


def test_a_draft_keeps_each_step_over_the_version_seen(session):
    draft_id = new_draft(session, {"claim": {"name": ["A"]}, "rules": {"crops": [""]}}, NOW)
    draft = hold_draft(session, draft_id)
    keep_steps(session, draft, {"claim": {"name": ["B"]}}, NOW, {"claim": 0})
    keep_steps(session, draft, {"claim": {"name": ["B"]}}, NOW, {"claim": 0})
    assert (draft.versions, draft.answers["rules"]) == ({"claim": 1}, {"crops": [""]}), (
        "the same once more is no change"
    )
    with pytest.raises(Changed, match="changed in another window"):
        keep_steps(session, draft, {"claim": {"name": ["C"]}}, NOW, {"claim": 0})
    keep_steps(session, draft, {"claim": {"name": ["C"]}, "rules": {"crops": ["x"]}}, NOW, {"claim": 1})
    assert draft.versions == {"claim": 2, "rules": 1}
    take_draft(session, draft_id)
    for gone in (take_draft, hold_draft):
        with pytest.raises(Gone):
            gone(session, draft_id)


def test_what_was_found_is_kept_replaced_and_forgotten(session):
    keep_finding(session, CURRANTS, FOUND, 0.5)
    keep_finding(session, CURRANTS, [], None)
    assert finding_of(session, CURRANTS) == []
    forget_finding(session, CURRANTS)
    assert finding_of(session, CURRANTS) is None
    assert unjudged(session) == [], "it still runs"
    forget_finding(session, CHARD)
    assert unjudged(session) == [CHARD]
    assert unjudged(session, CURRANTS) == []
