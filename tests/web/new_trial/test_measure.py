"""The first measure: what carries the verdict, and where an own one is made."""

from tests.web.steps import begun, fill, text, typed


def test_a_measure_of_one_s_own_leads_back_to_the_plan(client):
    draft = begun(client, "Whey", thing="Whey")
    there = fill(client, draft, "measure", go="own", worth="12").headers["Location"]
    assert there.startswith("/measures?draft=")
    own = {"name": "Buds open", "unit": "buds", "low": "0", "high": "40", "decimals": "0", "better": "higher"}
    back = client.post(there, {**own, "scale": "difference"}).headers["Location"]
    assert back == f"{draft}/measure"
    page = text(client, back)
    assert "Buds open" in page
    assert typed(client, back)["worth"] == "12"
