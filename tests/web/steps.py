"""Going through the steps of a new trial as a browser would."""

import re
from html import unescape


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
        fields[name] = chosen.group(1)
    return {k: unescape(v) if isinstance(v, str) else v for k, v in fields.items() if k not in ("csrf_token", "go")}


def fill(client, draft, step, go="next", **changes):
    return client.post(f"{draft}/{step}", {**typed(client, f"{draft}/{step}"), **changes, "go": go})


def planned(client, draft):
    fill(client, draft, "claim", claim="Nettle steep makes chard taller.", name="Nettle on chard")
    fill(client, draft, "measure")
    return fill(client, draft, "treatments", **{"treatments-0-name": "Nettle steep"})
