"""`./eproba combine`: published figures, few trials, and what is refused; the mathematics behind it."""

import json
import math

import numpy as np
import pytest
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from eproba.cli import main
from eproba.core.stats.combining import CannotCombine, combine

# Colditz et al. (1994), JAMA 271: thirteen trials, ill and well of the treated and of the controls. Log risk ratios.
COUNTS = [
    (4, 119, 11, 128), (6, 300, 29, 274), (3, 228, 11, 209), (62, 13536, 248, 12619), (33, 5036, 47, 5761),
    (180, 1361, 372, 1079), (8, 2537, 10, 619), (505, 87886, 499, 87892), (29, 7470, 45, 7232), (17, 1699, 65, 1600),
    (186, 50448, 141, 27197), (5, 2493, 3, 2338), (27, 16886, 29, 17825),
]  # fmt: skip
# Rubin (1981), Journal of Educational Statistics 6: eight schools.
EIGHT = ([28, 8, -3, 7, -1, 1, 18, 12], [15, 10, 16, 11, 9, 11, 10, 18])
KEYS = ["k", "estimate", "se", "low", "high", "tau", "prediction_low", "prediction_high"]


def logs():
    gaps = [math.log((a / (a + b)) / (c / (c + d))) for a, b, c, d in COUNTS]
    return gaps, [math.sqrt(1 / a - 1 / (a + b) + 1 / c - 1 / (c + d)) for a, b, c, d in COUNTS]


def run(path, lines, *more):
    file = path / "gaps.csv"
    file.write_text("\n".join(lines))
    return CliRunner().invoke(main, ["combine", str(file), *more])


def table(gaps, errors):
    return ["trial,gap,se", *(f"T{i},{gap!r},{se!r}" for i, (gap, se) in enumerate(zip(gaps, errors, strict=True)))]


def test_the_thirteen_trials_as_published(tmp_path):
    """REML and Knapp–Hartung of Viechtbauer (2010), Journal of Statistical Software 36: τ² 0.3132."""
    answer = run(tmp_path, table(*logs()), "--json")
    assert answer.exit_code == 0, answer.output
    found = json.loads(answer.stdout)
    assert list(found) == KEYS
    assert found["k"] == 13
    wanted = {"estimate": -0.7145, "se": 0.1808, "low": -1.1084, "high": -0.3206}
    assert {name: round(found[name], 4) for name in wanted} == wanted
    assert found["tau"] ** 2 == pytest.approx(0.3132, abs=5e-5)
    half = 2.2009851600916384 * math.hypot(found["tau"], found["se"])  # t with 11 degrees of freedom
    assert found["prediction_high"] == pytest.approx(found["estimate"] + half, abs=1e-9)


def test_eight_alike_keep_the_plain_standard_error(tmp_path):
    """They scatter less than their errors let them: τ 0, and Knapp–Hartung alone would be too sure (Röver et al.)."""
    found = json.loads(run(tmp_path, table(*EIGHT), "--json").stdout)
    weights = 1 / np.array(EIGHT[1], dtype=float) ** 2
    assert found["tau"] == 0
    assert found["se"] == pytest.approx(1 / math.sqrt(weights.sum()), abs=1e-12)
    assert (round(found["estimate"], 3), round(found["se"], 3)) == (7.686, 4.072)
    assert found["high"] - found["estimate"] == pytest.approx(2.364624251592785 * found["se"], abs=1e-9)


def test_two_trials_have_no_prediction_and_one_has_no_interval(tmp_path):
    two = json.loads(run(tmp_path, table([0.2, 0.4], [0.1, 0.1]), "--json").stdout)
    assert (two["k"], two["prediction_low"], two["prediction_high"]) == (2, None, None)
    assert (two["estimate"], two["tau"]) == (pytest.approx(0.3), pytest.approx(0.1, abs=1e-12))
    assert two["high"] - 0.3 == pytest.approx(12.706204736432095 * 0.1, abs=1e-9)
    one = json.loads(run(tmp_path, table([0.2], [0.1]), "--json").stdout)
    assert one == {"k": 1, "estimate": 0.2, "se": 0.1} | dict.fromkeys(KEYS[3:])
    assert "One trial alone: nothing to put together" in run(tmp_path, table([0.2], [0.1])).stdout
    assert "Two trials: look at them side by side" in run(tmp_path, table([0.2, 0.4], [0.1, 0.1])).stdout


@pytest.mark.parametrize(
    ("lines", "said"),
    [
        (
            ["trial,gap,se", "May,0.2,0.1", "June,0.3,0.1", "MAY ,0.2,0.1"],
            "line 4, column trial: “MAY” stands in line 2",
        ),
        (["trial,gap,se", "May,0.2,0"], "line 2, column se: a standard error is above 0; leave out a trial"),
        (["trial,gap,se", "May,0.2,-1"], "line 2, column se: a standard error is above 0"),
        (["trial,gap,se", "May,a lot,0.1"], "line 2, column gap: “a lot” is not a number"),
        (["trial,gap,se", ",0.2,0.1"], "line 2, column trial: the trial’s name is missing"),
        (["trial,gap", "May,0.2"], "the header lacks the column se"),
        (["trial,gap,se"], "line 2: there is a header but no trial below it"),
        (["trial,gap,se", "May,0.2,1e-9", "June,0.3,0.1"], "Trial 1: its standard error is next to nothing"),
        (["trial,gap,se", "May,1e200,1"], "Trial 1: its gap is no number"),
    ],
)
def test_a_file_that_cant_be_is_refused_in_one_line(tmp_path, lines, said):
    answer = run(tmp_path, lines, "--json")
    assert (answer.exit_code, answer.stdout) == (2, "")
    assert said in answer.stderr
    assert len(answer.stderr.splitlines()) == 1


def deviance(tau2, gaps, errors):
    total = np.array(errors) ** 2 + tau2
    middle = (np.array(gaps) / total).sum() / (1 / total).sum()
    return np.log(total).sum() + np.log((1 / total).sum()) + ((np.array(gaps) - middle) ** 2 / total).sum()


gap_and_error = st.tuples(st.floats(-3, 3), st.floats(0.05, 2))


@given(st.lists(gap_and_error, min_size=3, max_size=12), st.floats(-2, 2), st.floats(0.01, 100))
def test_the_likelihood_is_highest_there_and_units_and_zero_do_not_matter(trials, moved, times):
    gaps, errors = zip(*trials, strict=True)
    found = combine(gaps, errors)
    best = deviance((found.tau or 0.0) ** 2, gaps, errors)
    assert all(deviance(other, gaps, errors) >= best - 1e-7 for other in np.geomspace(1e-6, 40, 400))
    other = combine([times * (gap + moved) for gap in gaps], [times * error for error in errors])
    assert other.estimate == pytest.approx(times * (found.estimate + moved), rel=1e-3, abs=1e-3 * times)
    assert (found.low or 0) < found.estimate < (found.high or 0)
    assert (found.prediction_low or 0) <= (found.low or 0)
    assert found.se >= 1 / math.sqrt(sum(1 / (error**2 + (found.tau or 0) ** 2) for error in errors)) * (1 - 1e-9)


def test_gaps_that_hardly_differ_have_no_scatter():
    assert combine([0.0, 0.0, 1.85e-160], [1.0, 1.0, 1.0]).tau == 0
    assert combine([1.0, 1.0, 1.0], [0.1, 0.2, 0.3]).tau == 0


def test_nothing_is_nothing():
    with pytest.raises(CannotCombine, match="There is no trial to put together"):
        combine([], [])
