"""The steps as folds of the sheet: what is changed there shows in the sheet with the same answer."""

import json
import re

import pytest
from playwright.sync_api import expect

from eproba.core.planning.draft import StepName
from tests.conftest import PATIENCE, Client
from tests.web.eyes import faults, violations
from tests.web.new_trial.test_sheet import chance, said, slots
from tests.web.steps import fill, text, typed

STEPS = StepName.__args__
CONTROLS = r"<(?:select|textarea|button|input(?![^>]*type=\"hidden\")(?![^>]*tabindex=\"-1\"))\b"


@pytest.fixture
def sheet(draft):
    return f"{draft}/sheet"


def kept(client, sheet, step, go="", **changes):
    """A fold as it stands, with some fields changed, and something pressed: the answer, and what it puts in place."""
    answer = client.post(f"{sheet}/{step}", {**typed(client, f"{sheet}/{step}"), **changes, "go": go})
    return answer, json.loads(re.search(r'id="in-place">(.*?)</script>', answer.text, re.S)[1])


def test_what_a_fold_changes_shows_in_the_sheet_at_once(client, sheet):
    said(client, sheet, thing="Whey", crop="rainbow chard")
    answer, place = kept(client, sheet, "measure", worth="30")
    assert place["slots"]["worth"]["text"] == "30 %"
    assert place["folds"]["measure"] == ["Widest leaf, 30 %, 21 May 2026 + 28 days", "yours"]
    assert "X-Step-Again" not in answer.headers, "whoever types there goes on typing"
    assert "whey grew leaves 30 % wider" in answer.text
    assert slots(text(client, sheet))["worth"] == "30 %"
    answer, place = kept(client, sheet, "measure", measure="leaf_count")
    assert answer.headers["X-Step-Again"] == "1", "another measure is asked for other things"
    assert place["slots"]["measure"]["text"] == "leaf_count"


def test_the_sheet_brings_the_open_fold_along(client, sheet):
    form = {**typed(client, sheet), "thing": "Whey", "opened": "treatments"}
    answer = client.post(f"{sheet}/again", form)
    fold = answer.text.split('<template id="fold-again">')[1]
    assert 'name="treatments-0-name" required size="14" type="text" value="Whey"' in re.sub(r"\s+", " ", fold)
    seen = re.search(r'name="seen" value="(\d+)"', fold)[1]
    assert seen == answer.headers["X-Step-Version"], "its next save goes over what the sheet saved"
    assert client.post(f"{sheet}/again", {**form, "seen": seen, "opened": "nothing"}).text.count("<template") == 0


def test_two_windows_do_not_write_over_each_other_in_a_fold(client, sheet):
    old = typed(client, f"{sheet}/measure")
    said(client, sheet, thing="Whey")
    late = client.post(f"{sheet}/measure", {**old, "worth": "40"})
    assert "changed in another window" in late.text
    assert 'value="40"' in late.text, "what was typed stands there"
    assert slots(text(client, sheet))["worth"] == "15 %"


def test_a_fold_does_what_its_buttons_say(client, sheet):
    said(client, sheet, thing="Comfrey steep")
    answer, place = kept(client, sheet, "treatments", "add")
    assert answer.headers["X-Step-Again"] == "1"
    assert answer.text.count("treatment-row") == 3
    kept(client, sheet, "treatments", "remove-2")
    answer, place = kept(client, sheet, "chance", "take-10-25")
    assert (place["slots"]["ground"]["text"], place["slots"]["worth"]["text"]) == ("20 pots", "25 %")
    assert "Taken into the plan" not in text(client, "/trials"), "it is seen at once, and told on no other page"
    answer, place = kept(client, sheet, "treatments", "ladder", ladder_rungs="nonsense")
    assert "is not a number" in answer.text.split("fold-again")[1]


