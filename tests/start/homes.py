"""What the tests of the start script share: a home of one's own that always stops, calls, looks at what runs."""

import os
import pwd
import shutil
import socket
import subprocess
import tempfile
import urllib.request
from contextlib import contextmanager
from pathlib import Path

ROOT = Path(__file__).parents[2]
SCRIPT = ROOT / "eproba"
DRIVER = Path(__file__).with_name("killing.py")
PATIENCE = 300  # seconds: a busy machine fails nothing
AS_ROOT = os.geteuid() == 0


@contextmanager
def own_home(name="home"):
    folder = Path(tempfile.mkdtemp(prefix="eproba-start-", dir="/tmp"))
    folder.chmod(0o711)
    try:
        yield folder / name
    finally:
        for each in folder.iterdir():
            if (each / "run").is_dir():
                eproba(each, "stop")
        shutil.rmtree(folder, ignore_errors=True)


def environment(home, **more):
    clean = {k: v for k, v in os.environ.items() if not k.startswith(("EPROBA_", "PG"))}
    return {**clean, "EPROBA_HOME": str(home), **more}


def eproba(home, *arguments, user=None, **more):
    command = [str(SCRIPT), *map(str, arguments)]
    return subprocess.run(
        command, env=environment(home, **more), capture_output=True, text=True, timeout=PATIENCE, user=user,
        group=None if user is None else pwd.getpwnam(user).pw_gid,
        extra_groups=None if user is None else [],
    )  # fmt: skip


def said(result):
    """The last line of what a call said; that there is one, and no traceback."""
    lines = result.stderr.strip().splitlines()
    assert lines, result
    assert "Traceback" not in result.stderr, result.stderr
    return lines[-1]


def free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def ask(port, path="/health", host="127.0.0.1"):
    with urllib.request.urlopen(f"http://{host}:{port}{path}", timeout=60) as response:
        return response.read().decode()


def processes(home):
    """Every process that speaks of this home: its command line, and whose it is."""
    found = []
    for each in Path("/proc").glob("[0-9]*"):
        try:
            command = (each / "cmdline").read_bytes()
            told = command + (each / "environ").read_bytes()
            owner = pwd.getpwuid(each.stat().st_uid).pw_name
        except OSError:
            continue
        if str(home).encode() in told and int(each.name) != os.getpid() and command:
            found.append((command.decode(errors="replace").replace("\0", " "), owner))
    return found


def copied(begun, path):
    """The same garden in another home, whose PostgreSQL finds a port of its own."""
    subprocess.run(["cp", "-a", str(begun), str(path)], check=True)
    (path / "cluster.port").unlink()
