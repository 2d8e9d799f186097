"""Help: the words of a verdict are drawn as they are judged, luck is shown as it is, each page has its paragraph."""

import re

import pytest

from eproba.core.judging.verdicts import VERDICTS, verdict_of
from eproba.core.practice.luck import MOST_DRAWS, POTS, fooled, lucky_garden
from eproba.web.pictures.help import WORDS, WORTH
from tests.web.steps import text


def test_each_word_of_a_verdict_is_drawn_as_it_is_judged():
    assert set(WORDS) == set(VERDICTS)
    for verdict, (ends, _) in WORDS.items():
        low, high = ends or (None, None)
        assert verdict_of(low, high, WORTH, False, no_worse=verdict == "no_worse") == verdict


def test_luck_is_smaller_with_more_pots_and_the_same_again_for_the_same_draw():
    assert lucky_garden(3, 6) == lucky_garden(3, 6)
    assert lucky_garden(3, 6) != lucky_garden(4, 6)
    alarms = [fooled(MOST_DRAWS, pots, 0.15) for pots in POTS]
    assert alarms == sorted(alarms, reverse=True)
    assert (alarms[0] >= 20, alarms[-1]) == (True, 0)


def test_what_luck_did_is_counted_over_all_that_were_grown(client):
    garden, count = lucky_garden(9, 2), fooled(9, 2, 0.15)
    page = text(client, "/help?pots=2&draws=9")
    assert f"{100 * garden.gap:.0f} % ahead, by luck alone" in page
    assert f"In {count} of 9 gardens so far, luck alone made a difference of 15 % or more." in page
    assert page.count('class="luck-dot"') == 4
    assert "of 1 garden" not in text(client, "/help?pots=2")


@pytest.mark.parametrize("asked", ["pots=7", "pots=x&draws=-3", "draws=99999999", "draws=²", "pots=2%00"])
def test_what_can_not_be_grown_is_as_usual(client, asked):
    assert 'class="luck-mean"' in text(client, f"/help?{asked}")


def test_help_leads_to_the_paragraph_of_each_place(app, client):
    """No place without one, and none for what is no place."""
    named = set(re.findall(r'id="help-(\w+)"', text(client, "/help")))
    reads = {rule.endpoint.partition(".")[0] for rule in app.url_map.iter_rules() if "GET" in (rule.methods or ())}
    assert named == reads - {"static", "base", "ui", "pictures"}
    assert 'href="/help#help-recipes"' in text(client, "/recipes")
    assert 'href="/help"' in text(client, "/help/honesty")


def test_no_entry_of_the_glossary_is_longer_than_forty_words(client):
    entries = re.findall(r"<dd>(.*?)</dd>", text(client, "/help"), re.S)
    assert len(entries) > 40
    assert max(len(re.sub(r"<[^>]+>", "", entry).split()) for entry in entries) <= 40
