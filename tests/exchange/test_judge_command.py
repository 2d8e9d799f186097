"""`eproba judge`: the files that gardeners have, the JSON that programs read, the refusals that name the place."""

import json
import time
from pathlib import Path

import pytest
from click.testing import CliRunner
from scipy import stats

from eproba.cli import _told_after, main
from tests.core.cases import REFERENCE

GOOD = "unit,treatment,value\n1,water,4\n2,water,5\n3,comfrey,7\n4,comfrey,9\n"


def judge(tmp_path: Path, content: str | bytes, *options: str):
    file = tmp_path / "units.csv"
    file.write_bytes(content.encode() if isinstance(content, str) else content)
    return CliRunner().invoke(main, ["judge", str(file), *(options or ("--control", "water"))])


def as_json(tmp_path, content, *options):
    result = judge(tmp_path, content, "--json", *(options or ("--control", "water")))
    assert result.exit_code == 0, result.stderr
    return json.loads(result.stdout, parse_constant=lambda word: pytest.fail(f"{word} is no JSON"))


def test_json_has_exactly_the_promised_shape():
    path = str(REFERENCE / "plantgrowth.csv")
    result = CliRunner().invoke(
        main, ["judge", path, "--control", "ctrl", "--scale", "ratio", "--worth", "10%", "--json"]
    )
    told = json.loads(result.stdout)
    assert result.stderr == ""
    assert list(told) == ["control", "scale", "design", "units", "confidence", "worth", "comparisons", "trust"]
    assert (told["worth"], told["units"], told["design"], told["confidence"]) == (0.1, 30, "completely random", 0.95)
    comparison = told["comparisons"][0]
    assert list(comparison) == [
        "treatment",
        "n",
        "n_control",
        "estimate",
        "se",
        "df",
        "p",
        "low",
        "high",
        "p_adjusted",
        "low_adjusted",
        "high_adjusted",
        "percent",
        "shuffle",
        "verdict",
        "units_needed",
        "own",
    ]
    figures = ["se", "df", "p", "low", "high", "p_adjusted", "low_adjusted", "high_adjusted"]
    assert list(comparison["own"]) == figures
    assert all(isinstance(each, float) for each in comparison["own"].values())
    wanted = ["gap", "p", "deals", "exact", "best_p", "low", "high", "p_adjusted", "reason"]
    assert list(comparison["shuffle"]) == wanted
    assert set(comparison["percent"]) == {"estimate", "low", "high"}
    assert comparison["percent"]["estimate"] == pytest.approx(-7.985, abs=0.001)
    assert all(set(line) == {"rule", "level", "text"} for line in told["trust"])


def test_what_does_not_exist_is_null(tmp_path):
    told = as_json(tmp_path, "unit,treatment,value\n1,water,4\n2,comfrey,7\n")
    (comparison,) = told["comparisons"]
    assert told["design"] == "one of each"
    assert told["worth"] is None
    assert comparison["verdict"] == "seen_not_shown"
    assert [k for k, v in comparison.items() if v is None] == (
        [
            "se",
            "df",
            "p",
            "low",
            "high",
            "p_adjusted",
            "low_adjusted",
            "high_adjusted",
            "percent",
            "units_needed",
            "own",
        ]
    )
    assert comparison["shuffle"]["p"] is None
    assert comparison["shuffle"]["reason"]


@pytest.mark.parametrize(
    "content",
    [
        "\ufeff" + GOOD,
        GOOD.replace("\n", "\r\n"),
        GOOD.replace(",", ";"),
        GOOD.replace(",", "\t"),
        GOOD.replace(",4\n", ',"4,0"\n'),
        "Unit;Treatment;VALUE\n1;water;4,0\n2;water;5,0\n3;comfrey;7,0\n4;comfrey;9,0\n",
        GOOD.replace("water", '"water"') + "\n\n",
        GOOD.replace("\n", " \n").replace(",", " , "),
        GOOD.encode("utf-16"),
        GOOD.replace("unit,treatment,value", "note,unit,treatment,value").replace("\n", "\nx,", 4).removesuffix("x,"),
    ],
)
def test_every_common_kind_of_file_gives_the_same(tmp_path, content):
    told = as_json(tmp_path, content)
    assert told["units"] == 4
    assert told["comparisons"][0]["estimate"] == pytest.approx(3.5)


