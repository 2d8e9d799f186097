"""What a backup file is: one line of ours, with the length and the SHA-256 of what follows, and then what pg_dump
wrote. It is checked, and what it holds is looked through, before anything of it runs.
"""

import hashlib
import os
import re
import subprocess
from collections.abc import Sequence
from pathlib import Path
from typing import IO, cast

from eproba.start.saying import Refused, say

MAGIC = b"PGDMP"
OUR_LINE = "EPROBA BACKUP 1 {length:020d} {digest}\n"
OURS = re.compile(rb"EPROBA BACKUP (\d+) (\d{20}) ([0-9a-f]{64})\n")
LINE_LENGTH = len(OUR_LINE.format(length=0, digest="0" * 64))
BLOCK = 1 << 20
CUT = "{} is cut short or damaged; your data are untouched: take another backup."
CUT_SHORT = ("end of file", "could not read", "out of order", "corrupt", "did not find magic string")
# What backups of former versions hold and new ones don't; a test walks through all versions.
FORMER = frozenset({
    "CONSTRAINT public batch_check pk_batch_check",
    "CONSTRAINT public helper uq_helper_token",
    "CONSTRAINT public meter uq_meter_token",
    "CONSTRAINT public pour uq_pour_trial_id_letter_day",
    "CONSTRAINT public shared_link uq_shared_link_token",
    "DEFAULT public batch_check id",
    "FK CONSTRAINT public batch_check fk_batch_check_batch_id",
    "INDEX public ix_batch_check_batch_id",
    "SEQUENCE OWNED BY public batch_check_id_seq",
    "SEQUENCE SET public batch_check_id_seq",
    "SEQUENCE public batch_check_id_seq",
    "TABLE DATA public batch_check",
    "TABLE public batch_check",
})  # fmt: skip


def dumping(tools: Path, url: str) -> list[str]:
    """The command that writes a whole database to its output."""
    return [str(tools / "pg_dump"), "--format=custom", "--no-owner", "--no-privileges", f"--dbname={url}"]


def write_backup(command: Sequence[str], env: dict[str, str], part: Path, log: int) -> int:
    """What the command writes, into a new file that only its owner may read; the exit status of the command."""
    digest, length = hashlib.sha256(), 0
    with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, 0o600), "wb") as out:
        out.write(b"\0" * LINE_LENGTH)
        with subprocess.Popen(command, env=env, stdout=subprocess.PIPE, stderr=log) as running:
            while block := cast(IO[bytes], running.stdout).read(BLOCK):
                out.write(block)
                digest.update(block)
                length += len(block)
        out.seek(0)
        out.write(OUR_LINE.format(length=length, digest=digest.hexdigest()).encode())
        out.flush()
        os.fsync(out.fileno())  # a full disk may say so only now
    return running.returncode


def must_be_whole(file: Path) -> None:
    """Length and digest are those of our line; a file of before there was one can only be taken as it is."""
    with file.open("rb") as backup:
        begin = backup.read(LINE_LENGTH)
        ours = OURS.fullmatch(begin)
        if ours is None and begin.startswith(OUR_LINE[:14].encode()):
            raise Refused(CUT.format(file))
        if ours is None and not begin.startswith(MAGIC):
            raise Refused(f"{file} is no Eproba backup.")
        if ours is None:
            say("this backup is of an Eproba that wrote no digest into it: whether it is whole shows only in restoring")
            return
        if int(ours[1]) > 1:
            raise Refused(f"{file} was written by a newer Eproba: bring Eproba up to date, then restore.")
        digest = hashlib.sha256()
        while block := backup.read(BLOCK):
            digest.update(block)
        if (backup.tell() - LINE_LENGTH, digest.hexdigest()) != (int(ours[2]), ours[3].decode()):
            raise Refused(CUT.format(file))


def read_by(
    command: Sequence[str], file: Path, log: int, env: dict[str, str] | None = None
) -> "subprocess.CompletedProcess[bytes]":
    """Run a program that reads a backup, without our line, from a pipe; the log is closed."""
    with file.open("rb") as backup:
        first = LINE_LENGTH + 1 if OURS.fullmatch(backup.read(LINE_LENGTH)) else 1
    tail = ["tail", "-c", f"+{first}", "--", str(file)]
    with subprocess.Popen(tail, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL) as feeding:
        done = subprocess.run(command, env=env, stdin=feeding.stdout, stdout=subprocess.PIPE, stderr=log)
        cast(IO[bytes], feeding.stdout).close()
    os.close(log)
    return done


def things_in(listing: bytes) -> frozenset[str]:
    """The things of a table of contents, without their owners: “TABLE public trial”, “TRIGGER public trial …”."""
    lines = [line for line in listing.decode(errors="replace").splitlines() if not line.startswith(";")]
    listed = [line.split(" ", 3)[3] for line in lines if line.count(" ") > 3]
    return frozenset(line.rpartition(" ")[0] for line in listed)


def must_hold_ours(file: Path, things: frozenset[str], model: frozenset[str]) -> None:
    """Nothing of a file runs that is not of ours: no function, no view, no table by another name."""
    if not {"TABLE public alembic_version", "TABLE public trial"} <= things:
        raise Refused(f"{file} is no Eproba backup.")
    strange = sorted(things - model - FORMER)
    if strange:
        text = f"{file} holds what no backup of this Eproba holds ({strange[0][:80]}); nothing was restored"
        raise Refused(f"{text}: a newer Eproba wrote it, or somebody changed it.")
