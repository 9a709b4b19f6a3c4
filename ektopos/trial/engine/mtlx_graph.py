"""Evaluate the nodes behind a shader's input in a MaterialX document, as an engine does: all of
them, whatever their numbers are.

Each chain of nodes comes down to one texture whose channels are picked, multiplied and shifted, or
to a constant. A node that cannot be brought to that form raises `ValueError`, which the importer
says. Source: MaterialX 1.39, standard library.
"""

from __future__ import annotations

import math
import xml.etree.ElementTree as ET
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

from ektopos.trial.engine.package import Place

Numbers = tuple[float, ...]
Ports = dict[str, dict[str, str]]
WRAPS = {"periodic": "repeat", "clamp": "clamp", "mirror": "mirror"}
_DEEPEST = 32
_WIDTHS = {"float": 1, "integer": 1, "vector2": 2, "color3": 3, "vector3": 3, "color4": 4}


@dataclass(frozen=True)
class Lookup:
    """One texture as an image node reads it."""

    file: str
    is_srgb: bool
    place: Place
    filter: str


@dataclass(frozen=True)
class Signal:
    """What a node gives: per component `scale · texel + bias`, or only `bias` for a constant."""

    scale: Numbers
    bias: Numbers
    image: Lookup | None = None
    channels: str = ""
    """The letter of the image's channel that each component reads."""
    strength: float | None = None
    """That of the node that makes vectors of texels, where it went through one."""
    cutoff: float | None = None
    """Of a comparison that made it 0 or 1."""

    @property
    def is_constant(self) -> bool:
        """Whether no texture decides it."""
        return self.image is None or not any(self.scale)


def ports_of(node: ET.Element) -> Ports:
    """The attributes of a node's inputs, by name."""
    return {child.get("name", ""): dict(child.attrib) for child in node if child.tag == "input"}


def evaluate(nodes: Mapping[str, ET.Element], name: str, depth: int = 0) -> Signal:
    """What the node of that name gives. Raises `ValueError` for what no texture with factors can
    hold, `KeyError` for a node or port that is not there."""
    if depth > _DEEPEST:
        raise ValueError(f"the nodes behind {name} go round in a circle")
    node = nodes[name]
    ports = ports_of(node)
    width = _WIDTHS.get(node.get("type", ""), 0)
    kind = node.tag
    if kind == "image":
        return _image(nodes, ports, width)
    if kind not in _NODES:
        raise ValueError(f"the node {name} is a {kind}, which this engine does not know")
    signals = []
    for port, default in _NODES[kind].items():
        values = ports.get(port, {})
        if "nodename" in values:
            signals.append(evaluate(nodes, values["nodename"], depth + 1))
        elif "value" in values:
            signals.append(_constant(numbers_of(values["value"])))
        elif default is None:
            raise KeyError(f"{port} of {name}")
        else:
            signals.append(_constant((default,) * max(width, 1)))
    return _of_node(name, kind, signals, ports, width)


def _of_node(
    name: str, kind: str, signals: list[Signal], ports: Mapping[str, Mapping[str, str]], width: int
) -> Signal:
    """What a node makes of what its ports are given, in the order of `_NODES`."""
    if kind == "constant":
        return signals[0]
    if kind in ("convert", "dot"):
        return _resized(signals[0], width)
    if kind == "extract":
        return _component(signals[0], int(float(ports.get("index", {}).get("value", 0))))
    if kind == "invert":
        amount, signal = signals
        return _sum(amount, _product(signal, _constant((-1.0,))))
    if kind == "normalmap":
        scale, signal = signals
        if not scale.is_constant or len(set(scale.bias)) > 1:
            raise ValueError(f"{name} scales x and y apart")
        return replace(signal, strength=scale.bias[0])
    if kind == "ifgreatereq":
        return _compared(name, *signals)
    return _ARITHMETIC[kind](*signals)


def numbers_of(text: str) -> Numbers:
    """The numbers in a value. Raises `ValueError` for anything else."""
    return tuple(float(part) for part in text.split(","))


def uv_place_of(nodes: Mapping[str, ET.Element], name: str | None) -> Place:
    """UV set, tiling, offset and rotation as glTF counts them, of the nodes behind an image's
    coordinates; v points up there. Raises `ValueError` for a node that places UVs otherwise."""
    if name is None:
        return Place()
    node = nodes[name]
    ports = ports_of(node)
    if node.tag == "texcoord":
        return Place(int(float(ports.get("index", {}).get("value", 0))))
    if node.tag != "place2d":
        raise ValueError(f"the node {name} is a {node.tag}, which places no UVs in this engine")
    below = uv_place_of(nodes, ports.get("texcoord", {}).get("nodename"))

    def pair(key: str, default: tuple[float, float]) -> tuple[float, float]:
        stated = ports.get(key, {}).get("value")
        numbers = numbers_of(stated) if stated else default
        return float(numbers[0]), float(numbers[1])

    (px, py), (sx, sy), (ox, oy) = (
        pair("pivot", (0.0, 0.0)),
        pair("scale", (1.0, 1.0)),
        pair("offset", (0.0, 0.0)),
    )
    turn = -math.radians(float(ports.get("rotate", {}).get("value") or 0.0))
    su, sv = 1.0 / sx, 1.0 / sy
    # Its result at (0, 1), glTF's origin, is where glTF's offset lies; with the pivot there, only
    # the offset moves it.
    x, y = -px * su, (1.0 - py) * sv
    cos, sin = math.cos(turn), math.sin(turn)
    moved = (cos * x - sin * y + px - ox, sin * x + cos * y + py - oy)
    return Place(below.uv_set, (su, sv), (round(moved[0], 9), round(1.0 - moved[1], 9)), turn)


