"""What every page leans on: whether the app is well, a fresh token, help, and what honesty means here."""

import re

from tests.web.steps import text


def test_health_names_the_app_and_its_store(client):
    assert client.get("/health").get_json()["app"] == "eproba"
    assert client.get("/health").status_code == 200


def test_a_token_is_fresh_for_whoever_asks_and_lets_a_form_in(client):
    token = client.get("/token").get_json()["token"]
    refused = client.plain.post("/who", base_url="http://localhost", data={"who": "Ben"})
    let_in = client.plain.post("/who", base_url="http://localhost", data={"who": "Ben", "csrf_token": token})
    assert (refused.status_code, let_in.status_code) == (400, 302)


def test_help_leads_to_what_honesty_means_and_that_tells_how_often(client):
    assert "/help/honesty" in text(client, "/help")
    page = text(client, "/help/honesty")
    assert page.index('<svg class="honesty-dots"') < page.index("95 in 100 are meant"), "the picture comes first"
    dots = re.findall(r"<circle class=.(within|beyond)-bar", page)
    assert len(dots) == page.count("<tr>") - 1, "a dot for each line of the table"
    assert dots.count("beyond") == page.count("(!)")
