"""For those who build Eproba: tests, benchmarks, mutations, a new migration, the lock of the dependencies."""

import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path

from eproba.start.cluster import in_use
from eproba.start.home import Home, open_home
from eproba.start.machine import install_packages
from eproba.start.program import CHECKOUT, ONE_THREAD, Program, program_for
from eproba.start.saying import Refused, say

CHROMIUM = Path("/usr/bin/chromium-headless-shell")  # a browser without windows: half the work
FIREFOX = Path("/usr/bin/firefox-esr")
WEBKIT_DRIVER = Path("/usr/bin/WebKitWebDriver")  # every iPhone's engine
XVFB = Path("/usr/bin/Xvfb")  # a screen for it: it has no headless way
BROWSERS = {
    CHROMIUM: "chromium-headless-shell", FIREFOX: "firefox-esr", WEBKIT_DRIVER: "webkit2gtk-driver", XVFB: "xvfb",
}  # fmt: skip
MEMORY = Path("/dev/shm")
IN_MEMORY_FROM = 3_000 * 2**20
WORKERS = "3"  # on two cores: one more, since many tests wait for programs, browsers and the database
TYPES = ".mypy_cache"
# A cluster that does not outlive the tests, and whose databases live for a second, needs none of this.
PASSING = ["fsync=off", "synchronous_commit=off", "full_page_writes=off", "autovacuum=off"]
FIRST = (["ruff", "check", "-q", "."], ["ruff", "format", "--check", "-q", "."])
BESIDE = (
    ["mypy", "--no-error-summary"],
    ["djlint", "--lint", "--quiet", "src/eproba/web"],
    ["lint-imports", "--no-logo"],
)


@contextmanager
def own_home(folder: Path, options: Sequence[str] = ()) -> Iterator[tuple[Home, dict[str, str]]]:
    """A home with its PostgreSQL that is gone afterwards."""
    os.environ.pop("EPROBA_DATABASE_URL", None)
    path = Path(tempfile.mkdtemp(prefix="eproba-test.", dir=folder))
    path.chmod(0o711)
    os.environ["EPROBA_HOME"] = str(path)
    try:
        home = open_home(path)
        with in_use(home, options) as access:
            # In one zone everywhere: what is drawn or said of a moment is then the same on every machine.
            yield home, {**access.env, **ONE_THREAD, "TZ": "UTC", "PYTHONPATH": f"{CHECKOUT / 'src'}:{CHECKOUT}"}
    finally:
        shutil.rmtree(path, ignore_errors=True)


def _in_memory() -> Path:
    """The folder in memory where it has room for hundreds of small databases, else the usual one."""
    roomy = MEMORY.is_dir() and os.access(MEMORY, os.W_OK) and shutil.disk_usage(MEMORY).free >= IN_MEMORY_FROM
    return MEMORY if roomy else Path(tempfile.gettempdir())


def test(arguments: Sequence[str]) -> int:
    """Everything that CI checks, with --long the sweeps too; with other arguments, what pytest makes of them."""
    program = program_for(None, "test")
    missing = [package for program_file, package in BROWSERS.items() if not program_file.exists()]
    if missing:
        install_packages(*missing)
    # Nothing in the cluster outlives the tests; a new database costs a twentieth in memory.
    with own_home(_in_memory(), PASSING) as (_, env):
        tests = [str(program.python), "-m", "pytest", "-q"]
        if set(arguments) - {"--long"}:
            return subprocess.run([*tests, *arguments], env=env, cwd=CHECKOUT).returncode
        say("ruff; then mypy, djlint and import-linter beside the tests")
        for check in FIRST:
            _check(*_started(program, env, check))
        _bring_types(CHECKOUT)
        beside = [_started(program, env, check) for check in BESIDE]
        _check(*_started(program, env, [*tests[2:], "--collect-only"]))  # compiles the tests, so that no worker has to
        # As many as the machine has cores, and one that waits for a browser meanwhile.
        whole = [*tests, *arguments, "-n", WORKERS, "--dist", "loadscope"]
        outcome = subprocess.run(whole, env=env, cwd=CHECKOUT).returncode
        for name, running in beside:
            _check(name, running)
        _keep_types(CHECKOUT)
        return outcome


