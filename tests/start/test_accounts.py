"""Two accounts in PostgreSQL, and what a backup may hold: nothing that the app runs can start a program."""

import os
import signal
import subprocess

import psycopg
import pytest
from alembic import command

from eproba.start import cluster, roles
from eproba.start.backup_file import FORMER, LINE_LENGTH, dumping, things_in
from eproba.start.cluster import Cluster, in_use
from eproba.start.home import Home, open_home
from eproba.start.roles import Roles
from eproba.start.saying import Refused
from eproba.store.server import named
from eproba.store.upgrading import alembic_config, revisions
from tests.start.homes import ask, eproba, free_port, said
from tests.start.test_start import KEPT, NAMES, asked, gone, pid_of

RUNS_A_PROGRAM = """
    CREATE FUNCTION run() RETURNS int LANGUAGE plpgsql AS
        $$ BEGIN EXECUTE 'COPY (SELECT 1) TO PROGRAM ''touch {file}'''; RETURN 1; END $$;
    CREATE MATERIALIZED VIEW seen AS SELECT run() WITH NO DATA"""


@pytest.fixture(autouse=True)
def no_other_server(monkeypatch):
    monkeypatch.delenv("EPROBA_DATABASE_URL", raising=False)


def asked_as(home: Home, role: str, query: str, database: str = "postgres"):
    """What the running cluster answers a role; None where it answers nothing."""
    password = home.database_password() if role == "eproba" else home.owner_password()
    port = Cluster(home).port
    with psycopg.connect(
        f"postgresql://{role}@127.0.0.1:{port}/{database}", password=password, autocommit=True
    ) as link:
        answer = link.execute(query)
        return answer.fetchall() if answer.description else None


@pytest.fixture
def of_old(empty_home, monkeypatch):
    """A home whose app still owns its cluster, as all did, with a table, a function and a row."""
    home = open_home(empty_home)
    home.owner_passwords.write_text(home.passwords.read_text())
    with monkeypatch.context() as of_then:
        of_then.setattr(cluster, "OWNER", "eproba")
        of_then.setattr(Roles, "settle", lambda _self: None)
        with in_use(home):
            asked_as(home, "eproba", "CREATE DATABASE eproba")
            asked_as(home, "eproba", "CREATE TABLE bed (id serial PRIMARY KEY, name text)", "eproba")
            asked_as(home, "eproba", "CREATE FUNCTION one() RETURNS int LANGUAGE sql AS 'SELECT 1'", "eproba")
            asked_as(home, "eproba", "INSERT INTO bed (name) VALUES ('by the shed')", "eproba")
            assert asked_as(home, "eproba", "SELECT rolsuper FROM pg_roles WHERE rolname = 'eproba'") == [(True,)]
    home.owner_passwords.unlink()
    return open_home(empty_home)


def must_be_small(home: Home) -> None:
    """The app owns its tables and nothing else, and its data are there."""
    with in_use(home):
        facts = "SELECT rolsuper, rolcreatedb, rolcreaterole FROM pg_roles WHERE rolname = 'eproba'"
        assert asked_as(home, "eproba", facts) == [(False, True, False)]
        assert asked_as(home, "eproba", "SELECT name FROM bed", "eproba") == [("by the shed",)]
        asked_as(home, "eproba", "ALTER TABLE bed ADD size int", "eproba")
        asked_as(home, "eproba", "DROP FUNCTION one()", "eproba")
        asked_as(home, "eproba", "ALTER DATABASE eproba RENAME TO eproba_before_x")
        for reaches_out in ("COPY (SELECT 1) TO PROGRAM 'true'", "SELECT pg_read_file('PG_VERSION')"):
            with pytest.raises(psycopg.errors.InsufficientPrivilege):
                asked_as(home, "eproba", reaches_out)
        assert asked_as(home, "eproba", "SELECT count(*) FROM pg_roles WHERE rolname = 'eproba_moving'") == [(0,)]


@pytest.mark.long
@pytest.mark.parametrize("killed_before", [0, 2, 3, 5])
def test_the_app_of_an_old_home_becomes_small_and_keeps_its_data(of_old, monkeypatch, killed_before):
    """Broken off before any of its steps, the next start goes on."""
    if killed_before:
        left, do = [killed_before], Roles._do

        def broken_off(self, *arguments, **more):
            left[0] -= 1
            if not left[0]:
                raise Refused("killed")
            do(self, *arguments, **more)

        with monkeypatch.context() as interrupted:
            interrupted.setattr(Roles, "_do", broken_off)
            with pytest.raises(Refused, match="killed"), in_use(of_old):
                pass
    must_be_small(of_old)


