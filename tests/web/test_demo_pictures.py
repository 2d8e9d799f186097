"""The demo's pictures are drawn so that the strip can be tried at once: three pots, five days, one missing."""

from sqlmodel import Session

from eproba.exchange.photo_out import look
from eproba.standins.demo_pictures import add_demo_pictures
from eproba.store.pictures import picture_of, shots_of
from tests.conftest import demo_garden
from tests.web.steps import text


@demo_garden
def test_the_demo_shows_three_pots_day_by_day(client, app):
    with Session(app.extensions["engine"]) as session:
        add_demo_pictures(session)
        shots = shots_of(session, 1)
        seen = look(picture_of(session, 1, shots[-1].id).jpeg)
    assert len(shots) == 14
    assert seen.tag is not None, "its tag can be read as one of a phone’s picture"
    page = text(client, "/trials/1/strip")
    assert page.count("<img") == 14
    assert page.count("no picture") == 1
    assert 'href="/trials/1/strip">Day by day</a>' in text(client, "/trials/1")