def _image(nodes: Mapping[str, ET.Element], ports: Ports, width: int) -> Signal:
    wrap = [
        WRAPS.get(ports.get(side, {}).get("value", "periodic"), "unknown")
        for side in ("uaddressmode", "vaddressmode")
    ]
    place = uv_place_of(nodes, ports.get("texcoord", {}).get("nodename"))
    image = Lookup(
        ports["file"]["value"],
        ports["file"].get("colorspace") == "srgb_texture",
        replace(place, wrap=(wrap[0], wrap[1])),
        "nearest" if ports.get("filtertype", {}).get("value") == "closest" else "linear",
    )
    return Signal((1.0,) * width, (0.0,) * width, image, "rgba"[:width])


def _constant(numbers: Numbers) -> Signal:
    return Signal((0.0,) * len(numbers), numbers)


def _component(signal: Signal, index: int) -> Signal:
    return replace(
        signal,
        scale=signal.scale[index : index + 1],
        bias=signal.bias[index : index + 1],
        channels=signal.channels[index : index + 1],
    )


def _resized(signal: Signal, width: int) -> Signal:
    """A value as another type: one number for all components, or the first of them."""
    if len(signal.scale) == 1 and width > 1:
        return _wide(signal, width)
    return replace(
        signal,
        scale=signal.scale[:width],
        bias=signal.bias[:width],
        channels=signal.channels[:width],
    )


def _wide(signal: Signal, width: int) -> Signal:
    return replace(
        signal,
        scale=signal.scale * width,
        bias=signal.bias * width,
        channels=signal.channels * width,
    )


def _alike(one: Signal, other: Signal) -> tuple[Signal, Signal]:
    width = max(len(one.scale), len(other.scale))
    first, second = (
        _wide(signal, width) if len(signal.scale) == 1 else signal for signal in (one, other)
    )
    return first, second


def _sum(one: Signal, other: Signal) -> Signal:
    one, other = _alike(one, other)
    if not (one.image is None or other.image is None):
        raise ValueError("two textures are added")
    textured = one if one.image is not None else other
    return replace(
        textured,
        scale=tuple(a + b for a, b in zip(one.scale, other.scale, strict=True)),
        bias=tuple(a + b for a, b in zip(one.bias, other.bias, strict=True)),
    )


def _product(one: Signal, other: Signal) -> Signal:
    one, other = _alike(one, other)
    if not (one.image is None or other.image is None):
        raise ValueError("two textures are multiplied")
    textured, factor = (one, other) if one.image is not None else (other, one)
    return replace(
        textured,
        scale=tuple(a * b for a, b in zip(textured.scale, factor.bias, strict=True)),
        bias=tuple(a * b for a, b in zip(textured.bias, factor.bias, strict=True)),
    )


def _difference(one: Signal, other: Signal) -> Signal:
    return _sum(one, _product(other, _constant((-1.0,))))


def _quotient(one: Signal, other: Signal) -> Signal:
    if other.image is not None or 0.0 in other.bias:
        raise ValueError("a texture is divided by")
    return _product(one, _constant(tuple(1.0 / number for number in other.bias)))


_ARITHMETIC: dict[str, Callable[[Signal, Signal], Signal]] = {
    "multiply": _product,
    "divide": _quotient,
    "add": _sum,
    "subtract": _difference,
}
_NODES: dict[str, dict[str, float | None]] = {
    "constant": {"value": None},
    "convert": {"in": None},
    "dot": {"in": None},
    "extract": {"in": None},
    "invert": {"amount": 1.0, "in": None},
    **{kind: {"in1": None, "in2": 0.0} for kind in _ARITHMETIC},
    "multiply": {"in1": None, "in2": 1.0},
    "divide": {"in1": None, "in2": 1.0},
    "normalmap": {"scale": 1.0, "in": None},
    "ifgreatereq": {"value1": 1.0, "value2": 0.0, "in1": 0.0, "in2": 0.0},
}
"""The nodes that are known besides images, with their ports and what those hold unstated; `None`
where they must be stated. Source: MaterialX 1.39, standard nodes."""


def _compared(name: str, value: Signal, limit: Signal, above: Signal, below: Signal) -> Signal:
    """A texture cut at a limit: 1 where it reaches that, else 0."""
    if not all(signal.is_constant for signal in (limit, above, below)):
        raise ValueError(f"{name} chooses between textures")
    if (above.bias[0], below.bias[0]) == (1.0, 0.0):
        return replace(value, cutoff=limit.bias[0])
    # Neither solid nor clear any more: what is left of it is a share of the two.
    low, high = below.bias[0], above.bias[0]
    return replace(
        value,
        scale=tuple(scale * (high - low) for scale in value.scale),
        bias=tuple(bias * (high - low) + low for bias in value.bias),
        cutoff=limit.bias[0],
    )
