"""Prices are entered once and kept with the day; What next and the report tell whether it is worth the money."""

from datetime import date

import pytest
from sqlmodel import Session

from eproba.core.applying.prices import HOUR, WATER, bought
from eproba.store.kit import household_kit
from tests.conftest import demo_garden
from tests.databases import TODAY
from tests.web.steps import text


def kept(app):
    with Session(app.extensions["engine"]) as session:
        return household_kit(session)


def paying(client):
    """What is told of money, without the keys that each page has of its own."""
    page = text(client, "/trials/1/next")
    return page[page.index("Is it worth the money?") :].split("</section>")[0]


@demo_garden
def test_prices_are_kept_with_their_day_and_old_trials_keep_theirs(client, app):
    page = text(client, "/prices")
    assert "Wool" in page
    assert "Whey" in page
    assert "per 1000 L" in page
    before = paying(client)
    assert "Comfrey steep" in before
    dearer = client.post("/prices", {"currency": "€", "price-whey": "4 € for 500 g", f"price-{WATER}": "3.10 for 10 L"})
    assert dearer.status_code == 302
    prices = sorted((price.what, price.on, price.value) for price in kept(app).priced if price.what in ("whey", WATER))
    assert prices == [
        (WATER, date(2026, 3, 21), 0.0025), (WATER, TODAY, pytest.approx(0.31)),
        ("whey", date(2026, 3, 21), 0.4), ("whey", TODAY, 8.0),
    ]  # fmt: skip
    assert paying(client) == before, "it is over: its days had other prices"
    client.post("/prices", {"currency": "€", f"price-{HOUR}": ""})
    assert HOUR not in kept(app).prices, "emptied: not known any more"


@demo_garden
def test_one_price_that_can_t_be_keeps_all_back_and_loses_nothing(client, app):
    priced = kept(app).priced
    refused = client.post("/prices", {"currency": "€", "price-whey": "4 $", "price-comfrey": "2.22"})
    page = refused.get_data(as_text=True)
    assert refused.status_code == 400
    assert "All prices are in € here; then write this one in it." in page
    assert 'value="4 $"' in page
    assert 'value="2.22"' in page
    assert kept(app).priced == priced
    assert client.post("/prices", {"currency": "pieces of eight"}).status_code == 400


@demo_garden
def test_a_price_means_what_it_was_typed_in(client, app):
    client.post("/prices", {"currency": "€", "price-whey": "1", "shown_in": "US"})
    assert kept(app).prices["whey"] == pytest.approx(1 / 0.45359237)
    client.post("/measures/units", {"system": "US"})
    assert "per 1000 gal" in text(client, "/prices")
    client.post("/prices", {"currency": "€", "shown_in": "US"})
    assert kept(app).prices["whey"] == pytest.approx(1 / 0.45359237), "what was not touched stays to the digit"


@demo_garden
def test_the_report_and_what_next_tell_the_cost_from_one_source(client):
    told, report = text(client, "/trials/1/next"), text(client, "/trials/1/report")
    cost = "Comfrey steep.</strong> It cost "
    assert cost in told
    assert cost in report
    start = told.index(cost)
    assert told[start : start + 120] == report[report.index(cost) :][:120]
    assert "promises no yields" in told


def test_without_prices_the_page_asks_for_them_and_tells_no_cost(client):
    assert bought("Wool") not in text(client, "/prices")
    assert "An hour of your work" in text(client, "/prices")
