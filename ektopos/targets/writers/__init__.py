"""What a package is written as, one module a container."""

from collections.abc import Callable

from ektopos.targets.writers.gltf import write_embedded, write_glb, write_gltf
from ektopos.targets.writers.loose import write_loose
from ektopos.targets.writers.parts import Parts, Written
from ektopos.targets.writers.usdz import write_usdz

WRITERS: dict[str, Callable[[Parts], Written]] = {
    "glb": write_glb,
    "gltf": write_gltf,
    "gltf-embedded": write_embedded,
    "usdz": write_usdz,
    "loose": write_loose,
}
"""By container, what writes it. Each raises `EktoposError` if it cannot."""

__all__ = ["WRITERS"]
