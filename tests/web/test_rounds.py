"""What a device sends from the garden: saved once, never overwritten unseen, taken back, refused with words."""

import pytest

from tests.conftest import demo_garden

pytestmark = demo_garden
ROUND = "/trials/2/rounds"


@pytest.fixture
def today_round(client):
    """Save address and unit ids of the currants' round of day 9."""
    page = client.get("/trials/2").get_data(as_text=True)
    round_id = int(page.split("/trials/2/rounds/")[1].split('"')[0])
    return f"{ROUND}/{round_id}/readings", list(range(19, 29))


def op(number, unit, value, **more):
    standard = {"id": f"device-a-{number:04}", "unit": unit, "measure": "moisture_meter", "replicate": 1}
    return {**standard, "value": value, "skip": "", "seen": 0, "replaces": "", **more}


def answer(client, address, *ops):
    response = client.send(address, {"typed": list(ops)})
    assert response.status_code == 200
    return response.get_json()["answers"]


def test_sent_twice_is_saved_once(client, today_round):
    address, units = today_round
    first = answer(client, address, op(1, units[0], 5.5), op(2, units[1], 6.0))
    again = answer(client, address, op(1, units[0], 5.5), op(2, units[1], 6.0))
    assert [a["status"] for a in first + again] == ["saved"] * 4
    table = client.get(f"/trials/2/readings?round={address.split('/')[4]}").get_data(as_text=True)
    assert table.count(">5.5<") == 1


def test_two_people_at_one_place_see_both(client, today_round):
    address, units = today_round
    answer(client, address, op(1, units[0], 5.5))
    (told,) = answer(client, address, op(2, units[0], 7.0, id="device-b-0001"))
    assert (told["status"], told["there"]["value"]) == ("conflict", 5.5)
    (kept,) = answer(client, address, op(3, units[0], 7.0, id="device-b-0002", seen=told["there"]["version"]))
    assert (kept["status"], kept["there"]["value"], kept["there"]["version"]) == ("saved", 7.0, 2)
    page = client.get(f"/trials/2/readings?round={address.split('/')[4]}").get_data(as_text=True)
    assert "was <strong>5.5</strong>, now 7.0" in page


def test_typing_again_before_the_first_arrived_is_no_conflict(client, today_round):
    address, units = today_round
    typed, retyped = op(1, units[0], 5.5), op(2, units[0], 5.8, replaces="device-a-0001")
    assert [a["status"] for a in answer(client, address, typed, retyped)] == ["saved", "saved"]
    # The answer was lost on the way, so the device sends both once more: nothing changes.
    assert [a["status"] for a in answer(client, address, typed, retyped)] == ["saved", "saved"]
    (last,) = answer(client, address, op(3, units[0], 9.9))
    assert last["there"]["value"] == 5.8


def test_undo_takes_back_and_skip_keeps_its_reason(client, today_round):
    address, units = today_round
    answer(client, address, op(1, units[0], 5.5), {"id": "device-a-0001", "undo": True})
    (saved,) = answer(client, address, op(2, units[0], None, skip="Meter failed"))
    assert (saved["status"], saved["there"]["skip"]) == ("saved", "Meter failed")


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"unit": 1}, "not part of the trial"),
        ({"measure": "plant_height"}, "not part of the round"),
        ({"replicate": 0}, "numbered 1 to 9"),
        ({"value": "5"}, "must be a number"),
        ({"value": True}, "must be a number"),
        ({"value": None}, "skip with a reason"),
        ({"id": "x"}, "no id"),
    ],
)
def test_what_can_not_be_is_refused_with_words(client, today_round, change, said):
    address, units = today_round
    (told,) = answer(client, address, {**op(1, units[0], 5.0), **change})
    assert told["status"] == "refused"
    assert said in told["why"]
    (fine,) = answer(client, address, op(2, units[0], 5.0))
    assert fine["status"] == "saved"


def test_nonsense_and_missing_tokens(client, today_round):
    address, _ = today_round
    assert client.send(address, {"typed": "no"}).status_code == 400
    assert client.send(address, [1, 2]).status_code == 400
    bare = client.plain.post(
        address, base_url="http://localhost", json={"typed": []}, headers={"Accept": "application/json"}
    )
    assert (bare.status_code, bare.get_json()["error"]) == (400, "csrf")
    assert client.send("/trials/2/rounds/1/readings", {"typed": []}).status_code == 404


def test_the_last_reading_closes_the_round_by_itself(client, today_round):
    address, units = today_round
    keys = (("moisture_meter", 1), ("moisture_meter", 2), ("surface_worms", 1))
    every = [(unit, key, n) for unit in units for key, n in keys]
    ops = [op(i, unit, 4, measure=key, replicate=n) for i, (unit, key, n) in enumerate(every)]
    answer(client, address, *ops[:-1])
    assert "Round, day 9" in client.get("/").get_data(as_text=True)
    answer(client, address, ops[-1])
    assert "Round, day 9" not in client.get("/").get_data(as_text=True)
    assert "4 of 8 rounds in" in client.get("/trials").get_data(as_text=True)


def test_a_round_left_out_is_closed_as_it_is(client, today_round):
    address, _ = today_round
    finished = client.post(address.replace("readings", "finish"), {"note": "Rain"}, follow_redirects=True)
    assert "Round of day 9 is in." in finished.get_data(as_text=True)
    assert "Note: Rain" in finished.get_data(as_text=True)
