"""The start script, from outside: start, start again, stop, crash, move, and nothing left behind."""

import contextlib
import json
import os
import pwd
import re
import signal
import socket
import subprocess
import threading
import time
import urllib.error
from pathlib import Path

import psycopg
import pytest

from eproba.start.backup_file import LINE_LENGTH
from eproba.start.cluster import in_use
from eproba.start.home import Run, open_home
from tests.start.homes import (
    AS_ROOT,
    DRIVER,
    PATIENCE,
    SCRIPT,
    ask,
    copied,
    environment,
    eproba,
    free_port,
    own_home,
    processes,
    said,
)  # fmt: skip

ODD = "a $(home) with\n\"every\" 'kind' of `sign`; % \\ é"


@pytest.fixture(autouse=True)
def no_other_server(monkeypatch):
    """The tests' own PostgreSQL is not that of a home."""
    monkeypatch.delenv("EPROBA_DATABASE_URL", raising=False)


@pytest.fixture(scope="module")
def served():
    """A garden that several tests look at: in a home whose name holds whatever a name can, on an address of its own."""
    with own_home(ODD) as home:
        port = free_port()
        started = eproba(home, "serve", "--host", "127.0.0.2", "--port", port, "--detach")
        assert started.returncode == 0, started.stderr
        yield home, port, started.stderr


@pytest.mark.long
def test_a_home_of_any_name_at_an_address_of_its_own_with_a_passcode(served):
    home, port, told = served
    assert f"http://127.0.0.2:{port}" in told
    assert json.loads(ask(port, host="127.0.0.2"))["app"] == "eproba"
    assert "On the phone" in told
    assert "█" in told, "the QR code"
    assert "Household passcode" in ask(port, "/trials", host="127.0.0.2")
    passcode = told.split("Household passcode: ")[1].split()[0]
    assert len(passcode) == 8
    assert not any(passcode in file.read_text(errors="ignore") for file in (home / "logs").iterdir())


@pytest.mark.long
def test_behind_a_proxy_a_phone_is_told_the_name_of_the_proxy(home):
    port, proxied = free_port(), {"EPROBA_HTTPS": "1", "EPROBA_HOSTS": "garden.example, other.example"}
    started = eproba(home, "serve", "--host", "127.0.0.1", "--port", port, "--detach", **proxied)
    assert "On the phone: https://garden.example/\n" in started.stderr
    assert "a quarter of an hour: https://garden.example/join/" in eproba(home, "let-in").stdout


def test_start_stop_and_start_again(home):
    port = free_port()
    first = eproba(home, "serve", "--port", port, "--detach")
    assert first.returncode == 0, first.stderr
    assert f"http://127.0.0.1:{port}" in first.stderr
    assert "Plan your first trial" in ask(port, "/")
    twice = eproba(home, "serve", "--detach")
    assert f"serve runs already: http://127.0.0.1:{port}" in twice.stderr
    taken = eproba(home, "demo", "--port", port)
    assert (taken.returncode, f"port {port} is taken by another program" in said(taken)) == (1, True)
    must_show_no_secret(home)
    the_data_store_stops(home, port)
    again = eproba(home, "serve")
    assert "serve runs already" in again.stderr
    assert "Your trials will stand here" in ask(port, "/trials"), "the app goes on, since the data store is back"
    stopped = eproba(home, "stop")
    assert "serve has ended" in stopped.stderr
    assert processes(home) == []
    assert "nothing was running" in said(eproba(home, "stop"))


