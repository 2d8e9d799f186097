"""What waits: folded by its trial on Today, put on record at one go."""

import re

import pytest
from playwright.sync_api import expect

from tests.conftest import crowded_garden

pytestmark = crowded_garden


def test_what_waits_is_folded_by_its_trial(phone):
    phone.goto("/")
    folded = phone.locator(".due-card.folded")
    expect(folded).to_have_count(2)
    expect(folded.first.locator(".due-what").first).to_have_text(re.compile(r"^\d+ things wait since \w+ \d+ \w+$"))
    expect(folded.first.locator(".due-card").first).to_be_hidden()
    folded.first.get_by_text("One by one").click()
    expect(folded.first.locator(".due-card").first).to_be_visible()
    folded.first.get_by_role("link", name="Begin with the oldest").click()
    expect(phone.locator("#typed")).to_be_focused()


@pytest.mark.parametrize(
    ("go", "status", "told"), [("poured", "poured", "each as planned"), ("skipped", "skipped", "each as left out")]
)
def test_all_that_waits_is_put_on_record_at_once(client, go, status, told):
    today = client.get("/").get_data(as_text=True)
    trial = re.search(r"/trials/(\d+)/pours/overdue", today).group(1)
    due = [each for each in pours(client, trial) if each["status"] == "due"]
    answer = client.post(f"/trials/{trial}/pours/overdue", {"go": go}, follow_redirects=True).get_data(as_text=True)
    assert told in answer
    kept = {(each["letter"], each["day"]): each for each in pours(client, trial)}
    late = [kept[each["letter"], each["day"]] for each in due if kept[each["letter"], each["day"]]["status"] != "due"]
    assert {each["status"] for each in late} == {status}
    assert {each["amount_each"] for each in late} == ({250.0} if go == "poured" else {None})
    assert f"/trials/{trial}/pours/overdue" not in client.get("/").get_data(as_text=True), "nothing waits any more"


def pours(client, trial):
    return client.get(f"/trials/{trial}/export.json").get_json()["trial"]["pours"]


def test_what_is_neither_is_refused_and_changes_nothing(client):
    trial = re.search(r"/trials/(\d+)/pours/overdue", client.get("/").get_data(as_text=True)).group(1)
    before = pours(client, trial)
    answer = client.post(f"/trials/{trial}/pours/overdue", {"go": "both"})
    assert answer.status_code == 400
    assert "Say whether the pours were done as planned, or left out." in answer.get_data(as_text=True)
    assert pours(client, trial) == before
