"""The three engines that browsers stand on, driven alike: Chromium by Playwright, Firefox by WebDriver BiDi, WebKit by
its WebDriver. Keys and pointer are the engine's own; what a page holds is asked in JavaScript.
"""

import base64
import json
import os
import subprocess
import tempfile
import time
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from selenium import webdriver
from selenium.webdriver.common.actions.action_builder import ActionBuilder
from selenium.webdriver.common.actions.pointer_input import PointerInput
from websocket import create_connection

from eproba.start.workbench import CHROMIUM, FIREFOX, WEBKIT_DRIVER, XVFB

ENTER = "\ue007"  # as WebDriver writes it
PATIENCE = 120.0  # seconds: a busy machine may stand still for a while
Point = tuple[float, float]
PHONE, LAPTOP = (390, 844), (1280, 800)


def within_patience(body: str) -> str:
    """A function of the page that ends, whatever it waits for."""
    late = f"new Promise((_, no) => setTimeout(() => no(new Error('no answer in time')), {PATIENCE * 1000}))"
    return f"async (args) => Promise.race([(async () => {{ {body} }})(), {late}])"


class Engine(ABC):
    """One browser with one window of tabs."""

    prints = True

    @abstractmethod
    def open(self, address: str) -> None: ...

    @abstractmethod
    def ask(self, body: str, *arguments: Any) -> Any:
        """What a function of the page answers; `arguments` are its `args`, and it may await."""

    @abstractmethod
    def keys(self, text: str) -> None:
        """Typed into whatever has the focus."""

    @abstractmethod
    def pointer(self, *way: Point) -> None:
        """Pressed at the first point, moved over the others, let go."""

    @abstractmethod
    def walk(self, steps: int) -> None:
        """Through the history of the tab: -1 is back."""

    @abstractmethod
    def choose(self, selector: str, file: Path) -> None: ...

    @abstractmethod
    def picture(self) -> bytes: ...

    @abstractmethod
    def printed(self) -> bytes:
        """The page as a PDF."""

    @abstractmethod
    def size(self, width: int, height: int) -> None: ...

    @abstractmethod
    def tab(self, number: int) -> None:
        """Bring a tab to the front; the next number opens one."""

    @abstractmethod
    def close_tabs(self) -> None:
        """All but the first."""

    def reload(self) -> None:
        self.ask("window.isOld = true; setTimeout(() => location.reload(), 0)")
        self.until("return window.isOld !== true && document.readyState === 'complete'")

    # What a test says.

    def until(self, body: str, *arguments: Any, wanted: object = True) -> None:
        """Wait until the page answers as wanted."""
        last: object = None
        for _ in self.trying():
            last = self.answered(body, *arguments)
            if last == wanted:
                return
        raise AssertionError(f"{body} answers {last!r}, not {wanted!r}")

    def trying(self) -> Iterator[int]:
        end = time.monotonic() + PATIENCE
        number = 0
        while time.monotonic() < end:
            yield (number := number + 1)
            time.sleep(0.05)

    def answered(self, body: str, *arguments: Any) -> Any:
        """What the page answers; None while it is on its way."""
        try:
            return self.ask(body, *arguments)
        except Exception as trouble:  # each engine has its own words for a page that is gone
            return f"no answer: {trouble}"

    def text(self, selector: str) -> str:
        return str(self.ask("return document.querySelector(args[0])?.innerText.trim() ?? ''", selector))

    def reads(self, selector: str, text: str) -> None:
        self.until("return document.querySelector(args[0])?.innerText.trim() ?? ''", selector, wanted=text)

    def says(self, selector: str, text: str) -> None:
        """As `reads`, with more around it."""
        body = "const found = document.querySelector(args[0])?.innerText ?? ''; return found.includes(args[1]) || found"
        self.until(body, selector, text)

    def shows(self, path: str) -> None:
        """Wait for a page, told by the end of its address (a pattern)."""
        ready = "document.readyState === 'complete'"
        self.until(f"return ({ready} && new RegExp(`${{args[0]}}$`).test(location.href)) || location.href", path)

    def spot(self, selector: str, text: str = "") -> Point:
        """The middle of the first thing of that kind (with that text) which can be seen, once it stands still: letters
        that come late move what is below them.
        """
        body = """
            const seen = (each) => each.checkVisibility() && each.innerText.includes(args[1]);
            const first = () => [...document.querySelectorAll(args[0])].find((each) => !args[1] || seen(each));
            const found = first();
            if (!found) return null;
            await document.fonts.ready;
            found.scrollIntoView({ block: "center" });
            const drawn = new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
            await Promise.race([drawn, new Promise((done) => setTimeout(done, 200))]);
            const box = found.getBoundingClientRect();
            await new Promise((done) => setTimeout(done, 60));
            const later = first()?.getBoundingClientRect();
            if (first() !== found || later.x !== box.x || later.y !== box.y) return null;
            const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
            return x > 0 && y > 0 && x < innerWidth && y < innerHeight ? [x, y] : null;
        """
        for _ in self.trying():
            spot = self.answered(body, selector, text)
            if isinstance(spot, list):
                return spot[0], spot[1]
        raise AssertionError(f"no {selector} {text}")

    def click(self, selector: str, text: str = "") -> None:
        for _ in self.trying():
            try:
                return self.pointer(self.spot(selector, text))
            except Exception as trouble:  # what was there has moved meanwhile; each engine has its own words for it
                last = trouble
        raise AssertionError(f"{selector} {text} can't be clicked: {last}")

    def fill(self, selector: str, text: str) -> None:
        """Typed over what stands in a field."""
        self.click(selector)
        self.ask("document.querySelector(args[0]).select()", selector)
        self.keys(text)


