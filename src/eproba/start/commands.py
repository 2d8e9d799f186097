"""What `./eproba` understands, and where each command goes."""

import subprocess
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

from eproba import VERSION
from eproba.start import app, backups, service, workbench
from eproba.start.app import StartWish
from eproba.start.cluster import in_use, upgrade
from eproba.start.home import Lock, Run, open_home
from eproba.start.program import program_for
from eproba.start.saying import Refused, in_words, say

USAGE = """Eproba: fair trials in a home garden.

  ./eproba demo   [--crowded] [--port N] [--host [ADDRESS]] [--detach]   a made-up garden, fresh at each start
  ./eproba serve  [--port N] [--host [ADDRESS]] [--detach]   your own data, kept
  ./eproba stop                                         end what runs in EPROBA_HOME
  ./eproba service install [--port N] [--host [ADDRESS]] | remove | status   start with the machine, back up nightly
  ./eproba passcode [--revoke-keys]                     a new household passcode for --host
  ./eproba let-in                                       a link that lets one device in without the passcode
  ./eproba backup FILE | restore FILE                   your data as one file, also for another machine
  ./eproba backups [bring-back NAME | delete NAME]      what a restore set aside
  ./eproba --version                                    which Eproba this is
  ./eproba upgrade-postgres                             move the data to a newer PostgreSQL of this machine
  ./eproba judge FILE.csv --control LABEL [...]         judge a CSV of units (judge --help)
  ./eproba plan --treatments K --units N --worth W [...]  chance of a clear answer (plan --help)
  ./eproba mix RECIPE --area 7.5 | --units 12 --per-unit-litres 0.25   amounts, steps and loads (mix --help)
  ./eproba brew FILE.toml [--json]                      a batch from its dated events (docs/brew-log.md)
  ./eproba recipes [--json]                             the recipes of the catalogue
  ./eproba combine FILE.csv [--json]                    put trials of one question together (combine --help)
  ./eproba reckon CALCULATOR NAME=VALUE... [--json]     work out a slurry, breathing, infiltration ... (reckon --help)
  ./eproba photo FILE... [--json]                       cover and greenness on pictures with a unit's tag (photo --help)
  ./eproba rehearse [--days N] [--warmth cool|mild|warm] [--careless 0..1]   live by Today's list, and watch it

For those who build Eproba:
  ./eproba test [pytest arguments]                      everything that CI checks
  ./eproba bench NAME                                   measure the speed (bench alone lists the names)
  ./eproba mutate [PACKAGES]                            does a test notice each change of the code?
  ./eproba migration MESSAGE                            a new migration of the database
  ./eproba lock [PACKAGE ...]                           pin the dependencies anew, all or some

--host opens Eproba to the home network (a phone in the garden), guarded by the household passcode.
EPROBA_HOME=DIR holds data, cluster and logs (default: /var/lib/eproba as root, else ~/.local/share/eproba).
EPROBA_DATABASE_URL=postgresql://... uses that server, and none is started.
"""
Command = Callable[[list[str]], int]


def main(arguments: Sequence[str]) -> int:
    command, *rest = [*arguments] or ["help"]
    known = COMMANDS.get(command)
    if known is None:
        print(USAGE, file=sys.stderr)
        say(f"does not know the command {command}.")
        return 1
    try:
        return known(rest)
    except Refused as refused:
        say(str(refused))
    except OSError as error:
        say(in_words(error))
    except KeyboardInterrupt:
        return 130
    return 1


def _wish(command: str, arguments: list[str]) -> StartWish:
    """--port, --host and --detach; --crowded of the demo."""
    left, port, host, detach, detached, crowded = list(arguments), None, None, False, False, False
    while left:
        match left.pop(0):
            case "--port":
                port = _port(left.pop(0) if left else "")
            case "--host":
                host = left.pop(0) if left and not left[0].startswith("-") else "0.0.0.0"
            case "--crowded" if command == "demo":
                crowded = True
            case "--detach":
                detach = True
            case "--detached":
                detached = True
            case other:
                raise Refused(f"{command} does not know {other}; see ./eproba help.")
    return StartWish(command, port, host, detach, detached, crowded)


def _port(text: str) -> int:
    if not (text.isascii() and text.isdigit() and 1 <= int(text) <= 65535):
        raise Refused(f"--port {text}: a port is a number from 1 to 65535.".replace("  ", " "))
    return int(text)


def _serve(arguments: list[str]) -> int:
    return app.run_app(_wish("serve", arguments))


def _demo(arguments: list[str]) -> int:
    return app.run_app(_wish("demo", arguments))


