"""Walking over the steps: nothing typed is lost, weak choices get advice, wrong ones a sentence."""

import json
import re

import pytest
from sqlalchemy import text as sql

from tests.web.steps import begun, fill, planned, text, typed

TINY = '{"places": [{"kind": "bed", "name": "Bed", "x_cm": 0, "y_cm": 0, "width_cm": 220, "length_cm": 60}]}'


def test_the_common_plan_needs_three_names(client, draft):
    assert planned(client, draft).headers["Location"].endswith("/ground")
    for step, following in (("ground", "/chance"), ("chance", "/days"), ("days", "/rules"), ("rules", "/deal")):
        assert fill(client, draft, step).headers["Location"].endswith(following)
    before = client.get(f"{draft}/deal").get_data(as_text=True)
    assert "6 of each, 12 in all" in before
    assert "The ground, before the lots" in before
    assert 'class="tile-letter"' not in before
    made = client.post(f"{draft}/deal", {"go": "deal"})
    page = client.get(made.headers["Location"]).get_data(as_text=True)
    assert page.count('class="tile-letter"') == 12
    assert "worth having: <strong>15 %" in page
    assert client.get(f"{draft}/claim").status_code == 404, "the draft has become the trial"


def test_back_and_forth_loses_nothing_not_even_what_is_wrong(client, draft):
    wrong = fill(client, draft, "measure", worth="much", decision_day="-3", start_on="31/31/2026")
    page = wrong.get_data(as_text=True)
    assert wrong.status_code == 400
    for words in ("“much” is not a number", "give 1 to 730", "is no date", 'value="much"', 'value="-3"'):
        assert words in page
    fill(client, draft, "claim", go="treatments", claim="half a thou")
    assert "half a thou" in client.get(f"{draft}/claim").get_data(as_text=True)
    assert 'value="much"' in client.get(f"{draft}/measure").get_data(as_text=True)
    stopped = client.get(f"{draft}/deal", follow_redirects=True).get_data(as_text=True)
    assert "Fill in what’s marked below" in stopped
    assert "Give the trial a short name" in stopped


@pytest.mark.parametrize(
    ("step", "changes", "said"),
    [
        ("measure", {"worth": "0"}, "above 0"),
        ("measure", {"measure": "nonsense"}, "Choose one of those that are offered."),
        ("treatments", {"treatments-0-amount": "lots", "treatments-0-name": "x"}, "not a number"),
        ("treatments", {}, "Name it."),
        ("ground", {"units_each": "2.5"}, "A whole number"),
        ("ground", {"least_width_cm": "0", "auto": ""}, "0 cm doesn’t fit: give 1 cm to 5000 cm"),
        ("ground", {"places": "[", "auto": ""}, "did not arrive whole"),
        ("ground", {"sizes": "12 x 11"}, "one number for each pot"),
        ("ground", {"sizes": "12 11"}, "2 sizes for 12 units"),
        ("ground", {"dealing": "Latin square"}, "A Latin square needs three treatments or more"),
        ("ground", {"auto": "", "places": TINY}, "Guards of 200 cm eat the ground"),
        ("chance", {"noise": "none"}, "not a number"),
        ("days", {"rounds": "0 7 14 35"}, "decide on day 35, or end the rounds with day 28"),
        ("days", {"rounds": "weekly"}, "Write the days as whole numbers"),
        ("rules", {"plants": "3", "seeds": "2"}, "More plants kept than set"),
        ("rules", {"crops": "a, b, c, d, e, f, g"}, "up to 6"),
        ("claim", {"claim": "x"}, "Give the trial a short name."),
    ],
)
def test_each_wrong_choice_gets_its_sentence(client, draft, step, changes, said):
    if changes.get("places") == TINY:
        changes |= {"guard_cm": "200", "least_width_cm": "60", "least_length_cm": "60"}
    response = fill(client, draft, step, **changes)
    assert response.status_code == 400
    assert said in response.get_data(as_text=True)


@pytest.mark.parametrize(
    ("kept", "said"),
    [
        ({"measure": "leaf_count"}, "Leaf count can’t be said in percent; choose its own unit"),
        ({"summary": "time_to", "level": "25"}, "Days can’t be said in percent"),
        ({"measure": "seeds_up", "scale": "difference"}, "Say how many seeds are sown"),
    ],
)
def test_a_draft_of_old_that_contradicts_itself_says_where(client, draft, app, kept, said):
    with app.extensions["engine"].begin() as connection:
        more = json.dumps({field: [value] for field, value in kept.items()})
        merged = "jsonb_set(answers, '{measure}', (answers -> 'measure') || cast(:more as jsonb))"
        connection.execute(sql(f"UPDATE draft SET answers = {merged}"), {"more": more})
    assert said in text(client, f"{draft}/measure?check=1")


def test_weak_plans_are_allowed_and_told(client, draft):
    planned(client, draft)
    fill(client, draft, "ground", units_each="1")
    page = client.get(f"{draft}/deal").get_data(as_text=True)
    assert "This weakens the trial" in page
    assert "never judged" in page
    assert client.post(f"{draft}/deal", {"go": "deal"}).status_code == 302


def test_an_empty_garden_is_not_empty_of_help(client):
    page = client.get("/").get_data(as_text=True)
    assert "Plan your first trial" in page
    assert page.count("<li> <h2") == 4
    assert "Your trials will stand here" in client.get("/trials").get_data(as_text=True)


def test_a_plan_can_be_thrown_away(client, draft):
    fill(client, draft, "claim", go="stay", name="Passing thought")
    assert "Passing thought" in client.get("/trials").get_data(as_text=True)
    client.post(f"{draft}/throw-away")
    assert "Passing thought" not in client.get("/trials").get_data(as_text=True)


def test_what_is_typed_is_kept_on_the_way(client):
    """A reload, an empty battery: the step was kept while it was typed; another window is not written over."""
    draft = begun(client, "Whey", thing="Whey")
    form = typed(client, f"{draft}/claim")
    kept = client.post(f"{draft}/claim/typed", {**form, "note": "South of the wa"})
    assert (kept.status_code, kept.headers["X-Step-Version"]) == (204, "3")
    assert "South of the wa" in text(client, f"{draft}/claim")
    late = client.post(f"{draft}/claim/typed", {**form, "note": "from the other window"})
    assert (late.status_code, late.headers.get("X-Step-Version")) == (204, None), "it stands on no newer version"
    assert "South of the wa" in text(client, f"{draft}/claim"), "it was made from an older form"
    told = client.post(f"{draft}/claim", {**form, "note": "from the other window", "go": "next"})
    assert told.status_code == 409
    page = told.get_data(as_text=True)
    assert "from the other window" in page
    assert "South of the wa" in page, "the second sees both"


def test_the_bar_of_stakes_says_what_is_settled(client):
    draft = begun(client, "Whey on chard", thing="Whey")
    bar = re.search(r'<ol class="stakes".*?</ol>', text(client, f"{draft}/measure"), re.S).group()
    told = re.findall(r"<small>([^<]*)</small>", bar)
    assert told[0] == "Whey on chard"
    assert told[1] == "Plant height, 15 %, 21 May 2026 + 28 days"
    assert told[2] == "A Whey · B Plain water"
    assert told[3] == "6 of each, pots as needed"
    fill(client, draft, "claim", go="stay", name="")
    bar = re.search(r'<ol class="stakes".*?</ol>', text(client, f"{draft}/measure"), re.S).group()
    assert re.findall(r"<small>([^<]*)</small>", bar)[0] == "still open"
