"""The ground: cuts of real beds, what they gain, and the one that is ticked."""

import re

from tests.web.steps import BEDS, fill, planned, pots, text, typed


def test_two_beds_become_pairs_with_the_gain_beside_one_bed_each(client, draft):
    planned(client, draft)
    form = {**typed(client, f"{draft}/ground"), "places": BEDS, "auto": "", "units_each": "4"}
    page = client.post(f"{draft}/proposals", form).get_data(as_text=True)
    assert re.findall(r'name="proposal"[^>]*> <strong>([^<]+)</strong>', page) == [
        "4 pairs",
        "2 pairs",
        "One whole bed each",
    ]
    assert "one whole bed each in none, since two beds differ anyway" in page
    assert "Seen, never shown" in page
    wide = client.post(f"{draft}/proposals", {**form, "guard_cm": "300"}).get_data(as_text=True)
    assert "Guards of 300 cm leave no room for blocks" in wide
    taken = fill(client, draft, "ground", places=BEDS, auto="", units_each="4", guard_cm="", proposal="pairs-2")
    assert taken.headers["Location"].endswith("/chance")
    assert "2 of each, 4 in all" in text(client, f"{draft}/deal")


def test_the_guard_follows_what_is_measured(client, draft):
    planned(client, draft)
    assert "Empty: 15 cm" in text(client, f"{draft}/ground")
    fill(client, draft, "measure", also="surface_worms")
    assert "Empty: 60 cm" in text(client, f"{draft}/ground"), "worms travel further"
    fill(client, draft, "ground", places=BEDS, auto="")
    assert "Guard: 60 cm" in text(client, f"{draft}/deal")


def test_like_with_like_shows_its_gain(client, draft):
    planned(client, draft)
    sizes = "12 9 14 8 10 11 13 9.5 12.5 10.5 8.5 11.5"
    page = client.post(f"{draft}/proposals", {**typed(client, f"{draft}/ground"), "sizes": sizes})
    assert "6 pairs of like size" in page.get_data(as_text=True)
    gain, plain = map(
        int, re.search(r"in (\d+) of 100; the same pots unsorted in (\d+)", page.get_data(as_text=True)).groups()
    )
    assert gain > plain


def test_pairs_of_three_say_what_would_fit(client, draft):
    planned(client, draft)
    fill(client, draft, "treatments", go="add")
    fill(client, draft, "treatments", **{"treatments-2-name": "Whey"})
    page = fill(client, draft, "ground", dealing="pairs").get_data(as_text=True)
    assert "Pairs need exactly two treatments; you have 3: take blocks instead." in page
    stopped = client.get(f"{draft}/deal", follow_redirects=True)
    assert stopped.request.path.endswith("/ground")
    assert "Pairs need exactly" in stopped.get_data(as_text=True)


def test_two_pots_lead_on_to_the_end(client, draft):
    """The slider began at 2 and sent Next back to the ground for ever."""
    planned(client, draft)
    fill(client, draft, "ground", places=pots(2), auto="", units_each="1")
    page = text(client, f"{draft}/chance")
    for slider in re.findall(r'<input type="range"[^>]*>', page):
        assert 'min="1"' in slider
        assert 'value="1"' in slider
    assert fill(client, draft, "chance", units="1").headers["Location"].endswith("/days")
    fill(client, draft, "days")
    fill(client, draft, "rules")
    assert client.post(f"{draft}/deal", {"go": "deal"}).status_code == 302
    assert "described" in text(client, "/trials/1") or "one of each" in text(client, "/trials/1")


def test_a_better_cut_is_ticked_when_it_comes(client, draft):
    """Ground grows: what was ticked when there was little room is not what the plan keeps silently."""
    planned(client, draft)
    fill(client, draft, "ground", places=pots(2), auto="", units_each="6")
    page = text(client, f"{draft}/ground")
    form = typed(client, f"{draft}/ground")
    small = re.search(r'name="proposal"[^>]* value="([^"]+)" checked', page).group(1)
    grown = {**form, "places": pots(6, 2), "proposal": small, "among": small, "token": ""}
    again = client.post(f"{draft.rsplit('/', 1)[0]}/{draft.rsplit('/', 1)[1]}/proposals", grown).get_data(as_text=True)
    assert "A better cut has come: it is ticked now." in again
    assert re.search(r'name="proposal"[^>]* value="([^"]+)" checked', again).group(1) != small
    assert "6 of each, 12 in all" in again.split("checked")[1].split("</label>")[0]
    assert "With 6 of each, a large gain can be shown" in again, "the advice is of the cut that is ticked"
    client.post(f"{draft}/ground", {**form, "places": pots(6, 2), "proposal": small, "among": small, "go": "next"})
    assert "6 of each, 12 in all" in text(client, f"{draft}/deal")


def test_the_advice_speaks_of_the_units_that_are_chosen(client, draft):
    planned(client, draft)
    fill(client, draft, "ground", places=pots(3, 2), auto="", units_each="6")
    page = text(client, f"{draft}/ground")
    assert "With 3 of each" in page
    assert "With 6 of each" not in page


def test_classes_in_four_blocks_can_show_nothing_and_the_plan_says_from_how_many_on(client, draft):
    planned(client, draft)
    fill(client, draft, "measure", measure="nitrogen_kit", scale="difference", worth="", better="higher")
    told = "Classes go by their order: with {} of each no order at all could show anything; 6 of each can."
    for units in ("4", "5"):
        fill(client, draft, "ground", places=pots(2, int(units)), units_each=units)
        assert told.format(units) in text(client, f"{draft}/ground")
        assert told.format(units) in text(client, f"{draft}/deal"), "and where the lots fall"
    fill(client, draft, "ground", places=pots(2, 6), units_each="6")
    assert "no order at all could show" not in text(client, f"{draft}/ground")
