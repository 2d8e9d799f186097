"""What is worked out: the inputs that a calculator asks one by one, what it gives, how far that can be doubted."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from eproba.core.errors import EprobaError
from eproba.core.keys import check_keys, check_values
from eproba.core.measuring.formulas import FORMULAS, CalculatorError, Reckoned
from eproba.core.quantities import Amount, is_convertible, number_typed
from eproba.core.words import listed, lower_first, parse_number

Value = float | tuple[float, ...]
ECO2 = ("eco2", "e-co2", "tvoc")  # meters that smell alcohol and reckon a CO₂ from it


@dataclass(frozen=True)
class Input:
    """One thing that is asked. `low` to `high`: what is possible; `error`: what the tool itself is off by.

    `many`: several numbers, with commas or spaces between; `usual` is taken where nothing is typed; `way`: inputs of
    one way are asked together, instead of those of another; `spare`: it may be left out.
    """

    name: str
    asks: str
    unit: str
    low: float
    high: float
    error: float = 0.0
    many: bool = False
    usual: float | None = None
    way: str = ""
    spare: bool = False


@dataclass(frozen=True)
class Output:
    """One thing that is given."""

    name: str
    words: str
    unit: str
    decimals: int

    def digits_beside(self, doubt: float | None) -> int:
        """Decimals that are worth saying: beside a doubt no further than the digit behind its first."""
        if not doubt:
            return self.decimals
        return min(self.decimals, max(0, 1 - math.floor(math.log10(doubt))))


@dataclass(frozen=True)
class Calculator:
    """A calculator: its inputs in the order of asking, its results, the `main` one of which a measure keeps.

    `needs_meter`: a CO₂ meter, whose kind matters; `source`: author and year.
    """

    key: str
    title: str
    inputs: tuple[Input, ...]
    results: tuple[Output, ...]
    main: str
    tells: str
    source: str
    needs_meter: bool = False

    @property
    def ways(self) -> tuple[str, ...]:
        """The ways of asking; empty where there is one."""
        return tuple(dict.fromkeys(input_.way for input_ in self.inputs if input_.way))


@dataclass(frozen=True)
class Worked:
    """What came out: the inputs as numbers, the results, the doubt of each from its tools, what must be said."""

    values: Mapping[str, Value]
    results: Mapping[str, float | None]
    doubts: Mapping[str, float]
    said: tuple[str, ...]


def calculator_from(key: str, entry: Mapping[str, Any]) -> Calculator:
    """A calculator from its TOML table. Raises CalculatorError."""
    check_keys(key, entry, Calculator, CalculatorError, ["key"])
    values = dict(entry)
    values["inputs"] = tuple(_row(f"{key}: input", row, Input) for row in entry["inputs"])
    values["results"] = tuple(_row(f"{key}: result", row, Output) for row in entry["results"])
    plain = {name: value for name, value in values.items() if name not in ("inputs", "results")}
    check_values(key, plain, Calculator, CalculatorError, strict=True)
    calculator = Calculator(key=key, **values)
    if key not in FORMULAS:
        raise CalculatorError(f"{key}: there is no formula of this name")
    if calculator.main not in {result.name for result in calculator.results}:
        raise CalculatorError(f"{key}: main must be one of its results")
    return calculator


def _row(where: str, row: Mapping[str, Any], table: type[Any]) -> Any:
    check_keys(where, row, table, CalculatorError)
    check_values(where, row, table, CalculatorError, strict=True)
    return table(**row)


def read_inputs(calculator: Calculator, typed: Mapping[str, str]) -> dict[str, Value]:
    """Typed inputs as numbers, each inside what is possible; a bare number is in the unit that its name ends with.

    Raises
    ------
    CalculatorError
        The first input that is missing, unknown, no number or impossible, with its name in `field`.
    """
    given = {name: text.strip() for name, text in typed.items() if text.strip()}
    _check_meter(calculator, given.pop("meter", ""))
    known = {input_.name: input_ for input_ in calculator.inputs}
    if unknown := [name for name in given if name not in known]:
        raise CalculatorError(f"{unknown[0]} is no input; they are {listed(list(known))}", field=unknown[0])
    way = next((known[name].way for name in given if known[name].way), calculator.ways[0] if calculator.ways else "")
    values: dict[str, Value] = {}
    for field in calculator.inputs:
        if field.way not in ("", way):
            if field.name in given:
                raise CalculatorError(f"{field.name} belongs to another way of measuring", field=field.name)
            continue
        text = given.get(field.name, "")
        if text:
            values[field.name] = _value(field, text)
        elif field.usual is None and not field.spare:
            raise CalculatorError(f"give {field.name}: {lower_first(field.asks)}, in {field.unit}", field=field.name)
    return values


def reckon(calculator: Calculator, typed: Mapping[str, str]) -> Worked:
    """Work it out from what was typed, with what its tools' own errors make of the results.

    Raises
    ------
    CalculatorError
        See `read_inputs`; and what one input can't be beside another.
    """
    values = read_inputs(calculator, typed)
    worked = _run(calculator, values)
    return Worked(values, worked.results, _doubts(calculator, values, worked), worked.said)


def _run(calculator: Calculator, values: Mapping[str, Value]) -> Reckoned:
    usual = {input_.name: input_.usual for input_ in calculator.inputs if input_.usual is not None}
    try:
        outcome = FORMULAS[calculator.key](**{**usual, **values})
    except (ZeroDivisionError, OverflowError, ValueError) as error:
        if isinstance(error, EprobaError):
            raise
        raise CalculatorError("these numbers can’t be worked out together: check them against the scale") from error
    if any(value is not None and not math.isfinite(value) for value in outcome.results.values()):
        raise CalculatorError("these numbers give no finite result: check them against the scale")
    return outcome


def _doubts(calculator: Calculator, values: Mapping[str, Value], worked: Reckoned) -> dict[str, float]:
    """Each tool's error passed on, one at a time, and added as squares."""
    squares = dict.fromkeys(worked.results, 0.0)
    for input_ in calculator.inputs:
        value = values.get(input_.name)
        if input_.error <= 0 or not isinstance(value, float):
            continue
        try:
            moved = _run(calculator, {**values, input_.name: value + input_.error}).results
        except EprobaError:
            continue
        for name, result in worked.results.items():
            limit = moved.get(name)
            if result is not None and limit is not None:
                squares[name] += (limit - result) ** 2
    return {name: math.sqrt(square) for name, square in squares.items() if square > 0}


