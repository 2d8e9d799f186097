"""`./eproba mutate [PACKAGES] [--changes 200] [--seed 1]`: changes the code in one place at a time; is it noticed?

Two runs. The first one runs the tests without a browser under coverage and notes which test runs which line. Then, for
each change, a fork of this process puts the changed code in place of the old and runs the tests of that line, the
quickest first. What no test notices is named: a rule whose answer is not pinned.
"""

import ast
import contextlib
import fcntl
import functools
import json
import math
import os
import random
import signal
import sys
import time
import types
from collections import Counter, defaultdict
from dataclasses import dataclass, replace
from pathlib import Path
from typing import NoReturn

import click
import coverage
import pytest
from werkzeug.local import LocalProxy

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "eproba"
TESTS = {
    "core": ["tests/core", "tests/exchange", "tests/store", "tests/web"],
    "exchange": ["tests/exchange", "tests/core", "tests/web"],
    "store": ["tests/store", "tests/exchange", "tests/web"],
    "web": ["tests/web"],
    "start": ["tests/start/test_parts.py"],  # the others start programs, which read the code from disk
}
# A browser, threads and many requests at once do not outlive a fork.
LEFT_OUT, BROWSERS = ("test_engines.py", "test_fuzz.py", "test_races.py"), {"page", "phone", "live"}
CACHED = type(functools.cache(lambda: None))
SHOWS_TABLES = (
    "tests/core/test_answers.py::test_answers[tables]"  # reads what modules hold without running a line there
)
ALONE = "test_databases_are_made_restored_and_set_aside"  # its databases have names of their own: one at a time
# What looks over everything notices most.
NETS = ("test_pages_say", "test_presses_come", "test_commands_print", "test_answers", "_made_as_it_stands_here")
FEW = 10
HANGS = 180  # seconds for one test: whoever hangs is noticed
ENOUGH = 30  # seconds of work in other tests for one change: what they did not notice survives
SWAPS = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Add: ast.Sub, ast.Sub: ast.Add,
    ast.Mult: ast.Div, ast.Div: ast.Mult, ast.FloorDiv: ast.Div, ast.Pow: ast.Mult, ast.Mod: ast.Mult,
    ast.And: ast.Or, ast.Or: ast.And,
}  # fmt: skip


@dataclass(frozen=True)
class Change:
    """One changed place: `number` counts the places of a file, `line` tells where, `words` what."""

    file: Path
    number: int
    line: int
    words: str

    @property
    def where(self) -> str:
        return str(self.file.relative_to(SOURCE))

    @property
    def package(self) -> str:
        parts = self.file.relative_to(SOURCE).parts
        return "/".join(parts[:2]) if parts[0] in ("core", "web") and len(parts) > 2 else parts[0]


