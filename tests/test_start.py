"""The start script, from outside: start, start again, stop, restore, and nothing left behind."""

import json
import os
import shutil
import signal
import socket
import subprocess
import tempfile
import time
import urllib.error
import urllib.request
from pathlib import Path

import pytest

SCRIPT = Path(__file__).parents[1] / "eproba"


@pytest.fixture(scope="module")
def home():
    folder = Path(tempfile.mkdtemp(prefix="eproba-start-", dir="/tmp"))
    yield folder / "home"
    subprocess.run([SCRIPT, "stop"], env=environment(folder / "home"), capture_output=True)
    shutil.rmtree(folder, ignore_errors=True)


def environment(home, **more):
    home.parent.chmod(0o711)
    clean = {k: v for k, v in os.environ.items() if not k.startswith("EPROBA_")}
    return {**clean, "EPROBA_HOME": str(home), **more}


def eproba(home, *arguments, **more):
    return subprocess.run(
        [SCRIPT, *map(str, arguments)], env=environment(home, **more), capture_output=True, text=True, timeout=300
    )


def free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def ask(port, path="/health"):
    with urllib.request.urlopen(f"http://127.0.0.1:{port}{path}", timeout=60) as response:
        return response.read().decode()


def processes(home):
    """Every process that speaks of this home (as data directory or in its environment)."""
    found = []
    for each in Path("/proc").glob("[0-9]*"):
        try:
            told = (each / "cmdline").read_bytes() + (each / "environ").read_bytes()
        except OSError:
            continue
        if str(home).encode() in told and int(each.name) != os.getpid():
            found.append((each / "cmdline").read_bytes())
    return found


def test_start_stop_and_start_again(home):
    port = free_port()
    first = eproba(home, "serve", "--port", port, "--detach")
    assert first.returncode == 0, first.stderr
    assert f"http://127.0.0.1:{port}" in first.stderr
    assert json.loads(ask(port))["app"] == "eproba"
    assert "Plan your first trial" in ask(port, "/")
    twice = eproba(home, "serve", "--detach")
    assert "serve runs already" in twice.stderr
    taken = eproba(home, "demo", "--port", port)
    assert (taken.returncode, f"port {port} is taken" in taken.stderr) == (1, True)
    other = free_port()
    assert eproba(home, "demo", "--port", other, "--detach").returncode == 0
    assert "Wool mulch under the currants" in ask(other, "/trials")
    assert "Wool mulch" not in ask(port, "/trials"), "the demo never touches the data of serve"
    stopped = eproba(home, "stop")
    assert "serve has ended" in stopped.stderr
    assert "demo has ended" in stopped.stderr
    assert processes(home) == []
    assert "nothing was running" in eproba(home, "stop").stderr


def test_foreground_ends_with_ctrl_c_and_leaves_nothing(home):
    port = free_port()
    running = subprocess.Popen(
        [SCRIPT, "serve", "--port", str(port)],
        env=environment(home),
        stderr=subprocess.PIPE,
        text=True,
        start_new_session=True,
    )
    for line in running.stderr:
        if "Ctrl-C" in line:
            break
    assert ask(port)
    os.killpg(running.pid, signal.SIGINT)
    running.wait(timeout=300)
    running.stderr.close()
    assert processes(home) == []


def test_the_data_store_stops_and_the_app_goes_on_when_it_is_back(home):
    port = free_port()
    eproba(home, "serve", "--port", port, "--detach")
    server_pid = int(subprocess.run(["head", "-n1", home / "cluster" / "postmaster.pid"], capture_output=True).stdout)
    os.kill(server_pid, signal.SIGINT)
    deadline = time.monotonic() + 20
    while Path(f"/proc/{server_pid}").exists() and time.monotonic() < deadline:
        time.sleep(0.1)
    with pytest.raises(urllib.error.HTTPError) as refused:
        ask(port, "/trials")
    assert refused.value.code == 503
    assert "The data store is not answering" in refused.value.read().decode()
    again = eproba(home, "serve")
    assert "serve runs already" in again.stderr
    assert "No trial yet" in ask(port, "/trials")
    eproba(home, "stop")


def test_backup_and_restore_on_another_machine(home):
    """Own data into a file, and into a home that knows nothing of the first."""
    port = free_port()
    eproba(home, "serve", "--port", port, "--detach")
    url = f"http://127.0.0.1:{port}"
    opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())
    token = json.loads(opener.open(f"{url}/token").read())["token"]
    form = f"csrf_token={token}&name=Flowers&unit=flowers&low=0&high=9&decimals=0&better=higher&scale=difference&how="
    opener.open(f"{url}/measures", data=form.encode())
    assert "Flowers" in ask(port, "/measures")
    file = home.parent / "kept.eproba"
    assert eproba(home, "backup", file).returncode == 0
    assert "serve is running" in eproba(home, "restore", file).stderr
    eproba(home, "stop")
    elsewhere = home.parent / "elsewhere"
    restored = eproba(elsewhere, "restore", file)
    assert restored.returncode == 0, restored.stderr
    assert "what was there before is kept" in restored.stderr
    assert eproba(elsewhere, "serve", "--port", port, "--detach").returncode == 0
    assert "Flowers" in ask(port, "/measures")
    eproba(elsewhere, "stop")
    assert processes(elsewhere) == []
    wrong = eproba(elsewhere, "restore", SCRIPT)
    assert (wrong.returncode, "is no Eproba backup" in wrong.stderr) == (1, True)


def test_the_home_network_needs_a_passcode_that_the_terminal_shows(home):
    port = free_port()
    started = eproba(home, "serve", "--host", "127.0.0.1", "--port", port, "--detach")
    assert "Household passcode: " in started.stderr
    assert "On the phone" in started.stderr
    assert "█" in started.stderr, "the QR code"
    assert "Household passcode" in ask(port, "/trials")
    passcode = started.stderr.split("Household passcode: ")[1].split()[0]
    assert not any(passcode in file.read_text(errors="ignore") for file in (home / "logs").glob("serve.log"))
    eproba(home, "stop")


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["dig"], "does not know the command dig"),
        (["serve", "--port", "many"], "a port is a number"),
        (["demo", "--colour"], "does not know --colour"),
        (["backup"], "say where to"),
        (["restore", "/nowhere"], "can't read the backup file"),
    ],
)
def test_wrong_calls_get_one_sentence(home, arguments, said):
    result = eproba(home, *arguments)
    assert result.returncode == 1
    assert said in result.stderr.splitlines()[-1]


def test_a_folder_that_blocks_is_named(home):
    if os.getuid() != 0:
        pytest.skip("only root starts PostgreSQL as another account")
    closed = home.parent / "closed"
    closed.mkdir(mode=0o700)
    inside = {**environment(home), "EPROBA_HOME": str(closed / "in" / "home")}
    result = subprocess.run([SCRIPT, "serve", "--port", str(free_port())], env=inside, capture_output=True, text=True)
    assert result.returncode == 1
    assert f"can't walk through {closed}" in result.stderr