@pytest.mark.long
def test_lost_password_files_are_made_anew_and_the_data_stay(home):
    asked(home, KEPT.format("Flowers"))
    assert eproba(home, "stop").returncode == 0
    opened = open_home(home)
    for lost in ([opened.passwords], [opened.passwords, opened.owner_passwords], [opened.owner_passwords]):
        for file in lost:
            file.write_text("rubbish\n")
        (home / "cluster.port").write_text("rubbish")
        assert asked(home, NAMES) == ["Flowers"]
        assert eproba(home, "stop").returncode == 0
    assert roles.APP in opened.passwords.read_text()


@pytest.mark.long
def test_a_start_killed_before_the_accounts_were_made_is_finished_by_the_next(empty_home, monkeypatch):
    """PostgreSQL runs on without the app's account; the next command finds it so."""
    home = open_home(empty_home)
    with monkeypatch.context() as killed:
        killed.setattr(Roles, "settle", lambda _self: (_ for _ in ()).throw(KeyboardInterrupt))
        killed.setattr(cluster, "stop_if_idle", lambda *_: None)
        with pytest.raises(KeyboardInterrupt), in_use(home):
            pass
    assert Cluster(home).postmaster() is not None
    with in_use(home):
        assert asked_as(home, "eproba", "SELECT 1") == [(1,)]


# --- Backups ----------------------------------------------------------------------------------------------------------


@pytest.mark.long
def test_a_backup_that_would_run_a_program_is_refused_before_anything_of_it_runs(running_home):
    home = running_home
    asked(home, KEPT.format("Flowers"))
    file, touched = home.parent / "hostile.backup", home.parent / "touched"
    asked(home, RUNS_A_PROGRAM.format(file=touched))
    assert eproba(home, "backup", file).returncode == 0
    asked(home, "DROP MATERIALIZED VIEW seen; DROP FUNCTION run()")
    refused = said(eproba(home, "restore", file))
    assert "holds what no backup of this Eproba holds (FUNCTION public run())" in refused
    assert "Nothing was set aside" in eproba(home, "backups").stdout
    assert not touched.exists()
    with pytest.raises(psycopg.errors.InsufficientPrivilege):
        asked(home, f"COPY (SELECT 1) TO PROGRAM 'touch {touched}'")


@pytest.mark.long
def test_a_backup_of_before_there_was_a_digest_is_taken_with_a_word(running_home):
    home = running_home
    asked(home, KEPT.format("Flowers"))
    file, old = home.parent / "good.backup", home.parent / "old.backup"
    assert eproba(home, "backup", file).returncode == 0
    old.write_bytes(file.read_bytes()[LINE_LENGTH:])
    asked(home, "DELETE FROM own_measure")
    restored = eproba(home, "restore", old)
    assert "this backup is of an Eproba that wrote no digest into it" in restored.stderr
    assert asked(home, NAMES) == ["Flowers"]
    content = bytearray(file.read_bytes())
    content[len(content) // 2] ^= 1
    file.write_bytes(content)
    assert "is cut short or damaged; your data are untouched" in said(eproba(home, "restore", file))
    file.write_bytes(bytes(content).replace(b"EPROBA BACKUP 1", b"EPROBA BACKUP 2", 1))
    assert "was written by a newer Eproba" in said(eproba(home, "restore", file))
    for cut in (10, LINE_LENGTH - 1, LINE_LENGTH, LINE_LENGTH + 1):
        file.write_bytes(bytes(content)[:cut])
        assert "is cut short or damaged" in said(eproba(home, "restore", file)) or cut == 10


@pytest.mark.long
def test_a_place_that_can_t_be_written_is_said(home):
    refused = said(eproba(home, "backup", "/proc/x.backup"))
    assert "can't write /proc/x.backup" in refused
    assert "say another place" in refused


@pytest.mark.long  # whoever writes a migration runs it
def test_backups_of_every_version_hold_what_is_known_and_no_more(server, database):
    """The list of what former versions held is exactly what their backups hold and ours do not."""
    programs = cluster.programs_by_version()
    tools, url = programs[max(programs)], named(server.url, database)

    def things():
        dumped = subprocess.run(dumping(tools, url), capture_output=True, check=True).stdout
        return things_in(subprocess.run([tools / "pg_restore", "--list"], input=dumped, capture_output=True).stdout)

    ours, before = things(), set()
    for revision in sorted(revisions(), reverse=True):
        command.downgrade(alembic_config(url), revision)
        before |= things() - ours
    assert before == FORMER


# --- Starts that follow on a crash ------------------------------------------------------------------------------------


@pytest.mark.long
def test_serve_at_once_after_its_app_was_killed_runs(home):
    port = free_port()
    assert eproba(home, "serve", "--port", port, "--detach").returncode == 0
    master = pid_of(home, "server")
    os.kill(master, signal.SIGKILL)
    again = eproba(home, "serve", "--port", port, "--detach")
    assert again.returncode == 0, again.stderr
    assert gone(master)
    assert ask(port)
    assert eproba(home, "stop").returncode == 0
