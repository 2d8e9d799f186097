"""A trial on one sheet: complete from the first moment, changed in place, dealt from there."""

import re
from html import unescape

import pytest
from playwright.sync_api import expect

from tests.conftest import PATIENCE, Client
from tests.web.steps import fill, text, typed

SAID = {
    "thing": "Comfrey steep", "crop": "rainbow chard", "measure": "plant_height", "against": "water control",
    "within": "4 weeks", "ground": "12 pots", "worth": "15 %",
}  # fmt: skip


@pytest.fixture
def sheet(draft):
    return f"{draft}/sheet"


def said(client, sheet, go="look", **changes):
    """The sheet as it stands, with some words changed, and something pressed."""
    return client.post(sheet, {**typed(client, sheet), **changes, "go": go}, follow_redirects=go != "deal")


def slots(page):
    """What stands in the sentence."""
    inputs = dict(re.findall(r'<input class="slot"[^>]*name="(\w+)" value="([^"]*)"', page))
    for name, body in re.findall(r'<select class="slot"[^>]*name="(\w+)"[^>]*>(.*?)</select>', page, re.S):
        inputs[name] = re.search(r'selected value="([^"]*)"', body)[1]
    return {name: unescape(value) for name, value in inputs.items()}


def chance(page):
    return int(re.search(r"shows it in (\d+) of 100", page)[1])


def test_an_empty_sheet_is_a_whole_trial_that_can_t_be_dealt_yet(client, sheet):
    page = text(client, sheet)
    assert slots(page) == {**SAID, "thing": "", "crop": ""}
    assert "By day 28, the treatment grew plants 15 % taller than plain water." in page
    assert page.count('class="garden-mark is-filled"') == chance(page) > 0
    assert "Pour every 7 days, 4 times" in page
    assert len(re.findall(r"<small>proposed</small>", page)) == 7
    refused = said(client, sheet, "deal")
    assert (refused.status_code, "Something is missing yet" in refused.text) == (400, True)
    assert '<label for="slot-thing">What is tried</label>: Say what is tried' in refused.text


def test_one_sentence_leads_to_dealt_lots(client, sheet):
    page = said(client, sheet, thing="Comfrey steep", crop="rainbow chard").text
    assert slots(page) == {**SAID, "measure": "widest_leaf"}, "chard is looked at by its leaves"
    assert "comfrey steep grew leaves 15 % wider than plain water" in page
    assert "A Comfrey steep · B Plain water" in page
    dealt = said(client, sheet, "deal")
    trial = text(client, dealt.headers["Location"].split("?")[0])
    assert "<h1" in trial
    assert "Comfrey steep on rainbow chard" in trial
    assert client.get(sheet).status_code == 404, "the draft has become a trial"
    back = client.post(f"{dealt.headers['Location'].split('?')[0]}/plan-again").headers["Location"]
    assert slots(text(client, back))["thing"] == "Comfrey steep", "until something is on record it can be taken back"


def test_what_is_typed_leads_to_the_rest_until_somebody_chooses_otherwise(client, sheet):
    page = said(client, sheet, thing="Wool-fibre mulch").text
    assert (slots(page)["measure"], slots(page)["against"]) == ("moisture_meter", "untreated")
    page = said(client, sheet, thing="Comfrey steep", measure="leaf_count").text
    assert slots(page)["measure"] == "leaf_count"
    assert slots(said(client, sheet, crop="rainbow chard").text)["measure"] == "leaf_count", "chosen by hand"
    assert (
        re.search(r"<strong>What is measured</strong>.*?<small>(\w+)</small>", text(client, sheet), re.S)[1] == "yours"
    )


@pytest.mark.parametrize(
    ("ground", "settled"),
    [("24 pots", "12 of each, pots as needed"), ("2 beds of 1.2 × 2.4 m", "6 of each, Bed 1, Bed 2"),
     ("a tray of 40", "6 of each, Tray"), ("13 pots", "6 of each, pots as needed")],
)  # fmt: skip
def test_the_ground_is_what_is_said(client, sheet, ground, settled):
    page = said(client, sheet, thing="Whey", ground=ground).text
    assert slots(page)["ground"] == ground, "as it was typed"
    assert f"<span>{settled}</span>" in page