def must_show_no_secret(home):
    """No secret in the process list, not even while a backup runs; as root three accounts, as a user one."""
    secrets = [(home / "keys" / name).read_text().strip().rsplit(":")[-1] for name in ("database.pass", "session")]
    assert len(set(secrets)) == 2
    assert all(len(secret) == 64 for secret in secrets)
    seen, until = set(processes(home)), time.monotonic() + PATIENCE
    while not any("pg_dump" in command for command, _ in seen):  # it is short, and a busy machine looks seldom
        assert time.monotonic() < until
        backup = threading.Thread(target=eproba, args=(home, "backup", home.parent / "kept.backup"))
        backup.start()
        while backup.is_alive():
            seen |= set(processes(home))
    assert not any(secret in command for command, _ in seen for secret in secrets)
    owners = {owner for command, owner in seen if "gunicorn" in command}
    keepers = {owner for command, owner in seen if "/postgres -D" in command}
    me = pwd.getpwuid(os.geteuid()).pw_name
    assert (owners, keepers) == (({"eproba"}, {"postgres"}) if AS_ROOT else ({me}, {me}))
    for name in ("keys", "keys/database.pass", "keys/session", "logs", "backups", "cluster", "../kept.backup"):
        assert (home / name).stat().st_mode & 0o077 == 0, name
    assert (home / "keys" / "session").owner() == ("eproba" if AS_ROOT else me)


@pytest.mark.long
def test_the_demo_never_touches_the_data_of_serve(running_home):
    port, other = free_port(), free_port()
    for command in (["serve", "--port", port], ["demo", "--port", other]):
        started = eproba(running_home, *command, "--detach")
        assert started.returncode == 0, started.stderr
    assert "Wool mulch under the currants" in ask(other, "/trials")
    assert "Wool mulch" not in ask(port, "/trials")
    stopped = eproba(running_home, "stop").stderr
    assert "serve has ended" in stopped
    assert "demo has ended" in stopped


def the_data_store_stops(home, port):
    postmaster = pid_of(home, "postmaster")
    os.kill(postmaster, signal.SIGINT)
    assert gone(postmaster)
    with pytest.raises(urllib.error.HTTPError) as refused:
        ask(port, "/trials")
    assert refused.value.code == 503
    assert "The data store is not answering" in refused.value.read().decode()


@pytest.mark.long
def test_foreground_ends_with_ctrl_c_and_leaves_nothing(home):
    port = free_port()
    command = [SCRIPT, "serve", "--port", str(port)]
    running = subprocess.Popen(
        command, env=environment(home), stderr=subprocess.PIPE, text=True, start_new_session=True,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.default_int_handler),  # a shell's background ignores it
    )  # fmt: skip
    for line in running.stderr:
        if "Ctrl-C" in line:
            break
    assert ask(port)
    os.killpg(running.pid, signal.SIGINT)
    assert running.wait(timeout=PATIENCE) == 0
    running.stderr.close()
    assert processes(home) == []


def pid_of(home, whom):
    if whom == "postmaster":
        return int((home / "cluster" / "postmaster.pid").read_text().split()[0])
    return json.loads((home / "run" / "serve.json").read_text())[whom]


def gone(pid):
    until = time.monotonic() + PATIENCE
    while time.monotonic() < until:
        try:
            if Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] == "Z":
                return True
        except OSError:
            return True
        time.sleep(0.05)
    return False


def busy(home):
    """A query that goes on for long, so that its process outlives the postmaster."""
    port = (home / "cluster.port").read_text().strip()
    link = psycopg.connect(f"postgresql://eproba@127.0.0.1:{port}/eproba", password=open_home(home).database_password())
    query = "SELECT count(*) FROM generate_series(1, 10000000000)"

    def ask_for_long():
        with contextlib.suppress(psycopg.Error):
            link.execute(query)

    asking = threading.Thread(target=ask_for_long, daemon=True)
    asking.start()


