"""PostgreSQL for one home: made, started, shared by commands, stopped by the last of them."""

import os
import re
import shutil
import signal
import subprocess
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import unquote, urlsplit, urlunsplit

from eproba.start.home import Home, Lock
from eproba.start.machine import (
    alive,
    command_of,
    end,
    free_port,
    install_packages,
    port_is_free,
    postgres_account,
    processes_in,
    room_for,
)  # fmt: skip
from eproba.start.roles import OWNER, Roles
from eproba.start.saying import Refused, last_line, say

OLDEST = 15
DEBIAN = Path("/usr/lib/postgresql")
PATIENCE = 90.0
STARTED_WITHIN = 60.0


@dataclass(frozen=True)
class Access:
    """How commands reach the database: the environment of whatever asks it, and the lock that keeps it running."""

    env: dict[str, str]
    hold: int | None = None


def programs_by_version(root: Path = DEBIAN) -> dict[int, Path]:
    """PostgreSQL's programs by major version, where Debian puts them or on the path."""
    programs: dict[int, Path] = {}
    on_path = shutil.which("initdb")
    for folder in [*root.glob("*/bin"), *([Path(on_path).resolve().parent] if on_path else [])]:
        if (folder / "initdb").exists() and (folder / "postgres").exists():
            version = subprocess.run([folder / "initdb", "--version"], capture_output=True, text=True).stdout
            number = re.search(r"(\d+)", version)
            if number:
                programs.setdefault(int(number[1]), folder)
    return programs


def chosen(programs: dict[int, Path], wanted: int | None) -> Path | None:
    """The programs of the version that made the data; for new data the newest that will do."""
    if wanted is not None:
        return programs.get(wanted)
    usable = [version for version in programs if version >= OLDEST]
    return programs[max(usable)] if usable else None


def version_of(cluster: Path) -> int | None:
    try:
        return int((cluster / "PG_VERSION").read_text())
    except (OSError, ValueError):
        return None


def programs_for(cluster: Path) -> Path:
    """The programs for this data, installed when no PostgreSQL is here at all."""
    wanted, programs = version_of(cluster), programs_by_version()
    chosen_one = chosen(programs, wanted)
    if chosen_one is None and not programs:
        install_packages("postgresql")
        programs = programs_by_version()
        chosen_one = chosen(programs, wanted)
    if chosen_one is not None:
        return chosen_one
    if wanted is None:
        raise Refused(f"needs PostgreSQL {OLDEST} or newer: install the Debian package postgresql.")
    versions = ", ".join(map(str, sorted(programs))) or "none"
    way = f"'apt-get install postgresql-{wanted}', then ./eproba upgrade-postgres"
    other = "or restore a backup into an empty EPROBA_HOME"
    raise Refused(f"the data belong to PostgreSQL {wanted}, and this machine has {versions}: {way}, {other}.")


