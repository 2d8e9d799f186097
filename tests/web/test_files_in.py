"""What comes in by file: read no further than its limits, built and judged before it is kept, a change told."""

import io
import json
import re
import threading
import zipfile

import pytest
from openpyxl import Workbook
from PIL import Image
from sqlalchemy import text as sql

from eproba.exchange import limits
from eproba.exchange.data_package import PackageError, read_package
from eproba.exchange.readings_xlsx import rows_of_workbook
from eproba.exchange.seal import SEAL
from eproba.exchange.table import TableError
from tests.conftest import Client, demo_garden
from tests.web.steps import text
from tests.web.test_packages import packed, take

# --- A package ------------------------------------------------------------------------------------------------------


@pytest.fixture
def package(client):
    return client.get("/trials/1/package.zip").data


def taken_elsewhere(client, elsewhere, content):
    """The page on which a garden that knows nothing of it says what it took in."""
    with elsewhere():
        return take(client, content).get_data(as_text=True)


@demo_garden
def test_a_seal_tells_unchanged_changed_and_unsigned_and_no_more(client, elsewhere, package):
    said = taken_elsewhere(client, elsewhere, package)
    key = re.search(r"unchanged since the garden with the key ((?:[0-9A-F]{4}-?){4}) wrote it", said)[1]
    with zipfile.ZipFile(io.BytesIO(package)) as opened:
        told = json.loads(opened.read("datapackage.json"))
    assert key not in json.dumps(told), "a key's name is made from the key, not from what the file says"

    def with_sums_redone(name, change):
        """A value changed, and every sum of the descriptor made anew: as somebody would who knows the format."""
        bare = {**told, "resources": [{k: v for k, v in r.items() if k != "hash"} for r in told["resources"]]}
        return packed(package, **{name: change}, datapackage=lambda _: json.dumps(bare))

    forged = with_sums_redone("readings", lambda t: re.sub(r",5\.\d", ",9.9", t))
    assert f"was changed after the garden with the key {key} signed it." in read_package(forged).seal.words
    for stripped in (packed(package, seal=lambda _: None), packed(package, seal=lambda _: "{}")):
        assert read_package(stripped).seal.state == "unsigned"
    with_more = io.BytesIO(package)
    with zipfile.ZipFile(with_more, "a") as opened:
        opened.writestr("pictures/more.jpg", b"x")
    assert read_package(with_more.getvalue()).seal.state == "changed"
    assert SEAL in zipfile.ZipFile(io.BytesIO(package)).namelist()


@demo_garden
def test_a_changed_seal_alone_limits_the_verdict(client, elsewhere, package):
    forged = packed(package, datapackage=lambda t: t.replace('"title": "', '"title": "Another '))
    with elsewhere():
        came = take(client, forged)
        assert "Something is not as it was written: what came in bears that mark." in came.get_data(as_text=True)
        number = re.search(r"/trials/(\d+)$", came.request.path)[1]
        assert "was changed after it was written (signature)" in text(client, f"/trials/{number}/verdict")


@demo_garden
def test_a_package_that_can_t_be_judged_is_never_kept(app, client, elsewhere, package):
    broken = packed(package, trials=lambda t: t.replace(",mean,", ",nonsense,").replace(",last,", ",nonsense,"))
    with elsewhere() as there, there.connect() as connection:
        refused = take(client, broken)
        assert refused.status_code == 400
        assert client.get("/trials").status_code == 200
        assert connection.scalar(sql("SELECT count(*) FROM trial")) == 0


@demo_garden
@pytest.mark.parametrize("fault", ["control = 'Z'", 'declaration = \'{"worth": "x"}\'', 'rules = \'{"level": "x"}\''])
def test_one_trial_that_can_t_be_read_takes_no_list_with_it(app, client, fault):
    with app.extensions["engine"].begin() as connection:
        connection.execute(sql(f"UPDATE trial SET {fault} WHERE id = 3"))
        connection.execute(sql("DELETE FROM finding"))
    page = client.get("/trials")
    assert (page.status_code, "Wool mulch" in page.text) == (200, True)
    assert "can’t be read" in page.text or "can’t be judged" in page.text or fault.startswith("declaration")
    assert client.get("/").status_code == 200


