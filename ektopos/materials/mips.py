"""The smaller levels of a material's inputs, made so that the surface looks alike from afar."""

from __future__ import annotations

import numpy as np

from ektopos.base.types import Float
from ektopos.base.vectors import normalise
from ektopos.document import InputName
from ektopos.images import covered_share, keep_coverage, mip_sizes, resize, shrink_seen
from ektopos.maps.normals import roughen


def material_mips(
    values: Float,
    name: InputName,
    *,
    normals: Float | None = None,
    cutoff: float | None = None,
    seen: Float | None = None,
) -> list[Float]:
    """All levels of an input's canonical values `(h, w)` or `(h, w, 3)`, the largest first, down to
    1 × 1.

    Levels are means: of colours in linear light, of normals made unit again. Roughness with the
    `normals` of its surface, of the same size, grows by their spread (`roughen`); opacity with a
    `cutoff` keeps its coverage (`keep_coverage`); colour counts as far as it is `seen`, the opacity
    of the same size (`shrink_seen`). Cost: 4/3 of a pass over the values.
    """
    height, width = values.shape[:2]
    levels = [values]
    share = covered_share(values, cutoff) if name == "opacity" and cutoff is not None else None
    mean, direction, weight = values, normals, seen
    for size in mip_sizes(width, height)[1:]:
        if weight is not None:
            mean, weight = shrink_seen(mean, weight, *size), resize(weight, *size)
        else:
            mean = resize(mean, *size)
        if name == "normal":
            levels.append(normalise(mean))
        elif name == "roughness" and direction is not None:
            direction = resize(direction, *size)
            levels.append(roughen(mean, np.sqrt(np.einsum("...i,...i->...", direction, direction))))
        elif share is not None and cutoff is not None:
            levels.append(keep_coverage(mean, cutoff, share))
        else:
            levels.append(mean)
    return levels
