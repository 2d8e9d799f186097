"""EPROBA_HOME: its folders, its secrets, its locks, and what runs in it."""

import fcntl
import hashlib
import json
import os
import secrets
import time
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType
from typing import Any

from eproba.start.machine import Account, app_account, is_root, postgres_account
from eproba.start.saying import Refused

KINDS = ("serve", "demo")


@dataclass(frozen=True)
class Home:
    """One garden's data, cluster, keys and logs; several homes run side by side."""

    path: Path

    @property
    def cluster(self) -> Path:
        return self.path / "cluster"

    @property
    def logs(self) -> Path:
        return self.path / "logs"

    @property
    def passwords(self) -> Path:
        """The pass file of the database, in the form that PostgreSQL's own programs read."""
        return self.path / "keys" / "database.pass"

    @property
    def owner_passwords(self) -> Path:
        """The pass file of whoever owns the cluster; the app's account can't read it."""
        return self.path / "owner.pass"

    @property
    def session_key(self) -> Path:
        return self.path / "keys" / "session"

    @property
    def backups(self) -> Path:
        return self.path / "backups"

    @property
    def mark(self) -> str:
        """What marks the processes of this home in the process list, without telling where it is."""
        return hashlib.sha256(os.fsencode(self.path)).hexdigest()[:12]

    def log(self, name: str) -> int:
        """A log to append to, opened by us, so that no other account needs to reach the folder."""
        return os.open(self.logs / name, os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_NOFOLLOW, 0o600)

    def fresh_log(self, name: str) -> int:
        file = self.log(name)
        os.ftruncate(file, 0)
        return file

    def database_password(self) -> str:
        return _password_in(self.passwords)

    def owner_password(self) -> str:
        return _password_in(self.owner_passwords)


def place() -> Path:
    """Where EPROBA_HOME is, by the environment or by default."""
    named = os.environ.get("EPROBA_HOME")
    if named:
        return Path(named).absolute()
    if is_root():
        return Path("/var/lib/eproba")
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local/share") / "eproba"


def open_home(at: Path | None = None) -> Home:
    """The home with its folders and secrets, made or repaired when missing."""
    path = place() if at is None else at
    if not path.is_dir():
        path.mkdir(mode=0o711 if is_root() else 0o700, parents=True, exist_ok=True)
    home = Home(path.resolve())
    for folder in (home.logs, home.backups, home.path / "run"):
        folder.mkdir(mode=0o700, exist_ok=True)
    (home.logs / ".room").write_text("so that a full or read-only disk is said before anything is begun\n")
    _keep_secrets(home)
    for account in (app_account(), postgres_account()):
        _let_through(home, account)
    return home


def _keep_secrets(home: Home) -> None:
    """The secrets: the database's password in a pass file, the sessions' key; a home of old had one for both."""
    folder, account = home.passwords.parent, app_account()
    folder.mkdir(mode=0o700, exist_ok=True)
    old = home.path / "secret"
    if not _password_in(home.owner_passwords):
        password = secrets.token_hex(32)
        lines = (f"*:*:*:{role}:{password}\n" for role in ("eproba_owner", "eproba_moving"))
        _write(home.owner_passwords, "".join(lines), Account())
    if not _password_in(home.passwords):
        # The cluster keeps the password it was made with; the key of the sessions is made anew, since the old one
        # was also the password.
        password = old.read_text().strip() if old.exists() else secrets.token_hex(32)
        _write(home.passwords, f"*:*:*:eproba:{password}\n", account)
    if not home.session_key.exists():
        _write(home.session_key, secrets.token_hex(32), account)
    old.unlink(missing_ok=True)
    account.owns(folder)


def _password_in(file: Path) -> str:
    """The password of a pass file; empty where there is none, or something else stands in it."""
    try:
        lines = file.read_text().split()
    except (OSError, ValueError):
        return ""
    password = lines[0].rpartition(":")[2] if lines else ""
    return password if len(password) >= 16 and password.isalnum() else ""


def _write(path: Path, text: str, account: Account) -> None:
    """A secret file, whole or not there."""
    part = path.with_name(path.name + ".part")
    part.unlink(missing_ok=True)
    file = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, 0o600)
    with os.fdopen(file, "w") as out:
        out.write(text)
    account.owns(part)
    part.replace(path)


def _let_through(home: Home, account: Account) -> None:
    """An account must be able to walk to its files: through our own folder we let it, another's we name."""
    if account.name is None:
        return
    blocking = account.blocked_by(home.path)
    if blocking == home.path:
        home.path.chmod(home.path.stat().st_mode | 0o011)
    elif blocking is not None:
        text = f"the account {account.name} can't walk through {blocking}"
        raise Refused(f"{text}: 'chmod o+x {blocking}', or set EPROBA_HOME elsewhere.")


class Lock:
    """A file that one holds alone or several share; it is let go when its last holder ends, however that ends."""

    def __init__(self, path: Path) -> None:
        self.file = os.open(path, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW, 0o600)

    def take(self, shared: bool = False, patience: float = 0.0) -> bool:
        until = time.monotonic() + patience
        while True:
            try:
                fcntl.flock(self.file, (fcntl.LOCK_SH if shared else fcntl.LOCK_EX) | fcntl.LOCK_NB)
                return True
            except BlockingIOError:
                if time.monotonic() >= until:
                    return False
                time.sleep(0.05)

    def let_go(self) -> None:
        os.close(self.file)

    def __enter__(self) -> "Lock":
        return self

    def __exit__(
        self, _kind: type[BaseException] | None, _error: BaseException | None, _at: TracebackType | None
    ) -> None:
        self.let_go()


@dataclass(frozen=True)
class Run:
    """What runs in a home, serve or demo: locked as long as its script lives, told in a small file."""

    home: Home
    what: str

    @property
    def mark(self) -> str:
        return f"eproba {self.what} {self.home.mark}"

    @property
    def record(self) -> Path:
        return self.home.path / "run" / f"{self.what}.json"

    def lock(self) -> Lock:
        return Lock(self.home.path / "run" / f"{self.what}.lock")

    def told(self) -> dict[str, Any]:
        try:
            record = json.loads(self.record.read_text())
        except (OSError, ValueError):
            return {}
        return record if isinstance(record, dict) else {}

    def running(self) -> bool:
        """Whether a script that runs it is alive."""
        with self.lock() as lock:
            return not lock.take()

    def tell(self, **facts: object) -> None:
        part = self.record.with_suffix(".part")
        part.write_text(json.dumps(facts))
        part.replace(self.record)