def zipped(**files):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as package:
        for name, content in files.items():
            package.writestr(name.replace("__", "/").replace("_csv", ".csv").replace("_json", ".json"), content)
    return out.getvalue()


def test_a_small_package_with_a_huge_table_is_cut_off(monkeypatch):
    schema = {"fields": [{"name": "id", "type": "integer"}]}
    tables = [{"name": name, "path": f"data/{name}.csv", "schema": schema} for name in ("trials", "units")]
    told = json.dumps({"format": "eproba-package-1", "resources": tables})
    half = b"id\n" + (b"1" * 999 + b"\n") * (6 * limits.MOST_BYTES // 10_000)
    with pytest.raises(PackageError, match=r"data/trials\.csv is too large: up to 20 MB of it"):
        read_package(
            zipped(datapackage_json=told, data__trials_csv=b"1" * (limits.MOST_BYTES + 1), data__units_csv=b"id\n")
        )
    with pytest.raises(PackageError, match=r"data/units\.csv is too large"):
        read_package(zipped(datapackage_json=told, data__trials_csv=half, data__units_csv=half))
    monkeypatch.setattr("eproba.exchange.data_package.MOST_PACKAGE_BYTES", 5 * limits.MEGABYTE)
    with pytest.raises(PackageError, match="This package is too large: up to 5 MB fit"):
        read_package(zipped(datapackage_json=told, more=b"\0" * 5 * limits.MEGABYTE))


# --- Workbooks ------------------------------------------------------------------------------------------------------


@pytest.fixture
def trial():
    from eproba.core.catalogue import measures
    from tests.core.cases import small_trial

    return small_trial(measures(), first="plant_height")


def saved(book):
    kept = io.BytesIO()
    book.save(kept)
    return kept.getvalue()


def test_a_workbook_of_a_million_rows_is_cut_off(trial):
    far = Workbook()
    far.active.title = "Day 14"
    far.active["A1048576"] = "P0"
    with pytest.raises(TableError, match="up to 100 000 cells are read"):
        rows_of_workbook(saved(far), trial)
    texts = zipped(**{"xl__sharedStrings.xml": b" " * (limits.MOST_TEXTS + 1), "xl__worksheets__sheets__s.xml": b""})
    with pytest.raises(TableError, match="the workbook is too large: 20 MB are taken"):
        rows_of_workbook(texts, trial)


def ods(rows):
    """An OpenDocument workbook with one sheet of these rows of XML."""
    names = " ".join(f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"'
                     for name in ("office", "table", "text"))  # fmt: skip
    content = f'<office:document-content {names}><table:table table:name="Day 14">{rows}</table:table>'
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as book:
        book.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        book.writestr("content.xml", f"{content}</office:document-content>", zipfile.ZIP_DEFLATED)
    return out.getvalue()


def cell(text, more="", times=1):
    return (
        f'<table:table-cell table:number-columns-repeated="{times}" {more}><text:p>{text}</text:p></table:table-cell>'
    )


def row(*cells, times=1):
    return f'<table:table-row table:number-rows-repeated="{times}">{"".join(cells)}</table:table-row>'


HEADER = row(cell("unit"), cell("Plant height (cm)"))


def test_an_ods_workbook_is_read_and_its_unknown_formulas_are_told(trial):
    day = 'office:value-type="date" office:date-value="2026-05-31T00:00:00"'
    book = ods(
        row(cell("unit"), cell("Plant height (cm)"), cell("read on"))
        + row(cell("P0"), cell("12,5 cm", 'office:value="12.5"'), cell("31.5.", day))
        + row(cell("P1"), '<table:table-cell table:formula="of:=1+1"/>')
        + row('<table:table-cell table:number-columns-repeated="16384"/>', times=1048576)
    )  # fmt: skip
    rows = rows_of_workbook(book, trial).splitlines()
    assert ",P0,Plant height,1,12.5,2026-05-31," in rows[1]
    assert "formula without a value" in rows[2]
    assert len(rows) == 3
    for bomb in (row(cell("x", times=99_999_999)), row(cell("x"), times=99_999_999)):
        with pytest.raises(TableError, match="up to 100 000 cells are read"):
            rows_of_workbook(ods(HEADER + bomb), trial)
    with pytest.raises(TableError, match="can’t be opened"):
        rows_of_workbook(ods("<broken"), trial)


def test_the_import_page_names_every_unit(client, draft):
    from tests.web.steps import planned

    planned(client, draft)
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    page = text(client, f"{trial}/readings/import")
    assert "This trial’s units: P1 to P12. Its measures" in page, "by their numbers, not by the way one walks"
    other = client.post(f"{trial}/readings/import", {"text": "day;unit;measure;value\n0;Q9;plant_height;12\n"})
    assert "no unit “Q9” in this trial; its units are P1 to P12" in other.text
    assert "Up to 20 MB." in page


@demo_garden
def test_a_picture_of_too_many_pixels_is_refused_by_its_head(client):
    huge = io.BytesIO()
    Image.new("1", (8900, 8900)).save(huge, "PNG")
    answer = client.post("/trials/2/photos", {"file": [(io.BytesIO(huge.getvalue()), "a.png")]}, follow_redirects=True)
    assert "too many pixels: take a smaller one, up to 25 megapixels" in answer.text


# --- No fault of ours -----------------------------------------------------------------------------------------------


def at_once(count, send):
    codes = [0] * count

    def one(number):
        codes[number] = send(number)

    threads = [threading.Thread(target=one, args=(number,)) for number in range(count)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return codes


@demo_garden
def test_what_used_to_be_a_fault_of_ours(app, client):
    app.config["WTF_CSRF_ENABLED"] = False
    try:
        for address in ("/trials/1/pours/1000000000", "/trials/1/pours/99999999999999999999"):
            assert client.get(address).status_code == 404, address
        client.post("/meters", {"name": "Probe", "unit": "°C", "measure": ""})
        bearer = {"Authorization": re.search(r"Bearer [\w-]+", text(client, "/meters"))[0]}
        for body in ('{"value": ' + "9" * 400 + "}", '{"value": NaN}', '{"value": -Infinity}', '{"value": 1e300}'):
            answer = client.plain.post("/meters/value", data=body, headers=bearer, content_type="application/json",
                                       base_url="http://localhost")  # fmt: skip
            assert answer.status_code == 400, body[:20]
        systems = at_once(6, lambda _: Client(app).post("/measures/units", {"system": "US"}).status_code)
        assert systems == [302] * 6
        meter = {"name": "Scale", "unit": "g", "measure": ""}
        assert sorted(at_once(4, lambda _: Client(app).post("/meters", meter).status_code)) == [302, 400, 400, 400]
    finally:
        app.config["WTF_CSRF_ENABLED"] = True


@demo_garden
def test_a_plan_file_with_what_can_t_be_kept_is_refused(client):
    plan = client.get("/trials/1/plan.json").text
    for bad in ("NaN", "Infinity", "1e999", '"\\ud800"', '"\\u0000"', "9" * 400):
        content = re.sub(r'(?<="worth": )[\d.]+', lambda _, bad=bad: bad, plan, count=1)
        assert content != plan
        refused = take(client, content.encode(), "plan.json")
        assert (refused.status_code, "This is no plan" in refused.text or "can’t be" in refused.text) == (400, True), (
            bad
        )


def test_an_integrity_error_is_answered_once_for_all(app, client, monkeypatch):
    from sqlalchemy.exc import IntegrityError

    def overtaken():
        raise IntegrityError("", {}, Exception("duplicate key value violates unique constraint"))

    monkeypatch.setattr("eproba.web.measures.views.commit", overtaken)
    answer = client.post("/measures/units", {"system": "US"})
    assert answer.status_code == 409
    assert "Somebody else was quicker" in answer.text
    assert "duplicate key" not in answer.text


def test_a_typed_address_starts_a_plan_and_goes_on_with_it(client):
    first = client.get("/trials/new").headers["Location"]
    assert client.get(first).status_code == 200
    assert client.get("/trials/new").headers["Location"] == first, "nothing was typed in it yet"
    client.post(first, {"claim": "It helps.", "name": "Mine", "go": "next"})
    assert client.get("/trials/new").headers["Location"] != first
