"""What is refused and in which words; limits at their edge; what was set aside, by name."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import psycopg
import pytest
from sqlalchemy import text
from sqlmodel import select

from eproba.core.catalogue import measures, recipes
from eproba.core.errors import EprobaError
from eproba.core.measuring.measures import OwnNoise, own_measure
from eproba.core.trial.moving import Move
from eproba.core.trial.readings import Entry
from eproba.store.commands import household as door
from eproba.store.commands.challenges import close_hand_in, note_result, note_slip, open_envelope, open_hand_in
from eproba.store.commands.drafts import hold_draft, new_draft, take_draft
from eproba.store.commands.findings import keep_finding
from eproba.store.commands.happenings import put_down, take_back, take_sample
from eproba.store.commands.household import begin_try, forgive_try, keep_device, saw_device
from eproba.store.commands.kit import keep_kit
from eproba.store.commands.locks import Changed, lock_trial
from eproba.store.commands.measures import add_own_measure, drop_own_measure
from eproba.store.commands.pictures import add_picture, change_picture, decide_on_picture
from eproba.store.commands.pours import PourLog, log_pours, move_pours
from eproba.store.commands.readings import Sender, Sent, add_many, take_entries
from eproba.store.commands.recipes import keep_recipe
from eproba.store.commands.rounds import RoundWord, WordAnswer, finish_round, leave_out, open_again, take_word
from eproba.store.commands.together import leave_out as not_counted
from eproba.store.commands.trials import delete_trial, note_trial
from eproba.store.doorkeeping import home_address, new_passcode, passcode_is_set
from eproba.store.findings import own_noise
from eproba.store.glances import due_by, glances
from eproba.store.household import IDLE, device
from eproba.store.kit import Household, household_kit
from eproba.store.measures import all_measures
from eproba.store.readings import corrections_of, readings_of
from eproba.store.restoring import begin_restore, bring_back, delete_aside, end_restore, set_aside
from eproba.store.server import named
from eproba.store.tables import ChallengeRow, LeftOutRow, RoundRow, UnitEventRow
from eproba.store.trials import load_trial
from eproba.store.upgrading import migrate
from tests.conftest import demo_garden
from tests.databases import TODAY

NOW = datetime(2026, 5, 20, 10, tzinfo=UTC)
CHARD, CURRANTS, BEDS = 1, 2, 5


def refused(act, *arguments, **more):
    with pytest.raises(EprobaError) as caught:
        act(*arguments, **more)
    return str(caught.value)


def sent(trial, number, key="", **more):
    this = trial.rounds[-1]
    entry = Entry("H1", "surface_worms", 1, "7", TODAY)
    return Sent(
        **{
            "id": f"entry-{number}",
            "trial": key or trial.key,
            "round": this.key,
            "entry": entry,
            "read_at": NOW,
            **more,
        }
    )


@demo_garden
def test_every_refusal_says_what_to_do(session):
    currants, beds, chard = (load_trial(session, number) for number in (CURRANTS, BEDS, CHARD))
    draft = new_draft(session, {"claim": {}}, NOW)
    take_draft(session, draft)
    assert refused(hold_draft, session, draft) == (
        "This draft is gone: it was thrown away, or its lots have been dealt."
    )
    assert refused(take_draft, session, draft) == "These lots have been dealt already: the trial stands under Trials."
    pour = replace(beds.pours[0], note="something else")
    assert refused(log_pours, session, BEDS, [PourLog(pour, {}, {})], "Eve", NOW) == (
        f"Somebody else put treatment {pour.letter} of this day on record meanwhile: look at what stands there now, "
        "then keep yours if it is right."
    )
    keep_recipe(session, replace(recipes()["sugar-ferment"], key="mine"), NOW)
    assert refused(keep_recipe, session, replace(recipes()["sugar-ferment"], key="mine"), NOW, seen=7) == (
        "Version 1 of this recipe was kept meanwhile. Yours is still in the fields; keep it as the next version if it "
        "is right."
    )
    with pytest.raises(Changed) as changed:
        note_trial(session, CURRANTS, "mine", "never seen")
    assert (str(changed.value), changed.value.there) == (
        "Somebody else changed the note meanwhile. Yours is still in the field; keep it again if it is right.",
        currants.note,
    )
    assert refused(open_again, session, CHARD, chard.rounds[0].id, NOW) == (
        "The round of day 0 can’t be opened again: the envelope is open: correct the table of readings."
    )
    assert refused(open_again, session, CURRANTS, currants.rounds[-1].id, NOW) == (
        f"The round of day {currants.rounds[-1].day} can’t be opened again: it is open."
    )
    assert refused(finish_round, session, CURRANTS, 10**6, NOW) == "This round was removed from the plan."
    delete_trial(session, CURRANTS)
    assert refused(lock_trial, session, CURRANTS) == "This trial is gone: it was deleted meanwhile."


@demo_garden
def test_an_entry_is_refused_in_words_and_history_says_why(session):
    trial, sender = load_trial(session, CURRANTS), Sender("Ben", NOW, "till")
    others = [
        sent(trial, 1, "nowhere"),
        sent(trial, 2, round="gone"),
        sent(trial, 3),
        sent(trial, 3, round=trial.rounds[0].key),
    ]
    told = take_entries(session, others, sender)
    keep = "Nothing was written. Keep your entries as a file."
    assert [each.why for each in told] == [
        f"This garden has no such trial: it was deleted, or this is another garden (a backup was restored). {keep}",
        f"This round was removed from the plan. {keep}",
        "",
        "This entry bears the id of another. Type it again.",
    ]
    take_entries(session, [sent(trial, 4, seen=told[2].there.version, undo=True)], sender)
    (undone, _) = corrections_of(session, CURRANTS)[0]
    assert (undone.reason, undone.old_value, undone.by, undone.verdict_before) == ("taken back", 7.0, "Ben", "")


@demo_garden
def test_what_comes_after_the_opening_bears_the_verdict_that_stood(session):
    chard = load_trial(session, CHARD)
    session.connection().execute(
        text("DELETE FROM reading WHERE trial_id = 1 AND round_id = :r"), {"r": chard.rounds[1].id}
    )
    keep_finding(session, CHARD, [{"headline": "Better"}, {"headline": "Can’t tell"}], 1.0)
    row = {"round_id": chard.rounds[1].id, "unit_id": chard.units[0].id, "measure_key": chard.asked[0].measure.key,
           "replicate": 1, "value": 9.0, "by": "Ann", "at": NOW, "client_id": "late"}  # fmt: skip
    add_many(session, CHARD, [row], NOW, "Found the sheet.")
    found = [correction for correction, reading in corrections_of(session, CHARD) if reading.client_id == "late"]
    told = [(c.reason, c.by, c.at, c.sealed, c.verdict_before, c.old_value, c.old_client_id) for c in found]
    assert told == [("Found the sheet.", "Ann", NOW, False, "Better; Can’t tell", None, "")]
    assert len([r for r in readings_of(session, CHARD, chard.rounds[1].id) if r.value == 9.0]) == 1


@demo_garden
def test_what_is_typed_again_after_the_opening_keeps_all_that_is_known_of_it(session):
    chard = load_trial(session, CHARD)
    keep_finding(session, CHARD, [{"headline": "Better"}, {"headline": "Can’t tell"}], 1.0)
    this, key, unit = chard.rounds[0], chard.asked[0].measure.key, chard.units[0]
    before = next(r for r in readings_of(session, CHARD, this.id) if (r.unit_id, r.measure_key) == (unit.id, key))
    said = Entry(unit.code, key, 1, "7,5", TODAY, "not kept beside a value", sure=True, reason="Misread.")
    read = NOW - timedelta(days=2)
    more = {"round": this.key, "seen": before.version}
    told = take_entries(session, [sent(chard, 1, entry=said, id="a\x00b", **more)], Sender("Ben", NOW, "till"))
    assert [(each.status, each.why) for each in told] == [
        ("refused", "This entry can’t be kept as it is. Type it again.")
    ]
    told = take_entries(session, [sent(chard, 2, entry=said, read_at=read, **more)], Sender("Ben", NOW, "till", True))
    assert [each.status for each in told] == ["saved"]
    row = session.execute(text("SELECT * FROM reading WHERE client_id = 'entry-2'")).mappings().one()
    kept = ("value", "typed", "sure", "read_at", "saw", "source", "skip_reason")
    assert [row[name] for name in kept] == [7.5, "7,5", True, read, True, "till", ""]
    (change, _) = corrections_of(session, CHARD)[0]
    assert (change.verdict_before, change.reason, change.sealed) == ("Better; Can’t tell", "Misread.", False)


def test_guesses_are_counted_to_the_last_one(session):
    minutes = [NOW + timedelta(minutes=n) for n in (0, 14, 15, 16)]
    assert [begin_try(session, "a", NOW) is not None for _ in range(6)] == [True] * 5 + [False]
    assert begin_try(session, "a", minutes[1]) is None
    assert begin_try(session, "a", minutes[2]) is not None, "a quarter of an hour later they are forgotten"
    forgive_try(session, begin_try(session, "b", minutes[2]).id)
    many = [begin_try(session, f"c{n}", minutes[3]).slow for n in range(60)]
    assert many.count(False) == door.TRIES_OF_ALL - 1 == 49, "of all together fifty, one of them from before"


def test_a_device_was_seen_once_a_minute_at_most(session):
    keep_device(session, "phone", "Ann", False, NOW)
    for seconds, seen in ((60, NOW), (61, NOW + timedelta(seconds=61))):
        saw_device(session, "phone", NOW + timedelta(seconds=seconds))
        session.expire_all()
        assert device(session, "phone", NOW).seen_at == seen
    at = NOW + timedelta(seconds=61)
    assert device(session, "phone", at + IDLE) is not None
    assert device(session, "phone", at + IDLE + timedelta(seconds=1)) is None


def test_the_household_s_water_and_measures(session):
    for kind, stands in (
        ("tap with chlorine", True),
        ("tap, not known", True),
        ("rain", False),
        ("tap with chloramine", False),
    ):
        keep_kit(session, replace(Household(), water=kind))
        assert household_kit(session).stands == stands
    add_own_measure(session, own_measure("own_buds", "Buds", "", 0, 9, 0, "lower", "difference", "Count.\nTwice."))
    assert all_measures(session)["own_buds"].how == ("Count.\nTwice.",)
    assert [drop_own_measure(session, key) for key in ("own_buds", "own_buds", "surface_worms")] == [True, False, False]


@demo_garden
def test_noise_of_finished_trials_is_pooled_and_a_pour_stands_after_its_round(session):
    first = load_trial(session, CHARD)
    key, scale = first.asked[0].measure.key, first.scale
    session.connection().execute(
        text("UPDATE trial_measure SET measure_key = :k, per_unit = 3 WHERE trial_id = 3 AND position = 0"), {"k": key}
    )
    session.connection().execute(text("UPDATE trial SET scale = :s WHERE id = 3"), {"s": scale})
    keep_finding(session, CHARD, [], 3.0)
    keep_finding(session, 3, [], 4.0)
    one = measures()[key]
    read_once = 4.0 / one.averaged(3)  # three readings of a unit were averaged in it
    pooled = ((10 * 3.0**2 + 1 * read_once**2) / 11) ** 0.5
    assert own_noise(session, one, scale) == OwnNoise(pytest.approx(pooled), 11, 2)
    assert own_noise(session, measures()["clod"], scale) is None
    waiting = due_by(session, TODAY + timedelta(days=60))
    assert waiting == sorted(waiting, key=lambda due: (due.on, due.trial_id, due.kind == "pour"))
    assert {due.kind for due in waiting} == {"round", "pour"}
    assert due_by(session, TODAY + timedelta(days=60), trial_id=BEDS) == [
        due for due in waiting if due.trial_id == BEDS
    ]


def test_what_was_set_aside_is_told_by_name_and_brought_back(server, database):
    url, at = named(server.url, database), datetime(2026, 5, 20, 12)
    stem = f"{database}_before_20260520_120000"
    assert set_aside(url) == []
    assert refused(delete_aside, url, "x") == "nothing named x was set aside; there is nothing"
    for number in (1, 2, 3):
        migrate(begin_restore(url))
        assert end_restore(url, at) == (stem if number == 1 else f"{stem}_{number}")
    assert [name for name, size in set_aside(url) if size > 10**6] == [stem, f"{stem}_2", f"{stem}_3"]
    assert refused(bring_back, url, "x", at) == f"nothing named x was set aside; there is {stem}, {stem}_2, {stem}_3"
    assert bring_back(url, stem, at) == f"{stem}_4"
    for name in (f"{stem}_2", f"{stem}_3", f"{stem}_4"):
        delete_aside(url, name)
    assert set_aside(url) == []
    into = begin_restore(url)
    migrate(into)
    with psycopg.connect(into) as link:
        link.execute("UPDATE alembic_version SET version_num = '9999'")
    assert refused(end_restore, url, at) == (
        "this backup is from a newer Eproba (9999): bring Eproba up to date, then restore"
    )
    assert set_aside(url) == []


def test_the_door_is_locked_once_there_is_a_passcode(server, database, monkeypatch):
    url = named(server.url, database)
    assert [passcode_is_set(url), len(new_passcode(url, NOW)), passcode_is_set(url)] == [False, 8, True]
    asked = []

    class Probe:
        __enter__, __exit__ = (lambda self: self), (lambda *_: None)

        def connect(self, where):
            asked.append(where)
            if len(asked) > 1:
                raise OSError

        def getsockname(self):
            return ("10.0.0.7", 1)

    monkeypatch.setattr("eproba.store.doorkeeping.socket.socket", lambda *_: Probe())
    assert [home_address(), home_address()] == ["10.0.0.7", "127.0.0.1"], "without a network its own"
    assert asked[0] == ("192.0.2.1", 9), "an address kept for examples: nothing is sent anywhere"


@demo_garden
def test_what_is_open_and_has_no_finding_is_to_be_judged(session):
    before = {each.id: (each.stage, each.unjudged) for each in glances(session, TODAY)}
    session.connection().execute(text("DELETE FROM finding"))
    after = {each.id: each.unjudged for each in glances(session, TODAY)}
    assert {stage for stage, unjudged in before.values() if unjudged} == set()
    assert {before[n][0] for n, unjudged in after.items() if unjudged} == {"finished"}
    assert {before[n][0] for n, unjudged in after.items() if not unjudged} == {"planned", "running"}


@demo_garden
def test_pictures_rounds_and_pours_of_others_are_refused(session):
    currants, beds, chard = (load_trial(session, number) for number in (CURRANTS, BEDS, CHARD))
    picture = add_picture(session, CURRANTS, "d1", b"jpeg", NOW, by="Ilse")
    assert add_picture(session, CURRANTS, "d1", b"another", NOW) == picture, "one that is there stays as it is"
    assert refused(change_picture, session, BEDS, picture) == "This picture was thrown away."
    assert refused(change_picture, session, CURRANTS, 10**6) == "This picture was thrown away."
    for name, other in (("unit", chard.units[0]), ("round", chard.rounds[0])):
        asked = refused(change_picture, session, CURRANTS, picture, **{f"{name}_id": other.id})
        assert asked == f"Choose a {name} of this trial."
    row = change_picture(session, CURRANTS, picture, unit_id=currants.units[1].id)
    sender = Sender("Ilse", NOW, "form")
    wanted = "Say first which unit it shows, and in which round."
    assert refused(decide_on_picture, session, currants, row, True, sender) == wanted
    row = change_picture(session, CURRANTS, picture, round_id=currants.rounds[3].id)
    decide_on_picture(session, currants, row, False, sender)
    assert row.kept is False
    first, open_one, last = chard.rounds[0], beds.rounds[1], beds.rounds[-1]
    assert refused(leave_out, session, CHARD, first.id, NOW) == "The round of day 0 is closed already."
    leave_out(session, BEDS, open_one.id, NOW)
    assert refused(leave_out, session, BEDS, open_one.id, NOW) == "The round of day 7 is closed already."
    without = "The last round can’t be left out: measure it, or end the trial early."
    assert refused(leave_out, session, BEDS, last.id, NOW) == without
    poured = next(pour for pour in beds.pours if pour.status == "poured")
    moved = Move({poured.id: 9}, (), (0,), (9,))
    meanwhile = "One of these pours was put on record meanwhile: look at what stands there now."
    assert refused(move_pours, session, BEDS, moved, "rain", "Ilse", NOW) == meanwhile


@demo_garden
def test_what_a_device_says_of_a_round_is_answered_once_each(session):
    currants, chard = load_trial(session, CURRANTS), load_trial(session, CHARD)
    this = currants.rounds[3]

    def say(trial=currants, note=None, finished=False, seen="", key=None):
        word = RoundWord(
            "w1", trial.key if trial else "none", key or (trial or chard).rounds[3].key, note, seen, finished
        )
        return take_word(session, word, NOW)

    keep = "Nothing was written. Keep your entries as a file."
    assert (say(None).status, say(None).why.endswith(keep)) == ("refused", True)
    gone = say(key="no such round")
    assert (gone.status, gone.why) == ("refused", f"This round was removed from the plan. {keep}")
    assert say(note="Windy.") == WordAnswer("w1", "saved", note="Windy.")
    other = say(note="Calm.")
    assert (other.status, other.note) == ("conflict", "Windy.")
    assert say(finished=True) == WordAnswer("w1", "saved")
    session.expire_all()
    row = session.get(RoundRow, this.id)
    assert (row.note, row.done, row.closed_at) == ("Windy.", True, NOW)
    assert say(chard, finished=True) == WordAnswer("w1", "saved"), "said again it is done once"


@demo_garden
def test_who_is_left_out_of_a_question_and_why(session):
    empty = "Say why it does not count: whoever looks at these trials reads the reason."
    assert refused(not_counted, session, CHARD, "B", "", "Ilse", NOW) == empty
    assert refused(not_counted, session, CHARD, "Z", "hail", "Ilse", NOW) == "The trial has no such treatment."
    not_counted(session, CHARD, "B", "hail", "Ilse", NOW)
    not_counted(session, CHARD, "B", "hail, and slugs", "Nele", NOW)
    assert [(row.letter, row.reason, row.by) for row in session.exec(select(LeftOutRow))] == [
        ("B", "hail, and slugs", "Nele")
    ]


def test_an_envelope_of_many_gardens_takes_each_once_and_none_after_its_day(session):
    row = ChallengeRow(key="c", name="Comfrey", opens_on=TODAY, file=b"{}", garden="me", called_here=True, made_at=NOW)
    session.add(row)
    session.flush()
    assert not close_hand_in(session, "c")
    open_hand_in(session, "c", "secret")
    assert close_hand_in(session, "c")
    note_slip(session, "c", "ada", "joined", 6, NOW)
    note_result(session, "c", "ada", 6, "trial of ada", b"zip", NOW)
    counts = "The garden with the key ada has sent its result already: {} counts."
    assert refused(note_slip, session, "c", "ada", "stopped", 6, NOW) == counts.format("that one")
    assert refused(note_result, session, "c", "ada", 6, "another", b"zip", NOW) == counts.format("the first one")
    twice = "This trial is in the envelope already, from another garden."
    assert refused(note_result, session, "c", "eve", 6, "trial of ada", b"zip", NOW) == twice
    early = "The envelope opens on its day, not before: until then nobody knows what is in it."
    assert refused(open_envelope, session, "c", TODAY - timedelta(days=1), NOW) == early
    assert open_envelope(session, "c", TODAY, NOW) == [b"zip"]
    late = "The envelope of this challenge is open: nothing can join it any more."
    assert refused(note_slip, session, "c", "bob", "joined", 6, NOW) == late
    assert open_envelope(session, "c", TODAY, NOW + timedelta(days=1)) == [b"zip"], "opened again it is the same"
    assert session.get(ChallengeRow, "c").opened_at == NOW


@demo_garden
def test_a_laboratory_s_number_and_what_happened_once_write_each_reading_once(session):
    chard = load_trial(session, CHARD)
    first, second = chard.units[:2]
    assert refused(put_down, session, chard, [], "fed", TODAY, None, "", "Ilse", NOW) == (
        "Say to which units it happened."
    )
    put_down(session, chard, [first, second], "fed", TODAY, None, "by hand", "Ilse", NOW)
    events = session.exec(select(UnitEventRow)).all()
    assert [(row.unit_id, row.what, row.note, row.taken_back) for row in events] == [
        (unit.id, "fed", "by hand", False) for unit in (first, second)
    ]
    take_back(session, CURRANTS, events[0].id)
    take_back(session, CHARD, events[1].id)
    session.expire_all()
    assert [row.taken_back for row in session.exec(select(UnitEventRow).order_by(UnitEventRow.id))] == [False, True]
    leaves = next(asked for asked in chard.asked if asked.measure.key == "leaf_count")
    facts = {"mixed": "", "laboratory": "", "taken_on": TODAY, "by": "Ilse"}
    this = chard.rounds[-1]
    assert take_sample(session, chard, this, leaves, [first], False, **facts) == "L1"
    assert take_sample(session, chard, this, leaves, [second], False, **facts) == "L2"
    assert refused(take_sample, session, chard, this, leaves, [first], False, **facts) == (
        f"{first.code}: in another sample of this round already."
    )