class Changer(ast.NodeTransformer):
    """Walks over a file and changes the place with a number; with no number it lists them all."""

    def __init__(self, number: int | None = None) -> None:
        self.number, self.count, self.found = number, 0, []

    def _here(self, node: ast.AST, words: str) -> bool:
        self.count += 1
        self.found.append((self.count, node.lineno, words))
        return self.count == self.number

    def _swap(self, node: ast.AST, operator: ast.AST) -> ast.AST | None:
        other = SWAPS.get(type(operator))
        told = other and f"{type(operator).__name__} → {other.__name__}"
        return other() if other and self._here(node, told) else None

    def visit_Compare(self, node: ast.Compare) -> ast.AST:
        self.generic_visit(node)
        node.ops = [self._swap(node, each) or each for each in node.ops]
        return node

    def visit_BinOp(self, node: ast.BinOp) -> ast.AST:
        self.generic_visit(node)
        node.op = self._swap(node, node.op) or node.op
        return node

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.AST:
        self.generic_visit(node)
        node.op = self._swap(node, node.op) or node.op
        return node

    def visit_UnaryOp(self, node: ast.UnaryOp) -> ast.AST:
        self.generic_visit(node)
        return node.operand if self._here(node, f"{type(node.op).__name__} left out") else node

    def visit_If(self, node: ast.If) -> ast.AST:
        self.generic_visit(node)
        if not isinstance(node.test, ast.Compare | ast.UnaryOp) and self._here(node, "if turned round"):
            node.test = ast.copy_location(ast.UnaryOp(ast.Not(), node.test), node.test)
        return node

    def visit_IfExp(self, node: ast.IfExp) -> ast.AST:
        return self.visit_If(node)

    def visit_Constant(self, node: ast.Constant) -> ast.AST:
        value = node.value
        if isinstance(value, bool):
            changed = not value
        elif isinstance(value, int | float):
            changed = value + 1
        elif isinstance(value, str) and value:
            changed = value[:-1] + "XX"  # its last letter: whoever holds the whole sentence notices
        else:
            return node
        return ast.copy_location(ast.Constant(changed), node) if self._here(node, f"{value!r}"[:40]) else node

    def visit_Return(self, node: ast.Return) -> ast.AST:
        self.generic_visit(node)
        if node.value is not None and not isinstance(node.value, ast.Constant) and self._here(node, "returns None"):
            node.value = ast.copy_location(ast.Constant(None), node.value)
        return node

    # Not changed: types, documents, defaults, fields; only code and constants can be put in place of the old.
    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.AST:
        if node.value is not None:
            node.value = self.visit(node.value)
        return node

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        node.body = [self.visit(each) for each in node.body]
        return node

    def visit_Assign(self, node: ast.Assign) -> ast.AST:
        """The words of a type are no behaviour, and what the app was built with can't be exchanged in it."""
        built = isinstance(node.value, ast.Call) and getattr(node.value.func, "id", "") in ("Blueprint", "TypeVar")
        return node if built or isinstance(node.value, ast.Subscript) else self.generic_visit(node)

    def visit_Expr(self, node: ast.Expr) -> ast.AST:
        return node if isinstance(node.value, ast.Constant) else self.generic_visit(node)

    def visit_ClassDef(self, node: ast.ClassDef) -> ast.AST:
        node.body = [self.visit(each) if isinstance(each, ast.FunctionDef) else each for each in node.body]
        return node

    def visit_Import(self, node: ast.AST) -> ast.AST:
        return node

    def visit_ImportFrom(self, node: ast.AST) -> ast.AST:
        return node


def changes_of(file: Path) -> list[Change]:
    changer = Changer()
    changer.visit(ast.parse(file.read_text()))
    return [Change(file, *place) for place in changer.found]


# --- The first run: which test runs which line ---------------------------------------------------------------------


class Watch:
    """Notes, while pytest runs: the lines of each test, how long it takes, and the items to run again."""

    def __init__(self) -> None:
        self.cover = coverage.Coverage(data_file=None, include=[f"{SOURCE}/*"])
        self.items: dict[str, pytest.Item] = {}
        self.seconds: dict[str, float] = {}
        self.red: list[str] = []
        self.result: tuple[dict, dict] = ({}, {})

    def order(self, file: Path, name: str) -> tuple[bool, bool, float]:
        """The tests of a file's own name first, then the nets, then the quickest."""
        is_own = f"/test_{file.stem.removeprefix('_')}.py::" in name
        return not is_own, not _is_net(name), self.seconds.get(name, 0.0)

    def pytest_collection_modifyitems(self, items):
        items[:] = [item for item in items if BROWSERS.isdisjoint(item.fixturenames)]

    @pytest.hookimpl(wrapper=True)
    def pytest_runtest_protocol(self, item, nextitem):
        self.cover.switch_context(item.nodeid)
        started = time.perf_counter()
        done = yield
        self.seconds[item.nodeid] = time.perf_counter() - started
        return done

    def pytest_runtest_logreport(self, report):
        if report.failed:
            self.red.append(report.nodeid)

    @pytest.hookimpl(tryfirst=True)
    def pytest_runtestloop(self, session):
        self.cover.start()
        protocol, items = session.config.hook.pytest_runtest_protocol, session.items
        for item, after in zip(items, [*items[1:], items[0]], strict=True):
            protocol(item=item, nextitem=after)  # the last one has a next one too: what is shared stays
        self.cover.stop()
        self.items = {item.nodeid: item for item in items}
        judge(self)
        return True  # and no other loop runs