def test_lost_units_blocks_and_directions(tmp_path):
    blocks = "unit,treatment,block,value\n" + "".join(
        f"{b}{t},{t},{b},{5 + b + (b % 3) / 2 + 2 * (t == 'comfrey')}\n" for b in range(6) for t in ("water", "comfrey")
    )
    told = as_json(tmp_path, blocks + "x,comfrey,2,\n", "--control", "water", "--worth", "0,5", "--lower-is-better")
    assert (told["design"], told["units"]) == ("blocks", 12)
    assert told["comparisons"][0]["estimate"] == pytest.approx(2)
    assert "x (comfrey)" in " ".join(line["text"] for line in told["trust"])
    noisy = blocks.replace("0water,water,0,5.0", "0water,water,0,5.3").replace(
        "4water,water,4,9.5", "4water,water,4,9.1"
    )
    assert as_json(tmp_path, noisy, "--control", "water", "--lower-is-better")["comparisons"][0]["verdict"] == "worse"


@pytest.mark.parametrize(
    ("content", "options", "said"),
    [
        (GOOD + "1,water,4\n", (), "line 6, column unit"),
        (GOOD.replace("9", "nine"), (), "line 5, column value"),
        (GOOD.replace(",4\n", ",1,234.5\n"), (), "line 2"),
        (GOOD.replace("water", "tea"), (), "column treatment: no unit has the control treatment “water”"),
        (GOOD.replace(",4\n", ",0\n"), ("--control", "water", "--scale", "ratio"), "line 2, column value"),
        (GOOD.replace(",4\n", ",1e155\n"), (), "line 2, column value: the value of unit 1 is 1e+155"),
        (GOOD.replace("2,water", "2,Water"), (), "“water” and “Water” differ in capitals alone: write them alike"),
        (GOOD.replace("water", "1.1").replace("4,comfrey", "4,1.100"), (), "“1.1” and “1.100” are one number"),
        (GOOD.replace("3,comfrey", "3,"), (), "line 4, column treatment: the treatment is missing"),
        (GOOD.replace(",9", ",1.7e308"), (), "line 5, column value: the value of unit 4 is 1.7e+308"),
        (GOOD.replace(",9", ",1e-170"), (), "line 5, column value: the value of unit 4 is 1e-170"),
        (GOOD.replace(",9", ",-9"), ("--control", "water", "--kind", "count"), "a count is 0 or more"),
        (GOOD, ("--control", "water", "--kind", "class", "--scale", "ratio"), "a class has no percent"),
        (GOOD.replace("value", "weight"), (), "line 1, column value: the header lacks"),
        (GOOD.replace("unit,", "value,"), (), "line 1, column value: this column stands there twice"),
        ("", (), "the file is empty"),
        ("unit,treatment,value\n", (), "no unit below it"),
        (b"\x00\x01\x02,\x00", (), "not a text file"),
        (GOOD, ("--control", "water", "--worth", "10%"), "plain number"),
        (GOOD, ("--control", "water", "--worth", "0"), "above 0"),
        (GOOD, ("--control", "water", "--scale", "ratio", "--worth", "0.1"), "a percentage such as 10%"),
        (GOOD.replace("unit,", "block,unit,").replace("\n1,", "\n,1,").replace("\n2", "\nb,2"), (), "column block"),
    ],
)
def test_refusals_take_one_line_and_name_the_place(tmp_path, content, options, said):
    result = judge(tmp_path, content, *options)
    assert result.exit_code == 2
    assert result.stdout == ""
    assert said in result.stderr
    assert result.stderr.count("\n") == 1
    assert "Traceback" not in result.stderr


def test_lots_that_nobody_dealt_are_not_dealt_again(tmp_path):
    (comparison,) = as_json(tmp_path, GOOD, "--control", "water", "--dealt", "no")["comparisons"]
    assert comparison["shuffle"]["p"] is None
    assert comparison["shuffle"]["reason"] == (
        "how the lots fell is not known, so nobody knows how else they could have fallen"
    )
    (dealt,) = as_json(tmp_path, GOOD)["comparisons"]
    assert dealt["shuffle"]["p"] == pytest.approx(1 / 3)
    assert (comparison["p"], comparison["own"]) == (dealt["p"], dealt["own"])


def test_a_name_is_one_however_its_letters_and_spaces_are_made(tmp_path):
    rows = "unit,treatment,value\n1,Br\u00fche  dünn,3\n2,Bru\u0308he dünn,4\n3,water,2\n4,water,3\n"
    told = as_json(tmp_path, rows, "--control", " water")
    assert [(each["treatment"], each["n"]) for each in told["comparisons"]] == [("Brühe dünn", 2)]


