"""serve and demo: started, started again, stopped; what a crash left behind is found and ended."""

import json
import os
import signal
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NoReturn

from eproba.start.cluster import Access, in_use, stop_if_idle
from eproba.start.home import KINDS, Home, Run, open_home
from eproba.start.machine import alive, asked_at, command_of, end, own_address, port_is_free, processes_with
from eproba.start.program import CHECKOUT, ONE_THREAD, Program, program_for
from eproba.start.saying import Refused, last_line, say

FIRST_PORT = 8710
UP_WITHIN = 90.0
ENDS_WITHIN = 30.0
# A thread for each who asks: pages then wait for each other (web/turns.py), and a save for none of them.
AT_WORK = ("--workers", "2", "--threads", "10", "--preload", "--no-control-socket")
Server = subprocess.Popen[bytes]


@dataclass(frozen=True)
class StartWish:
    """How serve or demo shall run."""

    what: str
    port: int | None = None
    host: str | None = None
    detach: bool = False
    detached: bool = False
    crowded: bool = False

    @property
    def address(self) -> str:
        return own_address(self.host) if self.host else "127.0.0.1"


def run_app(wish: StartWish) -> int:
    address = wish.address
    home = open_home()
    run = Run(home, wish.what)
    program = program_for(home)
    if wish.detach:
        return _start_detached(run, wish)
    with run.lock() as lock:
        if not lock.take() and (_runs(run) or not lock.take(patience=ENDS_WITHIN)):
            return _runs_already(run)
        end_orphans(run)
        port = _port(wish, address)
        signal.signal(signal.SIGTERM, _quit)
        signal.signal(signal.SIGHUP, _quit)
        server: Server | None = None
        try:
            with in_use(home) as access:
                try:
                    server = _launch(run, wish, program, access, address, port)
                    _tell_when_up(run, server, address, port, wish.detached)
                    return _watch(run, server)
                finally:
                    _quiet()
                    if server is not None:
                        end([server.pid], signal.SIGTERM, ENDS_WITHIN)
                    end_orphans(run)
                    run.record.unlink(missing_ok=True)
        except KeyboardInterrupt:
            return 0


def _quit(_signal: int, _frame: object) -> NoReturn:
    raise KeyboardInterrupt


def _quiet() -> None:
    """Whoever is ending is not to be hurried into leaving half of it."""
    for signal_ in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(signal_, signal.SIG_IGN)


def _runs(run: Run) -> bool:
    """Whether what holds the lock is up or comes up; else its app has just ended, and it clears away after it."""
    until = time.monotonic() + UP_WITHIN
    while run.running() and time.monotonic() < until:
        server = run.told().get("server")
        if isinstance(server, int) and alive(server):
            return True
        time.sleep(0.05)
    return False


def _runs_already(run: Run) -> int:
    """Bring the data store back, should it have been stopped, and say where the app is."""
    with in_use(run.home, leave=True):
        pass
    say(f"{run.what} runs already: {run.told().get('url', 'it is just starting')} (end it with ./eproba stop)")
    return 0


def end_orphans(run: Run) -> bool:
    """End an app whose script was killed, and workers whose master was."""
    left = processes_with(run.mark)
    end(left, signal.SIGQUIT, 3.0)
    return bool(left)


def _port(wish: StartWish, address: str) -> int:
    if wish.port is not None:
        if not port_is_free(address, wish.port):
            text = f"port {wish.port} is taken by another program"
            if os.geteuid() != 0 and wish.port < 1024:
                text = f"port {wish.port} may be taken or belong to root alone"
            raise Refused(f"{text}: choose another with --port, or leave it out and a free one is found.")
        return wish.port
    return next(port for port in range(FIRST_PORT, 65536) if port_is_free(address, port))


def _launch(run: Run, wish: StartWish, program: Program, access: Access, address: str, port: int) -> Server:
    """Make the database ready, say how a phone comes in, and start the workers."""
    ready = program.ask("prepare", wish.what, *(["--crowded"] if wish.crowded else []), env=access.env)
    if ready.returncode:
        (run.home.logs / "prepare.log").write_bytes(ready.stderr)
        raise Refused(f"could not prepare the database: {last_line(run.home.logs / 'prepare.log')}")
    secret = os.environ.get("EPROBA_SECRET") or run.home.session_key.read_text().strip()
    env = {**access.env, **ONE_THREAD, "EPROBA_SECRET": secret, "EPROBA_DATABASE_URL": ready.stdout.decode().strip()}
    if wish.what == "demo":
        env["EPROBA_DEMO"] = "1"
    if wish.host:
        env["EPROBA_HOME_NETWORK"] = "1"
        shown = [] if address in ("0.0.0.0", "::") else ["--address", address]
        proxy = behind_proxy()
        answer = program.ask("open-house", "--port", str(port), *shown, *(["--proxy", proxy] if proxy else []), env=env)
        print(answer.stdout.decode(), end="", file=sys.stderr, flush=True)
    bound = f"[{address}]:{port}" if ":" in address else f"{address}:{port}"
    memory = ["--worker-tmp-dir", "/dev/shm"] if Path("/dev/shm").is_dir() else []
    command = program.module(
        "gunicorn", "--bind", bound, *AT_WORK, *memory, "--timeout", "120",
        "--graceful-timeout", "10", "--name", run.mark, "eproba.web.wsgi:app",
    )  # fmt: skip
    log = run.home.log(f"{run.what}.log")
    keep = [] if access.hold is None else [access.hold]
    try:
        return program.account.popen(command, env=env, stdout=log, stderr=log, keep=keep, apart=True)
    finally:
        os.close(log)


