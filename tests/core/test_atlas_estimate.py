"""Several small sets against one: worked by hand, no source."""

from __future__ import annotations

from unittest import TestCase

from ektopos.document import Document, Feed, MapEntry, MaterialEntry, UvTransform
from ektopos.export.atlas_estimate import AtlasEstimate, estimate_atlas
from ektopos.export.plan import make_plan
from ektopos.export.profile import find_profile
from ektopos.images import ImageHeader
from ektopos.meshes import SlotFacts
from ektopos.meshes.slots import UvFacts


def slot(name: str, area: float, density: float | None) -> SlotFacts:
    uv = UvFacts(*([0] * len(UvFacts.__dataclass_fields__)))
    return SlotFacts(name, 2, 0.5, area, uv, density)


def weighed(*worn: tuple[SlotFacts, str], tiling: float = 1.0) -> AtlasEstimate | None:
    document = Document(
        maps={name: MapEntry(file=f"{name}.png", roles={"rgb": "base_color"}) for name in "ab"},
        materials={
            name: MaterialEntry(
                inputs={"base_color": Feed(map=name)}, uv=UvTransform(tiling=(1, tiling))
            )
            for name in "ab"
        }
        | {"plain": MaterialEntry(inputs={"base_color": Feed(value=(0.5, 0.5, 0.5))})},
    )
    header = ImageHeader(256, 256, 3, 8, False, "png")
    plan = make_plan(document, find_profile("gltf-glb"), lambda name: header)
    return estimate_atlas(plan, worn)


class AsOneSet(TestCase):
    def test_one_set_keeps_every_slot_as_sharp(self) -> None:
        # Each slot shows 256 texels a metre on a square metre: 2 × 256² texels, of which a square
        # that is filled to 0.7 is 433 texels long, and 512 the next power of two.
        found = weighed((slot("x", 1.0, 1.0), "a"), (slot("y", 1.0, 1.0), "b"))
        assert found is not None
        self.assertEqual((found.side, found.materials), (512, ("a", "b")))
        self.assertEqual((found.now.files, found.now.texels), (2, 2 * 256 * 256))
        self.assertEqual((found.one.files, found.one.texels), (1, 512 * 512))
        # Blocks of 16 bytes for 16 texels, and a third for the smaller levels.
        self.assertAlmostEqual(found.one.compressed / (512 * 512 * 4 / 3), 1.0, delta=0.001)
        self.assertAlmostEqual(found.one.memory / (4 * 512 * 512 * 4 / 3), 1.0, delta=0.001)
        self.assertAlmostEqual(found.filled, 0.5)

    def test_repetition_has_to_be_laid_out(self) -> None:
        worn = (slot("x", 1.0, 4.0), "a"), (slot("y", 0.0, None), "b")
        one, tiled = weighed(*worn), weighed(*worn, tiling=4.0)
        assert one is not None and tiled is not None
        # 4 UV units a metre: 16 times the map; with a tiling of 4, 64 times.
        self.assertEqual((one.side, tiled.side), (2048, 4096))

    def test_with_one_set_or_without_uvs_there_is_nothing_to_say(self) -> None:
        self.assertIsNone(weighed((slot("x", 1.0, 1.0), "a"), (slot("y", 1.0, 1.0), "plain")))
        self.assertIsNone(weighed((slot("x", 1.0, 1.0), "a"), (slot("y", 1.0, None), "b")))
        self.assertIsNone(weighed())
