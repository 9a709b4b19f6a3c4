"""The quantities that targets take instead of inputs, and what each is made of: gloss, smoothness,
diffuse, specular.

That gloss and smoothness are 1 − roughness is common practice; diffuse and specular are made of
base colour and metallic by the conversion published with KHR_materials_pbrSpecularGlossiness.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from ektopos.document import TABLE, InputName

QuantityName = Literal["gloss", "smoothness", "diffuse", "specular"]
Carry = InputName | QuantityName
"""What one channel of a file can hold: an input, or a quantity made of inputs."""


@dataclass(frozen=True)
class Quantity:
    """What a target can take of inputs instead of the inputs themselves."""

    inputs: tuple[InputName, ...]
    """What it is made of, the one it stands for first."""
    inverted: bool = False
    """Whether it is 1 − its input."""

    @property
    def is_mixed(self) -> bool:
        """Whether it is made of several inputs."""
        return len(self.inputs) > 1


QUANTITIES: dict[QuantityName, Quantity] = {
    "gloss": Quantity(("roughness",), inverted=True),
    "smoothness": Quantity(("roughness",), inverted=True),
    "diffuse": Quantity(("base_color", "metallic")),
    "specular": Quantity(("metallic", "base_color")),
}
CARRIES: tuple[Carry, ...] = (
    # `f0` leaves as the quantity `specular`.
    *(name for name, about in TABLE.items() if about.textured and name != "f0"),
    *(name for name in QUANTITIES if name not in TABLE),
)
"""All that a channel can hold, in the order in which they are offered."""


def quantity_for(name: str, carries: Iterable[str], workflow: str) -> str:
    """The quantity by which a target that carries these takes an input as a number; empty where it
    takes the input itself."""
    if workflow == "specular" and name in ("base_color", "metallic"):
        return "diffuse" if name == "base_color" else "specular"
    for carry in carries:
        about = quantity_of(carry, workflow)
        if about is not None and about.inputs == (name,):
            return carry
    return ""


def quantity_of(carry: str, workflow: str) -> Quantity | None:
    """The quantity that a channel holds under that name; `None` where it is an input itself, as
    `specular` is unless the target's workflow is the specular one."""
    if carry == "specular" and workflow != "specular":
        return None
    return QUANTITIES.get(carry)  # type: ignore[call-overload, no-any-return]


def is_mixed(quantity: str) -> bool:
    """Whether a quantity by that name (empty for an input itself) is made of several inputs."""
    return any(quantity == name and about.is_mixed for name, about in QUANTITIES.items())


def is_inverted(quantity: str) -> bool:
    """Whether a quantity by that name (empty for an input itself) is 1 − its input."""
    return any(quantity == name and about.inverted for name, about in QUANTITIES.items())