def lines_of(cover: coverage.Coverage) -> dict[tuple[str, int], list[str]]:
    """The tests of each line."""
    data, found = cover.get_data(), defaultdict(list)
    for file in data.measured_files():
        for line, contexts in data.contexts_by_lineno(file).items():
            found[(file, line)] = [each for each in contexts if each]
            if not found[(file, line)]:
                BEFORE.add((file, line))
    return found


BEFORE: set[tuple[str, int]] = set()  # lines that ran only while the tests were read


# --- The second run: one change at a time ----------------------------------------------------------------------------

OUTCOMES = {0: "survived", 1: "killed", -signal.SIGALRM: "killed"}  # what hangs is noticed
WISH = types.SimpleNamespace(packages=(), changes=0, seed=1, jobs=2, out="", again="")


def judge(watch: Watch) -> None:
    if watch.red:
        click.echo(f"red before anything was changed, and left out: {watch.red[:5]}")
        for name in watch.red:
            watch.items.pop(name, None)
    told, nets = lines_of(watch.cover), {name for name in watch.items if _is_net(name)}
    chosen = [change for package in WISH.packages for change in chosen_of(places_in(package), WISH)]
    click.echo(f"{len(chosen)} changes")
    chosen += [replace(each, number=0, words="nothing") for each in chosen[:: max(1, len(chosen) // 10)]]
    outcomes: dict[Change, str] = {}
    running: dict[int, Change] = {}
    todo = list(chosen)
    started = time.monotonic()
    while todo or running:
        while todo and len(running) < WISH.jobs:
            change = todo.pop()
            tests = sorted(_tests_of(change, told, nets), key=functools.partial(watch.order, change.file))
            if not tests:
                outcomes[change] = "no test runs it"
                continue
            running[_fork(change, [watch.items[name] for name in tests if name in watch.items])] = change
        if running:
            pid, status = os.wait()
            change = running.pop(pid)
            outcomes[change] = OUTCOMES.get(os.waitstatus_to_exitcode(status), "broken")
            if change.number and outcomes[change] != "killed":
                click.echo(f"  {change.where}:{change.line}: {change.words} – {outcomes[change]}")
            if len(outcomes) % 20 == 0:
                click.echo(f"{len(outcomes)} done in {time.monotonic() - started:.0f} s")
    report(outcomes, WISH)


def places_in(package: str) -> list[Change]:
    """Everything that can be changed in a package."""
    files = sorted(path for path in (SOURCE / package.split("/")[0]).rglob("*.py") if "migrations" not in path.parts)
    return [change for file in files for change in changes_of(file) if f"{change.package}/".startswith(f"{package}/")]


def chosen_of(places: list[Change], wish: types.SimpleNamespace) -> list[Change]:
    """The changes to try: what once survived, or as many as are wished, drawn by lot; all of them without a wish."""
    if wish.again:
        survivors = {tuple(place[:3]) for place in json.loads(Path(wish.again).read_text())}
        return [place for place in places if (place.where, place.line, place.words) in survivors]
    return random.Random(wish.seed).sample(places, min(wish.changes or len(places), len(places)))


def _tests_of(change: Change, told: dict[tuple[str, int], list[str]], nets: set[str]) -> set[str]:
    """The tests that run its line; of what ran before them or is held by a module, those that run any line there."""
    found = set(told.get((str(change.file), change.line), ()))
    before = (str(change.file), change.line) in BEFORE
    if 0 < len(found) < FEW:
        return found | nets  # what is kept from test to test runs once, and is seen in many
    if found or (change.line in _lines_in_functions(change.file) and not before):
        return found
    return {SHOWS_TABLES, *(name for (file, _), names in told.items() if file == str(change.file) for name in names)}


@functools.cache
def _lines_in_functions(file: Path) -> set[int]:
    nodes = [node for node in ast.walk(ast.parse(file.read_text())) if isinstance(node, ast.FunctionDef)]
    return {line for node in nodes for line in range(node.lineno, (node.end_lineno or node.lineno) + 1)}


def _fork(change: Change, items: list[pytest.Item]) -> int:
    pid = os.fork()
    if pid:
        return pid
    try:
        nothing = os.open(os.devnull, os.O_WRONLY)
        os.dup2(nothing, 1)
        os.dup2(nothing, 2)
        if change.number:
            put_in_place(change)
        if change.file.stem.startswith("demo"):
            os.environ["EPROBA_DEMO_ANEW"] = f"_{os.getpid()}"  # the templates of this run were made before the change
        until = math.inf
        for item in items:
            signal.alarm(HANGS)
            if until == math.inf and not _is_net(item.nodeid):
                until = time.process_time() + ENOUGH  # not by the clock: a busy machine changes no figure
            if time.process_time() > until:
                break
            if not _passes(item, next(each for each in item.session.items if each is not item)):
                _leave(1)
        _leave(0)
    except BaseException:
        os._exit(2)


def _is_net(name: str) -> bool:
    return any(net in name for net in NETS)


def _leave(outcome: int) -> NoReturn:
    """Without the databases that this fork was lent."""
    from tests.conftest import lent  # by now it is loaded, and what it loads is watched

    for (process, _), database in lent.items():
        if process == os.getpid():
            database.drop()
    os._exit(outcome)


def _passes(item: pytest.Item, after: pytest.Item) -> bool:
    item._initrequest()
    item.session._setupstate.teardown_exact(item)  # what the test before needed and this one does not
    with Path(__file__).open("rb") as held:
        if item.name == ALONE:
            fcntl.flock(held, fcntl.LOCK_EX)
        return _run(item, after)


def _run(item: pytest.Item, after: pytest.Item) -> bool:
    from _pytest.runner import runtestprotocol

    return all(not report.failed for report in runtestprotocol(item, log=False, nextitem=after))


def put_in_place(change: Change) -> None:
    """Functions of the changed file get its code; what a module holds gets its values, wherever it was imported to."""
    changer = Changer(change.number)
    tree = ast.fix_missing_locations(changer.visit(ast.parse(change.file.read_text())))
    name = ".".join(change.file.relative_to(SOURCE.parent).with_suffix("").parts).removesuffix(".__init__")
    old = sys.modules[name]
    new = types.ModuleType(name)
    new.__dict__.update(__file__=old.__file__, __package__=old.__package__)
    codes = {each.co_qualname: each for each in _codes(compile(tree, str(change.file), "exec"))}
    for qualified, function in _functions(old):
        if qualified in codes:
            function.__code__ = codes[qualified]
    with contextlib.suppress(Exception):
        _values(old, tree, new)
    if change.package.startswith("core"):
        for module in [module for name, module in list(sys.modules.items()) if name.startswith("eproba.core")]:
            for cached in [each for each in list(vars(module).values()) if isinstance(each, CACHED)]:
                cached.cache_clear()


def _codes(code: types.CodeType) -> list[types.CodeType]:
    inner = [each for each in code.co_consts if isinstance(each, types.CodeType)]
    return inner + [deeper for each in inner for deeper in _codes(each)]


def _functions(module: types.ModuleType):
    """Every function of a module with its qualified name, out of classes, properties and caches."""
    seen = [value for value in vars(module).values() if type(value) is not LocalProxy]  # of no use without a request
    for each in list(seen):
        if isinstance(each, type) and each.__module__ == module.__name__:
            seen += vars(each).values()
    for each in seen:
        for one in (each, getattr(each, "fget", None), getattr(each, "func", None), getattr(each, "__func__", None)):
            while one is not None and hasattr(one, "__wrapped__"):
                if hasattr(one, "cache_clear"):
                    one.cache_clear()
                one = one.__wrapped__
            if isinstance(one, types.FunctionType) and one.__module__ == module.__name__:
                yield one.__qualname__, one


def _values(old: types.ModuleType, tree: ast.Module, new: types.ModuleType) -> None:
    """Constants of the module as the changed file has them."""
    space = dict(vars(old))
    for node in tree.body:
        if isinstance(node, ast.Assign | ast.AnnAssign) and node.value is not None:
            targets = node.targets if isinstance(node, ast.Assign) else [node.target]
            changed = dict(space)
            exec(compile(ast.Module([ast.Assign(targets, node.value, lineno=1)], []), "changed", "exec"), changed)
            for name in [part.id for target in targets for part in ast.walk(target) if isinstance(part, ast.Name)]:
                value, before = changed[name], vars(old).get(name)
                if value != before:
                    for module in list(sys.modules.values()):
                        if getattr(module, name, new) is before:
                            setattr(module, name, value)
                space[name] = value


def report(outcomes: dict[Change, str], wish: types.SimpleNamespace) -> None:
    if wrong := [c for c, outcome in outcomes.items() if not c.number and outcome in ("killed", "broken")]:
        click.echo(f"A test fails although nothing was changed: {wrong[:3]}")
    outcomes = {change: outcome for change, outcome in outcomes.items() if change.number}
    by_package = defaultdict(Counter)
    for change, outcome in outcomes.items():
        for name in dict.fromkeys([change.package.split("/")[0], change.package]):
            by_package[name][outcome] += 1
    click.echo(f"{'package':24}{'changes':>9}{'killed':>9}{'share':>8}")
    for package, counts in sorted(by_package.items()):
        number = counts.total()
        click.echo(f"{package:24}{number:9}{counts['killed']:9}{counts['killed'] / number:8.0%}")
    alive = sorted((c.where, c.line, c.words, o) for c, o in outcomes.items() if o != "killed")
    for file, line, words, outcome in alive:
        click.echo(f"  {file}:{line}: {words} – {outcome}")
    if wish.out:
        Path(wish.out).write_text(json.dumps(alive, ensure_ascii=False, indent=0))


@click.command()
@click.argument("packages", nargs=-1)
@click.option("--changes", default=0, help="How many of a package, drawn by lot; all without it.")
@click.option("--seed", default=1)
@click.option("--jobs", default=os.cpu_count() or 2)
@click.option("--out", default="", help="Also write the survivors into this file.")
@click.option("--again", default="", help="Only the survivors in this file.")
def main(packages: tuple[str, ...], **wishes: int | str) -> None:
    """PACKAGES: core, core/trial …, exchange, store, web, web/ui …, start, or scripts; nothing: all but the scripts."""
    os.environ["CI"] = "true"  # the same examples each time
    WISH.__dict__.update(wishes, packages=tuple(package.strip("/") for package in packages or TESTS))
    sys.path[:0] = [str(ROOT), str(ROOT / "src")]
    options = ["-q", "-p", "no:cacheprovider", "-p", "no:xdist"]
    if WISH.packages == ("scripts",):
        from tests.mutate_scripts import Scripts

        pytest.main([*options, "tests/web"], plugins=[Scripts(WISH)])
        return
    tests = dict.fromkeys(folder for package in WISH.packages for folder in TESTS[package.split("/")[0]])
    skip = [f"--ignore=tests/web/{name}" for name in LEFT_OUT]
    pytest.main([*options, *tests, *skip], plugins=[Watch()])


if __name__ == "__main__":
    main()