def _value(input_: Input, text: str) -> Value:
    parts = _parts(text) if input_.many else [text]
    numbers = []
    for part in parts:
        try:
            number = number_typed(part, input_.unit) if is_convertible(input_.unit) else parse_number(part)
        except EprobaError as error:
            raise CalculatorError(f"{input_.asks}: {error}", field=input_.name) from error
        if not input_.low <= number <= input_.high:
            fits = Amount(input_.low, input_.unit, high=input_.high)
            text = "{}: {} doesn’t fit: give {}"
            raise CalculatorError(text, input_.asks, Amount(number, input_.unit), fits, field=input_.name)
        numbers.append(number)
    if not numbers:
        raise CalculatorError(f"{input_.asks}: write the numbers like 3, 4.5, 6", field=input_.name)
    return tuple(numbers) if input_.many else numbers[0]


def _parts(text: str) -> Sequence[str]:
    """Several numbers: 3,4,5 with commas between, or with spaces or semicolons where commas are decimal."""
    if ";" in text or " " in text.strip():
        return text.replace(";", " ").replace(", ", " ").split()
    return [part for part in text.split(",") if part]


def _check_meter(calculator: Calculator, meter: str) -> None:
    if calculator.needs_meter and any(name in meter.lower() for name in ECO2):
        text = f"“{meter}” works from alcohol in the air: it can’t measure breathing; take an infrared meter"
        raise CalculatorError(text, field="meter")
