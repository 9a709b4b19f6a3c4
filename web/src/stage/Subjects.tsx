import { useLoader, useThree } from '@react-three/fiber'
import { useEffect, useMemo } from 'react'
import { Box3, BufferGeometry, Color, DoubleSide, Group, Mesh, MeshBasicMaterial, MeshStandardMaterial, Vector3 } from 'three'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'

import type { StageLook } from '../api/types'
import { SLOT_TINTS, STAGE } from '../theme'
import type { ShapeName } from './shapes'
import { makeShape } from './shapes'
import { useSoloMaterial, useStageMaterial } from './useMaterial'

/** A simple shape that wears one look. */
export function ShapeSubject({ shape, look, solo }: { shape: ShapeName; look: StageLook | undefined; solo: string | null }) {
  const geometry = useMemo(() => makeShape(shape), [shape])
  useEffect(() => () => geometry.dispose(), [geometry])
  const lit = useStageMaterial(look)
  const flat = useSoloMaterial(solo, look)
  return <mesh geometry={geometry} material={flat ?? lit} position={[0, shape === 'specimen' ? -0.12 : 0, 0]} />
}

export interface SlotView {
  slot: string
  look: StageLook | undefined
  solo?: string | null
}

export type SlotTint = 'lit' | 'slots'

/** A mesh with a look on each slot; one slot can be isolated, and slots can be tinted. */
export function MeshSubject({ geometryKey, slots, tint, isolated, wire, onHover, onPick }: {
  geometryKey: string
  slots: SlotView[]
  tint: SlotTint
  isolated: string | null
  wire: boolean
  onHover?: (slot: string | null) => void
  onPick?: (slot: string) => void
}) {
  const gltf = useLoader(GLTFLoader, `/api/mesh-geometry/${geometryKey}.glb`)
  const { pieces, centre } = useMemo(() => piecesOf(gltf.scene), [gltf])
  return (
    <group position={centre.clone().negate()}>
      {pieces.map(({ slot, geometry }) => {
        const number = slots.findIndex((view) => view.slot === slot)
        const view = slots[number]
        return (
          <Piece
            key={slot} geometry={geometry} look={view?.look} solo={view?.solo ?? null} wire={wire}
            tint={tint === 'slots' ? SLOT_TINTS[number % SLOT_TINTS.length]! : null}
            ghost={isolated !== null && isolated !== slot}
            onHover={(over) => onHover?.(over ? slot : null)} onPick={() => onPick?.(slot)}
          />
        )
      })}
    </group>
  )
}

function Piece({ geometry, look, solo, tint, ghost, wire, onHover, onPick }: { geometry: BufferGeometry; look: StageLook | undefined; solo: string | null; tint: string | null; ghost: boolean; wire: boolean; onHover: (over: boolean) => void; onPick: () => void }) {
  const lit = useStageMaterial(look)
  const flat = useSoloMaterial(solo, look)
  const invalidate = useThree((state) => state.invalidate)
  const tinted = useMemo(() => (tint ? new MeshStandardMaterial({ color: new Color(tint), roughness: 0.85, side: DoubleSide }) : null), [tint])
  const faint = useMemo(() => new MeshBasicMaterial({ color: new Color(STAGE.ghost), transparent: true, opacity: 0.12, depthWrite: false }), [])
  const lines = useMemo(() => new MeshBasicMaterial({ color: new Color(STAGE.wire), wireframe: true, transparent: true, opacity: 0.45 }), [])
  useEffect(() => () => tinted?.dispose(), [tinted])
  useEffect(() => invalidate(), [ghost, tinted, flat, lit, wire, invalidate])
  return (
    <>
      <mesh
        geometry={geometry} material={ghost ? faint : (flat ?? tinted ?? lit)}
        onPointerOver={(event) => { event.stopPropagation(); onHover(true) }} onPointerOut={() => onHover(false)}
        onClick={(event) => { event.stopPropagation(); if (event.delta < 4) onPick() }}
      />
      {wire && !ghost && <mesh geometry={geometry} material={lines} raycast={() => null} />}
    </>
  )
}

function piecesOf(scene: Group): { pieces: { slot: string; geometry: BufferGeometry }[]; centre: Vector3; size: number } {
  const pieces: { slot: string; geometry: BufferGeometry }[] = []
  scene.updateMatrixWorld(true)
  scene.traverse((object) => {
    if (object instanceof Mesh) {
      // A primitive's extras, where the slot's name stands, become the geometry's user data.
      const slot = (object.geometry.userData.slot ?? object.userData.slot ?? object.name) as string
      pieces.push({ slot, geometry: object.geometry as BufferGeometry })
    }
  })
  const box = new Box3().setFromObject(scene)
  return { pieces, centre: box.getCenter(new Vector3()), size: box.getSize(new Vector3()).length() }
}
