"""Shading against reference libraries and published values."""

from __future__ import annotations

from unittest import TestCase

import mitsuba as mi
import numpy as np

from ektopos.images import linear_to_srgb
from ektopos.materials.specular_workflow import to_metallic_roughness, to_specular_gloss
from ektopos.meshes.mesh import face_normals
from ektopos.rendering import f0_from_ior, shade, specimen, vertex_tangents
from ektopos.rendering.brdf import first_bounce, fresnel
from ektopos.rendering.filtered import cube_directions, filtered, roughness_of
from ektopos.rendering.lights import LIGHTS
from tests.outside.mikktspace import mikktspace

mi.set_variant("scalar_rgb")


def direction(degrees: float, around: float = 0.0) -> np.ndarray:
    t, p = np.radians(degrees), np.radians(around)
    return np.array([np.sin(t) * np.cos(p), np.sin(t) * np.sin(p), np.cos(t)])


def smith_lambda(cosine: float, alpha: float) -> float:
    """Source: Heitz 2014, equation 72."""
    tangent2 = (1 - cosine**2) / cosine**2
    return (-1 + np.sqrt(1 + alpha**2 * tangent2)) / 2


class AgainstMitsuba(TestCase):
    def test_rough_conductor_over_roughness_and_angle(self) -> None:
        """Source: `mitsuba`, roughconductor with GGX and perfect reflectance. It shadows and masks
        apart (Heitz 2014, equation 43), glTF together (equation 99); the ratio of the two is known
        exactly and divided out."""
        for roughness in (0.2, 0.4, 0.7, 1.0):
            alpha = roughness**2
            bsdf = mi.load_dict(
                {
                    "type": "roughconductor",
                    "alpha": alpha,
                    "distribution": "ggx",
                    "material": "none",
                }
            )
            for view in (5, 30, 60, 80):
                for light, around in ((10, 0), (35, 180), (60, 120), (75, 180)):
                    v, l = direction(view), direction(light, around)
                    si = mi.SurfaceInteraction3f()
                    si.wi = mi.Vector3f(*v)
                    theirs = float(bsdf.eval(mi.BSDFContext(), si, mi.Vector3f(*l))[0])
                    lv, ll = smith_lambda(v[2], alpha), smith_lambda(l[2], alpha)
                    theirs *= (1 + lv) * (1 + ll) / (1 + lv + ll)
                    one, white = np.ones(1), np.ones((1, 3))
                    ours = shade(white, one, one * roughness, direction(0)[None], v[None], l[None])[
                        0, 0
                    ]
                    with self.subTest(roughness=roughness, view=view, light=light):
                        self.assertAlmostEqual(ours, theirs, delta=1e-3 * max(theirs, 0.05))


def hemisphere(count: int = 40_000) -> np.ndarray:
    """Directions spread evenly over the upper hemisphere, `(n, 3)`."""
    i = np.arange(count) + 0.5
    z, around = i / count, np.pi * (1 + 5**0.5) * i
    return np.stack(
        [np.sqrt(1 - z * z) * np.cos(around), np.sqrt(1 - z * z) * np.sin(around), z], -1
    )


class Furnace(TestCase):
    def test_no_surface_sends_more_light_than_it_gets(self) -> None:
        """The white furnace: integrated over the hemisphere at most 1, and near 1 for a smooth
        white metal."""
        lights = hemisphere()
        count = len(lights)
        normal = np.broadcast_to(direction(0), lights.shape)
        for roughness in (0.3, 0.6, 1.0):
            for metallic in (0.0, 1.0):
                for angle in (0, 45, 75):
                    view = np.broadcast_to(direction(angle), lights.shape)
                    args = (
                        np.ones((count, 3)),
                        np.full(count, metallic),
                        np.full(count, roughness),
                    )
                    total = shade(*args, normal, view, lights).mean(axis=0)[0] * 2 * np.pi
                    # The specification's own mix of diffuse and reflected light gains up to 15 % at
                    # grazing angles (B.3.6 weighs the diffuse part by the half vector); metals must
                    # not gain anything.
                    self.assertLess(
                        total,
                        1.02 if metallic or angle < 60 else 1.16,
                        (roughness, metallic, angle),
                    )
                    if roughness == 1.0 and metallic == 1.0 and angle == 0:
                        # With α = 1 the integral over the hemisphere has a closed form: 1 − ln 2.
                        self.assertAlmostEqual(total, 1 - np.log(2), places=3)
                    if roughness == 0.3 and metallic == 1.0 and angle < 60:
                        self.assertGreater(total, 0.95)

    def test_compensated_white_metal_gives_back_all_light_at_every_roughness(self) -> None:
        """Source: Turquin 2019: with compensation a white furnace stays white, whatever the
        roughness and the angle."""
        lights = hemisphere()
        count = len(lights)
        normal = np.broadcast_to(direction(0), lights.shape)
        for roughness in (0.3, 0.55, 0.8, 1.0):
            for angle in (0, 45, 75):
                view = np.broadcast_to(direction(angle), lights.shape)
                args = (np.ones((count, 3)), np.ones(count), np.full(count, roughness))
                total = (
                    shade(*args, normal, view, lights, compensate=True).mean(axis=0)[0] * 2 * np.pi
                )
                self.assertAlmostEqual(
                    total, 1.0, delta=0.02, msg=f"roughness {roughness}, {angle} degrees"
                )
        # With α = 1 and light from straight above, the share of the first bounce has a closed form:
        # 1 − ln 2.
        self.assertAlmostEqual(first_bounce()[-1, -1], 1 - np.log(2), delta=0.003)


