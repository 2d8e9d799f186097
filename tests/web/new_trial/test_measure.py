"""The first measure: what carries the verdict, and where an own one is made."""

import re

from tests.web.steps import begun, fill, text, typed


def test_a_measure_of_one_s_own_leads_back_to_the_plan(client):
    draft = begun(client, "Whey", thing="Whey")
    there = fill(client, draft, "measure", go="own", worth="12").headers["Location"]
    assert there.startswith("/measures?draft=")
    own = {**typed(client, there), "name": "Buds open", "unit": "buds", "high": "40"}
    back = client.post(there, own).headers["Location"]
    assert back == f"{draft}/measure"
    page = text(client, back)
    assert "Buds open" in page
    assert typed(client, back)["worth"] == "12"


def test_a_field_that_asks_for_a_value_names_the_unit_of_the_measure(client):
    draft = begun(client, "Whey", thing="Whey")
    fill(client, draft, "measure", measure="fresh_mass", scale="difference")
    page = text(client, f"{draft}/measure")
    assert re.search(r'<label[^>]*for="typical".*?<input[^>]*id="typical".*?\bg\b.*?</div>', page), page
    fill(client, draft, "measure", measure="leaf_count", summary="time_to", level="8")
    page = text(client, f"{draft}/measure")
    assert re.search(r'<label[^>]*for="level".*?<input[^>]*id="level".*?\bleaves\b.*?</div>', page)
