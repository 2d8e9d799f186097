"""A round a day on Today, where a device wishes it."""

from flask import Response, request

DAILY = "practice-daily"
YEARS = 400 * 24 * 3600  # seconds: browsers keep no cookie longer


def wants_daily() -> bool:
    """Whether this device wishes for a round a day."""
    return DAILY in request.cookies


def wish_daily(answer: Response, wished: bool) -> None:
    """Keep the wish on the device, or take it off."""
    if wished:
        answer.set_cookie(DAILY, "y", max_age=YEARS, samesite="Lax", httponly=True, secure=request.is_secure)
    else:
        answer.delete_cookie(DAILY)
