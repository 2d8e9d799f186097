"""Did it last: the same units and lots looked at again, judged against what was declared; and another year."""

import io
import zipfile
from datetime import date, timedelta

import pytest
from sqlmodel import Session

from eproba.core.judging.answers import questions_of
from eproba.store.trials import load_trial
from tests.conftest import demo_garden
from tests.databases import TODAY
from tests.web.steps import text
from tests.web.test_verdict import read_days

ENDED = TODAY - timedelta(days=2)  # of the demo's chard


def zipped(content):
    with zipfile.ZipFile(io.BytesIO(content)) as package:
        return "".join(package.read(name).decode(errors="replace") for name in package.namelist())


def carried(app, trial_id):
    with Session(app.extensions["engine"]) as session:
        return load_trial(session, trial_id), load_trial(session, 1)


def again(client, **typed):
    wish = {"there": "yes", "measure": "widest_leaf", "days": "14, 42", "go": "lasted"} | typed
    return client.post("/trials/1/again", {name: value for name, value in wish.items() if value is not None})


@demo_garden
def test_the_same_units_and_lots_are_looked_at_again_and_judged(client, app, clock):
    asked = text(client, "/trials/1/next")
    assert "A flush can die back within weeks. Look again at the same pots, 14 and 42 days after the trial." in asked
    answer = again(client)
    address = answer.headers["Location"]
    follow_up, first = carried(app, int(address.rsplit("/", 1)[1]))
    assert [(u.code, u.letter, u.block) for u in follow_up.units] == [(u.code, u.letter, u.block) for u in first.units]
    assert (follow_up.start_on, [r.day for r in follow_up.rounds], follow_up.pours) == (ENDED, [14, 42], ())
    assert (follow_up.seed, follow_up.dealt_at, follow_up.worth) == (first.seed, first.dealt_at, first.worth)
    assert follow_up.declared is not None
    page = text(client, address)
    assert "42 days after the trial, comfrey steep or diluted whey grew leaves 15 % wider than plain water." in page
    assert "The same pots and lots as <a" in page
    clock.forward(days=41)
    lasting = lambda letter, n, day: 8 + (2.5 if letter == "B" else 0) + (n * 7 % 5) / 20  # noqa: E731
    read_days(client, address, lasting, (14, 42))
    verdict = text(client, f"{address}/verdict")
    assert "Better, and by enough to matter: Comfrey steep" in verdict
    assert "No baseline" not in verdict
    assert "was taken out" not in verdict, "what they began with is what the trial did to them"
    assert "start in the past" not in verdict
    assert "within four weeks" not in verdict, "that was the claim of the first trial"
    assert "got nothing since" in verdict
    assert "if luck favoured one side then, it still does" in verdict
    assert "nothing was given since the trial before" in text(client, f"{address}/report")
    told = text(client, "/trials/1/next")
    assert "did it last?</a>: better" in told.lower()
    lasted = text(client, f"{address}/next")
    assert "A gain is still there, with nothing given since: +30 % (likely between" in lasted
    assert "If there was a gain before, it did not last." in lasted, "the whey"
    assert "Ask it again" not in lasted
    copied = client.post(f"{address}/copy").headers["Location"].rsplit("/", 1)[0]
    assert 'value="250"' in text(client, f"{copied}/treatments"), "asked again with what the first trial gave"
    with Session(app.extensions["engine"]) as session:
        both = [set(questions_of(load_trial(session, n)).values()) for n in (1, follow_up.id)]
    assert both[0].isdisjoint(both[1]), "a question of its own"
    assert "did it last?</a>: better" in text(client, f"/together/{both[0].pop()}").lower()


@demo_garden
@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ({"there": None}, "Say that the pots are still as they were. If they are gone, ask it in a new trial."),
        ({"measure": ""}, "Choose what to look at."),
        ({"days": "soon"}, "Write days after the trial as numbers from 1 to 730, such as 14, 42."),
        ({"days": "1"}, "The trial ended 2 days ago: these days are over. Write a later day."),
        ({"go": "again", "start_on": ""}, "Write the day on which the next year begins."),
        ({"go": "again", "start_on": "2026-05-19"}, "The next year begins today or later."),
    ],
)
def test_what_can_t_be_looked_at_says_why_and_loses_nothing(client, typed, says):
    refused = again(client, **typed)
    page = refused.get_data(as_text=True)
    assert (refused.status_code, says in page) == (400, True)
    if "days" in typed:
        assert f'value="{typed["days"]}"' in page


@demo_garden
def test_lost_units_stay_lost_and_a_treatment_that_is_gone_can_t_be_asked(client, app):
    with Session(app.extensions["engine"]) as session:
        trial = load_trial(session, 1)
    mine = [unit for unit in trial.units if unit.letter == "B"]
    for unit in mine[:-1]:
        lost = {"on": "2026-05-19", "reason": "slugs", "go": "lost"}
        assert client.post(f"/trials/1/units/{unit.id}", lost).status_code == 302
    follow_up, _ = carried(app, int(again(client).headers["Location"].rsplit("/", 1)[1]))
    assert sum(unit.lost_on is not None for unit in follow_up.units) == len(mine) - 1
    client.post(f"/trials/1/units/{mine[-1].id}", {"on": "2026-05-19", "reason": "slugs", "go": "lost"})
    assert "All pots of comfrey steep are lost. Ask it again in a new trial." in text(client, "/trials/1/again")
    assert again(client).status_code == 400


@demo_garden
def test_a_perennial_goes_into_another_year_with_the_same_doses(client, app):
    answer = again(client, go="again", start_on="2027-03-01")
    follow_up, first = carried(app, int(answer.headers["Location"].rsplit("/", 1)[1]))
    assert follow_up.start_on == date(2027, 3, 1)
    assert [(p.letter, p.day) for p in follow_up.pours] == [(p.letter, p.day) for p in first.pours]
    assert {pour.status for pour in follow_up.pours} == {"due"}
    assert [r.day for r in follow_up.rounds] == [r.day for r in first.rounds if r.day > 0]
    assert follow_up.name == "Comfrey and whey on rainbow chard, 2027"


@demo_garden
def test_a_look_again_leaves_without_the_key_of_the_trial_before_it(client, app):
    address = again(client).headers["Location"]
    with Session(app.extensions["engine"]) as session:
        key = load_trial(session, 1).key
    assert key in zipped(client.get(f"{address}/package.zip").data)
    assert key not in text(client, f"{address}/plan.json")


def test_before_the_envelope_is_open_nothing_is_looked_at_again(client, draft):
    assert client.get("/trials/1/again").status_code == 404
