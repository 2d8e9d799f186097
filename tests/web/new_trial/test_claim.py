"""The claim: a promise becomes a question that can be judged; the kind of thing sets words and rows."""

import re

from tests.web.steps import begun, fill, text, typed


def test_a_vague_promise_becomes_measure_worth_day_and_control(client, draft):
    fill(client, draft, "claim", go="take-holds_water-0", thing="Wool mulch")
    page = text(client, f"{draft}/claim")
    assert "By day 21, wool mulch kept the soil 1 point moister than untreated ground." in page
    measure = typed(client, f"{draft}/measure")
    assert (measure["measure"], measure["scale"], measure["worth"]) == ("moisture_meter", "difference", "1")
    rows = typed(client, f"{draft}/treatments")
    assert (rows["treatments-0-name"], rows["treatments-1-role"]) == ("Wool mulch", "untreated")
    again = client.post(f"{draft}/sentence", {**typed(client, f"{draft}/claim"), "thing": "Bark"})
    assert "bark kept the soil" in again.get_data(as_text=True)
    assert fill(client, draft, "claim", name="Wool").headers["Location"].endswith("/measure")
    assert typed_claim(client, draft).strip() == "", "own words stay the gardener’s own"
    fill(client, draft, "measure", measure="fresh_mass", decision_day="21")
    page = text(client, f"{draft}/claim")
    assert "By day 21, wool mulch grew plants 15 % heavier than untreated ground." in page, "the worth follows its unit"


def typed_claim(client, draft):
    return re.search(r'<textarea[^>]*name="claim"[^>]*>([^<]*)', text(client, f"{draft}/claim")).group(1)


def test_the_kind_changes_only_what_nobody_has_touched(client):
    draft = begun(client, "Wool", "mulch", "Wool", claim="It keeps the soil moist.")
    kept = typed(client, f"{draft}/treatments")
    assert [kept[f"treatments-{i}-{k}"] for i in (0, 1) for k in ("name", "role", "often")] == [
        "Wool", "test", "once", "Bare soil", "untreated", "once",
    ]  # fmt: skip
    assert typed(client, f"{draft}/measure")["measure"] == "moisture_meter"
    assert "tags can’t hide it" in text(client, f"{draft}/treatments")
    fill(client, draft, "treatments", go="stay", **{"treatments-0-amount": "2.5", "treatments-1-name": "My bare bed"})
    fill(client, draft, "claim", go="stay", compared="dry")
    again = typed(client, f"{draft}/treatments")
    assert (again["treatments-0-amount"], again["treatments-1-name"]) == ("2.5", "My bare bed")
    fill(client, draft, "claim", go="stay", compared="media")
    assert typed(client, f"{draft}/treatments")["treatments-1-role"] == "reference", "untreated is none of its controls"
