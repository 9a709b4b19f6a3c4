"""Normal maps: slopes of analytic fields, and the published properties of Reoriented Normal
Mapping."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from ektopos.base.vectors import encode_normals, normalise
from ektopos.maps.normals import combine, flip_green, height_to_normal, rebuild_blue

FLAT = np.array([0.0, 0.0, 1.0], np.float32)


def random_normals(seed: int, count: int = 500) -> np.ndarray:
    rng = np.random.default_rng(seed)
    slopes = rng.normal(0, 0.5, (count, 2))
    return normalise(
        np.dstack([slopes[None, :, :1], slopes[None, :, 1:], np.ones((1, count, 1))]).astype(
            np.float32
        )
    )


class Heights(TestCase):
    def test_a_sine_has_the_slopes_of_a_cosine(self) -> None:
        """Source: d/dx sin(kx) = k cos(kx); central differences give sin(k)/k of it."""
        n, periods = 256, 4
        k = 2 * np.pi * periods / n
        x = np.arange(n)
        normals = height_to_normal(np.tile(np.sin(k * x), (n, 1)).astype(np.float32))
        np.testing.assert_allclose(
            -normals[0, :, 0] / normals[0, :, 2], np.sin(k) * np.cos(k * x), atol=1e-5
        )
        np.testing.assert_allclose(normals[..., 1], 0, atol=1e-6)

    def test_a_sphere_cap_points_away_from_its_centre(self) -> None:
        """Source: the normal of a sphere is its radius."""
        n, radius = 129, 200.0
        y, x = np.mgrid[0:n, 0:n] - n // 2
        normals = height_to_normal(np.sqrt(radius**2 - x**2 - y**2).astype(np.float32), wrap=False)
        wanted = np.dstack([x, -y, np.sqrt(radius**2 - x**2 - y**2)]) / radius
        error = np.degrees(np.arccos(np.clip((normals * wanted)[2:-2, 2:-2].sum(2), -1, 1)))
        self.assertLess(error.max(), 0.05)

    def test_up_in_the_picture_is_plus_y(self) -> None:
        ramp = np.tile(np.arange(8, dtype=np.float32)[::-1, None], (1, 8))  # higher towards the top
        self.assertLess(
            height_to_normal(ramp, wrap=False)[4, 4, 1],
            0,
            "a slope that rises upwards faces down the picture",
        )


class Reoriented(TestCase):
    """Source: Barré-Brisebois and Hill, “Blending in Detail”, 2012: the properties the method is
    derived from."""

    def test_flat_detail_leaves_the_base_and_a_flat_base_leaves_the_detail(self) -> None:
        base, detail = random_normals(1), random_normals(2)
        np.testing.assert_allclose(
            combine(base, np.broadcast_to(FLAT, detail.shape)), base, atol=1e-5
        )
        np.testing.assert_allclose(
            combine(np.broadcast_to(FLAT, base.shape), detail), detail, atol=1e-5
        )

    def test_the_angle_of_the_detail_is_kept(self) -> None:
        base, detail = random_normals(3), random_normals(4)
        angle = (combine(base, detail) * base).sum(-1)
        np.testing.assert_allclose(angle, detail[..., 2], atol=1e-5)

    def test_it_is_the_shortest_rotation(self) -> None:
        """The rotation that takes (0, 0, 1) to the base, written as a matrix (Rodrigues), gives the
        same."""
        base, detail = random_normals(5, 20)[0], random_normals(6, 20)[0]
        for b, d, got in zip(base, detail, combine(base[None], detail[None])[0], strict=True):
            axis = np.cross(FLAT, b)
            skew = np.array(
                [[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]]
            )
            turned = (np.eye(3) + skew + skew @ skew / (1 + b[2])) @ d
            np.testing.assert_allclose(got, turned, atol=1e-5)


class Repairs(TestCase):
    def test_blue_is_rebuilt_and_green_turned_twice_is_as_before(self) -> None:
        normals = random_normals(7)
        np.testing.assert_allclose(rebuild_blue(normals * [1, 1, 0]), normals, atol=1e-4)
        np.testing.assert_array_equal(flip_green(flip_green(normals)), normals)
        np.testing.assert_allclose(np.linalg.norm(normalise(normals * 3), axis=-1), 1, atol=1e-6)
        np.testing.assert_allclose(encode_normals(FLAT), [0.5, 0.5, 1.0])
