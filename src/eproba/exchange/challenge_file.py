"""A challenge between gardens as files of JSON, each signed by the garden that wrote it: the challenge itself, and the
slip that says that a garden takes part or has stopped. Results come back as packages.

The code form is for a QR code: the same file, packed into letters that a phone reads and somebody pastes.
"""

import base64
import json
import zlib
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any, Literal, get_args

from eproba.core.errors import EprobaError
from eproba.exchange.plan_file import MOST_BYTES, PlanFile, read_plan, write_plan
from eproba.exchange.seal import Seal, seal_of, sealed
from eproba.exchange.strict_json import strict_json
from eproba.store.plans import PlanBrought

CHALLENGE_FORMAT, SLIP_FORMAT = "eproba-challenge-1", "eproba-slip-1"
MADE_FOR = b"eproba challenge 1\n"
CODE = "EPROBA1."  # begins the letters of a code
MOST_IN_A_CODE = 1900  # letters: denser codes are hard to scan from a screen
LONGEST_NAME, MOST_UNITS = 120, 2000
SlipSays = Literal["joined", "left"]


class ChallengeFileError(EprobaError):
    """A file that is no challenge and no slip, or was changed on its way; the message says what to do."""


@dataclass(frozen=True)
class ChallengeFile:
    """A challenge as read: its key, name, the day of the joint envelope, the plan, and who called it."""

    key: str
    name: str
    opens_on: date
    plan: PlanFile
    garden: str
    raw: bytes


@dataclass(frozen=True)
class Slip:
    """A garden takes part with so many units, or has stopped."""

    challenge: str
    says: SlipSays
    units: int
    garden: str


def write_challenge(key: str, name: str, opens_on: date, plan: PlanBrought, private: bytes) -> bytes:
    """The challenge, signed by the garden that calls it."""
    facts: dict[str, Any] = {"key": key, "name": name, "opens_on": opens_on.isoformat()}
    facts["plan"] = json.loads(write_plan(plan))
    return _signed({"format": CHALLENGE_FORMAT, **facts}, private)


def write_slip(challenge: str, says: SlipSays, units: int, private: bytes) -> bytes:
    """The slip of a garden, signed by it."""
    return _signed({"format": SLIP_FORMAT, "challenge": challenge, "says": says, "units": units}, private)


def as_code(raw: bytes) -> str:
    """A file as letters for a code; empty where it would be too dense to scan."""
    packed = base64.urlsafe_b64encode(zlib.compress(_compact(json.loads(raw)), 9)).decode()
    return CODE + packed if len(packed) <= MOST_IN_A_CODE else ""


def read_challenge(raw: bytes) -> ChallengeFile:
    """A challenge from its file or its code. Raises ChallengeFileError, and PlanFileError for its plan."""
    content, seal = _read(raw, CHALLENGE_FORMAT)
    key, name = content.get("key"), content.get("name")
    try:
        opens_on = date.fromisoformat(str(content.get("opens_on")))
    except ValueError as error:
        raise ChallengeFileError("This challenge names no day: ask for the file again.") from error
    if not isinstance(key, str) or not key.isalnum() or not isinstance(name, str) or len(name) > LONGEST_NAME:
        raise ChallengeFileError("Parts of this challenge are missing: ask for the file again.")
    plan = read_plan(_compact(content.get("plan")))
    return ChallengeFile(key[:64], name, opens_on, plan, seal.garden, _compact(content))


def read_slip(raw: bytes) -> Slip:
    """A slip from its file. Raises ChallengeFileError."""
    content, seal = _read(raw, SLIP_FORMAT)
    says, units = content.get("says"), content.get("units")
    known = next((word for word in get_args(SlipSays) if word == says), None)
    if known is None or not isinstance(units, int) or not 0 <= units <= MOST_UNITS:
        raise ChallengeFileError("Parts of this slip are missing: ask for the file again.")
    return Slip(str(content.get("challenge")), known, units, seal.garden)


def is_challenge(raw: bytes) -> bool:
    """Whether a file, or what was pasted, is a challenge or its code."""
    return raw.lstrip().startswith(CODE.encode()) or _format(raw) == CHALLENGE_FORMAT


def is_slip(raw: bytes) -> bool:
    return _format(raw) == SLIP_FORMAT


def _format(raw: bytes) -> str:
    try:
        content = strict_json(raw)
    except (ValueError, RecursionError):
        return ""
    return str(content.get("format", "")) if isinstance(content, dict) else ""


def _read(raw: bytes, format_: str) -> tuple[dict[str, Any], Seal]:
    """The content of a file that nobody changed, with who signed it."""
    try:
        content = strict_json(_unpacked(raw))
    except (ValueError, RecursionError, zlib.error) as error:
        raise ChallengeFileError("This can’t be read: choose the file, or paste the whole code.") from error
    if not isinstance(content, dict) or content.get("format") != format_:
        raise ChallengeFileError("This is another kind of file than asked for here: choose the one of the challenge.")
    signature = content.get("seal")
    text = json.dumps(signature).encode() if isinstance(signature, dict) else None
    seal = seal_of(text, _facts(content), True, MADE_FOR)
    if seal.state != "unchanged":
        raise ChallengeFileError(f"{seal.words} Ask for it again: an envelope of many gardens needs files as written.")
    return content, seal


def _unpacked(raw: bytes) -> bytes:
    """The JSON of a file, or of a code; never more than a plan may hold."""
    if not raw.lstrip().startswith(CODE.encode()):
        return raw
    packed = base64.urlsafe_b64decode("".join(raw.decode("ascii", "ignore").split())[len(CODE) :])
    return zlib.decompressobj().decompress(packed, MOST_BYTES)


def _signed(facts: Mapping[str, Any], private: bytes) -> bytes:
    seal = json.loads(sealed(private, _facts(facts), MADE_FOR))
    return json.dumps({**facts, "seal": seal}, ensure_ascii=False, indent=1).encode()


def _facts(content: Mapping[str, Any]) -> bytes:
    """What is signed: everything but the signature, in one order."""
    return _compact({name: fact for name, fact in content.items() if name != "seal"})


def _compact(content: Any) -> bytes:
    return json.dumps(content, ensure_ascii=False, sort_keys=True, separators=(",", ":")).encode()
