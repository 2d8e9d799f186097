"""Backups and what was set aside: written whole or not at all, checked before anything is touched, put in place by
one step."""

import errno
import os
import re
import subprocess
from contextlib import suppress
from datetime import datetime
from pathlib import Path

from eproba.start.app import standing_still
from eproba.start.backup_file import (
    CUT,
    CUT_SHORT,
    dumping,
    must_be_whole,
    must_hold_ours,
    read_by,
    things_in,
    write_backup,
)
from eproba.start.cluster import Access, in_use, programs_by_version, programs_for
from eproba.start.home import Home, open_home
from eproba.start.machine import install_packages
from eproba.start.program import Program, program_for
from eproba.start.saying import Refused, last_line, say

KEPT = 7


def back_up(file: Path | None, keep: int = 0) -> int:
    """Everything into one file that only its owner may read; `keep`: into the home, and only the last so many."""
    home = open_home()
    if file is None and not keep:
        raise Refused("say where to: ./eproba backup FILE")
    place = file.absolute() if file else _next_name(home)
    part = place.with_name(place.name + ".part")
    with in_use(home) as access:
        try:
            _dump(home, access, part)
            part.replace(place)
        except OSError as error:
            raise Refused(_unwritable(place, error)) from error
        finally:
            with suppress(OSError):
                part.unlink(missing_ok=True)
    if keep:
        written = sorted(home.backups.glob("eproba-*.backup"), key=lambda file: (file.stat().st_mtime_ns, file.name))
        for old in [file for file in written if file != place][: max(0, len(written) - keep)]:
            old.unlink()
    say(f"backed up to {place} ({max(1, place.stat().st_size // 1024)} kB)")
    return 0


def _next_name(home: Home) -> Path:
    """A name by the day, and a number that goes on however the clock jumps."""
    numbers = [int(file.stem.rsplit("-", 1)[1]) for file in home.backups.glob("eproba-*-*.backup")]
    return home.backups / f"eproba-{datetime.now():%Y-%m-%d}-{max(numbers, default=0) + 1}.backup"


def _unwritable(place: Path, error: OSError) -> str:
    if error.errno in (errno.ENOSPC, errno.EDQUOT, errno.EFBIG):
        return f"the disk of {place.parent} is full: make room, or say another place; what was there before is kept."
    return f"can't write {place} ({(error.strerror or str(error)).lower()}): say another place, ./eproba backup FILE."


def _dump(home: Home, access: Access, part: Path) -> None:
    part.unlink(missing_ok=True)
    command = dumping(_tools(home), access.env["EPROBA_DATABASE_URL"])
    log = home.fresh_log("backup.log")
    failed = write_backup(command, access.env, part, log)
    os.close(log)
    if failed:
        why = last_line(home.logs / "backup.log")
        if re.search(r'database "\w+" does not exist', why):
            raise Refused(f"there is nothing to back up in {home.path}: no garden was begun here yet.")
        raise Refused(f"could not write the backup: {why}")


def _tools(home: Home) -> Path:
    """PostgreSQL's programs: those of the home's data, or the newest for a server elsewhere."""
    if not os.environ.get("EPROBA_DATABASE_URL"):
        return programs_for(home.cluster)
    if not programs_by_version():
        install_packages("postgresql")
    programs = programs_by_version()
    return programs[max(programs)]


def restore(file: Path) -> int:
    """A backup into a database beside the present one; then both change names in one step."""
    if not os.access(file, os.R_OK) or not file.is_file():
        raise Refused(f"can't read the backup file “{file}”.")
    home = open_home()
    program = program_for(home)
    with standing_still(home, "restore"):
        must_be_whole(file)
        with in_use(home) as access:
            tools = _tools(home)
            must_hold_ours(file, _things_in(home, tools, file), _model(program, tools, access))
            fresh = _asked(program, "restore-begin", env=access.env)
            command = [str(tools / "pg_restore"), "--no-owner", "--no-privileges", "--exit-on-error"]
            done = read_by([*command, f"--dbname={fresh}"], file, home.fresh_log("restore.log"), access.env)
            if done.returncode:
                why = _why(home, file)
                _asked(program, "restore-drop", env=access.env)
                raise Refused(why)
            say(_asked(program, "restore-end", env=access.env))
    return 0


def _things_in(home: Home, tools: Path, file: Path) -> frozenset[str]:
    """What a backup would make."""
    listed = read_by([str(tools / "pg_restore"), "--list"], file, home.fresh_log("restore.log"))
    if listed.returncode and "unsupported version" in (home.logs / "restore.log").read_text():
        text = f"{file} was written by a newer PostgreSQL than this machine has"
        raise Refused(f"{text}: install that version, then restore.")
    if listed.returncode:
        raise Refused(CUT.format(file))
    return things_in(listed.stdout)


def _model(program: Program, tools: Path, access: Access) -> frozenset[str]:
    """What our own migrations make, listed in the same way."""
    model = _asked(program, "restore-model", env=access.env)
    dumped = subprocess.run(dumping(tools, model), env=access.env, capture_output=True)
    listed = subprocess.run([str(tools / "pg_restore"), "--list"], input=dumped.stdout, capture_output=True)
    if dumped.returncode or listed.returncode:
        raise Refused(f"could not look what a backup holds: {dumped.stderr.decode(errors='replace').strip()[-200:]}")
    return things_in(listed.stdout)


def _why(home: Home, file: Path) -> str:
    log_text = (home.logs / "restore.log").read_text()
    if any(sign in log_text for sign in CUT_SHORT):
        return CUT.format(file)
    return f"could not restore (your data are untouched): {last_line(home.logs / 'restore.log')}"


# --- What was set aside ---------------------------------------------------------------------------------------------


def _asked(program: Program, *command: str, env: dict[str, str]) -> str:
    """What one of our own commands answers; where it refuses, its last line."""
    done = program.ask(*command, env=env)
    if done.returncode:
        log = open_home().logs / "restore.log"
        log.write_bytes(done.stderr)
        raise Refused(last_line(log).removeprefix("eproba: "))
    return done.stdout.decode().strip().splitlines()[-1] if done.stdout.strip() else ""


def list_backups() -> int:
    """What was set aside by restoring, and the files that the timer wrote."""
    home = open_home()
    program = program_for(home)
    with in_use(home) as access:
        aside = program.ask("set-aside", env=access.env).stdout.decode().strip()
    print(aside or "Nothing was set aside by a restore.")
    files = sorted(home.backups.glob("eproba-*.backup"))
    print(f"Backup files in {home.backups}:" if files else f"No backup files in {home.backups}.")
    for file in files:
        print(f"  {file.name}  {max(1, file.stat().st_size // 1024)} kB")
    return 0


def bring_back(name: str) -> int:
    """What was set aside takes the place of the present data, which are set aside in turn."""
    home = open_home()
    program = program_for(home)
    with standing_still(home, "bring it back"), in_use(home) as access:
        say(_asked(program, "bring-back", name, env=access.env))
    return 0


def delete(name: str) -> int:
    home = open_home()
    program = program_for(home)
    with in_use(home) as access:
        say(_asked(program, "delete-aside", name, env=access.env))
    return 0
