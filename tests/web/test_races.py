"""Many hands at once, on a real PostgreSQL: nothing lost, nothing doubled, nothing invented, no fault of ours."""

import re
from concurrent.futures import ThreadPoolExecutor

import pytest
from sqlalchemy import text
from sqlmodel import Session

from eproba.store.doorkeeping import new_passcode
from eproba.web.app import create_app
from eproba.web.settings import Settings
from tests.conftest import Client, demo_garden
from tests.web.entries import answers, op, till
from tests.web.steps import typed
from tests.web.test_pours import filled

HANDS = 8


def at_once(work, hands=HANDS):
    """What each of several hands gets, all beginning together."""
    with ThreadPoolExecutor(hands) as pool:
        return list(pool.map(work, range(hands)))


def one(app, query):
    with app.extensions["engine"].connect() as connection:
        return connection.execute(text(query)).scalar()


def newest_round(client, trial=2):
    page = client.get(f"/trials/{trial}").get_data(as_text=True)
    return till(client, re.search(rf"/trials/{trial}/rounds/\d+", page).group())


@demo_garden
def test_eight_phones_saving_the_same_places_in_opposite_order(app):
    round_ = newest_round(Client(app))
    units = [unit["code"] for unit in round_["units"]]

    def phone(n):
        order = units if n % 2 else units[::-1]
        ops = [op(round_, i, unit, str(n), id=f"phone-{n}-{unit}") for i, unit in enumerate(order)]
        return [a["status"] for a in answers(Client(app), *ops)]

    found = [status for statuses in at_once(phone) for status in statuses]
    assert sorted(set(found)) == ["conflict", "saved"]
    assert found.count("saved") == len(units), "each place was written by one of them"


@demo_garden
@pytest.mark.parametrize("what", ["strained", "thrown"])
def test_a_batch_is_strained_and_thrown_away_once(app, what):
    path = "/batches/3/" + ("thrown" if what == "thrown" else "happened")
    form = {"what": what, "throw-reason": "by hand"}
    said = at_once(lambda n: Client(app).post(path, form).status_code)
    assert sorted(said) == [302] + [400] * (HANDS - 1)


@demo_garden
def test_eight_pours_from_one_batch_at_once(app):
    """Eight trials' worth of records: every withdrawal stands, and correcting them gives back just what they took."""
    with app.extensions["engine"].begin() as connection:
        connection.execute(text("UPDATE treatment SET recipe = 'sugar-ferment' WHERE trial_id = 1 AND letter = 'B'"))
        connection.execute(text("UPDATE batch SET litres = 10 WHERE id = 3"))
    days = [0, 7, 14, 21]

    def pour(n):
        form = filled(Client(app), 1, days[n], batch_B="3", override_B="for the race", done_at_B="2026-05-20")
        return Client(app).post(f"/trials/1/pours/{days[n]}", form).status_code

    def put_back(n):
        form = filled(Client(app), 1, days[n], batch_B="")
        return Client(app).post(f"/trials/1/pours/{days[n]}", form).status_code

    taken = "SELECT coalesce(sum(litres), 0) FROM taking WHERE batch_id = 3"
    before = one(app, taken)
    assert at_once(pour, 4) == [302] * 4
    assert one(app, taken) - before == pytest.approx(4 * 6 * 0.25 / 11)
    assert at_once(put_back, 4) == [302] * 4
    assert one(app, taken) == pytest.approx(before)


@demo_garden
def test_the_second_who_logs_a_pour_sees_that_it_is_there(app):
    client = Client(app)
    stale = filled(client, 5, 7, note_B="mine")
    stale |= dict(re.findall(r'name="(seen-\d+)" value="(\w+)"', client.get("/trials/5/pours/7").text))
    assert client.post("/trials/5/pours/7", filled(client, 5, 7, note_B="theirs")).status_code == 302
    late = client.post("/trials/5/pours/7", stale)
    assert "Somebody else put this day on record meanwhile" in late.text
    assert 'value="mine"' in late.text
    assert "theirs" in client.get("/trials/5/pours").text


def test_two_steps_of_a_draft_saved_at_once_are_both_kept(app):
    client = Client(app)
    draft = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
    forms = {step: typed(client, f"{draft}/{step}") for step in ("claim", "rules")}
    marks = {"claim": "note", "rules": "handling"}
    for turn in range(6):

        def save(n, turn=turn):
            step = ("claim", "rules")[n]
            form = {**forms[step], marks[step]: f"{step} {turn}", "seen": str(turn), "go": "stay"}
            return Client(app).post(f"{draft}/{step}", form).status_code

        assert at_once(save, 2) == [302, 302]
        for step in ("claim", "rules"):
            assert f"{step} {turn}" in client.get(f"{draft}/{step}").text