class Chromium(Engine):
    def __init__(self, browser: Any) -> None:
        self.context = browser.new_context()
        self.context.set_default_timeout(PATIENCE * 1000)
        self.pages = [self.context.new_page()]
        self.page = self.pages[0]

    def open(self, address: str) -> None:
        self.page.goto(address)

    def ask(self, body: str, *arguments: Any) -> Any:
        return self.page.evaluate(within_patience(body), list(arguments))

    def keys(self, text: str) -> None:
        for key in text:
            self.page.keyboard.press("Enter" if key == ENTER else key)

    def pointer(self, *way: Point) -> None:
        self.page.mouse.move(*way[0])
        self.page.mouse.down()
        for x, y in way[1:]:
            self.page.mouse.move(x, y)
        self.page.mouse.up()

    def walk(self, steps: int) -> None:
        self.ask(f"setTimeout(() => history.go({steps}), 0)")

    def choose(self, selector: str, file: Path) -> None:
        self.page.locator(selector).set_input_files(file)

    def picture(self) -> bytes:
        return bytes(self.page.screenshot())

    def printed(self) -> bytes:
        return bytes(self.page.pdf())

    def size(self, width: int, height: int) -> None:
        self.page.set_viewport_size({"width": width, "height": height})

    def tab(self, number: int) -> None:
        if number == len(self.pages):
            self.pages.append(self.context.new_page())
        self.page = self.pages[number]
        self.page.bring_to_front()

    def close_tabs(self) -> None:
        for page in self.pages[1:]:
            page.close()
        self.pages = self.pages[:1]
        self.tab(0)