def test_the_measure_asks_what_one_hopes_to_see(client, sheet):
    said(client, sheet, thing="Whey", crop="rainbow chard")
    page = text(client, f"{sheet}/measure")
    hopes = re.findall(r'name="measure" value="(\w+)"[^>]*> <span>([^<]+)<', page)
    assert [words.strip() for _, words in hopes] == [
        "Bigger leaves", "Greener leaves", "More leaves", "Heavier plants", "Taller plants",
    ]  # fmt: skip
    assert len(re.findall(CONTROLS, page)) <= 30
    assert "Leaf count <small>+ 3 minutes" in page, "15 s for each of twelve pots"
    _, place = kept(client, sheet, "measure", another="dug_worms", also=["leaf_count", "dug_worms", ""])
    assert place["slots"]["measure"]["text"] == "dug_worms", "one from the long list"
    page = text(client, f"{sheet}/measure")
    assert re.search(r'value="dug_worms" id="measure-0" checked', page), "it stands among the answers"
    assert re.findall(r'name="also" value="(\w+)"[^>]* checked', page) == ["leaf_count"], (
        "the first one is not read twice"
    )


@pytest.mark.parametrize(
    ("step", "changes", "told"),
    [
        ("measure", {"start_on": "2026-05-19"}, "19 May 2026 is 1 day ago"),
        ("treatments", {"treatments-1-name": "whey"}, "Two treatments have this name; tell them apart."),
        ("treatments", {"treatments-0-dose": "unit", "treatments-0-amount": "x"}, "is not a number"),
        ("ground", {"units_each": "1000"}, "give 1 to 100"),
        ("days", {"rounds": "0 99"}, "99"),
    ],
)
def test_nonsense_in_a_fold_stays_there_and_the_sheet_stays_whole(client, sheet, step, changes, told):
    said(client, sheet, thing="Whey", crop="moonweed")
    answer, place = kept(client, sheet, step, **changes)
    assert told in answer.text
    assert place["slots"]["thing"]["text"] == "Whey"
    assert typed(client, f"{sheet}/{step}").items() >= changes.items(), "what was typed stands there"
    assert said(client, sheet, "deal").status_code == 400
    page = text(client, sheet)
    assert slots(page)["crop"] == "moonweed"
    assert len(re.findall('class="fold"', page)) == 8


def test_two_hundred_pots_are_dealt(client, sheet):
    page = said(client, sheet, thing="Whey", ground="200 pots").text
    assert chance(page) > 95
    assert said(client, sheet, "deal").status_code == 302


@pytest.mark.parametrize("step", STEPS)
def test_each_fold_holds_all_that_its_step_holds(client, draft, sheet, step):
    """Saving a fold as it stands changes nothing, on the sheet or in any step."""
    fill(client, draft, "claim", thing="Nettle steep", claim="“It wakes them up.”", go="sheet")
    before = {name: typed(client, f"{draft}/{name}") for name in STEPS}
    kept(client, sheet, step)
    after = {name: typed(client, f"{draft}/{name}") for name in STEPS}
    for name in STEPS:
        moved = {key for key in before[name] if before[name][key] != after[name].get(key)}
        assert moved <= {"seen", "among", "units", "worth", "blocks", "offered"} - (
            {"worth"} if name == "measure" else set()
        )


def test_pasted_words_are_laid_on_the_sheet(client, sheet):
    line = "My neighbour swears by nettle tea, 1 to 10, a cup per pot every two weeks. Her chard has huge leaves."
    page = said(client, sheet, "paste", pasted=line).text
    assert slots(page) == {
        "thing": "Nettle steep", "crop": "chard", "measure": "widest_leaf", "against": "water control",
        "within": "4 weeks", "ground": "12 pots", "worth": "15 %",
    }  # fmt: skip
    assert "<dt>“1 to 10”</dt><dd>1 part and 10 of water; some mean 1 part and 9 of water</dd>" in page
    both = re.findall(r'value="(parts-\d+)" class="button is-small"\s+aria-pressed="(\w+)">([^<]+)<', page)
    assert both == [
        ("parts-10", "true", "1 part and 10 of water"), ("parts-9", "false", "1 part and 9 of water"),
    ]  # fmt: skip
    assert "Nettle steep, 250 mL each" in page
    assert "By when was not said: the plan takes the time in the sentence." in page
    assert typed(client, sheet.replace("sheet", "treatments"))["treatments-0-water_parts"] == "10"
    said(client, sheet, "parts-9")
    assert typed(client, sheet.replace("sheet", "treatments"))["treatments-0-water_parts"] == "9"
    page = said(client, sheet, thing="Comfrey steep").text
    assert slots(page)["thing"] == "Comfrey steep", "what was pasted is not laid again"
    assert line in page, "and stands there still"


