"""Made pictures in other lights; the pictures themselves are the simulated camera's."""

import numpy as np

from eproba.standins.pictures import LEAF, SOIL, jpeg, printed, scene, with_tag

__all__ = ["LEAF", "SOIL", "half_in_shade", "in_light", "jpeg", "printed", "scene", "with_tag"]


def in_light(picture, factors):
    """Warm, cold or dim light: each channel times its factor."""
    return np.clip(picture * np.array(factors), 0, 255).astype(np.uint8)


def half_in_shade(picture, factor=0.6):
    shaded = picture.astype(float)
    shaded[:, : picture.shape[1] // 2] *= factor
    return shaded.astype(np.uint8)
