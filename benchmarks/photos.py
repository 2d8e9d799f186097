"""Forty pictures of 12 megapixels, each with its tag, beside the bare decoding and resizing of the same."""

from statistics import median

import cv2
import numpy as np

from benchmarks.timing import timed
from eproba.exchange.photo_out import LONGEST_SIDE, look
from eproba.standins.pictures import jpeg, scene, with_tag

PICTURES, SIZE = 40, (4000, 3000)


def main() -> None:
    pictures = []
    for n in range(PICTURES):
        made, _ = scene(0.3, SIZE, seed=n % 4)
        text = f"http://garden.test/t/0123456789abcdef/P{n}"
        pictures.append(jpeg(with_tag(made, text=text, at=(2000, 1500), wide=960.0, turn=3.0 * n)))

    def bare() -> None:
        for content in pictures:
            whole = cv2.imdecode(np.frombuffer(content, np.uint8), cv2.IMREAD_COLOR)
            cv2.resize(whole, (LONGEST_SIDE, LONGEST_SIDE * SIZE[1] // SIZE[0]), interpolation=cv2.INTER_AREA)

    found = [look(content).found() for content in pictures]
    assert [each.unit for each in found] == [f"P{n}" for n in range(PICTURES)]
    plain = median(timed(bare) for _ in range(2))
    ours = median(timed(lambda: [look(content) for content in pictures]) for _ in range(3))
    print(f"{PICTURES} pictures of 12 megapixels: {PICTURES / ours:.1f} a second, {1000 * ours / PICTURES:.0f} ms each")
    print(f"{ours / plain:.2f} × the bare decoding and resizing   (bar: 3)")


if __name__ == "__main__":
    main()
