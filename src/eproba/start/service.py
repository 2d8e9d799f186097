"""Eproba as a service of systemd: it starts with the machine, and a timer writes backups."""

import os
import shutil
import subprocess
from dataclasses import dataclass
from pathlib import Path

from eproba.start.app import StartWish, must_not_run
from eproba.start.backups import KEPT
from eproba.start.home import Home, open_home
from eproba.start.machine import is_root
from eproba.start.program import CHECKOUT, program_for
from eproba.start.saying import Refused, say

NAMES = ("eproba.service", "eproba-backup.service", "eproba-backup.timer")
# What the script needs as root: to become the accounts of the app and of PostgreSQL, and to keep their files.
CAPABILITIES = "CAP_SETUID CAP_SETGID CAP_CHOWN CAP_FOWNER CAP_DAC_OVERRIDE CAP_KILL CAP_NET_BIND_SERVICE"
HARD = """NoNewPrivileges=yes
ProtectSystem=strict
ReadWritePaths={writes}
PrivateTmp=yes
ProtectKernelTunables=yes
ProtectControlGroups=yes
RestrictSUIDSGID=yes
RestrictRealtime=yes
RestrictNamespaces=yes
RestrictAddressFamilies=AF_UNIX AF_INET AF_INET6 AF_NETLINK
LockPersonality=yes
SystemCallArchitectures=native
UMask=0077
"""
HARDER_AS_ROOT = f"""CapabilityBoundingSet={CAPABILITIES}
ProtectKernelModules=yes
ProtectKernelLogs=yes
ProtectClock=yes
ProtectHostname=yes
"""
SERVE = """[Unit]
Description=Eproba, a trial bench for a home garden
After=network.target
StartLimitIntervalSec=0

[Service]
Type=exec
Environment={home}
ExecStart={script} serve --port {port}{host}
KillMode=mixed
Restart=always
RestartSec=5
TimeoutStopSec=120
{hard}
[Install]
WantedBy={target}
"""
BACKUP = """[Unit]
Description=A backup of Eproba's data

[Service]
Type=oneshot
Environment={home}
ExecStart={script} backup --keep {kept}
{hard}"""
TIMER = """[Unit]
Description=Every night a backup of Eproba's data

[Timer]
OnCalendar=*-*-* 03:10:00
Persistent=yes
RandomizedDelaySec=15min

[Install]
WantedBy=timers.target
"""


@dataclass(frozen=True)
class Manager:
    """systemd, of the machine or of one user."""

    folder: Path
    flags: tuple[str, ...]

    def run(self, *arguments: str) -> "subprocess.CompletedProcess[str]":
        return subprocess.run(["systemctl", *self.flags, *arguments], capture_output=True, text=True)


def manager() -> Manager:
    if is_root():
        return Manager(Path("/etc/systemd/system"), ())
    folder = Path(os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config") / "systemd" / "user"
    return Manager(folder, ("--user",))


def quoted(text: str) -> str:
    """A word of a unit file, whatever it holds."""
    escaped = text.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%")
    return '"' + escaped.replace("\n", "\\n").replace("\t", "\\t") + '"'


def units(home: Path, port: int, host: str | None, as_root: bool) -> dict[str, str]:
    """The text of each unit: hardened, with this home and this checkout."""
    hard = HARD.format(writes=f"{quoted(str(home))} {quoted(str(CHECKOUT))}") + (HARDER_AS_ROOT if as_root else "")
    words = {
        "home": quoted(f"EPROBA_HOME={home}"),
        # A dollar sign would be read as a variable in a command line.
        "script": quoted(str(CHECKOUT / "eproba")).replace("$", "$$"),
        "port": str(port),
        "host": "" if host is None else f" --host {host}",
        "kept": str(KEPT),
        "hard": hard,
        "target": "multi-user.target" if as_root else "default.target",
    }
    return dict(zip(NAMES, (text.format(**words) for text in (SERVE, BACKUP, TIMER)), strict=True))


def install(wish: StartWish) -> int:
    home = open_home()
    _needs_systemd(home)
    must_not_run(home, "install the service")
    program_for(home)  # made here, since the service may write little
    manager_, port = manager(), wish.port or 8710
    manager_.folder.mkdir(parents=True, exist_ok=True)
    texts = units(home.path, port, wish.host and wish.address, is_root())
    for name, text in texts.items():
        (manager_.folder / name).write_text(text)
    checked = subprocess.run(
        ["systemd-analyze", *manager_.flags, "verify", *(str(manager_.folder / name) for name in texts)],
        capture_output=True,
        text=True,
    )
    if checked.returncode:
        raise Refused(f"systemd does not take the units: {checked.stderr.strip().splitlines()[-1]}")
    manager_.run("daemon-reload")
    started = manager_.run("enable", "--now", NAMES[0], NAMES[2])
    if started.returncode:
        text = (started.stderr.strip().splitlines() or ["no reason given"])[-1]
        raise Refused(f"the units lie in {manager_.folder}, and systemd did not start them: {text}")
    say(f"Eproba starts with the machine, on port {port}; each night a backup into {home.backups}, {KEPT} kept")
    if not is_root():
        say("'loginctl enable-linger' lets it run while you are not logged in")
    return 0


def remove() -> int:
    manager_ = manager()
    if shutil.which("systemctl"):
        manager_.run("disable", "--now", NAMES[0], NAMES[2])
    units = [manager_.folder / name for name in NAMES if (manager_.folder / name).exists()]
    for file in units:
        file.unlink()
    if shutil.which("systemctl"):
        manager_.run("daemon-reload")
    say("the service is gone; your data stay where they are" if units else "no service was installed")
    return 0


def status() -> int:
    manager_ = manager()
    installed = [name for name in NAMES if (manager_.folder / name).exists()]
    if not installed:
        say("no service is installed (./eproba service install)")
        return 1
    for name in (NAMES[0], NAMES[2]):
        enabled, active = (manager_.run(verb, name).stdout.strip() or "unknown" for verb in ("is-enabled", "is-active"))
        print(f"{name}: {enabled}, {active}")
    last = sorted(open_home().backups.glob("eproba-*.backup"), key=lambda file: file.stat().st_mtime_ns)
    print(f"last backup: {last[-1].name if last else 'none yet'}")
    return 0


def _needs_systemd(home: Home) -> None:
    if not (shutil.which("systemctl") and Path("/run/systemd/system").is_dir()):
        text = "this machine is not run by systemd: have its own way of starting programs call"
        raise Refused(f"{text} 'EPROBA_HOME={home.path} {CHECKOUT / 'eproba'} serve --port 8710'.")