def test_what_was_not_said_is_told_with_what_the_plan_takes(client, sheet):
    page = said(client, sheet, "paste", pasted="comfrey tea, they say").text
    assert "On which crop? Write it into the second field." in page
    assert "No strength was said: its recipe says 1 + 10." in page
    assert "No rate was said: the plan takes 2 L/m², every 7 days, 4 times." in page
    assert "How often was not said: the plan takes 2 L/m², every 7 days, 4 times." in page
    assert "What it does was not said: the plan asks for plant height." in page
    page = said(client, sheet, "paste", pasted="kelp meal, they say").text
    assert "No rate was said: the plan takes 1 kg/m², once, on day 0." in page
    page = said(client, sheet, "paste", pasted="wool mulch, they say").text
    assert "No rate was said" not in page, "a mulch lies; it has no rate"
    page = said(client, sheet, "paste", pasted="two tablespoons of molasses water into a gallon").text
    assert "not taken, since “Plain molasses water” is not thinned" in page
    page = said(client, sheet, "paste", pasted="word " * 3000).text
    assert "Eproba knows amounts, parts, days, crops and promises" in page
    assert chance(page) > 0, "the sheet stays whole"
    assert client.get(sheet).text.count("word ") > 2900


def test_the_sheet_says_what_goes_into_the_cans_and_when_a_brew_begins(client, sheet):
    page = said(client, sheet, thing="Nettle steep").text
    assert "of it, " in page.split("What it takes")[1]
    assert "Nettle steep can’t be ready before" in page
    start = re.search(r'value="(start-[\d-]+)"', page)[1]
    page = said(client, sheet, start).text
    assert "can’t be ready before" not in page
    assert "Begin nettle steep now" in page
    assert "start-" not in page
    left = "The trial takes 0.21 L of it; the rest is left over and keeps 28 days."
    assert f"<li>Begin nettle steep now: 0.5 L. {left}</li>" in page
    fill(client, sheet.removesuffix("/sheet"), "measure", start_on="2026-08-20", go="sheet")
    assert re.search(r"Begin nettle steep by \w{3} \d+ (Jul|Aug) \(its water stands a day first\)", text(client, sheet))


WORDS = """() => {  // what is read on the sheet: choices that are closed up, drawings and what is only heard left out
  const walk = document.createTreeWalker(document.querySelector("main"), NodeFilter.SHOW_TEXT);
  const unread = "option, script, title, svg, template, .sr, details:not([open]) > :not(summary)";
  let words = 0;
  for (let node; (node = walk.nextNode()); ) {
    if (!node.parentElement.closest(unread)) words += (node.nodeValue.match(/[A-Za-z]\\S*/g) ?? []).length;
  }
  return words;
}"""


def test_an_empty_garden_leads_to_dealt_lots_in_few_words_keys_and_screens(page):
    """One page, two words typed: as many words, Tabs and screens as a gardener bears."""
    page.set_default_timeout(PATIENCE)
    page.goto("/")
    page.keyboard.press("n")
    page.wait_for_url("**/sheet")
    page.get_by_label("What is tried").fill("Comfrey steep")
    page.get_by_label("The crop").fill("rainbow chard")
    expect(page.locator(".sheet-takes")).to_contain_text("Comfrey steep, 2 L/m²")
    assert page.evaluate(WORDS) <= 350
    page.set_viewport_size({"width": 390, "height": 844})
    deal = page.get_by_role("button", name="Deal the lots")
    assert deal.bounding_box()["y"] + deal.bounding_box()["height"] <= 3 * 844
    page.reload()
    tabs = 0
    while not deal.evaluate("button => button === document.activeElement"):
        page.keyboard.press("Tab")
        tabs += 1
        assert tabs <= 40
    page.keyboard.press("Enter")
    page.wait_for_url("**/trials/1?dealt=1")