class Firefox(Engine):
    """WebDriver BiDi over its own socket: Debian has no driver program for it."""

    def __init__(self, address: str) -> None:
        self.socket = create_connection(f"{address}/session", timeout=PATIENCE, suppress_origin=True)
        self.numbered = 0
        self.send("session.new", capabilities={"alwaysMatch": {"unhandledPromptBehavior": {"default": "accept"}}})
        self.tabs = [self.send("browsingContext.getTree")["contexts"][0]["context"]]
        self.shown = self.tabs[0]

    def send(self, method: str, **parameters: Any) -> dict[str, Any]:
        self.numbered += 1
        self.socket.send(json.dumps({"id": self.numbered, "method": method, "params": parameters}))
        while True:
            answer = json.loads(self.socket.recv())
            if answer.get("id") != self.numbered:
                continue
            if answer["type"] == "error":
                raise RuntimeError(answer["message"])
            result: dict[str, Any] = answer["result"]
            return result

    def here(self, method: str, **parameters: Any) -> dict[str, Any]:
        return self.send(method, context=self.shown, **parameters)

    def open(self, address: str) -> None:
        self.here("browsingContext.navigate", url=address, wait="complete")

    def ask(self, body: str, *arguments: Any) -> Any:
        function = f"async () => JSON.stringify(await ({within_patience(body)})({json.dumps(arguments)}))"
        target = {"context": self.shown}
        answer = self.send("script.callFunction", functionDeclaration=function, target=target, awaitPromise=True)
        if answer["type"] == "exception":
            raise RuntimeError(answer["exceptionDetails"]["text"])
        return json.loads(answer["result"].get("value", "null"))

    def keys(self, text: str) -> None:
        moves = [{"type": kind, "value": key} for key in text for kind in ("keyDown", "keyUp")]
        self.here("input.performActions", actions=[{"type": "key", "id": "keys", "actions": moves}])

    def pointer(self, *way: Point) -> None:
        places = [{"type": "pointerMove", "x": round(x), "y": round(y)} for x, y in way]
        moves = [places[0], {"type": "pointerDown", "button": 0}, *places[1:], {"type": "pointerUp", "button": 0}]
        self.here("input.performActions", actions=[{"type": "pointer", "id": "mouse", "actions": moves}])

    def walk(self, steps: int) -> None:
        self.here("browsingContext.traverseHistory", delta=steps)

    def choose(self, selector: str, file: Path) -> None:
        field = self.here("browsingContext.locateNodes", locator={"type": "css", "value": selector})["nodes"][0]
        self.here("input.setFiles", element={"sharedId": field["sharedId"]}, files=[str(file)])

    def picture(self) -> bytes:
        return base64.b64decode(self.here("browsingContext.captureScreenshot")["data"])

    def printed(self) -> bytes:
        return base64.b64decode(self.here("browsingContext.print")["data"])

    def size(self, width: int, height: int) -> None:
        self.here("browsingContext.setViewport", viewport={"width": width, "height": height})

    def tab(self, number: int) -> None:
        if number == len(self.tabs):
            self.tabs.append(self.send("browsingContext.create", type="tab")["context"])
        self.shown = self.tabs[number]
        self.here("browsingContext.activate")

    def close_tabs(self) -> None:
        for tab in self.tabs[1:]:
            self.send("browsingContext.close", context=tab)
        self.tabs = self.tabs[:1]
        self.tab(0)


class WebKit(Engine):
    prints = False  # its driver can't

    def __init__(self, driver: Any) -> None:
        self.driver = driver
        driver.set_script_timeout(PATIENCE)
        driver.set_page_load_timeout(PATIENCE)
        self.tabs = [driver.current_window_handle]

    def open(self, address: str) -> None:
        self.driver.get(address)

    def ask(self, body: str, *arguments: Any) -> Any:
        script = f"""
            const done = arguments[arguments.length - 1];
            ({within_patience(body)})({json.dumps(arguments)})
              .then((answer) => done(JSON.stringify({{ answer: answer ?? null }})))
              .catch((trouble) => done(JSON.stringify({{ trouble: String(trouble) }})));
        """
        told = json.loads(self.driver.execute_async_script(script))
        if "trouble" in told:
            raise RuntimeError(told["trouble"])
        return told["answer"]

    def keys(self, text: str) -> None:
        self.driver.switch_to.active_element.send_keys(text)

    def pointer(self, *way: Point) -> None:
        actions = ActionBuilder(self.driver, mouse=PointerInput("mouse", "mouse"), duration=20)
        for number, (x, y) in enumerate(way):
            actions.pointer_action.move_to_location(round(x), round(y))
            if number == 0:
                actions.pointer_action.pointer_down()
        actions.pointer_action.pointer_up()
        actions.perform()

    def walk(self, steps: int) -> None:
        self.ask(f"setTimeout(() => history.go({steps}), 0)")

    def choose(self, selector: str, file: Path) -> None:
        """Its driver opens no field that can't be seen: the file is put there as a drop would."""
        body = """
            const bytes = Uint8Array.from(atob(args[1]), (letter) => letter.charCodeAt(0));
            const carried = new DataTransfer();
            carried.items.add(new File([bytes], args[2], { type: "image/jpeg" }));
            const field = document.querySelector(args[0]);
            field.files = carried.files;
            field.dispatchEvent(new Event("change", { bubbles: true }));
        """
        self.ask(body, selector, base64.b64encode(file.read_bytes()).decode(), file.name)

    def picture(self) -> bytes:
        return bytes(self.driver.get_screenshot_as_png())

    def printed(self) -> bytes:
        raise NotImplementedError

    def size(self, width: int, height: int) -> None:
        self.driver.set_window_size(width, height)
        wide, high = self.ask("return [outerWidth - innerWidth, outerHeight - innerHeight]")
        self.driver.set_window_size(width + wide, height + high)

    def tab(self, number: int) -> None:
        if number == len(self.tabs):
            self.driver.switch_to.new_window("window")  # a tab behind another takes no pointer
            self.tabs.append(self.driver.current_window_handle)
        self.driver.switch_to.window(self.tabs[number])

    def close_tabs(self) -> None:
        for tab in self.tabs[1:]:
            self.driver.switch_to.window(tab)
            self.driver.close()
        self.tabs = self.tabs[:1]
        self.tab(0)


