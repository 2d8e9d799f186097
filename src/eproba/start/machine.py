"""The machine: Debian packages, accounts, room on a disk, addresses and ports, processes."""

import os
import pwd
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from eproba.start.saying import Refused, say

APP_ACCOUNT = "eproba"
CREATE_CLUSTER = Path("/etc/postgresql-common/createcluster.d/eproba.conf")
Files = IO[bytes] | int | None


def is_root() -> bool:
    return os.geteuid() == 0


@dataclass(frozen=True)
class Account:
    """Whom a program runs as; None: whoever runs the script."""

    name: str | None = None

    def popen(
        self, command: Sequence[str | Path], *, env: dict[str, str] | None = None, stdin: Files = subprocess.DEVNULL,
        stdout: Files = None, stderr: Files = None, cwd: Path = Path("/"), keep: Iterable[int] = (),
        apart: bool = False,
    ) -> "subprocess.Popen[bytes]":  # fmt: skip
        """Start a program; `keep`: descriptors that it inherits; `apart`: in a session of its own."""
        return subprocess.Popen(
            [str(part) for part in command], env=env, stdin=stdin, stdout=stdout, stderr=stderr, cwd=cwd,
            pass_fds=tuple(keep), start_new_session=apart, user=self.name, group=self.name,
            extra_groups=None if self.name is None else [],
        )  # fmt: skip

    def run(
        self, command: Sequence[str | Path], *, env: dict[str, str] | None = None, stdin: Files = subprocess.DEVNULL,
        stdout: Files = subprocess.DEVNULL, stderr: Files = subprocess.DEVNULL, cwd: Path = Path("/"),
    ) -> int:  # fmt: skip
        """Run a program to its end; its exit status."""
        running = self.popen(command, env=env, stdin=stdin, stdout=stdout, stderr=stderr, cwd=cwd)
        try:
            return running.wait()
        except BaseException:
            running.terminate()
            running.wait()
            raise

    def reaches(self, path: Path, how: str = "-r") -> bool:
        """Whether it may read (-r), write (-w) or walk through (-x) a path."""
        return self.run(["/usr/bin/test", how, path]) == 0

    def blocked_by(self, path: Path) -> Path | None:
        """The first folder on the way to a path that it can't walk through."""
        folders = [folder for folder in [*reversed(path.parents), path] if folder.exists()]
        return next((folder for folder in folders if not self.reaches(folder, "-x")), None)

    def owns(self, path: Path) -> None:
        if self.name is not None:
            shutil.chown(path, self.name, self.name)


def app_account() -> Account:
    """As root the app runs as an account of its own, made when missing; else as the user."""
    if not is_root():
        return Account()
    try:
        pwd.getpwnam(APP_ACCOUNT)
    except KeyError:
        shell = "/usr/sbin/nologin"
        command = ["useradd", "--system", "--user-group", "--no-create-home", "--home-dir", "/", "--shell", shell]
        if subprocess.run([*command, APP_ACCOUNT], capture_output=True).returncode not in (0, 9):
            text = f"could not make the account {APP_ACCOUNT} that the app runs as: 'useradd --system {APP_ACCOUNT}'."
            raise Refused(text) from None
    return Account(APP_ACCOUNT)


def postgres_account() -> Account:
    return Account("postgres") if is_root() else Account()