class Reflections(TestCase):
    """Surroundings filtered for the stage of a page without a graphics card."""

    def test_every_roughness_takes_in_what_its_lobe_does(self) -> None:
        """Source: Mitsuba's GGX distribution, summed over the directions of a spiral."""
        count = 200_000
        turn = np.pi * (1 + 5**0.5) * np.arange(count)
        y = 1 - (2 * np.arange(count) + 1) / count
        beside = np.sqrt(1 - y**2)
        directions = np.stack([beside * np.cos(turn), y, beside * np.sin(turn)], axis=1)
        cosines = np.cos(np.linspace(np.pi / 2, 0, 4000))
        for name in ("low-sun", "points"):
            radiance = LIGHTS[name].surroundings
            mirror = radiance(cube_directions(128)).reshape(6, 64, 2, 64, 2, 3).mean(axis=(2, 4))
            seen = radiance(directions)
            for level, found in enumerate(filtered(mirror)[1:], 1):
                lobe = mi.MicrofacetDistribution(
                    mi.MicrofacetType.GGX, roughness_of(level) ** 2, sample_visible=False
                )
                density = [lobe.eval([np.sqrt(1 - c**2), 0.0, c]) for c in cosines[1:]]
                size = found.shape[1]
                for face, row, column in ((0, 1, 2), (2, size // 2, 1), (3, 5, 3), (5, 2, 6)):
                    normal = cube_directions(size)[face, row, column]
                    facing = np.maximum(directions @ normal, 0.0)
                    half = np.sqrt((1 + facing) / 2)
                    weight = facing * np.interp(half, cosines[1:], density)
                    expected = weight @ seen / weight.sum()
                    with self.subTest(name, level=level, face=face):
                        np.testing.assert_allclose(
                            found[face, row, column], expected, rtol=0.01, atol=0.003
                        )

    def test_the_roughest_is_diffuse_light(self) -> None:
        """Source: Ramamoorthi and Hanrahan 2001: of light that is 1 + y, 1 and two thirds of y."""
        up = cube_directions(64)[..., 1:2]
        last = filtered(np.concatenate([np.ones_like(up), 1 + up], axis=-1))[-1]
        normals = cube_directions(8)
        np.testing.assert_allclose(last[..., 0], 1.0, atol=1e-5)
        np.testing.assert_allclose(last[..., 1], 1 + 2 / 3 * normals[..., 1], atol=2e-3)


class FresnelValues(TestCase):
    def test_f0_from_the_index_of_refraction(self) -> None:
        """Handbook values as the design gives them: 1.5 → 0.0400, 1.33 → 0.0201, 2.42 → 0.1724."""
        for ior, wanted in ((1.5, 0.0400), (1.33, 0.0201), (2.42, 0.1724)):
            self.assertAlmostEqual(f0_from_ior(ior), wanted, places=4)

    def test_schlick_ends(self) -> None:
        """Source: Schlick 1994: F0 face on, 1 at grazing angles."""
        f0 = np.full((1, 3), 0.04)
        np.testing.assert_allclose(fresnel(np.array([1.0]), f0), 0.04)
        np.testing.assert_allclose(fresnel(np.array([0.0]), f0), 1.0)

    def test_copper_and_gold_are_what_tables_say(self) -> None:
        """F0 of metals, linear, from memory of widely printed tables: gold 1.00 0.77 0.34, copper
        0.95 0.64 0.54; against `mitsuba`'s measured spectra through its own conversion to RGB."""
        for metal, wanted in (("Au", (1.0, 0.77, 0.34)), ("Cu", (0.95, 0.64, 0.54))):
            bsdf = mi.load_dict({"type": "conductor", "material": metal})
            si = mi.SurfaceInteraction3f()
            si.wi = mi.Vector3f(0, 0, 1)
            _, weight = bsdf.sample(mi.BSDFContext(), si, 0.5, mi.Point2f(0.5, 0.5))
            np.testing.assert_allclose(np.array(weight), wanted, atol=0.09)


class SpecularWorkflow(TestCase):
    """Source: the published conversion of KHR_materials_pbrSpecularGlossiness, as
    `trimesh.visual.gloss` implements it."""

    def test_against_trimesh(self) -> None:
        from trimesh.visual.gloss import specular_to_pbr

        for diffuse, specular in (
            ((0.6, 0.3, 0.2), (0.04, 0.04, 0.04)),
            ((0.02, 0.02, 0.02), (0.9, 0.7, 0.4)),
            ((0.3, 0.3, 0.3), (0.2, 0.2, 0.2)),
        ):
            theirs = specular_to_pbr(
                specularFactor=list(specular), glossinessFactor=0.7, diffuseFactor=[*diffuse, 1.0]
            )
            base, metallic, roughness = to_metallic_roughness(
                np.array([diffuse]), np.array([specular]), np.array([0.7])
            )
            self.assertAlmostEqual(float(metallic[0]), theirs["metallicFactor"], places=2)
            self.assertAlmostEqual(float(roughness[0]), theirs["roughnessFactor"], places=2)
            got = np.array(theirs["baseColorFactor"][:3])
            # It may hand back 8-bit sRGB codes.
            got = got if got.max() <= 1.0 else got / 255
            near = min(np.abs(base[0] - got).max(), np.abs(linear_to_srgb(base[0]) - got).max())
            self.assertLess(near, 0.02, (diffuse, specular))

    def test_round_trips(self) -> None:
        rng = np.random.default_rng(2)
        base = rng.uniform(0.1, 0.9, (500, 3)).astype(np.float32)
        for metallic in (0.0, 1.0):
            back = to_metallic_roughness(
                *to_specular_gloss(base, np.full(500, metallic), np.full(500, 0.3))
            )
            np.testing.assert_allclose(back[0], base, atol=0.01)
            np.testing.assert_allclose(back[1], metallic, atol=0.02)
            np.testing.assert_allclose(back[2], 0.3, atol=1e-6)


class Tangents(TestCase):
    def test_against_mikktspace(self) -> None:
        """Source: npm package `mikktspace`, the reference implementation compiled to WebAssembly."""
        mesh = specimen()
        rng = np.random.default_rng(1)
        skewed = mesh.uvs @ np.array([[1.3, 0.4], [-0.2, 0.9]], np.float32)
        mirrored = np.where(mesh.uvs[:, :1] > 0.5, 1 - mesh.uvs, mesh.uvs)
        bumpy = mesh.positions + 0.01 * rng.standard_normal(mesh.positions.shape)
        for what, positions, uvs in (
            ("plain", mesh.positions, mesh.uvs),
            ("skewed", mesh.positions, skewed),
            ("mirrored", bumpy, mirrored),
        ):
            normals = face_normals(positions, mesh.triangles)
            corners = mesh.triangles.reshape(-1)
            theirs = mikktspace(positions[corners], normals[corners], uvs[corners])
            ours = vertex_tangents(positions, normals, uvs, mesh.triangles).reshape(-1, 4)
            # Triangles without UV area have no tangent of their own, and any will do.
            a, b, c = (uvs[mesh.triangles[:, i]] for i in range(3))
            area = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]
            mapped = np.repeat(np.abs(area) > 1e-9, 3)
            ours, theirs = ours[mapped], theirs[mapped]
            self.assertGreater(len(ours), 10_000)
            cosine = (ours[:, :3] * theirs[:, :3]).sum(1)
            with self.subTest(what):
                self.assertGreater((cosine > 0.999).mean(), 0.98)
                # Theirs has v up, as its own convention; the frame's handedness is the same up to
                # that turn.
                self.assertGreater(abs((ours[:, 3] * theirs[:, 3]).mean()), 0.98)