def test_time_and_worth_are_read_with_their_units(client, sheet):
    page = said(client, sheet, thing="Whey", within="10 days", worth="3 cm").text
    assert (slots(page)["within"], slots(page)["worth"]) == ("10 days", "3 cm")
    assert "By day 10, whey grew plants 3 cm taller" in page
    fill(client, sheet.removesuffix("/sheet"), "measure", decision_day="21", go="sheet")
    assert slots(text(client, sheet))["within"] == "3 weeks", "what is typed elsewhere shows here"


@pytest.mark.parametrize(
    ("slot", "typed_", "told"),
    [
        ("ground", "my roof", "What you have</label>: “my roof” is no ground that can be read: write 12 pots"),
        ("ground", "1 pot", "1 pot can’t be shared out: say 2 to 800"),
        ("within", "soon", "The time</label>: “soon” is no time that can be read: write 4 weeks"),
        ("worth", "lots", "“lots” is not a number; write it like 12.5 or 12,5, with % or the measure’s unit."),
        ("worth", "0 %", "The smallest difference worth having is above 0"),
    ],
)
def test_nonsense_stays_in_its_slot_with_what_would_fit_and_the_rest_stands(client, sheet, slot, typed_, told):
    page = said(client, sheet, thing="Whey", **{slot: typed_}).text
    assert told in page
    assert slots(page)[slot] == typed_
    assert slots(text(client, sheet))[slot] == typed_, "also when it is loaded again"
    assert said(client, sheet, "deal").status_code == 400
    assert said(client, sheet, "deal", **{slot: SAID[slot]}).status_code == 302


def ways(page):
    """How the ground could be used: (button, words, whether it is taken)."""
    found = re.findall(r'value="([\w-]+)" class="button is-small"\s*aria-pressed="(\w+)">([^<]*)</button>', page)
    return {key: (words, taken == "true") for key, taken, words in found}


def test_two_beds_are_patches_take_turns_or_are_only_looked_at(client, sheet):
    page = said(client, sheet, thing="Whey", ground="two beds").text
    shown = ways(page)
    assert [key for key, (_, taken) in shown.items() if taken] == ["cut-pairs-6"]
    assert shown["cut-pairs-6"][0].endswith(f": {chance(page)} of 100")
    assert shown["cut-one-of-each"][0].endswith(": only a look, never judged")
    turned = said(client, sheet, "turns").text
    assert f"The places take turns, one period after the other: {chance(turned)} of 100" in shown["turns"][0]
    assert "a place with whey" in turned
    assert (slots(turned)["ground"], slots(turned)["within"]) == ("two beds", "30 days"), "six periods share 30, not 28"
    assert set(ways(said(client, sheet, "patches").text)) == set(shown)
    assert slots(said(client, sheet, "turns", within="5 days").text)["within"] == "12 days", "two days each, at least"
    said(client, sheet, "patches")
    looked = said(client, sheet, "cut-one-of-each").text
    assert "With one unit of each this plan shows nothing" in looked
    assert said(client, sheet, "deal").status_code == 302, "who only wants to look may"


def test_a_help_changes_the_sheet(client, sheet):
    before = said(client, sheet, thing="Whey").text
    units, promised = re.search(r'value="(help-units-\d+)" class="button">[^:]*:\s*(\d+) of 100', before).groups()
    after = said(client, sheet, units).text
    each = int(units.rsplit("-", 1)[1])
    assert slots(after)["ground"] == f"{2 * each} pots"
    assert chance(after) == int(promised) > chance(before)


def test_two_windows_do_not_write_over_each_other(client, sheet):
    old = typed(client, sheet)
    said(client, sheet, thing="Whey")
    late = client.post(sheet, {**old, "thing": "Comfrey", "go": "look"})
    assert (late.status_code, "changed in another window" in late.text) == (409, True)
    assert slots(late.text)["thing"] == "Comfrey", "what was typed stands there"
    assert slots(text(client, sheet))["thing"] == "Whey"
    on_the_way = client.post(f"{sheet}/again", {**old, "thing": "Comfrey"})
    assert (on_the_way.status_code, on_the_way.headers.get("X-Step-Version")) == (200, None)
    assert slots(text(client, sheet))["thing"] == "Whey"


