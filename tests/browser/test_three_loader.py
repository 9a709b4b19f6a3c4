"""An exported GLB opened by another reader: three.js' GLTFLoader, in the browser. Source: npm
package `three`."""

from __future__ import annotations

import json
import math
import mimetypes

import numpy as np

from ektopos.export.profile import find_profile
from ektopos.export.write_package import export_package
from ektopos.meshes import read_mesh
from ektopos.project import open_project
from ektopos.rendering import shade
from tests.browser.site import ROOT, Site
from tests.outside.test_scenes import posed
from tests.samples import folder, project, project_folder
from tests.scenes import figure

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


SCENE = """<!doctype html><script type="importmap">{"imports": {
  "three": "/three/build/three.module.js", "three/addons/": "/three/examples/jsm/"}}</script>
<script type="module">
import * as THREE from 'three'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'
const gltf = await new GLTFLoader().loadAsync('/package.glb')
const mixer = new THREE.AnimationMixer(gltf.scene)
const vertices = () => {
  gltf.scene.updateMatrixWorld(true)
  const found = {}
  gltf.scene.traverse((mesh) => {
    if (!mesh.isMesh) return
    mesh.skeleton?.update()
    const places = []
    const place = new THREE.Vector3()
    for (let i = 0; i < mesh.geometry.getAttribute('position').count; i += 1) {
      mesh.getVertexPosition(i, place)
      places.push(place.applyMatrix4(mesh.matrixWorld).toArray())
    }
    found[mesh.material.name] = places
  })
  return found
}
const still = vertices()
mixer.clipAction(gltf.animations[0]).play()
mixer.setTime(0.6)
const names = []
gltf.scene.traverse((object) => names.push(object.name))
window.found = { still, moved: vertices(), names, clips: gltf.animations.map((clip) => clip.name) }
</script>"""


class GltfLoader(Site):
    def read(self, content: bytes, html: str) -> dict:
        """What a page finds in a package with the loader."""
        page = self.page

        def three(route) -> None:
            address = route.request.url.removeprefix(self.live_server_url + "/")
            path = ROOT / "web/node_modules" / address
            kind = mimetypes.guess_type(path.name)[0] or "text/javascript"
            route.fulfill(body=path.read_bytes(), content_type=kind)

        page.route("**/three/**", three)
        page.route(
            "**/package.glb",
            lambda route: route.fulfill(body=content, content_type="model/gltf-binary"),
        )
        page.route("**/reader", lambda route: route.fulfill(body=html, content_type="text/html"))
        self.open("/reader")
        page.wait_for_function("window.found !== undefined")
        return page.evaluate("window.found")

    def test_a_character_stands_and_moves_as_it_did(self) -> None:
        with folder() as root:
            project_folder(root / "in")
            source = figure().save(root / "in/meshes/figure.glb")
            path = root / "in/test.ektopos.json"
            document = json.loads(path.read_text())
            slots = {"Cloth": "tile", "Metal": "plain"}
            document["meshes"] = {"figure": {"file": "meshes/figure.glb", "slots": slots}}
            path.write_text(json.dumps(document))
            with open_project(root / "in") as opened:
                export_package(opened, find_profile("gltf-glb"), root / "out")
            content = (root / "out/figure.glb").read_bytes()
            mesh = read_mesh(source)
            moved = posed(source, root / "posed.glb", 0, 0.6)
        found = self.read(content, SCENE)
        self.assertEqual(found["clips"], ["wave", "swell"])
        self.assertLessEqual({"hip", "chest", "hinge", "grip_socket"}, set(found["names"]))
        diagonal = float(np.linalg.norm(np.ptp(mesh.positions, axis=0)))
        for name, wanted in (("still", mesh.positions), ("moved", moved)):
            theirs = np.concatenate([found[name]["tile"], found[name]["plain"]])
            np.testing.assert_allclose(theirs, wanted, atol=1e-5 * diagonal)

    def test_materials_come_back_as_the_document_says_them(self) -> None:
        with project() as opened, folder() as root:
            export_package(opened, find_profile("gltf-glb"), root / "out")
            content = (root / "out/plates.glb").read_bytes()
            material = opened.document.materials["tile"]
        found = self.read(content, PAGE)
        tile, plain = found["tile"], found["plain"]
        uv = material.uv
        self.assertEqual(
            (tile["map"]["repeat"], tile["map"]["offset"]), (list(uv.tiling), list(uv.offset))
        )
        self.assertTrue(math.isclose(tile["map"]["rotation"], uv.rotation))
        self.assertEqual((tile["alphaTest"], tile["transparent"], tile["side"]), (0.4, False, 2))
        self.assertEqual(
            (tile["map"]["colorSpace"], tile["rough"]["colorSpace"], tile["map"]["mag"]),
            ("srgb", "", 1003),
        )
        self.assertEqual((tile["map"]["width"], tile["emissiveMap"]["width"]), (64, 32))
        self.assertEqual((tile["color"], tile["roughness"], tile["metalness"]), ([1, 1, 1], 1, 1))
        self.assertAlmostEqual(abs(tile["scale"][0]), 0.8)
        self.assertAlmostEqual(tile["ao"], 0.5)
        self.assertAlmostEqual(tile["strength"], 1.5 * 3.0, delta=0.05)
        self.assertEqual(
            (plain["map"], plain["roughness"], plain["metalness"], plain["side"]),
            (None, 0.35, 0, 0),
        )
        self.assertEqual([round(v, 6) for v in plain["color"]], [0.2, 0.3, 0.4])