def test_two_windows_on_one_step_the_second_sees_the_other_text(app):
    client = Client(app)
    draft = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
    form = typed(client, f"{draft}/claim")
    client.post(f"{draft}/claim", {**form, "thing": "Whey", "go": "stay"})
    second = client.post(f"{draft}/claim", {**form, "thing": "Comfrey", "go": "stay"})
    assert second.status_code == 409
    assert "changed in another window" in second.text
    assert "<dt>thing</dt><dd>Whey</dd>" in second.text
    assert 'value="Comfrey"' in second.text
    again = client.post(f"{draft}/claim", {**typed_from(second.text, form), "thing": "Comfrey", "go": "stay"})
    assert again.status_code == 302


def typed_from(page, form):
    return {**form, "seen": re.search(r'name="seen" value="(\d+)"', page).group(1)}


def test_lots_of_one_draft_are_dealt_once(app):
    client = Client(app)
    draft = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
    for step, more in (("claim", {"claim": "It helps.", "name": "N"}), ("treatments", {"treatments-0-name": "Whey"})):
        client.post(f"{draft}/{step}", {**typed(client, f"{draft}/{step}"), **more, "go": "next"})
    codes = at_once(lambda _: Client(app).post(f"{draft}/deal", {"go": "deal"}).status_code, 4)
    assert sorted(codes) == [302, 404, 404, 404]
    assert one(app, "SELECT count(*) FROM trial") == 1


@demo_garden
def test_notes_are_written_over_what_was_seen(app):
    seen = {"seen": one(app, "SELECT note FROM trial WHERE id = 2")}
    codes = at_once(lambda n: Client(app).post("/trials/2/note", {"note": f"note {n}", **seen}).status_code)
    assert sorted(codes) == [302] + [409] * (HANDS - 1)
    loser = Client(app).post("/trials/2/note", {"note": "mine", **seen})
    assert "What stands now: “note " in loser.text
    assert "mine</textarea>" in loser.text


@demo_garden
def test_versions_of_a_recipe_are_given_out_one_by_one(app):
    client = Client(app)
    made = client.post("/recipes/sugar-ferment/copy", recipe_form(client, "/recipes/sugar-ferment/copy"))
    key = made.headers["Location"].rsplit("/", 1)[1]
    form = recipe_form(client, f"/recipes/{key}/edit")
    codes = at_once(lambda _: Client(app).post(f"/recipes/{key}/edit", form).status_code, 4)
    assert sorted(codes) == [302, 400, 400, 400]
    assert one(app, f"SELECT max(version) FROM own_recipe WHERE key = '{key}'") == 2


def recipe_form(client, address):
    """What a recipe's form holds."""
    page = client.get(address).text
    form = typed(client, address)
    areas = re.findall(r'<textarea[^>]*name="(\w+)"[^>]*> ?(.*?)</textarea>', page, re.S)
    return {**form, **dict(areas), "cautions": re.findall(r'name="cautions" type="checkbox" value="(\w+)"', page)[:1]}


@demo_garden
def test_a_verdict_nobody_has_looked_at_is_looked_at_by_many(app):
    """A list and a verdict are looked at: nothing is written, and nobody gets a fault of ours."""
    with app.extensions["engine"].begin() as connection:
        connection.execute(text("DELETE FROM finding"))
    pages = ["/trials", "/", "/trials/1/verdict", "/trials/3/verdict"] * 2
    assert at_once(lambda n: Client(app).get(pages[n]).status_code) == [200] * 8
    assert one(app, "SELECT count(*) FROM finding") == 0, "a GET never writes"


def test_guesses_at_the_passcode_count_however_many_come_at_once(settings, clock):
    app = create_app(Settings(settings.database_url, "for tests only", home_network=True), clock)
    right = new_passcode(settings.database_url, clock())
    app.config["WTF_CSRF_ENABLED"] = False

    def join(passcode):
        return app.test_client().post("/join", data={"passcode": passcode, "who": "Eve"}).status_code

    codes = at_once(lambda _: join("00000000"), 12)
    assert sorted(codes) == [400] * 5 + [429] * 7
    assert join(right) == 429
    clock.forward(minutes=16)
    assert join(right) == 302
    with Session(app.extensions["engine"]) as session:
        assert session.connection().execute(text("SELECT count(*) FROM passcode_try")).scalar() == 0
    app.extensions["engine"].dispose()


@demo_garden
def test_one_file_taken_twice_at_once_is_taken_once(app):
    rows = "day;unit;measure;value\n" + "\n".join(f"12;H{n};surface_worms;{n}" for n in range(1, 11))
    form = {"text": rows, "go": "take"}
    codes = at_once(lambda _: Client(app).post("/trials/2/readings/import", form).status_code, 4)
    assert sorted(codes) == [302, 400, 400, 400]
    assert one(app, "SELECT count(*) FROM reading WHERE client_id LIKE 'file-%'") == 10