def test_a_plan_that_was_begun_in_steps_stands_on_the_sheet(client, draft, sheet):
    fill(client, draft, "claim", thing="Nettle steep", name="Mine")
    fill(client, draft, "ground", auto="1", units_each="8")
    page = text(client, sheet)
    assert (slots(page)["thing"], slots(page)["ground"]) == ("Nettle steep", "16 pots")
    said(client, sheet, thing="Comfrey steep")
    assert "Mine" in text(client, "/trials"), "a name of one's own stays"


@pytest.mark.long
def test_the_sheet_answers_while_one_types(page, app):
    """Words lead to words elsewhere, lots fall anew for the eye, and the keyboard alone leads to dealt lots."""
    page.set_default_timeout(PATIENCE)
    page.goto("/")
    page.get_by_role("button", name="New trial").click()
    page.get_by_label("What is tried").fill("Comfrey steep")
    page.keyboard.press("Tab")
    page.keyboard.type("pak choi")
    expect(page.get_by_label("What is measured first")).to_have_value("widest_leaf")
    expect(page.locator(".sheet-asks")).to_contain_text("comfrey steep grew leaves 15 % wider")
    lots = page.locator(".sheet-ground .ground-plan")
    before = lots.get_attribute("aria-label")
    page.get_by_role("button", name="Deal again").click()
    expect(lots).not_to_have_attribute("aria-label", before)
    page.get_by_label("What you have").fill("two beds")
    expect(page.locator(".sheet-folds")).to_contain_text("6 of each, Bed 1, Bed 2")
    page.get_by_role("button", name="Deal the lots").press("Enter")
    page.wait_for_url("**/trials/1?dealt=1")
    assert "Comfrey steep on pak choi" in Client(app).get("/trials").text


def test_plans_stand_on_the_trials_page_and_the_unnamed_go_after_a_month(client, clock, draft):
    fill(client, draft, "claim", go="stay", name="", thing="")
    named = client.post("/trials/new").headers["Location"]
    said(client, named, thing="Whey")
    first = text(client, "/")
    assert "./eproba" not in first
    assert f'<a href="{named}">Whey</a>' in first, "an empty garden has nothing else to show"
    assert "goes when nobody has touched it for 30 days" in text(client, "/trials")
    clock.forward(days=30)
    client.post("/trials/new")
    assert client.get(f"{draft}/sheet").status_code == 200
    clock.forward(minutes=1)
    client.post("/trials/new")
    assert client.get(f"{draft}/sheet").status_code == 404
    assert client.get(named).status_code == 200, "whoever has named it comes back to it"


@pytest.mark.parametrize("garden", ["demo"], indirect=True)
def test_every_way_into_a_plan_leads_to_the_sheet(client):
    again = client.post("/trials/1/copy").headers["Location"]
    assert again.endswith("/sheet")
    page = text(client, again)
    assert slots(page)["thing"] == "Comfrey steep"
    assert "A Plain water · B Comfrey steep · C Diluted whey" in page, "all its treatments came along"
    kept = said(client, again).text
    assert re.findall(r"<span>(.*?)</span> <small>", kept, re.S) == re.findall(
        r"<span>(.*?)</span> <small>", page, re.S
    )
    assert "Whey" not in text(client, "/").split("Trials</h2>")[1].split("All trials")[0]


def test_pots_that_were_said_are_shared_out_anew_when_a_treatment_comes_or_goes(client, draft):
    sheet = f"{draft}/sheet"
    said(client, sheet, thing="Whey", ground="60 pots")
    assert typed(client, f"{draft}/ground")["units_each"] == "30"
    fill(client, draft, "treatments", go="add")
    assert typed(client, f"{draft}/ground")["units_each"] == "20"
    assert slots(text(client, sheet))["ground"] == "60 pots"
    fill(client, draft, "treatments", go="remove-2")
    assert typed(client, f"{draft}/ground")["units_each"] == "30"
    for _ in range(6):
        fill(client, draft, "treatments", go="add")
    fill(client, draft, "ground", units_each="30")
    assert "can’t be shared out" not in text(client, sheet), "a hundred of each of eight"
    assert slots(text(client, sheet))["ground"] == "240 pots"
