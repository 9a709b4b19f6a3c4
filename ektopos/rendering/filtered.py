"""Surroundings filtered into what surfaces of every roughness reflect, for a browser that has no
graphics card to do it: a cube of texels for each of a few roughnesses."""

from __future__ import annotations

import hashlib

import numpy as np

from ektopos.base.types import Values
from ektopos.base.vectors import normalise
from ektopos.rendering.lights import EDGE, LIGHTS

SIZE = 64
"""Texels a side of the mirror's cube."""
LEVELS = 4
"""Each of half the size of the one before, down to diffuse light in the last."""
LIGHTS_KEY = hashlib.sha256(f"1 {SIZE} {LEVELS} {EDGE} {LIGHTS}".encode()).hexdigest()[:16]
"""Another one for whatever changes what `filtered_lights` gives; its first number is for code."""

_BLOCK = 256

# Which axis of the world, with its sign, goes through the middle of a face, to its right and down
# it. Source: OpenGL ES 3.0, section 3.8.10; cubes are seen from outside there, so x is turned.
_FACES = (
    ((0, -1), (2, -1), (1, -1)),
    ((0, 1), (2, 1), (1, -1)),
    ((1, 1), (0, -1), (2, 1)),
    ((1, -1), (0, -1), (2, -1)),
    ((2, 1), (0, -1), (1, -1)),
    ((2, -1), (0, 1), (1, -1)),
)


def roughness_of(level: int) -> float:
    """The roughness that a level is for. Source: npm package `three`,
    `PMREMGenerator.lodToRoughness`."""
    return float(1.0 - np.sqrt(1.0 - level / (LEVELS - 1)))


def cube_directions(size: int) -> Values:
    """Unit directions, y up, through the middles of a cube's texels: `(6, size, size, 3)`."""
    middle = (np.arange(size) + 0.5) / size * 2 - 1
    right, down = np.meshgrid(middle, middle)
    through = np.ones_like(right)
    directions = np.empty((6, size, size, 3), np.float32)
    for face, axes in zip(directions, _FACES, strict=True):
        for (axis, sign), along in zip(axes, (through, right, down), strict=True):
            face[..., axis] = sign * along
    return np.asarray(normalise(directions))


def filtered(surroundings: Values) -> list[Values]:
    """What surfaces seen straight on reflect, by level: `(6, s, s, c)`, from a mirror, which is
    `surroundings` of `(6, SIZE, SIZE, c)` itself, to diffuse light.

    Source: the lobe is GGX, Walter 2007, equation 33; that the eye is taken to stand on the normal
    is common practice. Cost: the texels of all levels times those of the mirror.
    """
    directions = cube_directions(SIZE).reshape(-1, 3)
    # What a texel covers of the sphere falls with the third power of its distance.
    covers = np.abs(directions).max(axis=1) ** 3
    light = surroundings.reshape(len(directions), -1) * covers[:, None]
    levels = [surroundings]
    for level in range(1, LEVELS):
        size = SIZE >> level
        normals = cube_directions(size).reshape(-1, 3)
        alpha2 = np.float32(roughness_of(level) ** 4)
        seen = np.empty((len(normals), light.shape[1]), np.float32)
        for start in range(0, len(normals), _BLOCK):
            block = slice(start, start + _BLOCK)
            lobe = np.maximum(normals[block] @ directions.T, 0.0)
            lobe /= (1 + alpha2 + (alpha2 - 1) * lobe) ** 2
            seen[block] = lobe @ light / (lobe @ covers)[:, None]
        levels.append(seen.reshape(6, size, size, -1))
    return levels


def filtered_lights() -> bytes:
    """All set-ups of `LIGHTS`, one after the other: of each its levels, of those their faces, rows
    and texels, four half floats each, linear and opaque."""
    directions = cube_directions(2 * SIZE)
    fine = np.concatenate([light.surroundings(directions) for light in LIGHTS.values()], axis=-1)
    mirror = fine.reshape(6, SIZE, 2, SIZE, 2, -1).mean(axis=(2, 4))
    levels = [level.reshape(*level.shape[:3], -1, 3) for level in filtered(mirror)]
    texels = [
        np.pad(level[..., number, :], ((0, 0),) * 3 + ((0, 1),), constant_values=1)
        for number in range(len(LIGHTS))
        for level in levels
    ]
    return np.concatenate([part.reshape(-1) for part in texels]).astype("<f2").tobytes()
