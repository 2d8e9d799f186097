"""Every page in the household's units: none speaks of another kind, and what somebody typed stays as it was."""

import re
from html.parser import HTMLParser
from urllib.parse import urlsplit

import pytest
from sqlalchemy import text as sql

from tests.web.steps import fill, typed

NUMBER = r"(?:\d|[¼½¾])[\d.,]*[  ]"
METRIC = re.compile(
    rf"{NUMBER}(?:mm|cm|m|m²|cm²|mL|L|g|kg|°C|mm/h)(?![\w²°])(?! a g)|(?<!mol)/m²|square metre|\ba (?:litre|kg)\b"
)
US = re.compile(rf"{NUMBER}(?:ft|oz|lb|fl oz|qt|gal|sq ft|sq in|°F)(?!\w)|\ba (?:sq ft|gallon|lb)\b")
SPOKEN = ("aria-label", "alt", "title", "placeholder")
A_FILE = re.compile(r"\.\w+$|/(out|alone|message|result|xlsx|export)$")
SAME = re.compile(r"(?<=/)(?:\d+|[A-Z]\d+)(?=/|$)|(?<=/recipes/)[\w-]+(?=/copy)")


class Page(HTMLParser):
    """What a page says, and where it leads."""

    def __init__(self, html):
        super().__init__()
        self.html, self.said, self.links, self.silent = html, [], [], 0
        self.feed(html)

    def handle_starttag(self, tag, attrs):
        named = dict(attrs)
        self.silent += tag in ("script", "style", "textarea")
        self.said += [named[name] for name in SPOKEN if named.get(name)]
        address = named.get("href", "")
        if tag == "a" and address.startswith("/") and "download" not in named and not A_FILE.search(address):
            self.links.append(address)

    def handle_endtag(self, tag):
        self.silent -= tag in ("script", "style", "textarea")

    def handle_data(self, data):
        if not self.silent:
            self.said.append(data)

    @property
    def text(self):
        return " ".join(" ".join(self.said).split())


def kind_of(address, whole):
    """Pages of one kind about one trial: one of them is enough; of trials, where `whole`, each has its own."""
    path = urlsplit(address).path
    trial = re.match(r"/trials/\d+", path) if whole else None
    rest = path[trial.end() if trial else 0 :]
    return (trial[0] if trial else "") + SAME.sub("#", rest)


def every_page(client, whole):
    """All pages that links lead to, one of a kind, or one of a kind for each trial; and each trial's own page."""
    draft = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
    steps = ("measure", "treatments", "ground", "chance", "days", "rules", "deal")
    waiting, seen = ["/", "/trials", "/help", *(f"{draft}/{step}" for step in steps)], set()
    while waiting:
        address = waiting.pop()
        kind = address if re.fullmatch(r"/trials/\d+(/verdict)?", address) else kind_of(address, whole)
        if kind in seen or address.startswith("/static"):
            continue
        seen.add(kind)
        answer = client.get(address, follow_redirects=True)
        if answer.status_code == 200 and answer.mimetype == "text/html":
            page = Page(answer.get_data(as_text=True))
            waiting += page.links
            yield address, page


def own_words(app):
    """What was typed in this garden, the longest first."""
    asked = "SELECT name FROM trial UNION SELECT how FROM treatment UNION SELECT rules ->> 'handling' FROM trial"
    with app.extensions["engine"].connect() as connection:
        return sorted((row[0].rstrip(".") for row in connection.execute(sql(asked)) if row[0]), key=len, reverse=True)


@pytest.mark.parametrize("garden", ["demo", pytest.param("crowded", marks=pytest.mark.long)], indirect=True)
@pytest.mark.parametrize(
    ("system", "strange"), [("US", METRIC), pytest.param("metric", US, marks=pytest.mark.long)], ids=["US", "metric"]
)
def test_no_page_speaks_in_other_units(app, client, garden, long, system, strange):
    client.post("/measures/units", {"system": system})
    found, pages, typed = [], 0, own_words(app)
    for address, page in every_page(client, long):
        pages, text = pages + 1, page.text
        for own in typed:
            text = text.replace(own, " ")
        found += [f"{address}: …{text[max(0, m.start() - 45) : m.end() + 20]}…" for m in strange.finditer(text)]
    assert pages > (300 if long and garden == "crowded" else 90)
    assert found == []