@pytest.mark.long
def test_after_a_crash_the_next_serve_finds_what_was_left_behind(home, long):
    """The script, the app's master, and PostgreSQL killed; each time the same command brings everything back."""
    port = free_port()
    for victims in ([["script"], ["server"]] if long else []) + [["postmaster", "script"]]:
        started = eproba(home, "serve", "--port", port, "--detach")
        assert started.returncode == 0, (victims, started.stderr)
        assert ask(port)
        if victims[0] == "postmaster":
            busy(home)
        for pid in [pid_of(home, whom) for whom in victims]:
            os.kill(pid, signal.SIGKILL)
            assert gone(pid)
        if victims == ["server"]:  # its script sees that and ends
            assert gone(pid_of(home, "script")) if (home / "run" / "serve.json").exists() else True
    assert eproba(home, "serve", "--port", port, "--detach").returncode == 0
    assert "Your trials will stand here" in ask(port, "/trials")
    assert eproba(home, "stop").returncode == 0
    assert processes(home) == []


# --- Killed at every step --------------------------------------------------------------------------------------------


def killed_at(home, step, *command):
    """Whether the command was killed before its n-th step; else it came to its end."""
    done = subprocess.run(
        ["/usr/bin/env", "python3", str(DRIVER), str(step), *map(str, command)],
        env=environment(home), capture_output=True, text=True, timeout=PATIENCE,
    )  # fmt: skip
    assert done.returncode in (0, -signal.SIGKILL), done.stderr
    return done.returncode != 0


def steps(count, long):
    """All of them, or a handful in a run of every day."""
    return range(1, count) if long else [*range(5, 53, 24), count]


@pytest.mark.long
def test_a_passcode_command_killed_at_any_step_is_repaired_by_the_next(empty_home, long):
    """A new home, its secrets, its cluster, the database: each run goes on from what the one before left behind."""
    last = 0
    for step in steps(200, long):
        last = step
        if not killed_at(empty_home, step, "passcode"):
            break
    assert last > 28, "it was killed many times before it came to its end"
    told = eproba(empty_home, "passcode")
    assert re.search(r"The household passcode is now: \d{8}", told.stdout), told.stderr
    assert processes(empty_home) == []


def asked(home, query):
    """What the database of a home answers, started when it does not run."""
    opened = open_home(home)
    with in_use(opened, leave=True) as access:
        url = access.env["EPROBA_DATABASE_URL"]
        with psycopg.connect(url, password=opened.database_password()) as link:
            found = link.execute(query)
            return [row[0] for row in found.fetchall()] if found.description else []


NAMES = "SELECT name FROM own_measure ORDER BY name"
KEPT = (
    "INSERT INTO own_measure VALUES ('x', '{}', 'flowers', 0, 9, 0, 'higher', 'difference', '', 'quantity', '[]', 9,"
    " 'every round', false)"
)


@pytest.mark.long
def test_backup_and_a_restore_killed_at_any_step_leaves_the_old_or_the_new(home, begun, long):
    """Own data into a file, and into a home that knows nothing of the first; what was there is kept, and comes back."""
    file, elsewhere = home.parent / "kept.backup", home.parent / "elsewhere"
    copied(begun, elsewhere)
    asked(home, KEPT.format("Flowers"))
    asked(elsewhere, KEPT.format("Berries"))
    assert eproba(home, "backup", file).returncode == 0
    for step in steps(200, long):
        finished = not killed_at(elsewhere, step, "restore", file)
        if finished:
            break
        assert asked(elsewhere, NAMES) in (["Berries"], ["Flowers"]), step
    assert finished
    assert asked(elsewhere, NAMES) == ["Flowers"]
    aside = re.findall(r"^eproba_before_\w+", eproba(elsewhere, "backups").stdout, re.M)
    back = eproba(elsewhere, "backups", "bring-back", aside[0])
    assert f"brought back {aside[0]}; what was there before is kept as" in said(back)
    assert asked(elsewhere, NAMES) == ["Berries"]
    left = re.findall(r"^eproba_before_\w+", eproba(elsewhere, "backups").stdout, re.M)
    assert f"deleted {left[0]}" in said(eproba(elsewhere, "backups", "delete", left[0]))
    unknown = eproba(elsewhere, "backups", "delete", "eproba_before_x")
    assert "nothing named eproba_before_x was set aside; there is" in said(unknown)


