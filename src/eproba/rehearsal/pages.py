"""Pages as a household meets them: a form filled in as it stands, and the lines that a page shows."""

import re
from collections.abc import Mapping
from html.parser import HTMLParser

from flask import Flask
from flask.testing import FlaskClient

KEY = re.compile(r'data-key="([^"]+)"')
UID = re.compile(r"^UID:(.+)@eproba\r?$", re.MULTILINE)


class Form(HTMLParser):
    """The fields of all forms of a page that have values, as a browser would send them."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.fields: dict[str, str] = {}
        self.select = ""
        self.feed(page)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        of = {name: value or "" for name, value in attrs}
        if tag == "select":
            self.select = of.get("name", "")
        elif tag == "option" and self.select and ("selected" in of or self.select not in self.fields):
            self.fields[self.select] = of.get("value", "")
        elif tag == "input" and of.get("name"):
            if of.get("type") in ("radio", "checkbox") and "checked" not in of:
                return
            self.fields[of["name"]] = of.get("value", "")


class Pages:
    """A browser without a window."""

    def __init__(self, app: Flask) -> None:
        self.browser = FlaskClient(app, use_cookies=True)

    def get(self, path: str) -> str:
        answer = self.browser.get(path)
        if answer.status_code != 200:
            raise RehearsalError(f"{path} answers {answer.status_code}")
        return answer.get_data(as_text=True)

    def post(self, path: str, fields: Mapping[str, str]) -> str:
        """Send a form; what the page says against it, empty where it was taken."""
        answer = self.browser.post(path, data=dict(fields))
        if answer.status_code in (302, 303):
            return ""
        said = re.search(r'role="alert">([^<]+)', answer.get_data(as_text=True))
        return said.group(1) if said else f"{path} answers {answer.status_code}"

    def fill_in(self, path: str, **changed: str) -> str:
        """Send the form of a page as it stands, but for what is changed."""
        return self.post(path, {**Form(self.get(path)).fields, **changed})

    def keys(self, path: str) -> list[str]:
        return [key for keys in KEY.findall(self.get(path)) for key in keys.split("|")]

    def uids(self, path: str) -> list[str]:
        """Of a calendar; long lines are folded in it."""
        text = self.browser.get(path).get_data(as_text=True).replace("\r\n ", "")
        return UID.findall(text)


class RehearsalError(Exception):
    """A page that does not answer as a page does."""
