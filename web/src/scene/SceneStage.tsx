import type { RootState } from '@react-three/fiber'
import { useThree } from '@react-three/fiber'
import type { ReactNode } from 'react'
import { Suspense, useEffect, useMemo, useRef, useState } from 'react'
import type { Group } from 'three'
import { Plane, Vector3 } from 'three'
import type { OrbitControls } from 'three/addons/controls/OrbitControls.js'

import { useLooks } from '../api/queries'
import type { Document, MeshFacts, Package, SceneItem } from '../api/types'
import { RenderBoundary } from '../viewport/RenderBoundary'
import { SceneCamera } from './Camera'
import type { Seen } from './cameraApi'
import { reach, rounded } from './place'
import type { Side } from './sides'
import { isDrawn } from './sides'
import { Sun } from './Sun'
import type { Touch } from './SceneItems'
import { ChosenItem, Ground, SceneItems, Read } from './SceneItems'

interface Props {
  scene: NonNullable<Document['scene']>
  items: Record<string, SceneItem>
  meshes: MeshFacts[]
  pack: Package | undefined
  side: Side
  chosen: string | null
  /** Nothing can be chosen or moved on the second stage, whose camera follows. */
  hands?: {
    choose: (item: string) => void
    move: (item: string, change: Partial<SceneItem>) => void
    settle: () => void
    first: Seen | null
    left: (view: Seen) => void
  }
}

/** What stands on the scene's stage: every thing where it stands, its ground and its sun. */
export function SceneContents({ scene, items, meshes, pack, side, chosen, hands }: Props) {
  const looks = useLooks().data ?? {}
  const byMesh = useMemo(
    () =>
      meshes
        .filter((mesh) => mesh.measured)
        .map((mesh) => ({
          mesh,
          items: Object.entries(items).filter(([, item]) => item.mesh === mesh.name),
        }))
        .filter(({ items }) => items.length > 0),
    [items, meshes],
  )
  const { middle, radius } = useMemo(
    () =>
      reach(
        Object.values(items),
        (name) => meshes.find((mesh) => mesh.name === name)?.size ?? [0, 0, 0],
      ),
    [items, meshes],
  )
  const { group, touch } = useDrag(items, chosen, hands)
  const held = chosen === null ? undefined : items[chosen]
  const heldMesh = meshes.find((mesh) => mesh.name === held?.mesh && mesh.measured)
  return (
    <group ref={group}>
      {hands && (
        <SceneCamera middle={middle} radius={radius} first={hands.first} left={hands.left} />
      )}
      {scene.sun && <Sun sun={scene.sun} middle={middle} radius={radius} />}
      {scene.ground && <Ground ground={scene.ground} look={looks[scene.ground.material ?? '']} />}
      {byMesh.map(({ mesh, items }) => (
        <Alone key={`${mesh.name} ${side}`}>
          {side === 'meant' ? (
            <SceneItems mesh={mesh} items={items} looks={looks} touch={touch} />
          ) : (
            <Brought mesh={mesh} items={items} pack={pack} side={side} touch={touch} />
          )}
        </Alone>
      ))}
      {hands && held && heldMesh && (
        <Alone>
          <ChosenItem mesh={heldMesh} item={held} />
        </Alone>
      )}
    </group>
  )
}

/** One thing that cannot be drawn leaves the others standing. */
function Alone({ children }: { children: ReactNode }) {
  return (
    <RenderBoundary>
      <Suspense fallback={null}>{children}</Suspense>
    </RenderBoundary>
  )
}

function Brought({
  mesh,
  items,
  pack,
  side,
  touch,
}: {
  mesh: MeshFacts
  items: [string, SceneItem][]
  pack: Package | undefined
  side: Side
  touch: Touch
}) {
  if (!pack) return null
  if (side === 'arrived') {
    // Trying again writes that file anew.
    const url = `/api/packages/${pack.id}/arrived.glb?cells=${pack.trial?.cells.length ?? 0}`
    return <Read mesh={mesh} url={url} alone={false} items={items} touch={touch} />
  }
  const file = pack.holds[mesh.name]
  if (!file || !isDrawn(file)) return null
  const alone = Object.values(pack.holds).filter((other) => other === file).length === 1
  const path = file.split('/').map(encodeURIComponent).join('/')
  const url = `/api/packages/${pack.id}/files/${path}`
  return <Read mesh={mesh} url={url} alone={alone} items={items} touch={touch} />
}

/** Choosing a thing by pressing it; the chosen one is drawn over the ground, or turned with Shift. */
function useDrag(items: Record<string, SceneItem>, chosen: string | null, hands: Props['hands']) {
  const get = useThree((state) => state.get)
  const group = useRef<Group>(null)
  const latest = useRef({ items, hands })
  const [grip, setGrip] = useState<{ item: string; at: Vector3; x: number; turns: boolean } | null>(
    null,
  )
  useEffect(() => {
    latest.current = { items, hands }
  })
  const touch: Touch = {
    pressed: (name, event) => {
      event.stopPropagation()
      if (!hands || event.button !== 0 || name !== chosen) return
      hold(get, true)
      setGrip({
        item: name,
        at: event.point.clone(),
        x: event.nativeEvent.clientX,
        turns: event.nativeEvent.shiftKey,
      })
    },
    clicked: (name, event) => {
      event.stopPropagation()
      if (event.delta < 4) hands?.choose(name)
    },
  }
  useEffect(() => {
    if (!grip) return
    const begin = { ...latest.current.items[grip.item] }
    const position = [...(begin.position ?? [0, 0, 0])] as [number, number, number]
    const rotation = [...(begin.rotation ?? [0, 0, 0])] as [number, number, number]
    const plane = new Plane(new Vector3(0, 1, 0), -grip.at.y)
    const start = group.current!.worldToLocal(grip.at.clone())
    const moved = (event: PointerEvent) => {
      const { hands } = latest.current
      const { gl, camera, raycaster } = get()
      if (grip.turns) {
        const [x, y, z] = rotation
        const degrees = rounded(y + (event.clientX - grip.x) / 2, 0)
        hands?.move(grip.item, { rotation: [x, degrees, z] })
        return
      }
      const box = gl.domElement.getBoundingClientRect()
      const pointer = {
        x: ((event.clientX - box.left) / box.width) * 2 - 1,
        y: 1 - ((event.clientY - box.top) / box.height) * 2,
      }
      raycaster.setFromCamera(pointer as never, camera)
      const point = raycaster.ray.intersectPlane(plane, new Vector3())
      if (!point) return
      const here = group.current!.worldToLocal(point)
      const [x, y, z] = position
      hands?.move(grip.item, {
        position: [rounded(x + here.x - start.x, 3), y, rounded(z + here.z - start.z, 3)],
      })
    }
    const released = () => {
      hold(get, false)
      setGrip(null)
      latest.current.hands?.settle()
    }
    window.addEventListener('pointermove', moved)
    window.addEventListener('pointerup', released)
    window.addEventListener('pointercancel', released)
    return () => {
      hold(get, false)
      window.removeEventListener('pointermove', moved)
      window.removeEventListener('pointerup', released)
      window.removeEventListener('pointercancel', released)
    }
  }, [get, grip])
  return { group, touch }
}

/** While a hand holds a thing, the camera stays. */
function hold(get: () => RootState, held: boolean) {
  const controls = get().controls as OrbitControls | null
  if (controls) controls.enabled = !held
}