@pytest.mark.long
def test_data_are_not_exchanged_under_an_app_that_runs(home):
    with Run(open_home(home), "serve").lock() as lock:
        assert lock.take()
        for command in (
            ["restore", SCRIPT],
            ["backups", "bring-back", "x"],
            ["upgrade-postgres"],
            ["service", "install"],
        ):
            told = said(eproba(home, *command))
            assert "serve is running: ./eproba stop first, then" in told or "not run by systemd" in told, told


# --- Bad input -------------------------------------------------------------------------------------------------------


@pytest.mark.long
def test_a_backup_that_is_cut_short_newer_or_not_ours_gets_one_sentence(running_home):
    home = running_home
    file = home.parent / "good.backup"
    assert eproba(home, "backup", file).returncode == 0
    content, bad = file.read_bytes(), home.parent / "bad.backup"
    assert said(eproba(home, "restore", SCRIPT)).endswith("is no Eproba backup.")
    bad.write_bytes(content[: len(content) * 9 // 10])
    assert "is cut short or damaged; your data are untouched" in said(eproba(home, "restore", bad))
    dump = content[LINE_LENGTH:]  # as a backup of old was
    bad.write_bytes(dump[:5] + bytes([9]) + dump[6:])
    assert "was written by a newer PostgreSQL" in said(eproba(home, "restore", bad))
    with_newer = home.parent / "newer.backup"
    present = asked(home, "SELECT version_num FROM alembic_version")[0]
    asked(home, "UPDATE alembic_version SET version_num = '9999'")
    assert eproba(home, "backup", with_newer).returncode == 0
    asked(home, f"UPDATE alembic_version SET version_num = '{present}'")
    assert "this backup is from a newer Eproba (9999)" in said(eproba(home, "restore", with_newer))
    assert "Nothing was set aside" in eproba(home, "backups").stdout


@pytest.mark.parametrize(
    ("arguments", "told"),
    [
        (["dig"], "does not know the command dig"),
        (["serve", "--port", "many"], "a port is a number"),
        (["serve", "--port"], "a port is a number"),
        (["serve", "--port", "65536"], "a port is a number"),
        (["demo", "--colour"], "does not know --colour"),
        (["serve", "--host", "192.0.2.77"], "192.0.2.77: that is no address of this machine, which has 127.0.0.1"),
        (["serve", "--host", "no.such.name.invalid"], "that is no address of this machine"),
        (["backup"], "say where to"),
        (["backup", "--keep", "0"], "say where to"),
        (["restore", "/nowhere"], "can't read the backup file"),
        (["backups", "burn"], "say ./eproba backups"),
        (["bench", "hedgehogs"], "say which: ./eproba bench"),
        (["service", "paint"], "say ./eproba service install"),
        (["stop", "now"], "stop does not know now"),
    ],
)  # fmt: skip
def test_wrong_calls_get_one_sentence(empty_home, arguments, told):
    result = eproba(empty_home, *arguments)
    assert (result.returncode, told in said(result)) == (1, True), result.stderr


def test_a_port_below_1024_or_in_use_is_said(home):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        assert f"port {port} is taken by another program" in said(eproba(home, "serve", "--port", port))


def test_a_folder_that_blocks_is_named(empty_home):
    if not AS_ROOT:
        pytest.skip("only root starts programs as another account")
    closed = empty_home.parent / "closed"
    closed.mkdir(mode=0o700)
    refused = eproba(closed / "in" / "home", "serve")
    assert (refused.returncode, f"can't walk through {closed}: 'chmod o+x {closed}'" in said(refused)) == (1, True)


@pytest.mark.parametrize(
    ("flags", "told"), [pytest.param("size=1m", "is full", marks=pytest.mark.long), ("ro", "can only be read")]
)
def test_a_full_disk_and_a_read_only_one(empty_home, flags, told):
    """In the middle of every command: one sentence, and the same command works once there is room."""
    empty_home.mkdir()
    mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", flags, "none", str(empty_home)], capture_output=True)
    if mounted.returncode:
        pytest.skip("no disk can be mounted here")
    try:
        if flags != "ro":
            (empty_home / "ballast").write_bytes(b"x" * 2**20)
        for command in (["serve"], ["demo"], ["backup", "x"], ["backups"], ["passcode"], ["stop"]):
            refused = eproba(empty_home, *command)
            assert (refused.returncode, told in said(refused)) == (1, True), (command, refused.stderr)
        if flags != "ro":
            (empty_home / "ballast").unlink()
            assert "nothing was running" in said(eproba(empty_home, "stop"))
    finally:
        subprocess.run(["umount", str(empty_home)])


@pytest.mark.long
def test_a_backup_onto_a_full_disk_leaves_the_one_before(home):
    small = home.parent / "small"
    small.mkdir()
    if subprocess.run(["mount", "-t", "tmpfs", "-o", "size=64k", "none", str(small)], capture_output=True).returncode:
        pytest.skip("no disk can be mounted here")
    try:
        kept = small / "kept.backup"
        kept.write_bytes(b"the one before")
        (small / "ballast").write_bytes(b"x" * 40_000)
        refused = eproba(home, "backup", kept)
        assert (refused.returncode, "is full: make room" in said(refused)) == (1, True), refused.stderr
        assert kept.read_bytes() == b"the one before"
        assert sorted(each.name for each in small.iterdir()) == ["ballast", "kept.backup"]
    finally:
        subprocess.run(["umount", str(small)])


def test_nightly_backups_keep_the_last_seven_however_the_clock_jumps(home):
    assert "there is nothing to back up" in said(eproba(home.parent / "another", "backup", "--keep", "7"))
    backups = home / "backups"
    for number in range(1, 8):
        (backups / f"eproba-2026-05-0{number}-{number}.backup").write_text("a night")
        os.utime(backups / f"eproba-2026-05-0{number}-{number}.backup", (number, number))
    os.utime(backups / "eproba-2026-05-03-3.backup", (2**31, 2**31))  # one bears a time that is still to come
    assert eproba(home, "backup", "--keep", "7").returncode == 0
    kept = sorted((each.name for each in backups.glob("*.backup")), key=lambda name: int(name[:-7].split("-")[-1]))
    assert len(kept) == 7
    assert kept[-1].endswith("-8.backup"), "the one just written"
    assert kept[:2] == ["eproba-2026-05-02-2.backup", "eproba-2026-05-03-3.backup"], "the oldest went, and no other"


@pytest.mark.long
def test_a_home_of_old_had_one_secret_for_both_and_keeps_its_data(home):
    password = open_home(home).database_password()
    (home / "secret").write_text(password)
    for name in ("database.pass", "session"):
        (home / "keys" / name).unlink()
    assert eproba(home, "passcode").returncode == 0
    assert not (home / "secret").exists()
    assert (home / "keys" / "database.pass").read_text() == f"*:*:*:eproba:{password}\n"
    assert (home / "keys" / "session").read_text() != password


@pytest.mark.long
def test_as_a_user_without_rights_of_root(empty_home):
    """The same as somebody else, with nothing but the checkout to read: a home of their own, all under one account."""
    if not AS_ROOT:
        pytest.skip("the other tests run as a user already")
    empty_home.mkdir()
    empty_home.chmod(0o777)
    own, port = empty_home / "own", free_port()
    started = eproba(own, "serve", "--port", port, "--detach", user="nobody")
    assert started.returncode == 0, started.stderr
    assert ask(port)
    assert {owner for _, owner in processes(own)} == {"nobody"}
    assert own.stat().st_mode & 0o077 == 0
    assert "serve has ended" in eproba(own, "stop", user="nobody").stderr
    assert processes(own) == []
