"""The older specular workflow: diffuse, specular and gloss to base colour, metallic and roughness,
and back.

Source: KHR_materials_pbrSpecularGlossiness (archived) and its published conversion (“convert
between workflows”). All values are linear, 0–1; arrays are `(…, 3)` for colours and `(…)` for data.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import cast

import numpy as np
from numpy.typing import NDArray

from ektopos.document import Document, Feed, InputName, Role
from ektopos.errors import EktoposError
from ektopos.images import linear_to_srgb, resize
from ektopos.maps.sets import maps_of_set
from ektopos.materials.resolve import FindMap, feed_result
from ektopos.materials.wire import channels_with_role
from ektopos.types import Channels, Float

DIELECTRIC = 0.04
"""Reflectance at normal incidence of what is not metal: index of refraction 1.5."""
EPSILON = 1e-6
_PIECE = 8192
"""Texels that are converted together."""
PERCEIVED = (0.299, 0.587, 0.114)


def to_metallic_roughness(
    diffuse: Float, specular: Float, gloss: Float
) -> tuple[Float, Float, Float]:
    """Base colour, metallic and roughness of a specular-glossiness surface.

    `diffuse` and `specular` `(…, 3)` linear 0–1, `gloss` `(…)` 0–1; base colour `(…, 3)` linear,
    the other two `(…)`, all 0–1.

    A dielectric with the usual 4 % is no metal; black with a bright specular is all metal.

    >>> grey, gold = np.array([[0.5] * 3]), np.array([[1.0, 0.77, 0.34]])
    >>> to_metallic_roughness(grey, np.array([[0.04] * 3]), np.array([0.5]))[1].tolist()
    [0.0]
    >>> to_metallic_roughness(grey * 0, gold, np.array([0.5]))[1].tolist()
    [1.0]
    """
    diffuse, specular = np.asarray(diffuse, np.float64), np.asarray(specular, np.float64)
    one_minus_strength = 1.0 - specular.max(axis=-1)
    metallic = solve_metallic(_perceived(diffuse), _perceived(specular), one_minus_strength)
    from_diffuse = (
        diffuse
        * (one_minus_strength / (1.0 - DIELECTRIC) / np.maximum(1.0 - metallic, EPSILON))[..., None]
    )
    from_specular = (specular - (DIELECTRIC * (1.0 - metallic))[..., None]) / np.maximum(
        metallic, EPSILON
    )[..., None]
    share = (metallic**2)[..., None]
    base = np.clip(from_diffuse * (1.0 - share) + from_specular * share, 0.0, 1.0)
    return (
        np.asarray(base, np.float32),
        np.asarray(metallic, np.float32),
        np.asarray(1.0 - np.asarray(gloss, np.float64), np.float32),
    )


def to_specular_gloss(
    base_color: Float, metallic: Float, roughness: Float
) -> tuple[Float, Float, Float]:
    """Diffuse, specular and gloss of a metallic-roughness surface: the way back of the same
    conversion.

    `base_color` `(…, 3)` linear 0–1, `metallic` and `roughness` `(…)` 0–1; diffuse and specular
    `(…, 3)` linear, gloss `(…)`, all 0–1.

    >>> _, specular, gloss = to_specular_gloss([[0.5] * 3], [0.0], [0.25])
    >>> round(float(specular[0, 0]), 4), gloss.tolist()
    (0.04, [0.75])
    """
    base, metal = np.asarray(base_color).reshape(-1, 3), np.asarray(metallic).reshape(-1, 1)
    diffuse, specular = np.empty(base.shape, np.float32), np.empty(base.shape, np.float32)
    # A piece at a time, that the steps between stay in a core's cache.
    for start in range(0, len(base), _PIECE):
        here = slice(start, start + _PIECE)
        diffuse[here], specular[here] = _diffuse_specular(
            base[here].astype(np.float64), metal[here].astype(np.float64)
        )
    return (
        diffuse.reshape(np.shape(base_color)),
        specular.reshape(np.shape(base_color)),
        np.asarray(1.0 - np.asarray(roughness, np.float64), np.float32),
    )


def _diffuse_specular(
    base: NDArray[np.float64], metal: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    strongest = np.maximum(np.maximum(base[:, :1], base[:, 1:2]), base[:, 2:])
    share = diffuse_share(strongest, metal)
    return np.clip(base * share, 0.0, 1.0), specular_of(base, metal)


def specular_of(base: NDArray[np.float64], metal: NDArray[np.float64]) -> NDArray[np.float64]:
    """Specular of base colour and metallic, each channel for itself; arrays that fit each other,
    0–1."""
    return DIELECTRIC * (1.0 - metal) + base * metal


def diffuse_share(
    strongest: NDArray[np.float64], metal: NDArray[np.float64]
) -> NDArray[np.float64]:
    """What base colour is multiplied with to be diffuse, by its strongest channel and metallic;
    arrays that fit each other, 0–1."""
    left = 1.0 - specular_of(strongest, metal)
    return (1.0 - DIELECTRIC) * (1.0 - metal) / np.maximum(left, EPSILON)


def solve_metallic(diffuse: Float, specular: Float, one_minus_strength: Float) -> Float:
    """How metallic a surface of such perceived brightnesses is: the root of the conversion's
    quadratic, 0–1.

    Every array is `(…)`, 0–1.
    """
    a = DIELECTRIC
    b = diffuse * one_minus_strength / (1.0 - DIELECTRIC) + specular - 2.0 * DIELECTRIC
    c = DIELECTRIC - specular
    root = np.sqrt(np.maximum(b * b - 4.0 * a * c, 0.0))
    return np.where(specular < DIELECTRIC, 0.0, np.clip((-b + root) / (2.0 * a), 0.0, 1.0))


@dataclass(frozen=True)
class Conversion:
    """A map set of the specular workflow, before and after; arrays as the whole module has them."""

    before: dict[str, Float]
    """`diffuse`, `specular` and `gloss`, all at the size of the largest."""
    after: dict[InputName, Float]
    """`base_color`, `metallic` and `roughness`, at that size."""

    def way_back(self) -> dict[str, tuple[float, float]]:
        """What the after gives when it is turned back: largest and mean difference from the before,
        8-bit steps of sRGB."""
        again = to_specular_gloss(
            self.after["base_color"], self.after["metallic"], self.after["roughness"]
        )
        errors = {
            name: np.abs(linear_to_srgb(values) - linear_to_srgb(self.before[name])) * 255
            for name, values in zip(("diffuse", "specular"), again[:2], strict=True)
        }
        return {name: (float(error.max()), float(error.mean())) for name, error in errors.items()}


def convert_set(document: Document, set_name: str, find: FindMap) -> Conversion:
    """Base colour, metallic and roughness of a map set that holds diffuse, specular and perhaps
    gloss.

    Gloss may be a map of its own or the alpha of the specular one; without it roughness is 0.5.
    Pictures of different size are brought to the largest. Raises `EktoposError` if the set has no
    diffuse or no specular map.
    """
    planes: dict[str, Float] = {}
    for wanted, role in (("diffuse", "base_color"), ("specular", "specular"), ("gloss", "gloss")):
        for name in maps_of_set(document, set_name):
            channels = channels_with_role(document, name, cast(Role, role))
            if channels is not None and wanted not in planes:
                narrow: Channels = channels if wanted != "gloss" or len(channels) == 1 else "r"
                input_name: InputName = "roughness" if wanted == "gloss" else "base_color"
                planes[wanted] = feed_result(Feed(map=name, channels=narrow), input_name, find)
    missing = [wanted for wanted in ("diffuse", "specular") if wanted not in planes]
    if missing:
        raise EktoposError(
            f"it has no {missing[0]} map.",
            subject=set_name,
            hint="Say which map holds it, on the board of maps.",
        )
    height, width = max(
        (values.shape[:2] for values in planes.values()), key=lambda shape: shape[0] * shape[1]
    )
    planes.setdefault("gloss", np.full((1, 1), 0.5, np.float32))
    before = {name: resize(values, width, height) for name, values in planes.items()}
    base, metallic, roughness = to_metallic_roughness(
        before["diffuse"], before["specular"], before["gloss"]
    )
    return Conversion(before, {"base_color": base, "metallic": metallic, "roughness": roughness})


def _perceived(colours: Float) -> Float:
    return np.asarray(np.sqrt((np.asarray(colours, np.float64) ** 2) @ np.asarray(PERCEIVED)))
