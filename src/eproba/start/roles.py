"""Two accounts in PostgreSQL: the owner of the cluster, and the app's, which may make databases and nothing else.

Whatever the app is made to run, and whatever a backup holds, can then start no program and read no file.
"""

import os
import subprocess
from pathlib import Path

from eproba.start.home import Home
from eproba.start.machine import Account
from eproba.start.saying import Refused, last_line, say

OWNER, APP = "eproba_owner", "eproba"
MOVING = "eproba_moving"  # stands in while the owner of an old cluster, who was the app, gets another name
AS_IT_IS = """SELECT (SELECT rolsuper FROM pg_roles WHERE rolname = 'eproba'),
    EXISTS (SELECT FROM pg_roles WHERE rolname = 'eproba_moving')"""
WITHOUT_APP = "SELECT NOT EXISTS (SELECT FROM pg_roles WHERE rolname = 'eproba')"
OURS = "SELECT datname FROM pg_database WHERE datallowconn AND datname NOT IN ('postgres', 'template1')"
# What belongs to a table, as its indexes and sequences do, goes with it.
HAND_OVER = """DO $$ DECLARE step record; BEGIN
FOR step IN
    SELECT format('ALTER TABLE %s OWNER TO eproba', oid::regclass) AS words FROM pg_class
        WHERE relnamespace = 'public'::regnamespace AND relkind IN ('r', 'p', 'v', 'm')
        AND relowner <> 'eproba'::regrole
    UNION ALL
    SELECT format('ALTER ROUTINE %s OWNER TO eproba', oid::regprocedure) FROM pg_proc
        WHERE pronamespace = 'public'::regnamespace AND proowner <> 'eproba'::regrole
LOOP EXECUTE step.words; END LOOP; END $$;"""


class Roles:
    """The accounts of one running cluster."""

    def __init__(self, home: Home, programs: Path, port: int) -> None:
        self.home, self.programs, self.port = home, programs, port

    def known(self) -> bool:
        """Whether at least one of our passwords opens the cluster; neither does where their files were lost."""
        return self._asked(APP, AS_IT_IS) is not None or self._asked(OWNER, WITHOUT_APP) is not None

    def settle(self) -> None:
        """Make the app's account, or make it small where it still owns an old cluster; killed, it goes on next time."""
        app = self._asked(APP, AS_IT_IS)
        if app == "f|f":
            return
        if app is not None and app.startswith("t"):
            say("the app's account in PostgreSQL gives up the rights that it does not need")
            stand_in = "CREATE" if app == "t|f" else "ALTER"
            self._do(APP, f"{stand_in} ROLE {MOVING} SUPERUSER LOGIN PASSWORD :'owner';")
            self._do(MOVING, f"BEGIN; ALTER ROLE {APP} RENAME TO {OWNER}; ALTER ROLE {OWNER} PASSWORD :'owner'; "
                             f"{self._new_app()} COMMIT;")  # fmt: skip
        elif self._asked(OWNER, WITHOUT_APP) == "t":
            self._do(OWNER, self._new_app())
        for database in (self._asked(OWNER, OURS) or "").splitlines():
            self._do(OWNER, f'ALTER DATABASE :"database" OWNER TO {APP};', named=database)
            self._do(OWNER, HAND_OVER, database)
        self._do(OWNER, f"ALTER ROLE {APP} PASSWORD :'app'; DROP ROLE IF EXISTS {MOVING};")

    @staticmethod
    def _new_app() -> str:
        return f"CREATE ROLE {APP} LOGIN CREATEDB NOSUPERUSER PASSWORD :'app';"

    def set_passwords(self, account: Account, data: Path) -> None:
        """Both passwords as our files have them, while the cluster stands still."""
        say("the files with PostgreSQL's passwords were lost; new ones are set")
        text = f"ALTER ROLE {OWNER} PASSWORD '{self.home.owner_password()}'\n"
        text += f"ALTER ROLE {APP} PASSWORD '{self.home.database_password()}'\n"
        log = self.home.fresh_log("passwords.log")
        command = [str(self.programs / "postgres"), "--single", "-D", str(data), "postgres"]
        running = account.popen(command, stdin=subprocess.PIPE, stdout=log, stderr=log)
        running.communicate(text.encode())
        os.close(log)
        if running.returncode:
            raise Refused(f"could not set PostgreSQL's passwords: {last_line(self.home.logs / 'passwords.log')}")

    def _asked(self, role: str, query: str) -> str | None:
        """What the cluster answers a role; None where it does not let it in."""
        done = self._psql(role, "postgres", query)
        return done.stdout.strip() if done.returncode == 0 else None

    def _do(self, role: str, text: str, database: str = "postgres", named: str = "") -> None:
        done = self._psql(role, database, text, named)
        if done.returncode:
            said = done.stderr.strip().splitlines() or ["no reason given"]
            raise Refused(f"could not set up PostgreSQL's accounts: {said[-1]}")

    def _psql(self, role: str, database: str, text: str, named: str = "") -> "subprocess.CompletedProcess[str]":
        """Passwords go by the pass files and by the text alone, which no process list shows."""
        passwords = self.home.passwords if role == APP else self.home.owner_passwords
        env = {**os.environ, "PGPASSFILE": str(passwords), "PGCONNECT_TIMEOUT": "10"}
        command = [str(self.programs / "psql"), "--no-psqlrc", "--no-password", "--quiet", "--tuples-only"]
        command += ["--no-align", "--set=ON_ERROR_STOP=1", f"--set=database={named}"]
        command += [f"postgresql://{role}@127.0.0.1:{self.port}/{database}"]
        secrets = f"\\set owner '{self.home.owner_password()}'\n\\set app '{self.home.database_password()}'\n"
        return subprocess.run(command, env=env, input=f"{secrets}{text}\n", capture_output=True, text=True)
