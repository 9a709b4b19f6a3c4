"""What of a glTF's scene hangs on the scales of its nodes."""

from __future__ import annotations

from collections.abc import Iterator

from ektopos.base.types import Json

_INSTANCING = "EXT_mesh_gpu_instancing"


def scaled_nodes(gltf: Json) -> set[int]:
    """Nodes whose scale cannot be applied without changing what else hangs on it: all of a tree in
    which one moves in an animation, is part of a skeleton or a skin, has morph targets or
    instances."""
    nodes = gltf.get("nodes", [])
    joints = {joint for skin in gltf.get("skins", []) for joint in skin.get("joints", [])}
    moved = {
        channel.get("target", {}).get("node")
        for animation in gltf.get("animations", [])
        for channel in animation.get("channels", [])
    }

    def is_held(index: int) -> bool:
        node = nodes[index]
        mesh = gltf["meshes"][node["mesh"]] if "mesh" in node else {}
        return (
            index in joints
            or index in moved
            or "skin" in node
            or _INSTANCING in node.get("extensions", {})
            or any(primitive.get("targets") for primitive in mesh.get("primitives", []))
        )

    below = {child for node in nodes for child in node.get("children", [])}
    held: set[int] = set()
    for root in set(range(len(nodes))) - below:
        tree = list(_tree(nodes, root))
        if any(is_held(index) for index in tree):
            held.update(tree)
    return held


def _tree(nodes: list[Json], root: int) -> Iterator[int]:
    waiting = [root]
    while waiting:
        index = waiting.pop()
        yield index
        waiting += nodes[index].get("children", [])
