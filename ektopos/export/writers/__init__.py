"""What a package is written as, one module a container."""

from collections.abc import Callable

from ektopos.export.writers.gltf import write_embedded, write_glb, write_gltf
from ektopos.export.writers.loose import write_loose
from ektopos.export.writers.usdz import write_usdz
from ektopos.export.writers.writer_context import WriterContext, Written

WRITERS: dict[str, Callable[[WriterContext], Written]] = {
    "glb": write_glb,
    "gltf": write_gltf,
    "gltf-embedded": write_embedded,
    "usdz": write_usdz,
    "loose": write_loose,
}
"""By container, what writes it. Each raises `EktoposError` if it cannot."""

__all__ = ["WRITERS"]