IN_WORDS = {"said": "It is said to feed the soil.", "brew": "Stir.", "apply": "Pour."}


def switched(client, system):
    client.post("/measures/units", {"system": system})


def test_what_was_typed_before_the_units_were_changed_keeps_its_meaning(client, draft):
    switched(client, "US")
    fill(client, draft, "claim", claim="Nettle steep makes chard taller.", name="Nettle on chard")
    fill(client, draft, "measure", scale="difference", worth="2")
    fill(client, draft, "ground", guard_cm="4", least_width_cm="12 in", least_length_cm="1 ft")
    dose = {"treatments-0-name": "Wool", "treatments-0-dose": "m2", "treatments-0-amount": "3"}
    fill(client, draft, "treatments", **dose, **{"treatments-0-unit": "oz"})
    switched(client, "metric")
    ground = typed(client, f"{draft}/ground")
    assert (ground["guard_cm"], ground["least_width_cm"], ground["least_length_cm"]) == ("10.16", "12 in", "1 ft")
    assert typed(client, f"{draft}/measure")["worth"] == "5.08"
    row = typed(client, f"{draft}/treatments")
    assert (row["treatments-0-amount"], row["treatments-0-unit"]) == ("32.29", "oz"), "on a square metre now"
    fill(client, draft, "ground", guard_cm="50 mm")
    switched(client, "US")
    ground = typed(client, f"{draft}/ground")
    assert (ground["guard_cm"], ground["least_width_cm"]) == ("50 mm", "12 in")


def test_a_form_is_read_in_the_units_it_was_shown_in(client):
    switched(client, "US")
    form = typed(client, "/batches/new?recipe=sugar-ferment")
    assert form["shown_in"] == "US"
    switched(client, "metric")
    used = {"amounts-of": "sugar-ferment", "amount-jaggery": "2"}
    batch = client.post("/batches/new", {**form, **used, "litres": "5", "temperature": "68"}).headers["Location"]
    page = Page(client.get(batch).get_data(as_text=True)).text
    assert "18.9 of 18.9 L" in page
    assert "20 °C" in page
    assert "Otherwise than the recipe" not in page, "what the recipe says is no difference"
    wrong = client.post("/batches/new", {**form, "litres": "5 kg"}).get_data(as_text=True)
    assert "“kg” does not fit here: write L." in wrong
    assert 'value="5 kg"' in wrong


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"temperature_low": "80", "temperature_high": "70"}, "The temperatures go from lower to higher"),
        ({"yields": "5 s"}, "“s” does not fit here: write gal."),
        ({"portions-0-amount": "2 stone"}, "“stone” does not fit here: choose one of the units beside it."),
        ({"temperature_low": "-40", "temperature_high": "70"}, "-40 °F doesn’t fit: give 23 °F to 176 °F."),
    ],
)
def test_an_own_recipe_that_can_not_be_is_told_in_its_units(client, change, said):
    switched(client, "US")
    form = typed(client, "/recipes/comfrey-steep/copy")
    assert form["portions-0-unit"] in ("lb", "gal")
    page = client.post("/recipes/comfrey-steep/copy", {**form, **IN_WORDS, **change})
    assert page.status_code == 400
    assert said in page.get_data(as_text=True)
    assert all(f'value="{typed}"' in page.get_data(as_text=True) for typed in change.values()), "nothing typed is lost"


def test_an_own_recipe_is_typed_in_kitchen_measures_and_kept_in_units_that_nobody_mistakes(client, app):
    switched(client, "US")
    form = typed(client, "/recipes/molasses-water/copy")
    change = {"title": "Sweet water", "portions-0-amount": "2 cup", "yields": "1", "rate": "12"}
    address = client.post("/recipes/molasses-water/copy", {**form, **IN_WORDS, **change}).headers["Location"]
    with app.extensions["engine"].connect() as connection:
        (entry,) = connection.execute(sql("SELECT entry FROM own_recipe")).one()
    assert (entry["portions"][0]["amount"], entry["portions"][0]["unit"]) == (2, "US cup")
    assert entry["yields"] == pytest.approx(3.785, abs=0.001)
    assert entry["rate"][1] == pytest.approx(12 * 0.31832, rel=0.001), "fl oz a square foot as L/m²"
    assert "2 cup" in Page(client.get(address).get_data(as_text=True)).text
    switched(client, "metric")
    assert "2 US cup" in Page(client.get(address).get_data(as_text=True)).text