def test_a_file_that_is_not_there_or_far_too_large(tmp_path):
    result = CliRunner().invoke(main, ["judge", str(tmp_path / "none.csv"), "--control", "water"])
    assert (result.exit_code, "can't be read" in result.stderr) == (2, True)
    large = judge(tmp_path, b"unit,treatment,value\n" + b"1,water,4\n" * 10_000_000)
    assert (large.exit_code, "too large" in large.stderr) == (2, True)


def test_for_people_there_is_a_table_and_a_sentence(tmp_path):
    result = judge(tmp_path, GOOD, "--control", "water", "--worth", "1")
    assert result.exit_code == 0
    for words in ("comfrey", "2 : 2", "Can’t tell", "so perhaps nothing. ", "replication"):
        assert words in result.stdout


def test_each_kind_has_its_figures(tmp_path):
    rows = [("water", v) for v in (1, 0, 2, 1, 1, 0)] + [("comfrey", v) for v in (3, 4, 3, 2, 4, 3)]
    content = "unit,treatment,value\n" + "".join(f"{i},{t},{v}\n" for i, (t, v) in enumerate(rows))
    counted = as_json(tmp_path, content, "--control", "water", "--kind", "count")
    (c,) = counted["comparisons"]
    assert counted["kind"] == "count"
    assert c["percent"]["estimate"] == pytest.approx(100 * (19 / 5 - 1)), "the count model: 19 against 5 in all"
    assert c["percent"]["low"] > 0
    (scored,) = as_json(tmp_path, content, "--control", "water", "--kind", "score")["comparisons"]
    assert scored["own"] is not None
    assert scored["order"]["chance"] == pytest.approx(0.986, abs=0.001)
    (classed,) = as_json(tmp_path, content, "--control", "water", "--kind", "class", "--lower-is-better")["comparisons"]
    assert classed["verdict"] == "worse"
    late = content.replace("10,comfrey,4", "10,comfrey,not yet")
    (day,) = as_json(tmp_path, late, "--control", "water", "--kind", "day", "--lower-is-better")["comparisons"]
    assert (day["estimate"], day["own"], day["verdict"]) == (None, None, "worse")
    assert "it had not happened by the last look" in judge(tmp_path, late, "--control", "water", "--kind", "day").stdout
    refused = judge(tmp_path, late, "--control", "water")
    assert refused.exit_code == 2


@pytest.mark.parametrize("level", [0.0, 1e12, -1e12, 1e99])
def test_levels_beyond_all_reason_are_judged_as_any_other(tmp_path, level):
    """A common 1e12 leaves differences of 1 what they are; nothing on stderr."""
    steps = (1.0, 2.0, 4.0, 3.0, 5.0, 9.0, 8.0, 7.0)
    size = 1e98 if level > 1e50 else 1.0
    content = "unit,treatment,value\n" + "".join(
        f"{i},{'water' if i < 4 else 'comfrey'},{level + size * v!r}\n" for i, v in enumerate(steps)
    )
    result = judge(tmp_path, content, "--control", "water", "--json")
    assert (result.exit_code, result.stderr) == (0, "")
    (c,) = json.loads(result.stdout)["comparisons"]
    assert c["estimate"] / size == pytest.approx(4.75, rel=1e-3)
    assert c["own"]["p"] == pytest.approx(stats.ttest_ind(steps[4:], steps[:4], equal_var=False).pvalue, rel=1e-2)
    assert c["shuffle"]["p"] == pytest.approx(2 / 70)


def test_two_groups_that_differ_by_rounding_alone_are_one(tmp_path):
    content = "unit,treatment,value\n" + "".join(
        f"{i},{'water' if i < 4 else 'comfrey'},{0.1 + 0.2 if i < 4 else 0.3!r}\n" for i in range(10)
    )
    (c,) = as_json(tmp_path, content, "--control", "water")["comparisons"]
    assert (c["verdict"], c["shuffle"]["p"]) == ("seen_not_shown", 1.0)


def test_whoever_waits_is_told_what_goes_on(capsys):
    with _told_after(0.01, "judging 5000 units …"):
        time.sleep(0.5)
    with _told_after(60, "never"):
        pass
    assert capsys.readouterr().err == "eproba: judging 5000 units …\n"