def _no_more(command: str, arguments: list[str]) -> None:
    if arguments:
        raise Refused(f"{command} does not know {arguments[0]}; see ./eproba help.")


def _stop(arguments: list[str]) -> int:
    _no_more("stop", arguments)
    return app.stop()


def _backup(arguments: list[str]) -> int:
    match arguments:
        case ["--keep", number] if number.isdigit() and int(number) > 0:
            return backups.back_up(None, int(number))
        case [file] if not file.startswith("-"):
            return backups.back_up(Path(file))
    raise Refused("say where to: ./eproba backup FILE")


def _restore(arguments: list[str]) -> int:
    if len(arguments) != 1:
        raise Refused("say which file: ./eproba restore FILE")
    return backups.restore(Path(arguments[0]))


def _backups(arguments: list[str]) -> int:
    match arguments:
        case []:
            return backups.list_backups()
        case ["bring-back", name]:
            return backups.bring_back(name)
        case ["delete", name]:
            return backups.delete(name)
    raise Refused("say ./eproba backups, backups bring-back NAME, or backups delete NAME.")


def _passcode(arguments: list[str]) -> int:
    if arguments not in ([], ["--revoke-keys"]):
        raise Refused(f"passcode does not know {arguments[0]}; see ./eproba help.")
    home = open_home()
    program = program_for(home)
    with in_use(home) as access:
        done = program.ask("passcode", *arguments, env=access.env)
        if done.returncode:
            raise Refused(f"could not set a passcode: {done.stderr.decode().strip().splitlines()[-1]}")
    print(done.stdout.decode(), end="")
    return 0


def _let_in(arguments: list[str]) -> int:
    _no_more("let-in", arguments)
    home = open_home()
    address = Run(home, "serve").told().get("address")
    if not isinstance(address, str):
        raise Refused("serve does not run in this home: start it with ./eproba serve --host, then let the device in.")
    program = program_for(home)
    with in_use(home, leave=True) as access:
        done = program.ask("let-in", address, env=access.env)
    if done.returncode:
        raise Refused(f"could not let a device in: {done.stderr.decode().strip().splitlines()[-1]}")
    print(done.stdout.decode(), end="")
    return 0


def _upgrade_postgres(arguments: list[str]) -> int:
    _no_more("upgrade-postgres", arguments)
    home = open_home()
    starting, use = Lock(home.path / "cluster.start"), Lock(home.path / "cluster.use")
    with app.standing_still(home, "upgrade"), starting, use:
        if not (starting.take(patience=5) and use.take(patience=5)):
            raise Refused("another command uses the data: wait for it to end, then upgrade.")
        kept = upgrade(home)
    if kept is None:
        say("the data are of the newest PostgreSQL that this machine has; there is nothing to upgrade")
    else:
        say(f"upgraded; the data of before stay in {kept}: delete that folder when all is well")
    return 0


def _service(arguments: list[str]) -> int:
    match arguments:
        case ["install", *rest]:
            return service.install(_wish("serve", rest))
        case ["remove"]:
            return service.remove()
        case ["status"]:
            return service.status()
    raise Refused("say ./eproba service install, service remove, or service status.")


def _ours(command: str) -> Command:
    """A command of eproba.cli that needs no data."""

    def run(arguments: list[str]) -> int:
        program = program_for(None)
        return subprocess.run(program.module("eproba.cli", command, *arguments)).returncode

    return run


def _version(_arguments: list[str]) -> int:
    print(f"Eproba {VERSION}")
    return 0


def _help(_arguments: list[str]) -> int:
    print(USAGE, end="")
    return 0


COMMANDS: dict[str, Command] = {
    "demo": _demo,
    "serve": _serve,
    "stop": _stop,
    "service": _service,
    "passcode": _passcode,
    "let-in": _let_in,
    "backup": _backup,
    "restore": _restore,
    "backups": _backups,
    "upgrade-postgres": _upgrade_postgres,
    "judge": _ours("judge"),
    "plan": _ours("plan"),
    "mix": _ours("mix"),
    "brew": _ours("brew"),
    "recipes": _ours("recipes"),
    "reckon": _ours("reckon"),
    "combine": _ours("combine"),
    "photo": _ours("photo"),
    "rehearse": workbench.rehearse,
    "test": workbench.test,
    "bench": lambda arguments: workbench.bench(arguments[0] if arguments else ""),
    "mutate": workbench.mutate,
    "migration": lambda arguments: workbench.migration(" ".join(arguments)),
    "lock": workbench.lock,
    "--version": _version,
    "help": _help,
    "--help": _help,
    "-h": _help,
}
