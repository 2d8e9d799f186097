"""What commands print, good calls and bad ones, word for word: `outputs.txt` holds each call (`$`), the file that it
reads as FILE (`|`), and below it the exit code and the output. Written anew with `EPROBA_ANSWERS=write ./eproba test
tests/exchange/test_outputs.py`, and read line by line.
"""

import os
import shlex
from pathlib import Path

from click.testing import CliRunner

from eproba.cli import main

OUTPUTS = Path(__file__).with_name("outputs.txt")
REFERENCE = Path(__file__).parents[1] / "reference"


def answered(lines, folder):
    """The lines of the file with the answers that the commands give now."""
    file, text = folder / "FILE", []
    for line in lines:
        if line.startswith("    "):
            continue
        yield line
        if line.startswith("| "):
            text.append(line[2:])
        if line.startswith("$ "):
            if text:
                file.write_text("\n".join(text) + "\n", "utf-8")
            text = []
            words = [str(file) if word == "FILE" else word for word in shlex.split(line[2:])]
            words = [str(REFERENCE / word[1:]) if word.startswith("@") else word for word in words]
            outcome = CliRunner().invoke(main, words)
            printed = outcome.output.replace(str(folder), "…").replace(str(REFERENCE), "…")
            yield f"    {outcome.exit_code}"
            yield from (f"    {line}".rstrip() for line in printed.splitlines() if line.strip())


def test_commands_print_what_they_printed(tmp_path):
    before = OUTPUTS.read_text("utf-8").splitlines()
    lines = list(answered(before, tmp_path))
    if os.environ.get("EPROBA_ANSWERS") == "write":
        OUTPUTS.write_text("\n".join(lines) + "\n", "utf-8")
        before = lines
    assert lines == before
