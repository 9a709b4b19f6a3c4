"""Names for the kinds of value that the rooms hand to each other."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Literal

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Float = NDArray[np.float32]
    """Float pixels or coordinates; the shape is said where it is used."""
    Values = NDArray[np.floating[Any]]
    """Float values of any precision."""
    Pixels = NDArray[Any]
    """Pixels as a file stores them: uint8, uint16, float16 or float32, `(height, width,
    channels)`."""
    Index = NDArray[np.int32]
else:
    # Only read by people and the type checker; commands that touch no pixel need not load numpy.
    Float = Values = Pixels = Index = Any

Json = dict[str, Any]
"""An object of a JSON file. What its keys hold is judged where they are read."""

Encoding = Literal["srgb", "linear"]
Channels = Literal["r", "g", "b", "a", "rgb", "rgba", "luminance"]
NormalY = Literal["+", "-"]
Wrap = Literal["repeat", "clamp", "mirror"]
"""What lies beyond a texture's border. Source: glTF 2.0, 5.26."""
WrapPair = tuple[Wrap, Wrap]
"""In u and in v."""
MAX_UV_SETS = 4
"""Of a mesh; what a file has beyond is said and left."""
MAX_INSTANCES = 5_000
"""Things that a mesh file may draw or scatter."""
NormalSpace = Literal["tangent", "object"]
ProfileUse = Literal["apply", "ignore"]
Decoding = Literal["linear", "srgb", "stored"]
"""How a map's colours become light: not at all, from sRGB after its profile, or from sRGB as the
codes are stored, whatever profile its file carries."""

Basis = Literal["etc1s", "uastc"]
"""How Basis Universal codes texels. Source: Khronos Data Format 1.3, 5.6."""
Quality = Literal["low", "medium", "high"]

Progress = Callable[[float, str], None]
"""Called during long work with the share done (0–1) and what is being done; raises `Cancelled` to
stop it."""


def no_progress(share: float, what: str) -> None:
    """The `Progress` of work that nobody watches."""
