"""Take the pictures of the main views again: take.py http://127.0.0.1:8710 http://127.0.0.1:8711

Run it with the virtual environment's Python and PYTHONPATH=src after `./eproba demo` and, in another EPROBA_HOME,
`./eproba demo --crowded` (for overdue work); then open each picture and look at it.
"""

import sys
from datetime import date, timedelta
from pathlib import Path

from playwright.sync_api import Error, FilePayload, Page, sync_playwright

from eproba.exchange.challenge_file import SlipSays, write_slip
from eproba.start.workbench import CHROMIUM

HERE = Path(__file__).parent
LAPTOP, PHONE = (1280, 800), (390, 844)
VIEWS = {
    "trial": ("/trials/5", LAPTOP),
    "strip": ("/trials/1/strip", (1280, 900)),
    "lasting": ("/trials/1/again", LAPTOP),
    "known": ("/known", LAPTOP),
    "verdict": ("/trials/1/verdict", LAPTOP),
    "what-next": ("/trials/1/next?scale=B&area=40", (1280, 1500)),
    "report": ("/trials/1/report", (1280, 1860)),
    "calendar": ("/calendar", LAPTOP),
    "today-phone": ("/", PHONE),
    "mixing": ("/trials/1/mix", LAPTOP),
    "shelf": ("/shelf", LAPTOP),
}

SLIPS: tuple[SlipSays, ...] = ("joined", "joined", "left")
MESSAGE = "/trials/1/message.png"
# What the till does with each picture, for all units of a round on a day.
PICTURES = """async (on) => {
  const data = JSON.parse(document.getElementById("round-data").textContent);
  const { token } = await (await fetch("/token", { headers: { Accept: "application/json" } })).json();
  for (const unit of data.units) {
    const blob = await (await fetch(`${data.camera}?unit=${unit.code}&on=${on}`)).blob();
    const body = new FormData();
    const fields = { csrf_token: token, unit: unit.code, round: data.round, taken: String(Date.parse(`${on}T12:00`)) };
    for (const [name, value] of Object.entries(fields)) body.append(name, value);
    body.append("file", blob, "picture.jpg");
    await fetch(data.photos, { method: "POST", body, headers: { Accept: "application/json" } });
  }
}"""


def main(base: str, crowded: str) -> None:
    flags = ["--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking"]
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=flags)
        for name, (path, (width, height)) in VIEWS.items():
            page = browser.new_page(base_url=base, viewport={"width": width, "height": height})
            page.goto(path, wait_until="networkidle")
            take(page, f"{name}.png")
            page.close()
        rounds = a_trial_with_pictures(
            browser.new_page(base_url=base, viewport={"width": LAPTOP[0], "height": LAPTOP[1]})
        )
        a_round(browser.new_page(base_url=base, viewport={"width": PHONE[0], "height": PHONE[1]}), rounds[1])
        a_plan(browser.new_page(base_url=base, viewport={"width": LAPTOP[0], "height": LAPTOP[1]}))
        a_challenge(browser.new_page(base_url=base, viewport={"width": LAPTOP[0], "height": 900}))
        practised(browser.new_page(base_url=base, viewport={"width": LAPTOP[0], "height": 1200}))
        (HERE / "message.png").write_bytes(playwright.request.new_context(base_url=base).get(MESSAGE).body())
        late = browser.new_page(base_url=crowded, viewport={"width": LAPTOP[0], "height": 1500})
        late.goto("/", wait_until="networkidle")
        take(late, "today.png")
        late.goto("/together", wait_until="networkidle")
        late.get_by_role("link", name="Diluted whey against Plain water").first.click()
        late.wait_for_load_state("networkidle")
        take(late, "together.png")
        browser.close()


def take(page: Page, name: str, full_page: bool = False) -> None:
    """One picture; a browser with many photographs in it sometimes needs another try."""
    for tries in range(5):
        try:
            page.screenshot(path=HERE / name, full_page=full_page)
            return
        except Error:
            if tries == 4:
                raise
            page.wait_for_timeout(1000)


