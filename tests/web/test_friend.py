"""What one tells a friend, played in the browser from the demo garden: money, a second look, a guess, a challenge."""

import pytest
from sqlmodel import Session

from eproba.standins.demo_pictures import add_demo_pictures
from tests.conftest import demo_garden


@pytest.mark.long
@demo_garden
def test_from_prices_to_a_challenge(page, app):
    with Session(app.extensions["engine"]) as session:
        add_demo_pictures(session)
    page.goto("/prices")
    page.get_by_label("An hour of your work").fill("9 €")
    page.get_by_role("button", name="Save").click()
    page.get_by_text("These prices hold from today").wait_for()
    page.goto("/trials/1")
    page.get_by_role("link", name="Day by day").click()
    page.wait_for_url("**/strip")
    assert page.locator(".strip-frames img").count() == 14
    moving = page.get_by_role("link", name="As a moving picture").get_attribute("href")
    assert page.request.get(moving).headers["content-type"] == "image/webp"
    page.goto("/trials/1/next")
    assert "It cost" in page.locator("#paying").inner_text()
    page.locator("#lasting").get_by_role("link", name="Look again").click()
    page.get_by_role("button", name="Look again").click()
    page.get_by_role("alert").get_by_text("Say that the pots are still as they were.").wait_for()
    page.get_by_label("The pots are still as they were").check()
    page.keyboard.press("Tab")
    page.get_by_role("button", name="Look again").press("Enter")
    page.get_by_text("The same pots and lots as").wait_for()
    page.goto("/trials/1/for-others")
    page.get_by_role("link", name="Call a challenge").click()
    page.get_by_role("button", name="Call it").click()
    page.get_by_text("No garden has written yet.").wait_for()
    with page.expect_download() as slip:
        page.get_by_role("link", name="Slip: we take part").click()
    page.locator("#file").set_input_files(slip.value.path())
    page.get_by_role("button", name="Take them in").click()
    page.get_by_text("1 garden took part, 0 sent an answer so far").wait_for()


@demo_garden
def test_on_the_phone_a_guess_takes_two_taps(phone, app):
    with app.extensions["engine"].begin() as connection:
        connection.exec_driver_sql("UPDATE trial SET closed_at = NULL WHERE id = 1")
    with Session(app.extensions["engine"]) as session:
        add_demo_pictures(session)
    phone.goto("/trials/1/strip")
    assert "Comfrey steep" not in phone.locator("main").inner_text()
    phone.get_by_label("Row 2").tap()
    phone.get_by_role("button", name="Say it now").tap()
    phone.get_by_text("The verdict will tell whether you were right.").first.wait_for()
    assert phone.evaluate("document.documentElement.scrollWidth") <= 390
