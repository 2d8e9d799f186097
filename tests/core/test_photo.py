"""Cover, greenness and tags on made pictures whose truth is known."""

import io
import json

import cv2
import numpy as np
import pytest
from click.testing import CliRunner
from PIL import Image

from eproba.cli import main
from eproba.core.measuring.photo import PhotoProblem, excess_green, greenness, split
from eproba.core.measuring.tag import circle_around, find_tag, moved
from eproba.exchange.photo_out import look, measured, opened
from tests.conftest import swept
from tests.core.scenes import LEAF, SOIL, half_in_shade, in_light, jpeg, printed, scene, with_tag

SHARES = [0.005, 0.02, 0.3, 0.6, 0.9]
WARM, COLD, DIM = (1.15, 1, 0.8), (0.85, 1, 1.15), (0.6, 0.6, 0.6)


def cover(picture, **how):
    return measured("x.jpg", jpeg(picture), with_tag=False, **how).cover


def test_a_pot_taken_aslant_is_an_oval_in_the_picture_and_round_on_the_ground():
    tag = find_tag(with_tag(scene(0.3, (1600, 1200))[0], at=(500, 500), wide=500, tilt=40))
    rim = circle_around(np.array([800.0, 800.0]), np.array([950.0, 800.0]), tag)
    flat = moved(rim, tag.to_cm)
    middle = moved(np.array([[800.0, 800.0]]), tag.to_cm)[0]
    assert np.hypot(*(flat - middle).T) == pytest.approx(np.full(24, np.hypot(*(flat[0] - middle))), rel=1e-6)
    across, down = np.ptp(rim, axis=0)
    assert down < 0.98 * across
    plain = circle_around(np.array([8.0, 8.0]), np.array([8.0, 3.0]), None)
    assert np.hypot(*(plain - 8.0).T) == pytest.approx(np.full(24, 5.0))


def test_known_colours():
    colours = np.array([LEAF, SOIL, (128, 128, 128), (0, 0, 0)])
    assert excess_green(colours) == pytest.approx([0.44361, -0.01333, 0, 0], abs=5e-6)
    assert greenness(colours)[0] == pytest.approx(0.48120, abs=5e-6)


def test_bare_soil_is_not_half_green():
    picture, _ = scene(0, (800, 600))
    changed = (half_in_shade(picture), in_light(picture, WARM), in_light(picture, COLD), np.rot90(picture))
    assert all(cover(each) < 0.5 for each in (picture, *changed))


@pytest.mark.parametrize("share", swept([(share,) for share in SHARES], 2))
def test_cover_is_found_whatever_the_light_the_turn_and_the_size(share):
    picture, truth = scene(share, (800, 600))
    seen = cover(picture)
    assert seen == pytest.approx(100 * truth, abs=4)
    for lit in (half_in_shade(picture), in_light(picture, WARM), in_light(picture, COLD)):
        assert cover(lit) == pytest.approx(seen, abs=2)
    half = np.asarray(Image.fromarray(picture).resize((400, 300)))
    assert cover(half) == pytest.approx(seen, abs=1.5)
    assert cover(np.rot90(picture)) == pytest.approx(seen, abs=1.5)


def test_only_the_outline_counts():
    picture = scene(0)[0].copy()
    picture[:, 600:] = LEAF
    assert cover(picture, outline=np.array([[0, 0], [300, 0], [300, 899], [0, 899]])) < 0.5
    assert cover(picture, outline=np.array([[300, 0], [900, 0], [900, 899], [300, 899]])) == pytest.approx(50, abs=0.5)
    with pytest.raises(PhotoProblem, match="Nothing of the picture lies inside"):
        cover(picture, outline=np.array([[-90, -90], [-10, -90], [-10, -10]]))


def tilted(picture, degrees):
    """The whole ground leans away at its far edge; the picture, and its outline."""
    height, width = picture.shape[:2]
    lean, less = np.sin(np.radians(degrees)) * 0.22 * width, height * (1 - np.cos(np.radians(degrees)))
    flat = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float32)
    leant = np.array([[lean, less], [width - lean, less], [width, height], [0, height]], np.float32)
    lead = cv2.getPerspectiveTransform(flat, leant)
    return cv2.warpPerspective(picture, lead, (width, height), borderValue=SOIL, flags=cv2.INTER_AREA), leant


@pytest.mark.parametrize(("degrees", "turn", "light"), [(0, 0, DIM), (20, 25, WARM), (45, 200, COLD)])
def test_a_tag_tells_unit_scale_and_light_at_arm_s_length(degrees, turn, light):
    picture, truth = scene(0.3, (2000, 1500), seed=3)
    laid, outline = tilted(with_tag(picture, at=(1000, 730), wide=480, turn=turn), degrees)
    found = measured("x.jpg", jpeg(in_light(laid, light)), outline=outline)
    assert (found.unit, found.problem) == ("P3", None)
    assert found.cover == pytest.approx(100 * truth, abs=2.5)
    assert found.greenness == pytest.approx(0.474, abs=0.004), "whatever the light"
    if degrees == 0:
        assert found.cm_per_px == pytest.approx(8 / 480, rel=0.01)


