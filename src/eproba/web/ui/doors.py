"""The door: which names lead here, what a browser may do with our pages, and https where a proxy speaks it."""

import ipaddress
import socket
from functools import cache
from urllib.parse import urlsplit

from flask import Flask, Response, current_app, redirect, request
from flask.typing import ResponseReturnValue
from werkzeug.exceptions import SecurityError
from werkzeug.middleware.proxy_fix import ProxyFix

from eproba.web.settings import Settings

# The <style> that Observable Plot puts into its charts (class name "course-chart"); a test keeps this hash true.
PLOT_STYLE = "'sha256-ZeFkfxIZev6K5/NjjdKWZc4jP48gDvPUy6WI9d/N88k='"
POLICY = {
    "default-src": "'self'",
    "script-src": "'self'",
    "style-src": f"'self' {PLOT_STYLE}",
    "img-src": "'self' data:",
    "object-src": "'none'",
    "base-uri": "'none'",
    "form-action": "'self'",
    "frame-ancestors": "'none'",
}
HEADERS = {
    "Content-Security-Policy": "; ".join(f"{name} {value}" for name, value in POLICY.items()),
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Permissions-Policy": "camera=(self), geolocation=(), microphone=()",
}
LOOPBACK = ("localhost", "127.0.0.1", "::1")
A_YEAR = 31_536_000


def guard(app: Flask, https: bool) -> None:
    """Refuse other names (a strange page may have its own name lead here), and send the headers with each answer."""

    def ask() -> ResponseReturnValue | None:
        settings: Settings = current_app.config["SETTINGS"]
        if not served_at(host_asked(request.host), settings):
            raise SecurityError
        if https and not request.is_secure and request.endpoint != "base.health":
            return redirect(request.url.replace("http://", "https://", 1), 308)
        return None

    def send(response: Response) -> Response:
        for name, value in HEADERS.items():
            response.headers.setdefault(name, value)
        if request.is_secure or host_asked(request.host) in LOOPBACK:  # elsewhere a browser ignores it, and complains
            response.headers.setdefault("Cross-Origin-Opener-Policy", "same-origin")
        if https or current_app.config["SETTINGS"].home_network:
            response.headers.setdefault("Cache-Control", "no-store")  # a garden is not left in a stranger's cache
        if https:
            response.headers.setdefault("Strict-Transport-Security", f"max-age={A_YEAR}")
        return response

    app.config["SESSION_COOKIE_SECURE"] = app.config["REMEMBER_COOKIE_SECURE"] = https
    app.before_request(ask)
    app.after_request(send)
    if https:
        # One proxy stands before us and tells how it was asked, and by whom.
        app.wsgi_app = ProxyFix(app.wsgi_app, x_for=1, x_proto=1, x_host=1)  # type: ignore[method-assign]


def host_asked(header: str) -> str:
    """The name in a Host header, without port and brackets; empty where it is none."""
    try:
        return (urlsplit(f"//{header}").hostname or "").rstrip(".")
    except ValueError:
        return ""


def served_at(host: str, settings: Settings) -> bool:
    """Whether Eproba answers to this name or address: this computer's own, and those named in EPROBA_HOSTS."""
    if host in LOOPBACK or host in settings.hosts:
        return True
    if not settings.home_network:
        return False
    try:
        address = ipaddress.ip_address(host)
    except ValueError:
        return host in _own_names()
    return not address.is_unspecified and is_own_address(str(address))


@cache
def _own_names() -> frozenset[str]:
    """The machine's name, alone and as the home network knows it."""
    name = socket.gethostname().lower()
    short = name.split(".")[0]
    return frozenset({name, short, *(f"{short}.{zone}" for zone in ("local", "lan", "home", "home.arpa"))})


def is_own_address(address: str) -> bool:
    """Whether this machine has the address now: only then can something listen there."""
    family = socket.AF_INET6 if ":" in address else socket.AF_INET
    with socket.socket(family, socket.SOCK_DGRAM) as probe:
        try:
            probe.bind((address, 0))
        except OSError:
            return False
    return True


def is_own_page(app: Flask, address: str) -> bool:
    """Whether an address is a page of this app and nothing else, so that one may be led there."""
    if not address.isprintable() or " " in address or "\\" in address or not address.startswith("/"):
        return False
    parts = urlsplit(address)
    return not parts.netloc and app.url_map.bind("").test(parts.path, "GET")
