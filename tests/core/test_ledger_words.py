"""Every sentence of the ledger and of the record, as it is shown, with its evidence in it; both sides of a plural."""

from datetime import date

import pytest

from eproba.core.judging.trust_line import TrustLine
from eproba.core.trial.amendments import Evidence
from eproba.core.wording.ledger import SAID, text_of
from eproba.core.wording.record import told_evidence

SENTENCES = [
    ("one unit", {"treatments": ["Whey"]}, "Only one unit of Whey. Two places always differ a little, whatever is "
     "poured on them, so this can be described but not judged."),
    ("one unit", {"treatments": ["Whey", "Water", "Steep"]}, "Only one unit of Whey, Water and Steep. Two places "
     "always differ a little, whatever is poured on them, so this can be described but not judged."),
    ("few units", {"counts": {"A": 3, "B": 3}}, "3 units of each treatment: few, so only a large gap can be told from "
     "luck."),
    ("left over", {"share": 0.4, "p": 0.012}, "What was given leaves something behind: in the period after, a place "
     "still stood apart by about 40 % of the gap (p = 0.01). Allow a longer pause next time; the true gap is "
     "probably larger."),
    ("left nothing", {"p": 0.4}, "Nothing is shown to be left over from one period to the next (p = 0.40)."),
    ("left over not told", {}, "Whether anything is left over from one period to the next can’t be told from so "
     "few."),
    ("changed file", {"files": ["readings", "pours"]}, "The file that it was taken in from was changed after it was "
     "written (readings, pours): nobody can tell what else. Described, not judged."),
    ("units", {"counts": {"A": 6, "B": 5}}, "Units: A 6, B 5."),
    ("units", {"counts": {"A": 6, "B": 6}}, "6 units of each treatment."),
    ("lost units", {"units": ["P1 (A)", "P2 (B)"]}, "Lost or without a value: P1 (A) and P2 (B). Ask whether the "
     "treatment had a part in it: units that die of it are missing from the gap."),
    ("lots not known", {}, "The file can't say how the treatments were dealt. All figures here suppose: by lot."),
    ("not dealt", {}, "The lots did not fall by chance, as you say. All figures here suppose that they did: what was "
     "favoured may look better than it is."),
    ("dealt", {}, "Treatments were dealt by lot, with a seed that is kept."),
    ("dealt again", {"deals": 3}, "Treatments were dealt by lot, with a seed that is kept; they were dealt 3 times "
     "before the start: choosing among deals is not chance."),
    ("never shares a block", {"treatment": "Whey"}, "Whey never shares a block with what it is compared with: its "
     "effect can't be told from the place's."),
    ("control got nothing", {}, "The control got nothing, the others got a drench: a gap may be the work of the water "
     "alone."),
    ("control untreated", {}, "The control is untreated ground with the same handling."),
    ("control got water", {}, "The control got plain water, the same volume on the same days."),
    ("control is another", {"role": "killed brew"}, "The control is a killed brew: the gap is against that, not "
     "against plain water."),
    ("no baseline", {}, "No readings before the first pour: nobody knows whether the units began alike."),
    ("rounds missed", {"missed": 1, "due": 5}, "1 of 5 rounds were missed."),
    ("all rounds", {"due": 5}, "All 5 rounds were taken."),
    ("read elsewhen", {"moved": {14: [15, 16], 21: [23]}}, "Read on another day than planned: day 14 on day 15 "
     "and 16; "
     "day 21 on day 23. The true day counts."),
    ("read off hours", {"off": {1: (1, 2), 7: (5, 3)}}, "Read outside the hours of the round: day 1, 1 reading, by up "
     "to 2 h; day 7, 5 readings, by up to 3 h."),
    ("began apart", {"apart": [("Whey", 0.31), ("Steep", -1.26)]}, "At the start the groups were further apart than "
     "lots give in 19 of 20 trials: Whey above the control by 0.3 times what units differ by; Steep below the control "
     "by 1.3 times what units differ by. The judgement takes the start out."),
    ("began wholly apart", {"treatment": "Whey", "side": "above"}, "At the start every unit of Whey stood above every "
     "unit of the control: no calculation can correct for such a different start."),
    ("began alike", {}, "The groups began no further apart than lots make them; the judgement takes the start out."),
    ("lost unevenly", {"treatment": "Whey", "lost": 4, "of": 6, "control": 0, "of_control": 6}, "Whey lost 4 of 6 "
     "units, the control 0 of 6: more than chance gives in 9 of 10 trials."),
    ("turns with the lost", {"treatment": "Whey", "lost": 2, "control": 1}, "2 units of Whey and 1 unit of the "
     "control have no value. If the lost units had been the worst, the verdict would not stand."),
    ("stands with the lost", {"treatment": "Whey", "lost": 1, "control": 0}, "1 unit of Whey and 0 units of the "
     "control have no value. Even if the lost units had been the worst, the verdict stands."),
    ("not yet", {"units": 3}, "In 3 units it had not happened by the last look: those stand behind all others, and "
     "the verdict goes by order."),
    ("partly read", {"days": (14, 28)}, "On day 14, 28 not every living unit was read."),
    ("judged on its day", {"day": 28}, "Judged on the readings of day 28, the decision day."),
    ("judged on its day, some on others", {"day": 28, "others": [("P3", 29), ("P7", 30)]}, "Judged on the readings of "
     "day 28, the decision day; truly read on another day: P3 (day 29), P7 (day 30)."),
    ("judged near its day", {"day": 26, "of": 28}, "The round of the decision day, 28, was not read; day 26 lies "
     "within a tenth of the trial and stands in for it."),
    ("judged on another day", {"day": 14, "of": 28}, "The question was about day 28, and nothing was read then; day "
     "14 can’t stand in for it, so this is described, not judged."),
    ("looked before", {"days": [7, 14], "confidence": 0.95}, "The envelope was opened before, on day 7, 14. "
     "That has its price: the ranges here are wider than without it."),
    ("changed after the opening", {"changed": [("reading", 1)], "who": ["Ann"], "before": "Better"}, "Changed with the "
     "envelope open, by Ann: 1 reading. The verdict before was: Better."),
    ("changed after the opening, unjudged",
     {"changed": [("reading", 2), ("pour", 1)], "who": ["Ann", "Ben"], "before": ""},
     "Changed with the envelope open, by Ann and Ben: 2 readings and 1 pour."),
    ("misled", {"treatment": "Steep", "why": "a dark drench can stain the leaf"}, "Steep may act on the reading "
     "itself: a dark drench can stain the leaf."),
    ("neighbours alike", {"p": 0.01}, "Neighbours are more alike than chance makes them once blocks and treatments "
     "are taken out: something runs across this ground that the blocks did not catch."),
    ("one block each", {"treatment": "Whey", "kind": "crop", "gaps": [("chard", 2.0, "cm", 1), ("pak choi", -0.5, "cm",
     1)], "p": None}, "Whey by crop: chard +2.0 cm (1 block), pak choi −0.50 cm (1 block). With one block of each, "
     "nobody can say whether that differs."),
    ("another for each", {"treatment": "Whey", "kind": "batch", "gaps": [("1", 12.0, "%", 3), ("2", 1.0, "%", 3)],
     "p": 0.01}, "Whey by batch: 1 +12 % (3 blocks), 2 +1.0 % (3 blocks). That differs by more than chance gives in "
     "19 of 20 trials: the verdict is about them together, and may not hold for each."),
    ("alike for each", {"treatment": "Whey", "kind": "batch", "gaps": [("1", 2.0, "%", 3), ("2", 1.0, "%", 3)],
     "p": 0.5}, "Whey by batch: 1 +2.0 % (3 blocks), 2 +1.0 % (3 blocks). That differs by no more than chance gives."),
    ("dealt after the start", {"day": 3}, "The lots were dealt on day 3, after the start, so the plants’ growth "
     "may have influenced who got what. Described, not judged."),
    ("declared after an answer", {"day": 20, "answer": 14}, "Declared on day 20, when the first answer was in already "
     "(day 14): nobody can tell what was asked before it was known. Described, not judged."),
    ("laid down late", {"day": 3}, "Laid down on day 3, with a start in the past."),
    ("mostly not given", {"left_out": [("skipped", 2), ("not on record", 2)], "of": 8, "pours": [("A", 7), ("B", 7)]},
     "Of 8 pours 2 were skipped and 2 are not on record (A and B on day 7): more than a third, so how large the "
     "gap is says little "
     "of the treatment as planned."),
    ("percent fits better", {"skew": 1.4}, "Large values vary more than small ones: percent would suit them "
     "better than differences. Choose percent for a next trial."),
    ("two units", {"treatments": ["Whey"]}, "Only two units of Whey, and more of others: how much those two differ by "
     "themselves is hardly known, so a direction is the most that can be told."),
    ("dealt before", {"name": "Whey?", "deals": 2, "on": date(2026, 5, 4), "day": 3}, "A trial of the same question, "
     "“Whey?”, was deleted on 4 May 2026, on its day 3. Its lots had been dealt twice: whoever deals until the lots "
     "suit him leaves nothing to chance."),
    ("deleted when over", {"name": "Whey?", "deals": 2, "on": date(2026, 5, 4), "day": 40}, "A trial of the same "
     "question, “Whey?”, was over and was deleted on 4 May 2026: what it said is not known here."),
    ("lost more", {"treatment": "Whey", "lost": 6, "of": 8, "of_control": 8, "control": 0, "p": 0.007}, "Whey lost 6 "
     "of 8 units, the control 0 of 8: more than luck would take (p = 0.007). What the others gave is no gain."),
    ("lost beyond the margin", {"treatment": "Whey", "lost": 3, "of": 8, "of_control": 8, "control": 0}, "Whey lost 3 "
     "of 8 units, the control 0 of 8. What loses more than 1 in 10 units more is not called as good."),
    ("weakens with the lost", {"treatment": "Whey", "lost": 1, "control": 2}, "1 unit of Whey and 2 units of the "
     "control have no value. If the lost units had been the worst, less of the verdict would stand."),
    ("effect with the lost", {"treatment": "Whey"}, "If the units without a value had been the worst, what is "
     "said of Whey over with and without the other would not stand as it is."),
    ("the same as last seen", {"treatment": "Whey", "units": ["W3"], "verdict": "same"}, "As W3 last stood "
     "before they "
     "were lost, the verdict on Whey is the same."),
    ("another as last seen", {"treatment": "Whey", "units": ["W3", "C1"], "verdict": "cannot_tell"}, "As W3 and C1 "
     "last stood before they were lost, the verdict on Whey would be “Can’t tell”. Were they truly lost, or put "
     "aside?"),
    ("much noisier", {"wild": "Whey", "calm": "Water", "times": 7.04, "treatment": "Whey"}, "Whey scattered 7.0 times "
     "as much as Water, and the units are few: a gap may be the work of a few far ones."),
    ("hangs on one", {"treatment": "Whey", "unit": "W3"}, "Without unit W3 alone, Whey would not stand apart from the "
     "control: all hangs on a single unit of few."),
    ("hangs on a far one", {"treatment": "Whey", "unit": "W3"}, "Had unit W3 been as far off on the other side as the "
     "farthest was, Whey would not stand apart from the control: in an arm so noisy, a single far unit decides."),
    ("pooled stands in", {"treatment": "Whey"}, "Whey and the control show no noise of their own (all alike): that of "
     "the other treatments stands in for it, so a direction is the most that can be told."),
    ("few look calm", {"treatment": "Whey"}, "Whey stood apart on the noise of so few units alone, and not on "
     "that of "
     "all: three that happen to lie close look calm."),
    ("the same without", {"treatment": "Whey", "verdict": "better"}, "Without the units far off the verdict on Whey "
     "is the same."),
    ("another without", {"treatment": "Whey", "verdict": "worse"}, "Without the units far off the verdict on Whey "
     "would be “Worse”."),
    ("out of reach, model", {"best": 10.0, "comparisons": 1}, "With so few units, reshuffling alone can’t go "
     "below 1 in 10. The calculation can; its assumptions were checked."),
    ("baseline filled in", {"filled": 2, "units": 12}, "2 of 12 units have no baseline; the mean of the others stands "
     "in for it (fair when dealt by lot: White & Thompson 2005)."),
    ("could hardly answer", {"silent": 7, "units": 12, "why": "No worms at all."}, "At the baseline 7 of 12 units "
     "could hardly answer. No worms at all."),
    ("far off", {"units": ["P7"]}, "Far from what its group and block lead to expect: P7. Check for a typing "
     "slip or a reason. It still counts."),
    ("unequal noise", {"wild": "Whey", "calm": "Water", "times": 2.345}, "Whey scattered 2.3 times as much as Water; "
     "each treatment is judged on its own noise, so the intervals take it already."),
    ("nothing left over", {}, "Too few units for blocks and baseline: nothing is left over to measure the noise "
     "with."),
    ("all alike", {}, "All units of a group read the same: the readings are too coarse to show any noise, so no "
     "interval."),
    ("out of reach", {"best": 10.0, "comparisons": 1}, "With so few units, reshuffling can’t go below 1 in 10, "
     "so it can’t show anything."),
    ("out of reach", {"best": 35.0, "comparisons": 2}, "With so few units, reshuffling can’t go below 1 in 35 "
     "and there are 2 "
     "comparisons, so it can’t show anything."),
    ("lots of before", {}, "The same units and lots as in the trial before: if luck favoured one side then, it still "
     "does. So this is no repeat of it."),
    ("nothing given since", {}, "Everything was given in the trial before; control and treatments got nothing since."),
    ("model and shuffle disagree", {"treatment": "Whey", "model": 0.0412, "shuffle": 0.0625}, "Whey: the model says p "
     "= 0.041, the shuffle test 0.062, on different sides of 1 in 20. Treat this verdict as borderline."),
    ("never declared", {}, "The plan was never declared: nobody can tell what it was at the start."),
    ("declared", {"on": date(2026, 4, 30), "fingerprint": "abc def", "amendments": 0}, "Declared on 30 Apr 2026, "
     "fingerprint abc def; no amendment."),
    ("declared", {"on": date(2026, 4, 3), "fingerprint": "abc", "amendments": 1}, "Declared on 3 Apr 2026, "
     "fingerprint "
     "abc; 1 amendment."),
    ("declared", {"on": date(2026, 4, 3), "fingerprint": "abc", "amendments": 2}, "Declared on 3 Apr 2026, "
     "fingerprint "
     "abc; 2 amendments."),
    ("amended", {"day": 7, "what": "worth", "old": "15 %", "new": "5 %", "reason": "cheaper"}, "On day 7 worth was "
     "changed from 15 % to 5 %: cheaper."),
    ("changed untold", {"facts": ["worth", "seed"]}, "Differs from the declared plan without an amendment: worth, "
     "seed."),
    ("ended early", {"day": 9, "of": 28, "reason": "frost"}, "Ended on day 9 of 28: frost. Because stopping on "
     "a good day flatters luck, the ranges are widened."),
    ("borders", {"beside": 3, "neighbours": 10, "guard": 20.0}, "3 of 10 borders lie between treated and control "
     "ground, with a guard of 20 cm between."),
    ("guard too narrow", {"beside": 3, "neighbours": 10, "guard": 5.0, "advised": 60.0}, "3 of 10 borders lie between "
     "treated and control ground, with a guard of 5 cm where 60 cm is advised: a drench that crosses makes the gap "
     "look smaller, worms that change sides make it look larger."),
    ("crops are blocks", {"crops": ["chard", "pak choi"]}, "Crops (chard, pak choi) are blocks here: their own "
     "differences are taken out. Whether the treatment suits one better than the other is not judged."),
    ("tags did not name", {}, "The tags did not name the treatment."),
    ("scored by eye", {"measure": "Soil smell"}, "Soil smell is scored by eye or nose, by somebody who could know "
     "which is which."),
    ("spare plants", {"runs": [("Whey", True), ("Steep", False)]}, "Tried on a spare plant first, not judged (Whey: "
     "came through; Steep: suffered)."),
    ("one batch for all", {}, "One batch (or bag) went to all units: the verdict speaks of that one, not of the "
     "recipe "
     "or the brand."),
    ("a batch for each block", {"batches": 6, "blocks": 6}, "6 batches, one for each block: their differences are in "
     "the noise, so it speaks of the recipe."),
    ("batches over blocks", {"batches": 2, "blocks": 6}, "2 batches over 6 blocks: differences between batches are in "
     "the noise only in part."),
    ("all from one batch", {"pours": 4, "treatment": "Whey"}, "All 4 pours of Whey came from one batch: the verdict "
     "speaks of one brew."),
    ("batches in turn", {"batches": 2, "treatment": "Whey"}, "2 batches of Whey were poured one after the other, each "
     "on all units: the verdict speaks of them together."),
    ("bad batch", {"day": 7, "treatment": "Whey", "why": "no other was there"}, "On day 7 Whey came from a batch that "
     "should not be poured: no other was there."),
    ("batches side by side", {"batches": 2, "treatment": "Whey"}, "2 batches of Whey were brewed and dealt to the "
     "blocks side by side: how they differ is in the noise, so it speaks of the recipe."),
    ("made otherwise", {"day": 7, "treatment": "Whey", "what": "3 kg of sugar for 1 kg"}, "What Whey got from "
     "day 7 on "
     "was made otherwise than its recipe: 3 kg of sugar for 1 kg."),
    ("all on record", {"applications": 8}, "All 8 pours are on record."),
    ("skipped or not on record", {"left_out": [("skipped", 1)], "of": 8, "pours": [("A", 7)]}, "Of 8 pours 1 was "
     "skipped (A on day 7)."),
    ("ended early", {"day": 9, "of": 28, "reason": "Hail. "}, "Ended on day 9 of 28: Hail. Because stopping on "
     "a good day flatters luck, the ranges are widened."),
    ("all rounds", {"due": 1}, "The one round was taken."),
    ("came late", {"late": 1, "of": 8, "days": 4, "pours": [("A", 0), ("B", 7)]}, "1 of 8 pours came late, by "
     "up to 4 days (A on day 0; B on day 7): the verdict speaks of what was poured, when it was poured."),
    ("poured short", {"treatment": "Whey", "times": 2, "least": 0.4, "units": [("A", 0), ("A3", 7)]}, "Whey: "
     "poured short twice, down to 40 % of the plan: A on day 0; A3 on day 7."),
    ("poured over", {"treatment": "Whey", "times": 1, "most": 4.7, "units": [("A3", 7)]}, "Whey got more than "
     "the plan "
     "gives once, up to 470 % of it: A3 on day 7."),
    ("twice on a day", {"pours": [("A", 9)]}, "Two pours of one treatment were given on one day: A on day 9."),
    ("too soon", {"pours": [("A", 9)]}, "Given sooner after the last time than the recipe allows: A on day 9."),
    ("from no brew", {"pours": [("A", 0)]}, "The record does not say from which brew these came: A on day 0."),
    ("another brew", {"letter": "A", "treatment": "Whey", "day": 7, "title": "Comfrey steep"}, "On day 7 Whey (A) was "
     "poured from a batch of Comfrey steep."),
    ("units unlike", {"units": [("A3", 7)]}, "Single units got another amount of water than the rest of their "
     "treatment: A3 on day 7."),
    ("control got other water", {}, "The control was to get plain water, the same volume on the same days; it did "
     "not."),
    ("gradient across", {"kind": "shade"}, "The ground was drawn with a gradient (shade), and the lots fell across it "
     "anywhere: blocks across it would have kept like with like."),
    ("unequal water", {"days": [0, 7]}, "Unequal water on day 0, 7: a gap may be the watering alone."),
    ("handled unlike", {"days": [0]}, "Not every unit got the same handling on day 0: raking alone can do something."),
    ("carried over", {"days": [14]}, "On day 14 the control was poured from the brew’s can afterwards; "
     "traces may have carried over."),
]  # fmt: skip


@pytest.mark.parametrize(("says", "evidence", "sentence"), SENTENCES)
def test_a_line_says(says, evidence, sentence):
    assert text_of(TrustLine("rule", "note", says, evidence)) == sentence


def test_no_sentence_is_left_out():
    assert {says for says, _, _ in SENTENCES} == set(SAID)


@pytest.mark.parametrize(("count", "word"), [(1, "reading"), (2, "readings")])
def test_the_record_counts_in_words(count, word):
    nothing = Evidence((), (), (), (), 0, 0, 0, ())
    assert told_evidence(nothing) == []
    late = Evidence((("declared", 2),), (), (), ((14, 15, count),), count, count, count, ())
    what = "pour" + ("" if count == 1 else "s")
    were, they = ("was", "it was") if count == 1 else ("were", "they were")
    assert told_evidence(late) == [
        "Declared on day 2, after the start.",
        f"Day 14: {count} {word} truly read on day 15.",
        f"{count} {word} {were} entered days after {they} taken.",
        f"{count} {what} {were} entered days after {they} poured.",
        f"{count} {what} due by now, not on record.",
    ]
