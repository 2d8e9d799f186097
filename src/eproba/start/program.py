"""The program itself: its source, its virtual environment, its compressed files."""

import hashlib
import os
import shutil
import subprocess
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from eproba.start.home import Home
from eproba.start.machine import Account, app_account, install_packages, room_for
from eproba.start.saying import Refused, say

CHECKOUT = Path(__file__).resolve().parents[3]
PYTHONS = ((3, 11), (3, 12), (3, 13))
# Any folder, whatever its name holds, stands first in the path; then a module is run as `python -m` would.
BOOT = "import runpy, sys; sys.path[0] = sys.argv[1]; del sys.argv[:2]; " + (
    "runpy.run_module(sys.argv[0], run_name='__main__', alter_sys=True)"
)
ONE_THREAD = {"OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}


@dataclass(frozen=True)
class Program:
    """Where the program lies: in the checkout, or in a copy where the account that runs it can't reach that."""

    root: Path
    account: Account

    @property
    def source(self) -> Path:
        return self.root / "src"

    @property
    def venv(self) -> Path:
        return self.root / ".venv"

    @property
    def python(self) -> Path:
        return self.venv / "bin" / "python"

    def module(self, name: str, *arguments: str) -> list[str]:
        """The command that runs a module of ours, or of the virtual environment's."""
        return [str(self.python), "-c", BOOT, str(self.source), name, *arguments]

    def ask(self, *arguments: str, env: dict[str, str]) -> "subprocess.CompletedProcess[bytes]":
        """Run one of our own commands as the app's account, and keep what it says."""
        command = self.module("eproba.cli", *arguments)
        running = self.account.popen(command, env=env, stdout=subprocess.PIPE, stderr=subprocess.PIPE)
        said, complained = running.communicate()
        return subprocess.CompletedProcess(command, running.returncode, said, complained)


def program_for(home: Home | None, requirements: str = "run") -> Program:
    """The program, ready to run: with its packages, compiled and compressed."""
    account = app_account() if home else Account()
    program = Program(_root(home, account), account)
    _virtual_environment(program, requirements)
    _compiled_and_compressed(program)
    return program


def _root(home: Home | None, account: Account) -> Path:
    """The checkout, or a copy of it in the home where the account can't read it, or it is not ready and can't be."""
    program = Program(CHECKOUT, account)
    ready = _is_ready(program, "run") and _read(program.venv / ".eproba-source").strip() == _stamp(program.source)
    usable = (ready or os.access(CHECKOUT, os.W_OK)) and account.reaches(program.source / "eproba" / "cli.py")
    if home is None or (usable and (not program.python.exists() or account.reaches(program.python, "-x"))):
        return CHECKOUT
    copy, stamp = home.path / "program", _stamp(CHECKOUT / "src")
    if _read(copy / "stamp") != stamp:
        say(f"the program is copied to {copy}, since its account can't use {CHECKOUT}")
        copy.mkdir(mode=0o755, exist_ok=True)
        for part in ("src", "requirements"):
            shutil.rmtree(copy / f"{part}.old", ignore_errors=True)
            if (copy / part).exists():
                (copy / part).rename(copy / f"{part}.old")
            shutil.copytree(CHECKOUT / part, copy / part, ignore=shutil.ignore_patterns("__pycache__", "*.gz"))
            shutil.rmtree(copy / f"{part}.old", ignore_errors=True)
        (copy / "stamp").write_text(stamp)
    return copy


def _read(path: Path) -> str:
    return path.read_text() if path.exists() else ""


def _stamp(folder: Path) -> str:
    """What tells whether a tree of source has changed."""
    files = sorted(p for p in folder.rglob("*") if p.is_file() and p.suffix not in (".pyc", ".gz"))
    stamps = [f"{p.relative_to(folder)} {p.stat().st_size} {p.stat().st_mtime_ns}" for p in files]
    return hashlib.sha256("\n".join(stamps).encode()).hexdigest()[:16]


def _base_python(account: Account) -> Path:
    """A Python for the virtual environment that the app's account can run."""
    for path in (sys.executable, "/usr/bin/python3", *(f"/usr/bin/python{a}.{b}" for a, b in PYTHONS)):
        known = Path(path).is_file() and account.reaches(Path(path), "-x")
        if known and account.run([path, "-c", f"import sys; sys.exit(sys.version_info[:2] not in {PYTHONS})"]) == 0:
            return Path(path)
    raise Refused(f"the account {account.name} can run no Python 3.11 to 3.13: install Debian's python3.")


def _virtual_environment(program: Program, requirements: str) -> None:
    if _is_ready(program, requirements):
        return
    lists, program_python = _lists(program, requirements), program.python
    base = _base_python(program.account)
    _venv_of_debian(base)
    room_for(900, program.root)
    say(f"preparing the virtual environment ({requirements}.txt)")
    check = f"import sys; sys.exit(sys.version_info[:2] not in {PYTHONS})"
    if not program_python.exists() or subprocess.run([program_python, "-c", check]).returncode:
        subprocess.run([base, "-m", "venv", "--clear", program.venv], check=True, umask=0o022)
    pip = [str(program_python), "-m", "pip", "install", "-q", "--disable-pip-version-check"]
    pip += ["--require-hashes", "--no-deps"]  # the lists are whole: nothing more is looked up
    if requirements == "test":
        pip.append("--no-compile")  # most of it is never read, and what is read compiles itself
    with (program.venv / "pip.log").open("wb") as log:
        done = subprocess.run([*pip, "-r", str(lists[-1])], stdout=log, stderr=log, umask=0o022)
    if done.returncode:
        raise Refused("could not install the Python packages; see .venv/pip.log.")
    (program.venv / f".eproba-{requirements}").write_text(_wanted(program, requirements) + "\n")


def _lists(program: Program, requirements: str) -> list[Path]:
    return [program.root / "requirements" / f"{name}.txt" for name in dict.fromkeys(("run", requirements))]


def _wanted(program: Program, requirements: str) -> str:
    """What tells whether the packages have to be installed again."""
    return hashlib.sha256(b"".join(file.read_bytes() for file in _lists(program, requirements))).hexdigest()[:16]


def _is_ready(program: Program, requirements: str) -> bool:
    stamp = _read(program.venv / f".eproba-{requirements}").strip()
    return stamp == _wanted(program, requirements) and program.python.exists()


def _venv_of_debian(base: Path) -> None:
    """Debian keeps what makes virtual environments in a package of its own."""
    if subprocess.run([base, "-c", "import ensurepip, venv"], capture_output=True).returncode:
        asked = [str(base), "-c", "import sys; print('python%d.%d-venv' % sys.version_info[:2])"]
        install_packages(subprocess.run(asked, capture_output=True, text=True).stdout.strip())


def _compiled_and_compressed(program: Program) -> None:
    """Modules and templates compiled, since the app's account may not write them; .gz files beside the static ones."""
    stamp, wanted = program.venv / ".eproba-source", _stamp(program.source)
    if _read(stamp).strip() == wanted:
        return
    static = program.source / "eproba" / "web" / "static"
    jobs: list[Sequence[str | Path]] = [
        [program.python, "-m", "compileall", "-q", program.source],
        [program.python, "-m", "whitenoise.compress", "-q", "--no-brotli", static, "woff2"],
        program.module("eproba.web"),
    ]
    for job in jobs:
        subprocess.run(job, check=True, umask=0o022)
    stamp.write_text(wanted + "\n")
