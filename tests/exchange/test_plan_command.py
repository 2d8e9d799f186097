"""`eproba plan`: the chances of a plan as JSON with the promised shape, and a sentence for what can't be."""

import json
import math

import pytest
from click.testing import CliRunner
from scipy import stats

from eproba.cli import main
from eproba.core.judging.verdicts import VERDICTS


def plan(*options):
    return CliRunner().invoke(main, ["plan", *options])


def as_json(*options):
    result = plan(*options, "--json")
    assert result.exit_code == 0, result.stderr
    assert result.stderr == ""
    return json.loads(result.stdout, parse_constant=lambda word: pytest.fail(f"{word} is no JSON"))


def test_json_has_the_promised_shape():
    told = as_json("--treatments", "3", "--units", "6", "--blocks", "--scale", "ratio", "--cv", "20%", "--worth", "30%")
    assert list(told) == ["best_p", "deals", "power", "own", "detectable", "chance", "error"]
    assert list(told["power"]) == ["pairwise", "adjusted"]
    assert list(told["chance"]) == ["nothing", "worth", "twice_worth"]
    kinds = {verdict for verdict in VERDICTS if verdict != "no_worse"}
    assert set(told["chance"]["worth"]) == kinds
    assert set(told["chance"]["nothing"]) == kinds | {"family_false_alarm"}
    assert (told["best_p"], told["deals"]) == (2 / 64, 64)
    assert 0 < told["error"] < 0.005
    sd, gap, df = math.sqrt(math.log(1.04)), math.log(1.3), 3 * 6 - 3 - 5
    shift, bound = gap / (sd * math.sqrt(1 / 3)), stats.t.ppf(0.975, df)
    assert told["power"]["pairwise"] == pytest.approx(stats.nct.sf(bound, df, shift), abs=0.002)
    assert told["power"]["adjusted"] < told["power"]["pairwise"]
    assert told["own"]["df"] == pytest.approx(8.0)
    assert told["own"]["adjusted"] < told["power"]["adjusted"], "own noise has fewer degrees of freedom"


def test_the_difference_scale_and_the_readable_text():
    told = as_json("--treatments", "2", "--units", "8", "--scale", "difference", "--sd", "20", "--worth", "15")
    assert told["detectable"] == pytest.approx(30.4, abs=0.2), "2.8 standard errors, and what own noise costs"
    words = plan("--treatments", "2", "--units", "3", "--worth", "30%").stdout
    assert "Smallest p of the shuffle test: 0.1, with 20 possible deals." in words
    alone = plan("--treatments", "2", "--units", "1", "--worth", "30%").stdout
    assert "can be described, never judged" in alone
    good = plan("--treatments", "2", "--units", "20", "--worth", "30%", "--no-worse").stdout
    assert "When it is just as good, out of 100 trials: " in good


@pytest.mark.parametrize(
    ("options", "said"),
    [
        (["--worth", "0%"], "above 0"),
        (["--worth", "30%", "--cv", "300%"], "up to 150 % fits"),
        (["--worth", "30%", "--cv", "0.2"], "write it as a percentage"),
        (["--worth", "30%", "--sd", "4"], "give --cv 20%"),
        (["--worth", "15"], "say how much units differ by themselves"),
        (["--worth", "15", "--cv", "20%"], "give --sd 20"),
        (["--worth", "much", "--sd", "2"], "not a number"),
        (["--worth", "15", "--sd", "2", "--treatments", "40"], "2 to 12, the control counted"),
    ],
)
def test_what_can_not_be_planned_gets_one_line(options, said):
    result = plan("--treatments", "3", "--units", "6", *options)
    assert result.exit_code == 2
    assert result.stdout == ""
    assert said in result.stderr
    assert result.stderr.count("\n") == 1


@pytest.mark.parametrize(
    ("kind", "line"),
    [
        ("class", "Classes go by their order: with 4 of each no order at all could show anything; 6 of each can."),
        ("day", "Where it has not come for some units, days go by order: with 4 of each no order at all could show "
         "anything; 6 of each can."),
        ("count", "Readings are rounded to 1; where units all read alike, nothing is shown."),
    ],
)  # fmt: skip
def test_every_kind_is_planned_as_it_is_judged(kind, line):
    told = plan("--treatments", "2", "--units", "4", "--blocks", "--worth", "2", "--sd", "2", "--kind", kind)
    assert told.exit_code == 0, told.output
    assert line in told.stdout.splitlines()
    assert ("rounded to 1" in told.stdout) == (kind != "class")
