"""What the start script says: one line each, and one sentence where it can't go on."""

import errno
import re
import sys
from pathlib import Path

DISK_FULL = re.compile(r"no space left on device|file too large|disk quota exceeded|disk full", re.I)
NO_CHECKPOINT = "checkpoint request failed"
REASONS = {
    errno.ENOSPC: "the disk of {} is full: make room and run the command again; nothing that was kept is lost.",
    errno.EDQUOT: "the disk of {} is full: make room and run the command again; nothing that was kept is lost.",
    errno.EFBIG: "the disk of {} is full: make room and run the command again; nothing that was kept is lost.",
    errno.EROFS: "the disk of {} can only be read: set EPROBA_HOME to a folder on a disk that can be written.",
    errno.EACCES: "may not use {}: set EPROBA_HOME to a folder that you may write, or ask the one whose it is.",
    errno.EPERM: "may not use {}: set EPROBA_HOME to a folder that you may write, or ask the one whose it is.",
    errno.ENOTDIR: "{} is no folder: set EPROBA_HOME to one.",
    errno.EEXIST: "{} is no folder: set EPROBA_HOME to one.",
    errno.ENAMETOOLONG: "{} is too long a name for this disk: set EPROBA_HOME to a shorter one.",
}


class Refused(Exception):
    """Why a command can't go on, and what to do, in one sentence."""


def say(text: str) -> None:
    print(f"eproba: {text}", file=sys.stderr, flush=True)


def in_words(error: OSError) -> str:
    """A fault of the operating system as one sentence that names the file and the way out."""
    where = str(error.filename or "EPROBA_HOME")
    known = REASONS.get(error.errno or 0)
    return known.format(where) if known else f"{where}: {(error.strerror or str(error)).lower()}."


def _lines_of(log: Path) -> list[str]:
    try:
        return [line.strip() for line in log.read_text(errors="replace").splitlines() if line.strip()]
    except OSError:
        return []


def last_line(log: Path) -> str:
    """The end of a log, which says what went wrong; a full disk is said in our own words."""
    lines = _lines_of(log)
    latest = lines[-20:]
    if any(NO_CHECKPOINT in line for line in latest):  # why not, only PostgreSQL's own log tells
        latest = [*latest, *_lines_of(log.parent / "postgres.log")[-20:]]
    if any(DISK_FULL.search(line) for line in latest):
        return REASONS[errno.ENOSPC].format(log.parent)
    # PostgreSQL's hints come after the line that counts.
    telling = [line for line in lines[-20:] if re.search(r"\b(FATAL|PANIC|ERROR|error)\b", line)]
    return (telling or lines or [f"see {log}"])[-1]
