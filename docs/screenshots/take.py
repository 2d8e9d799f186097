"""Take the pictures of the main views again: take.py http://127.0.0.1:8710 http://127.0.0.1:8711

Run it with the virtual environment's Python and PYTHONPATH=src after `./eproba demo` and, in another EPROBA_HOME,
`./eproba demo --crowded` (for overdue work); then open each picture and look at it.
"""

import sys
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright

from eproba.start.workbench import CHROMIUM

HERE = Path(__file__).parent
LAPTOP, PHONE = (1280, 800), (390, 844)
VIEWS = {
    "today-phone": ("/", PHONE),
    "trials": ("/trials", LAPTOP),
    "trial": ("/trials/5", LAPTOP),
    "verdict": ("/trials/1/verdict", LAPTOP),
    "tags": ("/trials/1/tags", LAPTOP),
    "calendar-phone": ("/calendar", PHONE),
    "recipes": ("/recipes/compare?family=rice+water", LAPTOP),
    "batch": ("/batches/3", LAPTOP),
    "label": ("/batches/3/label", LAPTOP),
    "mixing": ("/trials/1/mix", LAPTOP),
    "shelf": ("/shelf", LAPTOP),
    "pour-phone": ("/trials/5/pours/7", PHONE),
}


def main(base: str, crowded: str) -> None:
    flags = ["--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking"]
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=flags)
        for name, (path, (width, height)) in VIEWS.items():
            page = browser.new_page(base_url=base, viewport={"width": width, "height": height})
            page.goto(path, wait_until="networkidle")
            page.screenshot(path=HERE / f"{name}.png")
            page.close()
        a_round(browser.new_page(base_url=base, viewport={"width": PHONE[0], "height": PHONE[1]}))
        a_plan(browser.new_page(base_url=base, viewport={"width": LAPTOP[0], "height": LAPTOP[1]}))
        a_ladder(browser.new_page(base_url=base, viewport={"width": LAPTOP[0], "height": LAPTOP[1]}))
        the_household(browser, base)
        late = browser.new_page(base_url=crowded, viewport={"width": LAPTOP[0], "height": 1500})
        late.goto("/", wait_until="networkidle")
        late.screenshot(path=HERE / "today.png")
        browser.close()


def a_round(page: Page) -> None:
    """In the middle of a round, with last time shown."""
    page.goto("/trials/2")
    page.locator("main [data-due]").first.click()
    page.wait_for_selector("#typed")
    for number in ("6,8", "7,1", "3"):
        page.locator("#typed").fill(number)
        page.keyboard.press("Enter")
    page.get_by_role("button", name="Last time").click()
    page.wait_for_timeout(800)
    page.screenshot(path=HERE / "round-phone.png")


def the_household(browser: Browser, base: str) -> None:
    """Three devices."""
    for who, (width, height) in (("Ilse", PHONE), ("Mo", LAPTOP), ("Ada", PHONE)):
        page = browser.new_context(base_url=base, viewport={"width": width, "height": height}).new_page()
        page.goto("/who")
        page.get_by_label("Who types here?").fill(who)
        page.get_by_role("button", name="Keep").click()
        page.goto("/devices")
        if who == "Mo":
            page.screenshot(path=HERE / "devices.png")


def a_plan(page: Page) -> None:
    """The claim, the ground with its proposals, and the chance."""
    page.goto("/")
    page.keyboard.press("n")
    page.wait_for_url("**/claim")
    page.get_by_label("What is tried").fill("Comfrey steep")
    page.get_by_label("A short name").fill("Comfrey on pak choi")
    page.wait_for_timeout(800)
    page.screenshot(path=HERE / "claim.png", full_page=True)
    for step in ("measure", "treatments", "ground"):
        page.get_by_role("button", name="Next").click()
        page.wait_for_url(f"**/{step}")
    for width in ("200", "150"):
        page.get_by_role("button", name="Add bed").click()
        page.locator("#place-width").fill(width)
    page.get_by_label("What changes over it").select_option("shade")
    page.wait_for_timeout(1500)
    page.screenshot(path=HERE / "ground.png", full_page=True)
    page.get_by_role("button", name="Next").click()
    page.wait_for_url("**/chance")
    page.wait_for_timeout(500)
    page.screenshot(path=HERE / "chance.png", full_page=True)


def a_ladder(page: Page) -> None:
    """Three strengths of molasses every week, compost once, and nothing at all: one trial."""
    page.goto("/")
    page.keyboard.press("n")
    page.wait_for_url("**/claim")
    page.get_by_label("What is tried").fill("Molasses")
    page.get_by_label("A short name").fill("Molasses or compost")
    page.get_by_role("button", name="Next").click()
    page.wait_for_url("**/measure")
    page.get_by_role("button", name="Next").click()
    page.wait_for_url("**/treatments")
    page.get_by_label("Recipe").first.select_option("molasses-water")
    page.get_by_label("How often").first.select_option("recipe")
    page.get_by_label("A ladder of").select_option("litre")
    page.get_by_role("button", name="Make the first one a ladder").click()
    page.get_by_role("button", name="Add a treatment").click()
    last = page.get_by_role("group", name="Treatment E")
    last.get_by_label("Name").fill("Compost")
    last.get_by_label("Recipe").select_option("compost-top-dressing")
    last.get_by_label("How much").select_option("recipe")
    last.get_by_label("How often").select_option("once")
    page.wait_for_timeout(2000)  # it is kept while it is typed
    page.reload(wait_until="networkidle")
    page.screenshot(path=HERE / "treatments.png", full_page=True)


if __name__ == "__main__":
    main(*sys.argv[1:3])