@pytest.mark.long
@pytest.mark.parametrize("system", ["US", "metric"])
def test_no_eye_finds_fault_in_an_open_fold(page, app, system, long):
    """At the laptop, at twice the size of letters there, and on the phone; axe at the laptop."""
    household = Client(app)
    household.post("/mix/kit", {**typed(household, "/mix?kit=1"), "system": system})
    page.set_default_timeout(PATIENCE)
    page.goto("/")
    page.keyboard.press("n")
    page.wait_for_url("**/sheet")
    page.get_by_label("What is tried").fill("Comfrey steep")
    expect(page.locator(".sheet-takes")).to_contain_text("6.3 fl oz a sq ft" if system == "US" else "2 L/m²")
    seen = []
    for step in STEPS if long else ("treatments",):
        page.set_viewport_size({"width": 1280, "height": 800})
        page.locator(f"[data-fold={step}] > summary").click()
        expect(page.locator(f"[data-fold={step}] form")).to_have_count(1)
        for width, height in ((1280, 800), (640, 400), (390, 844)):
            seen += [f"{step} at {width}: {fault}" for fault in faults(page, width, height)]
        seen += [f"{step}: {fault}" for fault in violations(page)]
    assert seen == []


@pytest.mark.long
def test_a_fold_is_changed_in_place_by_keyboard_and_the_lots_are_dealt(page, app):
    """A worth, a drawn bed and a picture are taken in folds; the sentence follows, and nothing counts as another's."""
    page.set_default_timeout(PATIENCE)
    page.goto("/")
    page.get_by_role("button", name="New trial").click()
    page.get_by_label("What is tried").fill("Whey")
    expect(page.locator("[data-fold=treatments] > summary")).to_contain_text("A Whey · B Plain water")
    page.locator("[data-fold=measure] > summary").press("Enter")
    page.get_by_label("Bigger leaves").check()
    expect(page.get_by_label("What is measured first")).to_have_value("widest_leaf")
    page.locator("[data-fold=measure]").get_by_label("Smallest difference").fill("20")
    expect(page.get_by_label("What would not matter")).to_have_value("20 %")
    expect(page.locator("[data-fold=measure] > summary small")).to_have_text("yours")
    page.locator("[data-fold=ground] > summary").press("Enter")
    expect(page.locator("[data-fold=measure] form")).to_have_count(0)
    page.get_by_text("Draw the ground to scale").click()
    page.get_by_role("button", name="Add bed").click()
    expect(page.get_by_label("What you have")).to_have_value("a bed of 2 × 1 m")
    page.get_by_label("6 of each, anywhere").or_(page.locator("[name=proposal]").last).first.check()
    expect(page.locator("[data-fold=ground] > summary small")).to_have_text("yours")
    page.get_by_label("The crop").fill("pak choi")
    expect(page.locator(".sheet-asks")).to_contain_text("whey grew leaves 20 % wider")
    page.get_by_role("button", name="Deal the lots").press("Enter")
    page.wait_for_url("**/trials/1?dealt=1")
    assert "Whey on pak choi" in Client(app).get("/trials").text


@pytest.mark.long
def test_a_press_while_a_save_is_on_its_way_is_not_lost_with_its_button(page):
    """The sheet is drawn anew between the press and its going: the new button is as good as the old."""
    page.set_default_timeout(PATIENCE)
    page.goto("/")
    page.get_by_role("button", name="New trial").click()
    page.wait_for_url("**/sheet")
    page.get_by_label("What is tried").fill("Whey")
    expect(page.locator("[data-fold=treatments] > summary")).to_contain_text("A Whey · B Plain water")
    page.evaluate(
        """() => {
          const [deal, sheet] = [document.querySelector("[value=deal]"), document.querySelector("form.live")];
          Saves.underWay += 1;
          Saves.last = Saves.last.then(() => {
            deal.replaceWith(deal.cloneNode(true));
            Saves.underWay -= 1;
          });
          sheet.requestSubmit(deal);
        }"""
    )
    page.wait_for_url("**/trials/1?dealt=1")