def a_trial_with_pictures(page: Page) -> list[str]:
    """Pots begun a fortnight ago, pictures of three days; returns the addresses of its rounds."""
    page.goto("/")
    page.keyboard.press("n")
    page.wait_for_url("**/sheet")
    page.locator("summary", has_text="Own words and promises").click()
    page.get_by_role("link", name="On a page of its own").click()
    page.wait_for_url("**/claim")
    page.get_by_label("What is tried").fill("Alfalfa-pellet steep")
    page.get_by_label("A short name").fill("Alfalfa on pak choi")
    page.get_by_role("button", name="Next").click()
    page.wait_for_url("**/measure")
    page.locator("details").evaluate_all("all => all.forEach((each) => { each.open = true; })")
    page.locator('input[name="also"][value="leaf_colour"]').check()
    page.locator("select[name=also]").select_option("cover")
    page.locator("#start_on").fill((date.today() - timedelta(days=14)).isoformat())
    page.get_by_role("button", name="Next").click()
    page.get_by_label("Yes, I mean this day").check()
    for step in ("treatments", "ground", "chance", "days", "rules", "deal"):
        page.get_by_role("button", name="Next").click()
        page.wait_for_url(f"**/{step}")
    page.get_by_role("button", name="Deal the lots", exact=True).click()
    page.wait_for_url("**/trials/*dealt=1")
    trial = page.url.split("?")[0]
    page.goto(f"{trial}/readings")
    rounds = []
    for name in ("Baseline", "Day 7", "Day 14"):
        tab = page.locator(".round-tabs").get_by_role("link", name=name, exact=True)
        rounds.append(f"{trial}/rounds/{(tab.get_attribute('href') or '').split('round=')[1]}")
    for back, address in zip((14, 7, 0), rounds, strict=True):
        page.goto(address, wait_until="networkidle")
        page.evaluate(PICTURES, (date.today() - timedelta(days=back)).isoformat())
    return rounds


def a_round(page: Page, address: str) -> None:
    """In the middle of a round: levels by a tap, and where one stands."""
    page.goto(address, wait_until="networkidle")
    page.locator("#typed").fill("12.5")
    page.keyboard.press("Enter")
    page.locator(".till-map summary").click()
    page.wait_for_timeout(800)
    take(page, "round-phone.png", full_page=True)


def a_plan(page: Page) -> None:
    """The sheet, and the ground with its proposals."""
    page.goto("/")
    page.keyboard.press("n")
    page.wait_for_url("**/sheet")
    page.get_by_label("What is tried").fill("Comfrey steep")
    page.get_by_label("The crop").fill("pak choi")
    page.get_by_label("What you have").click()
    page.wait_for_timeout(1500)
    take(page, "sheet.png", full_page=True)
    page.goto(page.url.replace("/sheet", "/ground"))
    for width in ("200", "150"):
        page.get_by_role("button", name="Add bed").click()
        page.locator("#place-width").fill(width)
    page.get_by_label("What changes over it").select_option("shade")
    page.wait_for_timeout(1500)
    take(page, "ground.png", full_page=True)


def a_challenge(page: Page) -> None:
    """Called from the demo's chard, with slips of three gardens and the result of one."""
    page.goto("/trials/1/challenge")
    page.get_by_role("button", name="Call it").click()
    page.wait_for_url("**/challenges/*")
    key = page.url.rsplit("/", 1)[1]
    files = [
        a_file(f"{number}.json", "application/json", write_slip(key, says, 12 + 3 * number, bytes([number] * 32)))
        for number, says in enumerate(SLIPS, 1)
    ]
    files.append(a_file("result.zip", "application/zip", page.request.get("/trials/1/result.zip").body()))
    page.locator("#file").set_input_files(files)
    page.get_by_role("button", name="Take them in").click()
    page.wait_for_load_state("networkidle")
    take(page, "challenge.png")


def a_file(name: str, kind: str, content: bytes) -> FilePayload:
    return {"name": name, "mimeType": kind, "buffer": content}


def practised(page: Page) -> None:
    """A round before its envelope."""
    page.goto("/practice")
    page.get_by_role("button", name="First round").click()
    page.get_by_role("button", name="Open the envelope").wait_for()
    take(page, "practice.png")


if __name__ == "__main__":
    main(*sys.argv[1:3])
