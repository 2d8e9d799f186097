"""What next: keep, drop, ask again, scale up, and the plan that settles it."""

import re

from tests.conftest import demo_garden
from tests.web.steps import text


@demo_garden
def test_what_next_follows_the_verdict(client):
    assert 'href="/trials/1/next"' in text(client, "/trials/1/verdict")
    page = text(client, "/trials/1/next")
    assert page.index("Keep it") < page.index("Drop it"), "what is worth keeping comes first"
    assert "It gave +22 % (18 % more to 26 % more fits), beyond the 15 % that you wanted. It took 67 min" in page
    assert "No difference worth having, for 38 min of work: plain water does as well." in page
    for title in ("Change strength or days", "Ask again with more units", "Try it elsewhere", "Scale it up"):
        assert page.count(title) >= 2, title
    sealed = client.get("/trials/2/next")
    assert (sealed.status_code, "What next follows the verdict: the envelope is still shut." in sealed.text) == (
        404,
        True,
    )


@demo_garden
def test_more_ground_is_reckoned_for_each_way_with_its_cautions(client):
    assert 'href="/trials/1/next#scale"' in text(client, "/trials/1/mix")
    assert "/next#scale" not in text(client, "/trials/2/mix"), "sealed"
    page = text(client, "/trials/1/next?scale=B&area=40")
    for way in ("Watering can, coarse rose", "Backpack sprayer", "Pump and tank", "Drip injection"):
        assert way in page, way
    assert re.search(r"\b98 L reach the ground each time", page)
    assert "backflow" in page
    assert page.count("Pumps and high pressure hurt") == 1, "each caution once, with the ways that it is for"
    assert "<strong>Backpack sprayer, Pump and tank, Drip injection: </strong> Pumps and high pressure" in page
    for area, why in (("lots", "“lots” is not a number"), ("0", "0 m² can’t be"), ("1e9", "can’t be: above 0, up to")):
        assert why in text(client, f"/trials/1/next?scale=B&area={area}"), area


@demo_garden
def test_what_was_only_seen_gives_the_plan_that_settles_it_as_a_draft(client):
    """One strip of each was only seen: the planner draws a plan that can tell, and one tap makes it a draft."""
    page = text(client, "/trials/3/next")
    found = re.search(r"The cheapest plan that would settle it: (\d+) \w+ of each (in pairs|anywhere)", page)
    assert found, "by the usual noise, since one of each tells none"
    assert "On the ground of this trial it does not fit" in page, "two strips hold no more"
    answer = client.post("/trials/3/next/settle", {"letter": "A"})
    assert re.search(rf'name="units_each"[^>]*value="{found.group(1)}"', text(client, answer.headers["Location"]))
    assert client.post("/trials/3/next/settle", {"letter": "Q"}).status_code == 400
    assert client.post("/trials/2/next/settle", {"letter": "A"}).status_code == 400, "sealed"
