"""`./eproba mutate scripts [--changes 200] [--seed 1]`: changes our JavaScript one place at a time; is it noticed?

The browser gets the changed script in place of the one on disk. The first run notes which test loads which script;
then, for each change, the tests that load it run again, the quickest first, with waits of seconds instead of minutes.
"""

import re
import time
import types
from collections import defaultdict
from functools import partial
from pathlib import Path

import click
import pytest

from tests.mutate import BROWSERS, SOURCE, Change, chosen_of, report

STATIC = SOURCE / "web" / "static"
STORIES = {  # those that tell most of a script: they are asked first
    "device.js": ("store", "waiting"), "keeper.js": ("rules", "store", "waiting", "kinds"), "fresh.js": ("pages",),
    "app.js": ("pages", "steps"), "round.js": ("till", "kinds"), "round-state.js": ("till", "kinds"),
    "till.js": ("rules", "till", "kinds"), "ground.js": ("ground",), "grid.js": ("table",), "course.js": ("pages",),
    "planner.js": ("steps",), "saves.js": ("steps", "sheet"), "live.js": ("steps", "sheet"), "folds.js": ("sheet",),
    "sheet.js": ("sheet",), "waiting.js": ("waiting",), "photos.js": ("pictures",), "upload.js": ("pages",),
}  # fmt: skip
QUICK = 0.5  # seconds
SHORT = 5000  # ms: what a change breaks is waited for no longer
ENOUGH = 60  # seconds of tests for one change
TOKEN = re.compile(
    r"""//[^\n]*|/\*.*?\*/
    |(?<=[(,=!])/(?:\\.|\[[^]]*\]|[^/\\\n[])+/[a-z]*|(?<=[(,=:&|?]\ )/(?:\\.|\[[^]]*\]|[^/\\\n[])+/[a-z]*
    |`(?:\\.|[^`\\])*`|"(?:\\.|[^"\\])*"|'(?:\\.|[^'\\])*'
    |===|!==|<=|>=|=>|\+\+|--|\+=|-=|&&|\|\||\?\?|\.\.\.|[-<>!+*/%]
    |\b\d+(?:\.\d+)?\b|\btrue\b|\bfalse\b|\breturn\ (?=[^;])|\bif\ \(""",
    re.VERBOSE | re.DOTALL,
)
SWAPS = {
    "===": "!==", "!==": "===", "<": "<=", "<=": "<", ">": ">=", ">=": ">", "&&": "||", "||": "&&", "??": "&&",
    "+": "-", "-": "+", "*": "/", "/": "*", "%": "*", "!": "", "true": "false", "false": "true",
    "return ": "return void 0; void ", "if (": "if (false && ",
}  # fmt: skip


def swapped(token: str) -> str | None:
    """What stands in place of a token; nothing for one that stays."""
    if token in SWAPS:
        return SWAPS[token]
    if token[0] in "\"'`" and len(token) > 2 and token != '"use strict"':
        return f"{token[:-1]}XX{token[-1]}"
    return str(float(token) + 1) if token[0].isdigit() else None


def changed_scripts(path: Path) -> dict[Change, str]:
    """Each change of a script, with the whole script as it is then."""
    script, changes = path.read_text("utf-8"), {}
    for number, token in enumerate(TOKEN.finditer(script), 1):
        if (other := swapped(token[0])) is not None:
            line = script.count("\n", 0, token.start()) + 1
            words = f"{token[0].strip()[:30]} → {other.strip()[:34]}"
            changes[Change(path, number, line, words)] = script[: token.start()] + other + script[token.end() :]
    return changes


class Scripts:
    """Runs the tests with a browser; `served` stands in place of a script while a change is tried."""

    def __init__(self, wish: types.SimpleNamespace) -> None:
        self.wish = wish
        self.served: tuple[str, str] | None = None
        self.loads: dict[str, set[str]] = defaultdict(set)  # the tests that load a script
        self.seconds: dict[str, float] = {}
        self.failed, self.running = False, ""

    def page(self, *of):
        opening = self.opened(*of)
        page = next(opening)
        page.on("request", lambda request: self.loads[request.url.split("?")[0].rsplit("/", 1)[-1]].add(self.running))
        if self.served:
            name, script = self.served
            kind = "text/javascript"
            page.route(f"**/static/{name}*", lambda route: route.fulfill(body=script, content_type=kind))
        yield page
        next(opening, None)

    def script(self, name):
        """A script that a test reads from the disk."""
        self.loads[name].add(self.running)
        return self.served[1] if self.served and self.served[0] == name else self.read(name)

    def pytest_collection_modifyitems(self, items):
        from tests import conftest  # not before pytest has read them
        from tests.web import test_round_state

        self.read, test_round_state.script = test_round_state.script, self.script
        self.opened = conftest._page
        conftest._page, conftest.PATIENCE = self.page, SHORT
        items[:] = [item for item in items if not (BROWSERS | {"state"}).isdisjoint(item.fixturenames)]

    def pytest_runtest_logreport(self, report):
        self.failed |= report.failed

    def passes(self, item: pytest.Item, after: pytest.Item) -> bool:
        self.failed, self.running = False, item.nodeid
        item._initrequest()
        item.session._setupstate.teardown_exact(item)  # what the test before needed and this one does not
        started = time.perf_counter()
        item.config.hook.pytest_runtest_protocol(item=item, nextitem=after)
        self.seconds[item.nodeid] = time.perf_counter() - started
        return not self.failed

    @pytest.hookimpl(tryfirst=True)
    def pytest_runtestloop(self, session):
        items = session.items
        after = dict(zip(items, [*items[1:], items[0]], strict=True))
        steady = {item.nodeid: item for item in items if self.passes(item, after[item])}
        shaky = [item.nodeid for item in items if item.nodeid not in steady]
        click.echo(f"\n{len(steady)} of {len(items)} tests are steady with short waits {' '.join(shaky)}")
        scripts = {
            change: text for path in sorted(STATIC.glob("*.js")) for change, text in changed_scripts(path).items()
        }
        chosen = chosen_of(list(scripts), self.wish)
        click.echo(f"{len(chosen)} changes")
        outcomes = {}
        for change in chosen:
            self.served = (change.file.name, scripts[change])
            names = sorted(self.loads[change.file.name] & set(steady), key=partial(self.order, change.file.name))
            outcomes[change] = self.outcome([steady[name] for name in names], after) if names else "no test runs it"
            click.echo(f"\n{change.where}:{change.line}: {change.words} – {outcomes[change]}")
        report(outcomes, self.wish)
        return True

    def order(self, script: str, name: str) -> tuple[bool, bool, float]:
        """What takes a moment and the stories of a script come first, then all stories, then the quickest."""
        is_slow = self.seconds[name] > QUICK and not any(f"-{story}]" in name for story in STORIES.get(script, ()))
        return is_slow, "test_scripts_do" not in name, self.seconds[name]

    def outcome(self, items, after) -> str:
        until = time.monotonic() + ENOUGH
        for item in items:
            if time.monotonic() > until:
                break
            if not self.passes(item, after[item]):
                return "killed"
        return "survived"
