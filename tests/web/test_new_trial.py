"""Planning a trial through its steps: nothing typed is lost, weak choices get advice, wrong ones a sentence."""

import pytest
from sqlalchemy import text as sql

from tests.web.steps import fill, planned, typed

TINY = '{"places": [{"kind": "bed", "name": "Bed", "x_cm": 0, "y_cm": 0, "width_cm": 220, "length_cm": 60}]}'
EVIL = "Robert'); DROP TABLE trial;-- <img src=x onerror=alert(1)>"


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
    for words in ("“much” is not a number", "1 to 730 fits here", "is no date", 'value="much"', 'value="-3"'):
        assert words in page
    fill(client, draft, "claim", go="treatments", claim="half a thou")
    assert "half a thou" in client.get(f"{draft}/claim").get_data(as_text=True)
    assert 'value="much"' in client.get(f"{draft}/measure").get_data(as_text=True)
    stopped = client.get(f"{draft}/deal", follow_redirects=True).get_data(as_text=True)
    assert "Something is still open in this step" in stopped
    assert "Give the trial a short name" in stopped


def test_treatments_come_and_go(client, draft):
    fill(client, draft, "treatments", go="add", **{"treatments-0-name": "Nettle"})
    assert "Name it." not in client.get(f"{draft}/treatments").get_data(as_text=True), "a new row is no mistake yet"
    fill(client, draft, "treatments", go="stay", **{"treatments-2-name": "Whey"})
    fill(client, draft, "treatments", go="remove-1")
    kept = typed(client, f"{draft}/treatments")
    assert [kept[f"treatments-{i}-name"] for i in (0, 1)] == ["Nettle", "Whey"]
    assert "treatments-2-name" not in kept
    page = client.get(f"{draft}/treatments").get_data(as_text=True)
    assert "No water control and nothing untreated" in page
    same = fill(client, draft, "treatments", **{"treatments-1-name": "nettle"})
    assert "Two treatments have this name" in same.get_data(as_text=True)


@pytest.mark.parametrize(
    ("step", "changes", "said"),
    [
        ("measure", {"measure": "leaf_count"}, "can’t be said in percent"),
        ("measure", {"measure": "seeds_up", "scale": "difference"}, "how many seeds are sown"),
        ("measure", {"worth": "0"}, "above 0"),
        ("measure", {"measure": "nonsense"}, "Not a valid choice"),
        ("treatments", {"treatments-0-amount": "lots", "treatments-0-name": "x"}, "not a number"),
        ("treatments", {}, "Name it."),
        ("ground", {"units_each": "2.5"}, "A whole number"),
        ("ground", {"least_width_cm": "0", "auto": ""}, "1 to 5000 fits here"),
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
        ("claim", {"name": "x"}, "Say what is claimed."),
    ],
)
def test_each_wrong_choice_gets_its_sentence(client, draft, step, changes, said):
    if changes.get("places") == TINY:
        changes |= {"guard_cm": "200", "least_width_cm": "60", "least_length_cm": "60"}
    response = fill(client, draft, step, **changes)
    assert response.status_code == 400
    assert said in response.get_data(as_text=True)


def test_pairs_of_three_say_what_would_fit(client, draft):
    planned(client, draft)
    fill(client, draft, "treatments", go="add")
    fill(client, draft, "treatments", **{"treatments-2-name": "Whey"})
    page = fill(client, draft, "ground", dealing="pairs").get_data(as_text=True)
    assert "Pairs need exactly two treatments; you have 3: take blocks instead." in page
    stopped = client.get(f"{draft}/deal", follow_redirects=True)
    assert stopped.request.path.endswith("/ground")
    assert "Pairs need exactly" in stopped.get_data(as_text=True)


def test_weak_plans_are_allowed_and_told(client, draft):
    planned(client, draft)
    fill(client, draft, "ground", units_each="1")
    page = client.get(f"{draft}/deal").get_data(as_text=True)
    assert "This weakens the trial" in page
    assert "never judged" in page
    assert client.post(f"{draft}/deal", {"go": "deal"}).status_code == 302


def test_sql_and_html_in_names_stay_words(client, draft, app):
    fill(client, draft, "claim", claim=EVIL, name=EVIL[:80], note=EVIL)
    fill(client, draft, "measure")
    fill(client, draft, "treatments", **{"treatments-0-name": EVIL[:60], "treatments-0-how": EVIL})
    fill(client, draft, "ground")
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    for path in (
        trial,
        "/trials",
        "/",
        f"{trial}/tags",
        f"{trial}/pours",
        f"{trial}/pours/0",
        f"{trial}/verdict",
        f"{trial}/delete",
    ):
        page = client.get(path).get_data(as_text=True)
        assert "<img" not in page
        assert "Robert" in page or path.endswith("verdict")
    with app.extensions["engine"].connect() as connection:
        assert connection.execute(sql("SELECT count(*) FROM trial")).scalar() == 1
    assert "'=" not in client.get(f"{trial}/readings.csv").get_data(as_text=True)


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
