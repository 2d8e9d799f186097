"""Take the pictures of the main views again, from a running demo: python docs/screenshots/take.py http://127.0.0.1:8710

Run it with the virtual environment's Python after `./eproba demo`; then open each picture and look at it.
"""

import sys
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright

from eproba.start.workbench import CHROMIUM

HERE = Path(__file__).parent
LAPTOP, PHONE = (1280, 800), (390, 844)
VIEWS = {
    "today": ("/", LAPTOP),
    "today-phone": ("/", PHONE),
    "trials": ("/trials", LAPTOP),
    "trial": ("/trials/5", LAPTOP),
    "verdict": ("/trials/1/verdict", LAPTOP),
    "readings": ("/trials/1/readings", LAPTOP),
    "tags": ("/trials/1/tags", LAPTOP),
    "calendar": ("/calendar", LAPTOP),
    "recipes": ("/recipes/compare?family=rice+water", LAPTOP),
    "batch": ("/batches/3", LAPTOP),
    "label": ("/batches/3/label", LAPTOP),
    "mixing": ("/trials/1/mix", LAPTOP),
    "shelf": ("/shelf", LAPTOP),
    "pour-phone": ("/trials/5/pours/7", PHONE),
}


def main(base: str) -> None:
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
        the_household(browser, base)
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
    page.screenshot(path=HERE / "claim.png")
    for step in ("measure", "treatments", "ground"):
        page.get_by_role("button", name="Next").click()
        page.wait_for_url(f"**/{step}")
    for _ in range(2):
        page.get_by_role("button", name="Add bed").click()
    page.get_by_label("What changes over it").select_option("shade")
    page.wait_for_timeout(1500)
    page.screenshot(path=HERE / "ground.png", full_page=True)
    page.get_by_role("button", name="Next").click()
    page.wait_for_url("**/chance")
    page.wait_for_timeout(500)
    page.screenshot(path=HERE / "chance.png")


if __name__ == "__main__":
    main(sys.argv[1])
