"""The first measure: what carries the verdict, and where an own one is made."""

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
