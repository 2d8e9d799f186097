"""The rules: crops and batches in whole blocks, and what the place must have."""

import re

import pytest

from tests.web.steps import dealt, fill, planned, text, typed


def test_crops_and_batches_go_to_whole_blocks(client, draft):
    planned(client, draft)
    fill(client, draft, "treatments", batches="3")
    fill(client, draft, "rules", crops="rainbow chard, pak choi", handling="Raked.")
    trial = dealt(client, draft)
    tags = text(client, f"{trial}/tags")
    shown = re.findall(r"block (\d) · ([\w ]+) · batch (\d)", tags)
    assert len(shown) == 12
    assert len(set(shown)) == 6, "a block has one crop and one batch"
    assert {crop for _, crop, _ in shown} == {"rainbow chard", "pak choi"}
    assert {batch for _, _, batch in shown} == {"1", "2", "3"}
    assert "rainbow chard, pak choi, in whole blocks" in text(client, trial)


@pytest.mark.parametrize(
    ("step", "changes", "back", "said"),
    [
        ("rules", {"crops": "a, b, c, d"}, "rules", "4 crops: take 4 blocks"),
        ("treatments", {"batches": "9"}, "treatments", "at most 6 batches"),
    ],
)
def test_what_does_not_go_into_blocks_leads_back_to_its_step(client, draft, step, changes, back, said):
    planned(client, draft)
    fill(client, draft, step, **changes)
    stopped = client.get(f"{draft}/deal", follow_redirects=True)
    assert stopped.request.path.endswith(f"/{back}")
    assert said in stopped.get_data(as_text=True)


def test_crops_without_blocks_lead_back_too(client, draft):
    planned(client, draft)
    fill(client, draft, "ground", dealing="completely random")
    fill(client, draft, "rules", crops="chard, pak choi")
    assert "2 crops need blocks" in client.get(f"{draft}/deal", follow_redirects=True).get_data(as_text=True)


def test_the_place_must_have_what_is_measured(client, draft):
    planned(client, draft)
    fill(client, draft, "measure", measure="surface_worms", worth="1", scale="difference")
    assert "Without worms near the surface none can answer a drench" in text(client, f"{draft}/rules")
    refused = fill(client, draft, "rules", plants="3", seeds="2", handling="Raked.")
    assert "More plants kept than set: sow more, or keep fewer." in refused.get_data(as_text=True)
    assert typed(client, f"{draft}/rules")["plants"] == "3", "what was typed stays"