def _kept_types() -> Path:
    return Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "eproba" / "mypy"


def _bring_types(checkout: Path) -> None:
    """What mypy knows of the files of another checkout: it goes by what they hold."""
    if (checkout / TYPES).exists() or not _kept_types().is_dir():
        return
    try:
        shutil.copytree(_kept_types(), checkout / TYPES)
    except OSError:  # another checkout puts a newer one in its place at this moment
        shutil.rmtree(checkout / TYPES, ignore_errors=True)


def _keep_types(checkout: Path) -> None:
    """For the next new checkout; without a place to keep it nothing is lost but half a minute."""
    kept = _kept_types()
    fresh = kept.with_name(f"mypy.{os.getpid()}")
    with suppress(OSError):
        shutil.copytree(checkout / TYPES, fresh)
        shutil.rmtree(kept, ignore_errors=True)
        fresh.rename(kept)


def _started(program: Program, env: dict[str, str], check: Sequence[str]) -> tuple[str, "subprocess.Popen[str]"]:
    command = [str(program.venv / "bin" / check[0]), *check[1:]]
    out = subprocess.PIPE
    return check[0], subprocess.Popen(command, cwd=CHECKOUT, env=env, stdout=out, stderr=subprocess.STDOUT, text=True)


def _check(name: str, running: "subprocess.Popen[str]") -> None:
    output, _ = running.communicate()
    if running.returncode:
        print(output)
        raise Refused(f"{name} found something.")


def bench(name: str) -> int:
    """One of the benchmarks, with a cluster of its own."""
    known = sorted(p.stem for p in (CHECKOUT / "benchmarks").glob("*.py") if p.stem not in ("__init__", "timing"))
    if name not in known:
        raise Refused(f"say which: ./eproba bench {'|'.join(known)}")
    program = program_for(None, "test")
    with own_home(Path(tempfile.gettempdir())) as (_, env):
        return subprocess.run([program.python, "-m", f"benchmarks.{name}"], env=env, cwd=CHECKOUT).returncode


def rehearse(arguments: Sequence[str]) -> int:
    """Weeks or a year of what Today says, on a cluster that is gone afterwards."""
    program = program_for(None)
    with own_home(_in_memory(), PASSING) as (_, env):
        return subprocess.run(program.module("eproba.cli", "rehearse", *arguments), env=env).returncode


def mutate(arguments: Sequence[str]) -> int:
    """Change the code in one place at a time and see whether a test notices."""
    program = program_for(None, "test")
    with own_home(_in_memory(), PASSING) as (_, env):
        return subprocess.run([program.python, "-m", "tests.mutate", *arguments], env=env, cwd=CHECKOUT).returncode


def migration(message: str) -> int:
    """A new migration from what tables.py says and the last migration did not."""
    if not message:
        raise Refused("say what it changes: ./eproba migration 'a column for …'")
    program = program_for(None, "test")
    with own_home(_in_memory()) as (_, env):
        command = program.module("eproba.cli", "migration", message)
        return subprocess.run(command, env=env, cwd=CHECKOUT).returncode


def lock(packages: Sequence[str]) -> int:
    """Pin the dependencies anew: all of them, or those named and nothing else."""
    program = program_for(None, "test")
    tools = program.venv / "lock"
    subprocess.run([program.python, "-m", "venv", tools], check=True)
    subprocess.run([tools / "bin" / "pip", "install", "-q", "pip-tools"], check=True)
    raised = [f"--upgrade-package={name}" for name in packages] or ["--upgrade"]
    quiet = ["-q", "--generate-hashes", "--strip-extras", "--allow-unsafe", "--no-emit-index-url"]
    quiet += ["--no-emit-find-links"]
    env = {**os.environ, "CUSTOM_COMPILE_COMMAND": "./eproba lock"}
    for name in ("run", "test"):
        command = [
            str(tools / "bin" / "pip-compile"),
            *quiet,
            "--no-emit-find-links",
            *raised,
            "-o",
            f"{name}.txt",
            f"{name}.in",
        ]
        if subprocess.run(command, cwd=CHECKOUT / "requirements", env=env).returncode:
            raise Refused(f"could not pin {name}.in; what was pinned before still stands.")
    return 0