class Cluster:
    """The PostgreSQL of a home, or another folder of data with the same passwords."""

    def __init__(self, home: Home, options: Sequence[str] = (), data: Path | None = None) -> None:
        self.home, self.options, self.data = home, list(options), data or home.cluster
        self.account = postgres_account()
        self.programs = Path()

    @property
    def port_file(self) -> Path:
        return self.home.path / f"{self.data.name}.port"

    @property
    def settled(self) -> Path:
        """There once the accounts were set up: a start that was killed before leaves a cluster running without them."""
        return self.home.path / f"{self.data.name}.accounts"

    @property
    def port(self) -> int:
        """The port that it listens at, or did last; 0 where none is known, or rubbish stands there."""
        for file, line in ((self.data / "postmaster.pid", 3), (self.port_file, 0)):
            with suppress(OSError, ValueError, IndexError):
                port = int(file.read_text().split("\n")[line])
                if 0 < port < 65536:
                    return port
        return 0

    def make(self) -> None:
        """initdb into a folder beside, put in place when it is whole."""
        room_for(300, self.home.path)
        say(f"making a PostgreSQL cluster in {self.data}")
        building, password = self.data.with_name(f"{self.data.name}.building"), self.home.path / "password"
        shutil.rmtree(building, ignore_errors=True)
        self.settled.unlink(missing_ok=True)
        building.mkdir(mode=0o700)
        password.unlink(missing_ok=True)
        with os.fdopen(os.open(password, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as out:
            out.write(self.home.owner_password())
        self.account.owns(building)
        self.account.owns(password)
        how = ["--auth=scram-sha-256", "--locale=C.UTF-8", "-E", "UTF8", "-U", OWNER, f"--pwfile={password.name}"]
        log = self.home.fresh_log("initdb.log")
        # By the names in the home alone: initdb takes no line break in a path.
        command = [str(self.programs / "initdb"), "-D", building.name, *how]
        done = self.account.run(command, stdout=log, stderr=log, cwd=self.home.path)
        os.close(log)
        password.unlink(missing_ok=True)
        if done:
            raise Refused(f"could not make the cluster: {last_line(self.home.logs / 'initdb.log')}")
        building.rename(self.data)

    def postmaster(self) -> int | None:
        """The process that runs it, if one does."""
        try:
            pid = int((self.data / "postmaster.pid").read_text().split("\n")[0])
        except (OSError, ValueError):
            return None
        return pid if alive(pid) and str(self.data) in command_of(pid) else None

    def start(self) -> None:
        """Start it, unless it runs; what a crash left behind is cleared first, and the app's account made and kept
        small."""
        self.programs = programs_for(self.data)
        if version_of(self.data) is None:
            self.make()
        if self.postmaster() is not None and self.settled.exists():
            return
        if self.postmaster() is None:
            self._run()
        roles = Roles(self.home, self.programs, self.port)
        if not roles.known():
            self.stop()
            roles.set_passwords(self.account, self.data)
            self._run()
            roles = Roles(self.home, self.programs, self.port)
        roles.settle()
        self.settled.touch()

    def _run(self) -> None:
        self.stop()
        end(processes_in(self.data), signal.SIGQUIT, 2.0)
        (self.data / "postmaster.pid").unlink(missing_ok=True)
        port = self.port
        if not (port and port_is_free("127.0.0.1", port)):
            port = free_port()
        log = self.home.log("postgres.log")
        # Not by pg_ctl: it goes through a shell, and a home may hold any character.
        settings = [*self.options, "listen_addresses=127.0.0.1", "unix_socket_directories="]
        command = [str(self.programs / "postgres"), "-D", str(self.data), "-p", str(port)]
        command += [part for setting in settings for part in ("-c", setting)]
        running = self.account.popen(command, stdout=log, stderr=log, apart=True)
        os.close(log)
        until = time.monotonic() + STARTED_WITHIN
        while not self._ready(running.pid):
            if running.poll() is not None or time.monotonic() > until:
                raise Refused(f"PostgreSQL did not start: {last_line(self.home.logs / 'postgres.log')}")
            time.sleep(0.03)
        part = self.port_file.with_suffix(".part")
        part.write_text(f"{port}\n")
        part.replace(self.port_file)

    def _ready(self, pid: int) -> bool:
        try:
            lines = (self.data / "postmaster.pid").read_text().split("\n")
        except OSError:
            return False
        return lines[0] == str(pid) and len(lines) > 7 and lines[7].strip() == "ready"

    def stop(self) -> None:
        pid = self.postmaster()
        if pid is not None:
            end([pid], signal.SIGINT, STARTED_WITHIN)

    def url(self, database: str = "eproba") -> str:
        """Where it listens; the password stands in the pass file, never in an address or a process list."""
        return f"postgresql://eproba@127.0.0.1:{self.port}/{database}"

    def access(self, hold: int | None = None) -> Access:
        env = {**os.environ, "EPROBA_DATABASE_URL": self.url(), "PGPASSFILE": str(self.home.passwords)}
        return Access(env, hold)


@contextmanager
def in_use(home: Home, options: Sequence[str] = (), leave: bool = False) -> Iterator[Access]:
    """The database for as long as a command needs it; afterwards it stops, unless another command uses it.

    With EPROBA_DATABASE_URL set that server is used and none is started. `leave`: it goes on running.
    """
    if os.environ.get("EPROBA_DATABASE_URL"):
        yield elsewhere(os.environ["EPROBA_DATABASE_URL"])
        return
    cluster = Cluster(home, options)
    use = Lock(home.path / "cluster.use")
    try:
        with Lock(home.path / "cluster.start") as starting:
            if not starting.take(patience=PATIENCE):
                raise Refused(f"another start in {home.path} is not coming to an end; try ./eproba stop.")
            if not use.take(shared=True, patience=PATIENCE):
                raise Refused(f"a stop in {home.path} is not coming to an end; try again.")
            finish_upgrade(home)
            cluster.start()
        yield cluster.access(use.file)
    finally:
        use.let_go()
        if not leave:
            stop_if_idle(home)


def stop_if_idle(home: Home, patience: float = 0.0) -> None:
    """Stop the cluster unless a command, or an app that one started, uses it; `patience`: seconds to let it end."""
    if version_of(home.cluster) is None:
        return
    with Lock(home.path / "cluster.start") as starting, Lock(home.path / "cluster.use") as use:
        if starting.take(patience=PATIENCE) and use.take(patience=patience):
            Cluster(home).stop()


def elsewhere(url: str) -> Access:
    """A server that others keep: its password goes by the environment, which no process list shows."""
    parts = urlsplit(url)
    env = {**os.environ, "EPROBA_DATABASE_URL": url}
    if parts.password is not None:
        plain = parts._replace(netloc=parts.netloc.replace(f":{parts.password}@", "@", 1))
        env |= {"EPROBA_DATABASE_URL": urlunsplit(plain), "PGPASSWORD": unquote(parts.password)}
    return Access(env)


# --- A new major version -------------------------------------------------------------------------------------------


def upgrade(home: Home) -> Path | None:
    """Move the data into a cluster of the newest PostgreSQL here; the folder where the old data stay, None: no need.

    Killed at any time it leaves the old cluster, or a new one that the next start puts in place.
    """
    programs = programs_by_version()
    present = version_of(home.cluster)
    if present is None or chosen(programs, None) in (None, programs.get(present)):
        return None
    return rebuild(home)


def rebuild(home: Home) -> Path:
    """All databases dumped into a cluster made by the newest programs, which then takes the place of the old one."""
    fresh = home.path / "cluster.fresh"
    shutil.rmtree(fresh, ignore_errors=True)
    before, after = Cluster(home), Cluster(home, data=fresh)
    try:
        before.start()
        after.start()
        _pour_over(home, before, after)
    finally:
        before.stop()
        after.stop()
    for note in (after.port_file, after.settled):
        note.unlink(missing_ok=True)
    fresh.rename(home.path / "cluster.upgraded")
    return finish_upgrade(home)


def _pour_over(home: Home, before: Cluster, after: Cluster) -> None:
    env = {**os.environ, "PGPASSFILE": str(home.passwords)}
    psql = [str(after.programs / "psql"), "--no-psqlrc", "--quiet", "--set=ON_ERROR_STOP=1"]
    query = "SELECT datname FROM pg_database WHERE NOT datistemplate AND datname <> 'postgres'"
    asked = [*psql, "--tuples-only", "--no-align", f"--command={query}", f"--dbname={before.url('postgres')}"]
    log = home.fresh_log("upgrade.log")
    try:
        listed = subprocess.run(asked, env=env, stdout=subprocess.PIPE, stderr=log, text=True)
        faults = listed.returncode
        for name in listed.stdout.splitlines():
            dump = [str(after.programs / "pg_dump"), "--create", f"--dbname={before.url(name)}"]
            with subprocess.Popen(dump, env=env, stdout=subprocess.PIPE, stderr=log) as dumping:
                into = [*psql, f"--dbname={after.url('postgres')}"]
                faults |= subprocess.run(into, env=env, stdin=dumping.stdout, stdout=log, stderr=log).returncode
            faults |= dumping.returncode
    finally:
        os.close(log)
    if faults:
        raise Refused(f"could not move the data (they are untouched): {last_line(home.logs / 'upgrade.log')}")


def finish_upgrade(home: Home) -> Path:
    """Put an upgraded cluster in place; the one before is kept beside it, and named."""
    upgraded = home.path / "cluster.upgraded"
    kept = home.path / f"cluster.{version_of(home.cluster) or 'old'}"
    if not upgraded.exists():
        return kept
    if home.cluster.exists():
        number = 1
        while kept.exists():
            number += 1
            kept = home.path / f"cluster.{version_of(home.cluster)}-{number}"
        home.cluster.rename(kept)
    upgraded.rename(home.cluster)
    return kept
