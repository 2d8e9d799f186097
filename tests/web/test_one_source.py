"""One fact, one source: what two pages show of a plan or a trial is the same, sentence by sentence."""

import re
from datetime import date, timedelta

import pytest

from eproba.core.trial.compared import CONTROL_PHRASES
from eproba.core.words import lower_first
from tests.conftest import crowded_garden
from tests.web.steps import begun, fill, rows, text, typed

NAMES = ("Comfrey steep", "Diluted whey", "Wool mulch")
LAYOUTS = ("completely random", "blocks", "pairs", "Latin square", "on and off")
KINDS = ("drench", "dry", "mulch", "media", "way")
# Each kind and each layout once; how they meet else is for a long run.
PLANS = [
    pytest.param(kind, layout, count, marks=[] if k == at and (k + n) % 3 == 0 else [pytest.mark.long])
    for k, kind in enumerate(KINDS)
    for at, layout in enumerate(LAYOUTS)
    for n, count in enumerate((2, 3, 4))
]


def one(pattern, page):
    """What a page shows there, once and only once in different words."""
    shown = set(re.findall(pattern, page))
    assert len(shown) == 1, (pattern, shown)
    return shown.pop()


def planned(client, compared, layout, count):
    """A plan of this kind, or None where the layout is none for so many treatments."""
    draft = begun(client, f"{compared} {layout} {count}", compared, NAMES[0])
    if count > 2:
        before = typed(client, f"{draft}/treatments")
        control = {"name": before["treatments-1-name"], "role": before["treatments-1-role"]}
        names = [{"name": NAMES[0]}, control, *({"name": name} for name in NAMES[1 : count - 1])]
        rows(client, draft, *names)
    each = {"Latin square": count, "on and off": 6}.get(layout, 4)
    fill(client, draft, "measure", decision_day="24")
    fill(client, draft, "ground", dealing=layout, units_each=str(each))
    made = client.get(f"{draft}/deal")
    return draft if made.status_code == 200 else None


@pytest.mark.parametrize(("compared", "layout", "count"), PLANS)
def test_all_pages_of_a_plan_tell_the_same(client, compared, layout, count):
    draft = planned(client, compared, layout, count)
    fits = {"pairs": count == 2, "on and off": count == 2, "Latin square": count > 2}.get(layout, True)
    assert (draft is not None) == fits
    if draft is None:
        return
    claim, treatments, chance, days, deal = (
        text(client, f"{draft}/{step}") for step in ("claim", "treatments", "chance", "days", "deal")
    )
    sentence = one(r'<p class="board-sentence">([^<]*)', claim)
    assert sentence == one(r'<p class="claim">([^<]*)', deal)
    given = re.findall(r"So it gets <b>(.*?)</b>", treatments)
    assert given == re.findall(r"</strong><br>(?:[^<]*; )?([^<]*?) ?</div>", deal)
    share = re.search(r"in <strong>(\d+) of 100</strong>", chance)
    assert share.group(1) == one(r"this plan shows (?:it|that it is no worse by [^ ]+ ?[^ ]*) in (\d+) of 100", deal)
    rounds = one(r"<dt>Rounds</dt> <dd>days ([\d, ]+)</dd>", deal)
    assert rounds.split(", ") == re.findall(r'<th scope="col">Day (\d+)</th>', days)
    start, decision = one(r"<dt>Day 0</dt> <dd>([^<]*)</dd>", deal), int(one(r"<dd>day (\d+)</dd>", deal))
    assert start in one(r"<small>([^<]*\+ \d+ days)</small>", deal)
    made = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    trial = text(client, made)
    assert (
        sentence
        == one(r'<p class="claim">([^<]*)', trial)
        == one(r'<p class="trial-claim">([^<]*)</p>', text(client, "/trials"))
    )
    worth = one(r"<dt>(?:Worth having|Margin)</dt> <dd>\s*([^<]*?)\s*</dd>", deal)
    assert worth == one(r"(?:worth having|margin): <strong>([^<]*)</strong>", trial)
    ends = date(2026, 5, 21) + timedelta(days=decision)
    assert f"{ends.day} {ends:%b} {ends.year}" == one(r"decides on <strong>([^<]*)</strong>", trial)
    of_trial = re.findall(
        r"</strong>(?: <span class=\"stage\">control</span>)?<br>(?:[^<]*<br>)?\s*([^<]*?)\s*</div>", trial
    )
    assert given == of_trial
    control = re.search(r'<strong>([^<]*)</strong> <span class="stage">control', trial).group(1)
    called = CONTROL_PHRASES.get(control, f"{control[0].lower()}{control[1:]}")
    assert sentence.endswith(f"{'with' if layout == 'on and off' else 'than'} {called}.")


@crowded_garden
def test_all_pages_of_each_trial_of_the_garden_tell_the_same(client):
    trials = {int(n) for n in re.findall(r'href="/trials/(\d+)"', text(client, "/trials"))}
    listed = dict(
        re.findall(r'href="/trials/(\d+)">[^<]*</a></h2>.*?<p class="trial-claim">([^<“]*)', text(client, "/trials"))
    )
    assert len(trials) >= 20
    for number in sorted(trials):
        page = text(client, f"/trials/{number}")
        claim = one(r'<p class="claim">([^<]*)', page)
        assert listed[str(number)].strip() == claim, number
        names = re.findall(r"</svg>\s*</span>\s*<div> <strong>([^<]*)</strong>|<div> <strong>([^<]*)</strong>", page)
        assert names, number
        verdict = client.get(f"/trials/{number}/verdict").text
        if "board-claim" not in verdict:
            continue
        verdict = " ".join(verdict.split())
        assert one(r'<p class="board-claim">([^<]*)', verdict) == claim, number
        assert claim in text(client, f"/trials/{number}/report"), number
        worth = one(r"(?:worth having|margin): <strong>([^<]*)</strong>", page)
        assert worth in claim or "any difference" in worth, (number, worth)
        control = re.search(r'<strong>([^<]*)</strong> <span class="stage">control', page).group(1)
        assert lower_first(control) in claim, number
