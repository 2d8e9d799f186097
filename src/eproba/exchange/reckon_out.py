"""What a calculator gives, as JSON and as lines for the terminal."""

import json

from eproba.core.measuring.calculators import Calculator, Worked
from eproba.core.words import figure


def reckon_json(worked: Worked) -> str:
    """The results by key; null for what there is not."""
    return json.dumps(dict(worked.results), allow_nan=False)


def reckon_text(calculator: Calculator, worked: Worked) -> str:
    """A line for each result, with its unit and what the tools make doubtful, then what must be said."""
    lines = [calculator.title]
    for result in calculator.results:
        value = worked.results[result.name]
        if value is None:
            continue
        doubt = worked.doubts.get(result.name)
        about = "" if doubt is None else f" (± {figure(doubt)} by the tools)"
        lines.append(f"{result.words}: {value:.{result.decimals}f} {result.unit}".rstrip() + about)
    return "\n".join([*lines, *worked.said])