def _tell_when_up(run: Run, server: Server, address: str, port: int, detached: bool) -> None:
    url = f"http://{asked_at(address)}:{port}"
    until = time.monotonic() + UP_WITHIN
    while not answers(url):
        if server.poll() is not None or time.monotonic() > until:
            raise Refused(f"the app did not come up: {last_line(run.home.logs / f'{run.what}.log')}")
        time.sleep(0.05)
    shown = f"http://[{address}]:{port}" if ":" in address else f"http://{address}:{port}"
    run.tell(script=os.getpid(), server=server.pid, url=url, address=behind_proxy() or shown)
    if not detached:
        say(f"{run.what} is at {url} (Ctrl-C ends it)")


def behind_proxy() -> str:
    """The address by which others come where a proxy with https stands before the app: the first name it answers to."""
    names = os.environ.get("EPROBA_HOSTS", "").replace(",", " ").split()
    return f"https://{names[0]}" if os.environ.get("EPROBA_HTTPS") == "1" and names else ""


def answers(url: str) -> bool:
    """Whether the app at this address is up and reaches its data."""
    try:
        with urllib.request.urlopen(f"{url}/health", timeout=5) as response:
            return bool(json.load(response).get("app") == "eproba")
    except (OSError, ValueError):
        return False


def _watch(run: Run, server: Server) -> int:
    server.wait()
    say(f"the app ended by itself; the reason stands in {run.home.logs / f'{run.what}.log'}. Start it again.")
    return 1


def _start_detached(run: Run, wish: StartWish) -> int:
    """The same command in a session of its own; we wait until it is up or has failed."""
    if run.running() and _runs(run):
        return _runs_already(run)
    log = run.home.logs / f"{run.what}.start.log"
    arguments = [wish.what, "--detached"]
    arguments += [] if wish.port is None else ["--port", str(wish.port)]
    arguments += [] if wish.host is None else ["--host", wish.host]
    arguments += ["--crowded"] if wish.crowded else []
    out = run.home.fresh_log(log.name)
    command = [sys.executable, str(CHECKOUT / "src" / "eproba" / "start"), *arguments]
    child = subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=out, stderr=out, start_new_session=True)
    os.close(out)
    until = time.monotonic() + 2 * UP_WITHIN
    while (address := _told_by(run, child.pid)) is None:
        if child.poll() is not None or time.monotonic() > until:
            print(log.read_text().strip().split("\n")[-1], file=sys.stderr)
            return 1
        time.sleep(0.05)
    print(log.read_text(), end="", file=sys.stderr)
    log.write_text("")  # it may show the passcode
    say(f"{run.what} is at {address['url']} (end it with ./eproba stop)")
    return 0


def _told_by(run: Run, script: int) -> dict[str, Any] | None:
    address = run.told()
    return address if address.get("script") == script else None


def stop() -> int:
    home = open_home()
    ended_any = False
    for what in KINDS:
        run = Run(home, what)
        script = run.told().get("script")
        if run.running() and isinstance(script, int) and "eproba" in " ".join(command_of(script)):
            end([script], signal.SIGTERM, 2 * ENDS_WITHIN)
            ended = True
        elif run.running():
            raise Refused(f"{what} is just starting in {home.path}: try again in a moment.")
        else:
            ended = False
        ended |= end_orphans(run)
        run.record.unlink(missing_ok=True)
        if ended:
            say(f"{what} has ended")
        ended_any |= ended
    stop_if_idle(home, ENDS_WITHIN)
    if not ended_any:
        say(f"nothing was running in {home.path}")
    return 0


@contextmanager
def standing_still(home: Home, why: str) -> Iterator[None]:
    """Some things change what an app stands on: none runs, and none starts, until they are done."""
    run = Run(home, "serve")
    with run.lock() as lock:
        if not lock.take() or any(alive(pid) for pid in processes_with(run.mark)):
            raise Refused(f"serve is running: ./eproba stop first, then {why}.")
        yield


def must_not_run(home: Home, why: str) -> None:
    """Only what stands still can be changed so."""
    with standing_still(home, why):
        pass