SPHERE = """<!doctype html><script type="importmap">{"imports": {"three": "/three/build/three.module.js"}}</script>
<script type="module">
import * as THREE from 'three'
const size = 64
const renderer = new THREE.WebGLRenderer({ preserveDrawingBuffer: true })
renderer.setSize(size, size)
renderer.toneMapping = THREE.NoToneMapping
renderer.outputColorSpace = THREE.LinearSRGBColorSpace
const scene = new THREE.Scene()
const camera = new THREE.OrthographicCamera(-1, 1, 1, -1, 0.1, 10)
camera.position.z = 5
const light = new THREE.DirectionalLight(0xffffff, 1)
light.position.set(1, 1.5, 2)
scene.add(light)
const ball = new THREE.Mesh(new THREE.SphereGeometry(1, 512, 256))
scene.add(ball)
window.draw = (color, metalness, roughness) => {
  ball.material = new THREE.MeshPhysicalMaterial({ color: new THREE.Color().setRGB(...color, THREE.LinearSRGBColorSpace), metalness, roughness })
  renderer.render(scene, camera)
  const gl = renderer.getContext()
  const pixels = new Uint8Array(size * size * 4)
  gl.readPixels(0, 0, size, size, gl.RGBA, gl.UNSIGNED_BYTE, pixels)
  return Array.from(pixels)
}
</script>"""


class PhysicalMaterial(Site):
    draws = True

    def test_the_reference_shading_is_what_three_draws_under_one_lamp(self) -> None:
        """Source: npm package `three`, MeshPhysicalMaterial, the same sphere and lamp.

        Tolerance 3 of 255 steps in the mean and 8 for 99 % of texels: it draws to 8 bits, and its
        normals are those of triangles. Rough metals are lighter there, because it adds a
        multi-scatter term that the specification does not have: ours must never be the lighter one.
        """
        page = self.page

        def three(route) -> None:
            path = (
                ROOT
                / "web/node_modules"
                / route.request.url.removeprefix(self.live_server_url + "/")
            )
            route.fulfill(body=path.read_bytes(), content_type="text/javascript")

        page.route("**/three/**", three)
        page.route("**/sphere", lambda route: route.fulfill(body=SPHERE, content_type="text/html"))
        self.open("/sphere")
        page.wait_for_function("window.draw !== undefined")
        size = 64
        y, x = (np.mgrid[0:size, 0:size] + 0.5) / size * 2 - 1
        on = np.hypot(x, y) < 0.9
        normals = np.stack([x[on], y[on], np.sqrt(1 - x[on] ** 2 - y[on] ** 2)], -1)
        views = np.broadcast_to([0.0, 0.0, 1.0], normals.shape)
        lamp = np.array([1, 1.5, 2]) / np.linalg.norm([1, 1.5, 2])
        for color, metallic, roughness in (
            ((0.6, 0.3, 0.2), 0.0, 0.5),
            ((0.9, 0.7, 0.4), 1.0, 0.35),
            ((0.5, 0.5, 0.5), 0.0, 1.0),
            ((0.8, 0.8, 0.9), 1.0, 0.8),
        ):
            seen = np.array(
                page.evaluate("([c, m, r]) => window.draw(c, m, r)", [color, metallic, roughness]),
                float,
            )
            theirs = seen.reshape(size, size, 4)[on][:, :3]
            count = len(normals)
            ours = shade(
                np.tile(color, (count, 1)),
                np.full(count, metallic),
                np.full(count, roughness),
                normals,
                views,
                np.tile(lamp, (count, 1)),
            )
            difference = np.abs(np.clip(ours, 0, 1) * 255 - theirs)
            with self.subTest(color=color, metallic=metallic, roughness=roughness):
                if metallic:
                    excess = np.clip(ours, 0, 1) * 255 - theirs
                    self.assertLess(np.percentile(excess, 99), 4)
                    self.assertLess(difference.mean(), 15)
                else:
                    self.assertLess(difference.mean(), 3)
                    self.assertLess(np.percentile(difference, 99), 8)
                self.assertGreater(theirs.std(), 5)