# Starting and ending them.


@contextmanager
def running(command: Sequence[str | Path], **more: Any) -> Iterator["subprocess.Popen[str]"]:
    silent = {"stdin": subprocess.DEVNULL, "stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    process = subprocess.Popen([str(part) for part in command], text=True, **(silent | more))
    try:
        yield process
    finally:
        process.terminate()
        try:
            process.wait(PATIENCE)
        except subprocess.TimeoutExpired:
            process.kill()


@contextmanager
def chromium(playwright: Any) -> Iterator[Engine]:
    flags = ["--no-sandbox", "--disable-gpu", "--disable-background-networking"]
    unusual = ["--disable-back-forward-cache"]  # at home, pages that are left stay in the page cache
    browser = playwright.chromium.launch(executable_path=CHROMIUM, args=flags, ignore_default_args=unusual)
    yield Chromium(browser)
    browser.close()


@contextmanager
def firefox(_playwright: Any) -> Iterator[Engine]:
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as profile:
        preferences = {"remote.active-protocols": 1, "datareporting.policy.dataSubmissionEnabled": False}
        lines = [f'user_pref("{name}", {json.dumps(value)});' for name, value in preferences.items()]
        (Path(profile) / "user.js").write_text("\n".join(lines))
        command = [FIREFOX, "--headless", "--no-remote", "--profile", profile, "--remote-debugging-port", "0"]
        environment = {**os.environ, "HOME": profile}
        log = Path(profile) / "log"
        with log.open("w") as told, running(command, stderr=told, env=environment):
            engine = Firefox(_told(log, "WebDriver BiDi listening on").split()[-1])
            yield engine
            engine.socket.close()


def _told(log: Path, words: str) -> str:
    """The line of a log that has these words, when it comes."""
    end = time.monotonic() + PATIENCE
    while time.monotonic() < end:
        for line in log.read_text().splitlines(keepends=True):
            if words in line and line.endswith("\n"):
                return line
        time.sleep(0.05)
    raise AssertionError(f"“{words}” was never told: {log.read_text()}")


@contextmanager
def webkit(_playwright: Any) -> Iterator[Engine]:
    reader, writer = os.pipe()
    screen = [XVFB, "-displayfd", str(writer), "-screen", "0", "1400x1000x24", "-nolisten", "tcp"]
    with running(screen, pass_fds=(writer,)):
        os.close(writer)
        with os.fdopen(reader) as told:
            display = f":{told.readline().strip()}"
        options = webdriver.WebKitGTKOptions()
        options.binary_location = str(max(Path("/usr/lib").glob("*/webkit*/MiniBrowser")))  # each Debian has its own
        options.add_argument("--automation")
        options.set_capability("unhandledPromptBehavior", "accept")
        environment = {**os.environ, "DISPLAY": display, "GDK_BACKEND": "x11", "LIBGL_ALWAYS_SOFTWARE": "1"}
        environment["WEBKIT_DISABLE_COMPOSITING_MODE"] = "1"
        service = webdriver.WebKitGTKService(str(WEBKIT_DRIVER), env=environment)
        driver = webdriver.WebKitGTK(options=options, service=service)
        yield WebKit(driver)
        driver.quit()


ENGINES: dict[str, Callable[[], Any]] = {"chromium": chromium, "firefox": firefox, "webkit": webkit}