def install_packages(*names: str) -> None:
    """Debian packages, with sudo where we are not root; PostgreSQL without the cluster that its package would start."""
    wanted, sudo = " ".join(names), [] if is_root() else ["sudo"]
    if sudo and not shutil.which("sudo"):
        text = f"needs the Debian packages {wanted}, and there is no sudo here: ask an administrator to install them."
        raise Refused(text)
    if not shutil.which("apt-get"):
        raise Refused(f"needs {wanted}, and this is no Debian machine (no apt-get): install them by hand.")
    say(f"installing {wanted} (Debian packages)")
    if "postgresql" in names and not CREATE_CLUSTER.exists():
        subprocess.run([*sudo, "mkdir", "-p", str(CREATE_CLUSTER.parent)], check=True)
        line = b"create_main_cluster = false\n"
        subprocess.run([*sudo, "tee", str(CREATE_CLUSTER)], input=line, stdout=subprocess.DEVNULL, check=True)
    subprocess.run([*sudo, "apt-get", "update", "-qq"], stdin=subprocess.DEVNULL, capture_output=True)
    install = ["env", "DEBIAN_FRONTEND=noninteractive", "apt-get", "install", "-y", "-qq", "--no-install-recommends"]
    if subprocess.run([*sudo, *install, *names], stdin=subprocess.DEVNULL, capture_output=True).returncode:
        raise Refused(f"could not install {wanted}: run 'apt-get install {wanted}' yourself and see what it says.")


def room_for(megabytes: int, folder: Path) -> None:
    free = shutil.disk_usage(folder).free // 2**20
    if free < megabytes:
        text = f"the disk of {folder} has {free} MB left and {megabytes} MB are needed"
        raise Refused(f"{text}: make room, or set EPROBA_HOME to another disk.")


# --- Addresses and ports ---------------------------------------------------------------------------------------


def _probe(address: str, port: int) -> OSError | None:
    """What keeps us from listening there; None: nothing."""
    family = socket.AF_INET6 if ":" in address else socket.AF_INET
    with socket.socket(family) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((address, port))
        except OSError as error:
            return error
    return None


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def port_is_free(address: str, port: int) -> bool:
    return _probe(address, port) is None


def own_address(address: str) -> str:
    """The address, if this machine has it."""
    try:
        numeric = socket.getaddrinfo(address, None, type=socket.SOCK_STREAM)[0][4][0]
        problem = _probe(str(numeric), 0)
    except (OSError, UnicodeError):
        problem = OSError()
    if problem is None:
        return str(numeric)
    listed = subprocess.run(["hostname", "-I"], capture_output=True, text=True).stdout.split()
    addresses = ", ".join(["127.0.0.1", *listed])
    raise Refused(
        f"--host {address}: that is no address of this machine, which has {addresses}; --host alone means all."
    )


def asked_at(address: str) -> str:
    """Where to ask an app that listens at an address: at itself, or on loopback when it listens everywhere."""
    loopback = {"0.0.0.0": "127.0.0.1", "::": "::1"}.get(address, address)
    return f"[{loopback}]" if ":" in loopback else loopback


# --- Processes ---------------------------------------------------------------------------------------------------


def alive(pid: int) -> bool:
    """Whether a process runs; one that only waits to be buried does not."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] not in "ZX"
    except OSError:
        return False


def command_of(pid: int) -> list[str]:
    try:
        return Path(f"/proc/{pid}/cmdline").read_bytes().decode(errors="replace").split("\0")
    except OSError:
        return []


def _pids() -> list[int]:
    return [
        int(process.name)
        for process in Path("/proc").iterdir()
        if process.name.isdigit() and int(process.name) != os.getpid()
    ]


def processes_with(argument: str) -> list[int]:
    """Processes that bear this very argument, themselves or from the one they were forked from."""
    return [pid for pid in _pids() if argument in command_of(pid) and alive(pid)]


def processes_in(folder: Path) -> list[int]:
    """Processes that work in a folder, as PostgreSQL's do in its data."""

    def works_there(pid: int) -> bool:
        try:
            return Path(f"/proc/{pid}/cwd").readlink() == folder
        except OSError:
            return False

    return [pid for pid in _pids() if works_there(pid) and alive(pid)]


def end(pids: Iterable[int], gently: signal.Signals, patience: float) -> None:
    """Ask processes to go, and after some seconds make them."""
    left = list(pids)
    for sent, seconds in ((gently, patience), (signal.SIGKILL, 5.0)):
        for pid in left:
            try:
                os.kill(pid, sent)
            except ProcessLookupError:
                continue
        until = time.monotonic() + seconds
        while (left := [pid for pid in left if alive(pid)]) and time.monotonic() < until:
            time.sleep(0.05)
        if not left:
            return
