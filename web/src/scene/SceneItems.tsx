import type { ThreeEvent } from '@react-three/fiber'
import { useLoader, useThree } from '@react-three/fiber'
import { useEffect, useLayoutEffect, useMemo, useRef } from 'react'
import type { BufferGeometry, InstancedMesh, Object3D } from 'three'
import {
  Box3,
  BoxGeometry,
  EdgesGeometry,
  LineBasicMaterial,
  Matrix4,
  Mesh,
  PlaneGeometry,
  Vector3,
} from 'three'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'
import { clone } from 'three/addons/utils/SkeletonUtils.js'

import type { Ground as Stated, MeshFacts, SceneItem, StageLook } from '../api/types'
import { piecesOf } from '../viewport/Subjects'
import { useStageMaterial } from '../viewport/useMaterial'
import { STAGE } from '../theme'
import { matricesOf, underside } from './place'

/** What a hand does to a thing: press it, or press and let go without moving. */
export interface Touch {
  pressed: (item: string, event: ThreeEvent<PointerEvent>) => void
  clicked: (item: string, event: ThreeEvent<MouseEvent>) => void
}

const geometryOf = (mesh: MeshFacts) => `/api/mesh-geometry/${mesh.key}.glb`

/** Where everything of one mesh stands, and which thing each repetition is. */
function usePlaces(mesh: MeshFacts, items: [string, SceneItem][]) {
  const gltf = useLoader(GLTFLoader, geometryOf(mesh))
  return useMemo(() => {
    const box = new Box3().setFromObject(gltf.scene)
    const under = underside(box)
    const places = items.flatMap(([name, item]) =>
      matricesOf(item, under).map((matrix) => ({ name, matrix })),
    )
    return { pieces: piecesOf(gltf.scene, mesh.renamed).pieces, box, places }
  }, [gltf, items, mesh.renamed])
}

/** All that stands of one mesh, as it is meant: one draw for each of its slots, however often it stands. */
export function SceneItems({
  mesh,
  items,
  looks,
  touch,
}: {
  mesh: MeshFacts
  items: [string, SceneItem][]
  looks: Record<string, StageLook | undefined>
  touch: Touch
}) {
  const { pieces, places } = usePlaces(mesh, items)
  return pieces.map(({ slot, geometry }) => (
    <Part
      key={slot}
      geometry={geometry}
      look={looks[mesh.assigned[slot] ?? '']}
      places={places}
      touch={touch}
    />
  ))
}

function Part({
  geometry,
  look,
  places,
  touch,
}: {
  geometry: BufferGeometry
  look: StageLook | undefined
  places: { name: string; matrix: Matrix4 }[]
  touch: Touch
}) {
  const material = useStageMaterial(look)
  const invalidate = useThree((state) => state.invalidate)
  const held = useRef<InstancedMesh>(null)
  useLayoutEffect(() => {
    const mesh = held.current
    if (!mesh) return
    places.forEach(({ matrix }, number) => mesh.setMatrixAt(number, matrix))
    mesh.instanceMatrix.needsUpdate = true
    mesh.computeBoundingSphere()
    invalidate()
  }, [places, invalidate])
  useEffect(() => invalidate(), [material, invalidate])
  return (
    <instancedMesh
      // As many as there are now: their number is fixed when it is made.
      key={places.length}
      ref={held}
      // The material is no part of these: with another one it would be made anew, standing nowhere.
      args={[geometry, undefined, places.length]}
      material={material}
      castShadow
      receiveShadow
      onPointerDown={(event) => touch.pressed(places[event.instanceId ?? 0]!.name, event)}
      onClick={(event) => touch.clicked(places[event.instanceId ?? 0]!.name, event)}
    />
  )
}

/** All that stands of one mesh, as a file has it with its own materials. */
export function Read({
  mesh,
  url,
  alone,
  items,
  touch,
}: {
  mesh: MeshFacts
  url: string
  /** Whether nothing else is in that file. */
  alone: boolean
  items: [string, SceneItem][]
  touch: Touch
}) {
  const gltf = useLoader(GLTFLoader, url)
  const { places } = usePlaces(mesh, items)
  const invalidate = useThree((state) => state.invalidate)
  const copies = useMemo(() => {
    const source = alone ? gltf.scene : named(gltf.scene, mesh.name)
    if (!source) return []
    return places.map(({ name, matrix }) => {
      const copy = clone(source)
      copy.traverse((part) => {
        if (part instanceof Mesh) part.castShadow = part.receiveShadow = true
      })
      return { name, matrix, copy }
    })
  }, [alone, gltf, mesh.name, places])
  useEffect(() => invalidate(), [copies, invalidate])
  return copies.map(({ name, matrix, copy }, number) => (
    <group key={number} matrix={matrix} matrixAutoUpdate={false}>
      <primitive
        object={copy}
        onPointerDown={(event: ThreeEvent<PointerEvent>) => touch.pressed(name, event)}
        onClick={(event: ThreeEvent<MouseEvent>) => touch.clicked(name, event)}
      />
    </group>
  ))
}

/** A node by the name that its file gives it, which the loader may have changed. */
function named(scene: Object3D, name: string): Object3D | null {
  let found: Object3D | null = null
  scene.traverse((node) => {
    if (!found && (node.userData.name ?? node.name) === name) found = node
  })
  return found
}

/** A box of lines round every repetition of the chosen thing. */
export function ChosenItem({ mesh, item }: { mesh: MeshFacts; item: SceneItem }) {
  const items = useMemo<[string, SceneItem][]>(() => [['', item]], [item])
  const { box, places } = usePlaces(mesh, items)
  const edges = useMemo(() => {
    const [width, height, depth] = box.getSize(new Vector3()).multiplyScalar(1.02).toArray()
    const made = new EdgesGeometry(new BoxGeometry(width, height, depth))
    return made.translate(...box.getCenter(new Vector3()).toArray())
  }, [box])
  const line = useMemo(() => new LineBasicMaterial({ color: STAGE.chosen }), [])
  useEffect(() => () => edges.dispose(), [edges])
  return places.map(({ matrix }, number) => (
    <group key={number} matrix={matrix} matrixAutoUpdate={false}>
      <lineSegments
        geometry={edges}
        material={line}
        raycast={() => null}
        userData={{ mark: true }}
      />
    </group>
  ))
}

/** The ground: a square that takes shadows, just below what stands on it. */
export function Ground({ ground, look }: { ground: Stated; look: StageLook | undefined }) {
  const { size = 20, tile = 2 } = ground
  const material = useStageMaterial(look)
  const invalidate = useThree((state) => state.invalidate)
  const geometry = useMemo(() => {
    const made = new PlaneGeometry(size, size).rotateX(-Math.PI / 2)
    const [at, uv] = [made.getAttribute('position'), made.getAttribute('uv')]
    for (let corner = 0; corner < at.count; corner += 1)
      uv.setXY(corner, at.getX(corner) / tile, at.getZ(corner) / tile)
    made.setAttribute('uv1', uv)
    return made
  }, [size, tile])
  useEffect(() => () => geometry.dispose(), [geometry])
  useEffect(() => invalidate(), [material, geometry, invalidate])
  return (
    <mesh
      geometry={geometry}
      material={material}
      // What stands on it has its underside there: two faces in one place flicker.
      position={[0, -0.0005 * Math.sqrt(size), 0]}
      receiveShadow
      raycast={() => null}
    />
  )
}
