"""Measures of one's own: made, used, and kept while they are used."""

import re
from io import BytesIO

from eproba.standins.pictures import jpeg, scene
from tests.conftest import demo_garden
from tests.web.steps import text, typed


@demo_garden
def test_own_measures_are_made_used_and_kept_while_used(client):
    form = {**typed(client, "/measures"), "name": "Flowers {open}", "unit": "flowers", "high": "50", "how": "Count"}
    assert "can now be measured" in client.post("/measures", form, follow_redirects=True).get_data(as_text=True)
    assert "a measure named" in client.post("/measures", form).get_data(as_text=True)
    no_unit = client.post("/measures", {**form, "name": "Other", "unit": ""})
    assert "Each number has a unit: cm, flowers, points." in no_unit.get_data(as_text=True)
    no_levels = client.post("/measures", {**form, "name": "Vigour", "kind": "score", "levels": "weak"})
    assert "Write 2 to 9 levels, the lowest first, one a line." in no_levels.get_data(as_text=True)
    vigour = {**form, "name": "Vigour", "kind": "score", "levels": "weak\nfair\nstrong", "unit": ""}
    assert "3 levels" in client.post("/measures", vigour, follow_redirects=True).get_data(as_text=True)
    with_picture = {**form, "name": "Buds", "picture": (BytesIO(b"no picture"), "how.jpg")}
    assert "This is no picture that can be read" in client.post("/measures", with_picture).text
    with_picture["picture"] = (BytesIO(jpeg(scene(0.1)[0])), "how.jpg")
    page = client.post("/measures", with_picture, follow_redirects=True).text
    address = re.search(r'src="(/measures/own_\w+/how.jpg)"', page)
    assert client.get(address.group(1)).data[:2] == b"\xff\xd8"
    assert client.get("/measures/plant_height/how.jpg").status_code == 404
    wrong = client.post("/measures", {**form, "name": "Other", "high": "0"})
    assert "from a lower to a higher number" in wrong.get_data(as_text=True)
    key = re.search(r"Flowers \{open\}.*?/measures/(own_\w+)/delete", text(client, "/measures")).group(1)
    draft = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
    assert f'value="{key}"' in text(client, f"{draft}/measure")
    client.post(f"/measures/{key}/delete")
    assert "Flowers {open}" not in text(client, "/measures")
