"""Pictures for the demo garden, drawn: three pots of the chard day by day, with two phones in changing light."""

import hashlib
import io
from datetime import UTC, datetime, time, timedelta

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from sqlmodel import Session

from eproba.core.measuring import tag as tags
from eproba.core.measuring.tag import moved
from eproba.core.trial.model import Trial
from eproba.standins.pictures import with_tag
from eproba.store.commands.pictures import add_picture
from eproba.store.trials import load_trial

Drawn = NDArray[np.uint8]
CHARD = 1  # the trial of the demo that is over
SIZE, PIXELS_A_CM = (740, 600), 20.0
MIDDLE_CM, RIM_CM = (17.0, 14.0), 10.0  # of the pot, from the tag's upper left corner; half as wide as it is
TABLE, POT, SOIL = (178, 172, 160), (150, 92, 68), (82, 62, 47)
LEAF, RIB = (78, 132, 58), (196, 70, 92)
LIGHTS = ((1.0, 1.0, 1.0), (1.12, 1.0, 0.82), (0.8, 0.94, 1.1), (0.72, 0.72, 0.72), (1.06, 1.02, 0.9))
GROWTH = {"A": 1.0, "B": 1.21, "C": 1.0}  # as the demo's truth has it


def add_demo_pictures(session: Session) -> None:
    """One pot of each treatment on every round; of the whey one day is missing."""
    trial = load_trial(session, CHARD)
    if trial is None:
        return
    for letter in GROWTH:
        unit = next(unit for unit in trial.units if unit.letter == letter)
        for number, round_ in enumerate(trial.rounds):
            if letter == "C" and number == 2:
                continue
            leaves = (2.6 + 1.1 * number) * (1 + (GROWTH[letter] - 1) * number / 4)
            _keep(session, trial, unit.id, round_.id, drawn(trial.key, unit.code, leaves, number), number)
    session.commit()


def _keep(session: Session, trial: Trial, unit_id: int, round_id: int, content: bytes, number: int) -> None:
    at = datetime.combine(trial.date_of(trial.rounds[number].day), time(9), UTC) + timedelta(minutes=unit_id)
    to_cm = np.linalg.inv(_onto_picture(number)).tolist()
    angles = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    rim = np.array(MIDDLE_CM) + RIM_CM * np.column_stack([np.cos(angles), np.sin(angles)])
    outline = np.rint(moved(rim, _onto_picture(number))).tolist()
    add_picture(
        session, trial.id, hashlib.sha256(content).hexdigest(), content, at, unit_id=unit_id, round_id=round_id,
        taken_at=at, by="Ilse", numbers={}, to_cm=to_cm, outline=outline, kept=True,
    )  # fmt: skip


def _onto_picture(number: int) -> NDArray[np.float64]:
    """From the tag's plane into the picture: each day the hand holds the phone a little otherwise."""
    turn, at = 0.05 * (number % 3 - 1), (40 + 10 * (number % 4), 46 + 6 * (number % 3))
    cos, sin = np.cos(turn) * PIXELS_A_CM, np.sin(turn) * PIXELS_A_CM
    return np.array([[cos, -sin, at[0]], [sin, cos, at[1]], [0.0, 0.0, 1.0]])


def drawn(key: str, code: str, leaves_cm: float, number: int) -> bytes:
    """A pot with eight chard leaves of a length, its tag beside it, as a JPEG."""
    lead, picture = _onto_picture(number), np.full((SIZE[1], SIZE[0], 3), TABLE, np.uint8)
    _disc(picture, lead, MIDDLE_CM, RIM_CM, POT)
    _disc(picture, lead, MIDDLE_CM, RIM_CM * 0.92, SOIL)
    rng = np.random.default_rng([number, len(code), int(code[1:])])
    for leaf in range(8):
        angle = leaf * np.pi / 4 + rng.uniform(-0.2, 0.2)
        length = leaves_cm * rng.uniform(0.85, 1.1)
        tip = np.array(MIDDLE_CM) + length * np.array([np.cos(angle), np.sin(angle)])
        _leaf(picture, lead, tip, angle, length)
    at, turn = lead[:2, 2], np.degrees(np.arctan2(lead[1, 0], lead[0, 0]))
    address = f"http://eproba.local/t/{key}/{code}"
    tagged = with_tag(picture, address, at=(at[0], at[1]), wide=tags.WIDE * PIXELS_A_CM, turn=float(turn))
    grain = rng.normal(0, 4, tagged.shape)
    lit = np.clip(tagged * np.array(LIGHTS[number % len(LIGHTS)]) + grain, 0, 255).astype(np.uint8)
    file = io.BytesIO()
    Image.fromarray(lit).save(file, "JPEG", quality=82)
    return file.getvalue()


def _disc(
    picture: Drawn, lead: NDArray[np.float64], centre: tuple[float, float], radius: float, colour: tuple[int, int, int]
) -> None:
    x, y = np.rint(moved(np.array([centre]), lead)[0]).astype(int)
    cv2.circle(picture, (int(x), int(y)), round(radius * PIXELS_A_CM), colour, -1, cv2.LINE_AA)


def _leaf(picture: Drawn, lead: NDArray[np.float64], tip: NDArray[np.float64], angle: float, length: float) -> None:
    """A leaf with its coloured rib, from the middle of the pot."""
    middle, end = np.rint(moved(np.array([MIDDLE_CM, tip]), lead)).astype(int)
    centre = tuple(int(place) for place in (middle + 2 * end) // 3)
    turned = float(np.degrees(angle + np.arctan2(lead[1, 0], lead[0, 0])))
    axes = (round(length * PIXELS_A_CM * 0.42), round(length * PIXELS_A_CM * 0.24))
    cv2.ellipse(picture, centre, axes, turned, 0, 360, LEAF, -1, cv2.LINE_AA)
    cv2.line(picture, tuple(map(int, middle)), tuple(map(int, end)), RIB, 3, cv2.LINE_AA)
