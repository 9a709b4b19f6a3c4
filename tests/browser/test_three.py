"""An exported GLB opened by another reader: three.js' GLTFLoader, in the browser. Source: npm package `three`."""

from __future__ import annotations

import math
import mimetypes

from ektopos.targets import export_package
from ektopos.targets.profile import find_profile
from tests.browser.site import ROOT, Site
from tests.samples import folder, project

PAGE = """<!doctype html><script type="importmap">{"imports": {
  "three": "/three/build/three.module.js", "three/addons/": "/three/examples/jsm/"}}</script>
<script type="module">
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'
const gltf = await new GLTFLoader().loadAsync('/package.glb')
const found = {}
gltf.scene.traverse((object) => {
  const m = object.material
  if (!m) return
  const transform = (t) => t && { offset: t.offset.toArray(), repeat: t.repeat.toArray(), rotation: t.rotation, mag: t.magFilter, colorSpace: t.colorSpace, width: t.image.width }
  found[m.name] = { color: m.color.toArray(), roughness: m.roughness, metalness: m.metalness, transparent: m.transparent, alphaTest: m.alphaTest,
    side: m.side, map: transform(m.map), rough: transform(m.roughnessMap), normal: transform(m.normalMap), scale: m.normalScale.toArray(), ao: m.aoMapIntensity,
    emissive: m.emissive.toArray(), strength: m.emissiveIntensity, emissiveMap: transform(m.emissiveMap) }
})
window.found = found
</script>"""


class GltfLoader(Site):
    def test_materials_come_back_as_the_document_says_them(self) -> None:
        with project() as opened, folder() as root:
            export_package(opened, find_profile("gltf-glb"), root / "out")
            content = (root / "out/Test_plates.glb").read_bytes()
            material = opened.document.materials["tile"]
        page = self.page

        def three(route) -> None:
            path = ROOT / "web/node_modules" / route.request.url.removeprefix(self.live_server_url + "/")
            route.fulfill(body=path.read_bytes(), content_type=mimetypes.guess_type(path.name)[0] or "text/javascript")

        page.route("**/three/**", three)
        page.route("**/package.glb", lambda route: route.fulfill(body=content, content_type="model/gltf-binary"))
        page.route("**/reader", lambda route: route.fulfill(body=PAGE, content_type="text/html"))
        self.open("/reader")
        page.wait_for_function("window.found !== undefined")
        found = page.evaluate("window.found")
        tile, plain = found["tile"], found["plain"]
        uv = material.uv
        self.assertEqual((tile["map"]["repeat"], tile["map"]["offset"]), (list(uv.tiling), list(uv.offset)))
        self.assertTrue(math.isclose(tile["map"]["rotation"], uv.rotation))
        self.assertEqual((tile["alphaTest"], tile["transparent"], tile["side"]), (0.4, False, 2))
        self.assertEqual((tile["map"]["colorSpace"], tile["rough"]["colorSpace"], tile["map"]["mag"]), ("srgb", "", 1003))
        self.assertEqual((tile["map"]["width"], tile["emissiveMap"]["width"]), (64, 32))
        self.assertEqual((tile["color"], tile["roughness"], tile["metalness"]), ([1, 1, 1], 1, 1))
        self.assertAlmostEqual(abs(tile["scale"][0]), 0.8)
        self.assertAlmostEqual(tile["ao"], 0.5)
        self.assertAlmostEqual(tile["strength"], 1.5 * 3.0, delta=0.05)
        self.assertEqual((plain["map"], plain["roughness"], plain["metalness"], plain["side"]), (None, 0.35, 0, 0))
        self.assertEqual([round(v, 6) for v in plain["color"]], [0.2, 0.3, 0.4])
