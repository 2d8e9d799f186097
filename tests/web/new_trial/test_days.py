"""The days: moved, counted in minutes."""

import re

from tests.web.steps import fill, planned, text, typed


def test_days_move_and_say_their_minutes(client, draft):
    planned(client, draft)
    form = {**typed(client, f"{draft}/days"), "go": "stay"}
    client.post(f"{draft}/days", {**form, "weekdays": ["5", "6"]})
    page = text(client, f"{draft}/days")
    assert re.search(r"<strong>\d+ minutes</strong> in all", page)
    assert "Day 0 is a Thu, not one of your days" in page
    assert page.count("week-task round") == 5
    assert "week-task pull" not in page
    fill(client, draft, "measure", measure="fresh_mass")
    assert "week-task pull" in text(client, f"{draft}/days")
    fill(client, draft, "rules", plants="2", seeds="4", thin_on="5")
    fill(client, draft, "days", rounds="0, 14 28", pulls="14 28")
    page = text(client, f"{draft}/days")
    assert page.count("week-task pull") == 2
    assert "days 0, 14, 28" in text(client, f"{draft}/deal")
    bad = fill(client, draft, "days", pulls="9", rounds="0 14 28")
    stopped = client.get(f"{draft}/deal", follow_redirects=True).get_data(as_text=True)
    assert "needs a round on that day" in bad.get_data(as_text=True) + stopped
