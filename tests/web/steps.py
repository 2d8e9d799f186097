"""Going through the steps of a new trial as a browser would."""

import json
import re
from html import unescape

BEDS = json.dumps(
    {
        "places": [
            {"kind": "bed", "name": "Left", "x_cm": 0, "y_cm": 0, "width_cm": 200, "length_cm": 100},
            {"kind": "bed", "name": "Right", "x_cm": 240, "y_cm": 0, "width_cm": 200, "length_cm": 100},
        ]
    }
)


def typed(client, address):
    """What the form of a step holds, as a browser would send it back."""
    page = client.get(address).get_data(as_text=True)
    fields = dict(
        re.findall(
            r'<input[^>]*\bname="([\w-]+)"[^>]*\bvalue="([^"]*)"',
            re.sub(r"<input[^>]*type=\"(radio|checkbox)\"[^>]*>", "", page),
        )
    )
    ticked: dict[str, list[str]] = {}
    for tag in re.findall(r"<input[^>]*\bchecked\b[^>]*>", page):
        ticked.setdefault(re.search(r'name="([\w-]+)"', tag).group(1), []).append(
            re.search(r'value="([^"]*)"', tag).group(1)
        )
    fields |= {name: values[0] if len(values) == 1 else values for name, values in ticked.items()}
    for name, body in re.findall(r'<select[^>]*name="([\w-]+)"[^>]*>(.*?)</select>', page, re.S):
        chosen = re.search(r'<option selected value="([^"]*)"', body) or re.search(r'value="([^"]*)"', body)
        fields[name] = chosen.group(1) or fields.get(name, "")
    areas = re.findall(r'<textarea[^>]*name="([\w-]+)"[^>]*>(.*?)</textarea>', page, re.S)
    fields |= {name: written.strip() for name, written in areas}
    return {k: unescape(v) if isinstance(v, str) else v for k, v in fields.items() if k not in ("csrf_token", "go")}


def fill(client, draft, step, go="next", **changes):
    return client.post(f"{draft}/{step}", {**typed(client, f"{draft}/{step}"), **changes, "go": go})


def planned(client, draft):
    fill(client, draft, "claim", claim="Nettle steep makes chard taller.", name="Nettle on chard")
    fill(client, draft, "measure")
    return fill(client, draft, "treatments", **{"treatments-0-name": "Nettle steep"})


def text(client, path, **more):
    return client.get(path, **more).get_data(as_text=True)


def dealt(client, draft, **ground):
    """A trial planned with the common answers and this ground; returns its address."""
    planned(client, draft)
    fill(client, draft, "ground", **ground)
    return client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]


def pots(columns, rows=1):
    size = {"width_cm": 30 * columns, "length_cm": 30 * rows, "columns": columns, "rows": rows}
    return json.dumps({"places": [{"kind": "pots", "name": "Pots", "x_cm": 0, "y_cm": 0, **size}]})


def places(*rows):
    names = ("kind", "x_cm", "y_cm", "width_cm", "length_cm", "rows", "columns")
    drawn = [{"name": f"{row[0]} {i}", **dict(zip(names, row, strict=False))} for i, row in enumerate(rows, 1)]
    return {"places": json.dumps({"places": drawn}), "auto": ""}


def begun(client, name, compared="drench", thing="", **claim):
    """A draft whose kind was chosen, with what the kind proposes."""
    draft = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
    fill(client, draft, "claim", go="stay", compared=compared, thing=thing)
    assert fill(client, draft, "claim", name=name, **claim).headers["Location"].endswith("/measure")
    return draft


def rows(client, draft, *treatments):
    """Each row of treatments as wished, with as many rows as there are wishes."""
    for _ in range(len(treatments) - 2):
        fill(client, draft, "treatments", go="add")
    wished = {f"treatments-{i}-{k}": v for i, row in enumerate(treatments) for k, v in row.items()}
    return fill(client, draft, "treatments", **wished)


def sown(client, draft):
    """A blind trial of seedlings that are thinned, with a laboratory's answer; returns its address."""
    planned(client, draft)
    fill(client, draft, "measure", also=["first_seedling", "laboratory", "breathing"])
    fill(client, draft, "treatments", blind="y")
    fill(client, draft, "rules", seeds="5", plants="2", thin_on="10", replace_until="7")
    return client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]


def declared(client, draft):
    """The trial of this plan, dealt and declared; returns its address."""
    made = client.post(f"{draft}/deal", {"go": "deal"})
    assert re.match(r"/trials/\d+\?dealt=1", made.headers.get("Location", "")), made.headers
    trial = made.headers["Location"].split("?")[0]
    client.post(f"{trial}/declare")
    return trial


def new_batch(client, recipe="sugar-ferment", litres="2", **more):
    form = {"recipe": recipe, "litres": litres, "start": "now", "water": "rain", "place": "shed", "name": "", **more}
    made = client.post("/batches/new", form)
    return made.headers["Location"] if made.status_code == 302 else made