def test_what_can_not_be_measured_says_what_to_do():
    picture, _ = scene(0.3, (1200, 900))
    said = {
        "No tag is found": jpeg(picture),
        "Two tags are in this picture": jpeg(with_tag(with_tag(picture, wide=460), at=(640, 440), wide=460)),
        "too dark or burnt out": jpeg(with_tag(in_light(picture, (0.15, 0.15, 0.15)), wide=480)),
        "no picture that can be read": b"GIF89a",
    }
    for problem, content in said.items():
        with pytest.raises(PhotoProblem, match=problem):
            measured("x.jpg", content)
    covered = with_tag(picture, wide=480)
    covered[100:270, 450:620] = SOIL  # a leaf of soil over two corners
    covered[280:440, 100:220] = SOIL
    with pytest.raises(PhotoProblem, match="Only a piece of the tag"):
        measured("x.jpg", jpeg(covered))
    assert measured("x.jpg", jpeg(cv2.GaussianBlur(with_tag(picture, wide=480), (0, 0), 2.5))).unit == "P3", (
        "a shaky hand"
    )
    blotted = with_tag(picture, wide=480)
    blotted[160:300, 240:400] = SOIL
    assert "code can’t be read: hold still" in measured("x.jpg", jpeg(blotted)).problem
    burnt = measured("x.jpg", jpeg(in_light(with_tag(in_light(picture, (0.6, 0.6, 0.6)), wide=480), (2.2, 2.2, 2.2))))
    assert "greenness is not comparable between days" in burnt.problem
    assert burnt.greenness is None
    assert burnt.cover is not None
    other = measured("x.jpg", jpeg(with_tag(picture, text="https://elsewhere.example/P3", wide=480)))
    assert other.unit is None, "a code that is not one of ours"


def test_a_picture_is_turned_upright_before_anything_else(tmp_path):
    picture, _ = scene(0.1)
    image, file = Image.fromarray(picture), tmp_path / "turned.jpg"
    exif = image.getexif()
    exif[274] = 6
    image.save(file, exif=exif)
    assert opened(file.read_bytes())[0].shape == (1200, 900, 3)


def test_noise_alone_is_not_split():
    assert split(np.random.default_rng(1).normal(0, 0.02, 10_000)) == 0.10


def test_the_command_tells_every_file_and_takes_a_folder(tmp_path):
    picture, truth = scene(0.3, (2000, 1500), seed=3)
    (tmp_path / "a.jpg").write_bytes(jpeg(with_tag(picture, wide=480)))
    (tmp_path / "b.png").write_bytes(b"nothing")
    (tmp_path / "notes.txt").write_text("no picture")
    answer = CliRunner().invoke(main, ["photo", str(tmp_path), "--json"])
    assert answer.exit_code == 0
    first, second = json.loads(answer.stdout)
    assert list(first) == ["file", "unit", "cm_per_px", "cover", "greenness", "left_out", "threshold", "problem"]
    assert (first["file"], first["unit"], first["problem"]) == ("a.jpg", "P3", None)
    assert first["cover"] == pytest.approx(100 * truth, abs=4)
    assert (second["cover"], second["problem"][:24]) == (None, "This is no picture that ")
    told = CliRunner().invoke(main, ["photo", str(tmp_path / "a.jpg")]).stdout
    assert told.startswith("a.jpg: P3, cover 3")
    for arguments, said in (
        ([str(tmp_path / "none.jpg")], "there is no such file"),
        ([str(tmp_path / "a.jpg"), "--outline", "1,2;3,4"], "give three corners or more"),
        ([str(tmp_path / "a.jpg"), "--outline", "1,2;3,x;5,6"], "is not a number"),
    ):
        refused = CliRunner().invoke(main, ["photo", *arguments])
        assert (refused.exit_code, said in refused.stderr) == (2, True)


def test_the_printed_tag_is_found_as_it_is_drawn():
    found = measured(
        "x.png", jpeg(np.pad(printed("http://h/t/k-1/H12"), ((200, 200), (200, 200), (0, 0)), constant_values=120))
    )
    assert found.unit == "H12"


def test_a_large_jpeg_is_read_halved_and_its_scale_is_told(tmp_path):
    large = io.BytesIO()
    Image.new("RGB", (6000, 4500), (90, 120, 60)).save(large, "JPEG")
    picture, factor = opened(large.getvalue())
    assert (picture.shape[:2], factor) == ((2250, 3000), 0.5)
    assert look(large.getvalue(), with_tag=False).factor == pytest.approx(1600 / 6000)
